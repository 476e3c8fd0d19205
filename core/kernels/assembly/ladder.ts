// From one grid of a ladder to another, and the finest detail of a grid taken away. Heights count from one sample nearby, so that level ground stays so to the bit.

/**
 * Rows `from` to `to` of a grid (`left` samples before a row, `above` rows over the first) along x on the samples of another:
 * `count` sums of `taps` (a multiple of four) of a row's `across` samples from `first` (words) times their weights. `out` is packed, `outStride` floats a row.
 */
export function passAlong(
  source: usize,
  stride: i32,
  left: i32,
  above: i32,
  across: i32,
  first: usize,
  weight: usize,
  taps: i32,
  count: i32,
  out: usize,
  outStride: i32,
  from: i32,
  to: i32,
): void {
  for (let row = from; row < to; row++) {
    const start = source + (<usize>((row + above) * stride + left) << 2);
    const into = out + (<usize>(row * outStride) << 2);
    for (let i = 0; i < count; i++) {
      const begin = load<i32>(first + (<usize>i << 2));
      const at = start + (<usize>begin << 2);
      const w = weight + (<usize>(i * taps) << 2);
      const base = load<f32>(at);
      let sum: f32 = 0;
      if (begin + taps <= across) {
        const all = f32x4.splat(base);
        let sums = f32x4.splat(0);
        for (let k = 0; k < taps; k += 4) {
          const by = <usize>k << 2;
          sums = f32x4.add(sums, f32x4.mul(v128.load(w + by), f32x4.sub(v128.load(at + by), all)));
        }
        sum =
          f32x4.extract_lane(sums, 0) + f32x4.extract_lane(sums, 1) + (f32x4.extract_lane(sums, 2) + f32x4.extract_lane(sums, 3));
      } else {
        for (let k = 0; begin + k < across; k++) sum += load<f32>(w + (<usize>k << 2)) * (load<f32>(at + (<usize>k << 2)) - base);
      }
      store<f32>(into + (<usize>i << 2), base + sum);
    }
  }
}

/** The same along y, from packed rows of `stride` floats to rows `from` to `to` of a grid. */
export function passDown(
  source: usize,
  stride: i32,
  rows: i32,
  first: usize,
  weight: usize,
  taps: i32,
  count: i32,
  out: usize,
  outStride: i32,
  left: i32,
  above: i32,
  from: i32,
  to: i32,
): void {
  const row4 = <usize>stride << 2;
  for (let row = from; row < to; row++) {
    const begin = load<i32>(first + (<usize>row << 2));
    const base = source + <usize>begin * row4;
    const into = out + (<usize>((row + above) * outStride + left) << 2);
    const last = min<i32>(taps, rows - begin);
    for (let k = 1; k < last; k++) {
      const share = load<f32>(weight + (<usize>(row * taps + k) << 2));
      const all = f32x4.splat(share);
      const at = base + <usize>k * row4;
      let i = 0;
      for (; i + 4 <= count; i += 4) {
        const by = <usize>i << 2;
        const added = f32x4.mul(all, f32x4.sub(v128.load(at + by), v128.load(base + by)));
        v128.store(into + by, k == 1 ? added : f32x4.add(v128.load(into + by), added));
      }
      for (; i < count; i++) {
        const by = <usize>i << 2;
        const added = share * (load<f32>(at + by) - load<f32>(base + by));
        store<f32>(into + by, k == 1 ? added : load<f32>(into + by) + added);
      }
    }
    for (let i = 0; i < count; i++) {
      const by = <usize>i << 2;
      store<f32>(into + by, last > 1 ? load<f32>(base + by) + load<f32>(into + by) : load<f32>(base + by));
    }
  }
}

// Tables of weights. A band may write one that another reads already, since both write the same: every word is written once and as it stays.

/** The place of a sample along an axis, in metres from the ground's edge. */
// @ts-ignore: decorator
@inline
function placeOf(index: i32, spacing: f64, point: i32): f64 {
  return (point ? <f64>index : <f64>index + 0.5) * spacing;
}

/** Cubic B-spline, from −2 to 2. */
// @ts-ignore: decorator
@inline
function spline(t: f64): f64 {
  const a = abs<f64>(t);
  if (a >= 2) return 0;
  return a >= 1 ? ((2 - a) * (2 - a) * (2 - a)) / 6 : (4 - 6 * a * a + 3 * a * a * a) / 6;
}

/** A B-spline's weight for a sample that lies `t` coarse spacings away. One on the edge stands for half a cell. */
// @ts-ignore: decorator
@inline
function splineAt(index: i32, t: f64, fromCount: i32, fromPoint: i32): f64 {
  const rim = fromPoint && (index == 0 || index == fromCount - 1);
  return spline(t) * (rim ? 0.5 : 1);
}

/**
 * Where the sums for `count` samples begin among `fromCount` others, and their weights, `fours` for each, of which `taps` count. Finer samples (`finer` 1) lie on a
 * Catmull–Rom curve through the others; coarser ones are means by a cubic B-spline as wide as their spacing.
 */
export function passTable(
  finer: i32,
  first: usize,
  weight: usize,
  count: i32,
  spacing: f64,
  point: i32,
  fromCount: i32,
  fromSpacing: f64,
  fromPoint: i32,
  taps: i32,
  fours: i32,
): void {
  for (let i = 0; i < count; i++) {
    const place = placeOf(i, spacing, point);
    const into = weight + (<usize>(i * fours) << 2);
    const begin = finer
      ? alongCurve(place / fromSpacing - (fromPoint ? 0 : 0.5), fromCount, taps, fours, into)
      : byMeans(place, spacing, fromCount, fromSpacing, fromPoint, taps, fours, into);
    store<i32>(first + (<usize>i << 2), begin);
  }
}

/** The weights of a coarser sample, those of a straight line fitted locally: a plane comes out as it is. Returns where its sum begins. */
function byMeans(place: f64, spacing: f64, fromCount: i32, fromSpacing: f64, fromPoint: i32, taps: i32, fours: i32, into: usize): i32 {
  const start = <i32>ceil<f64>((place - 2 * spacing) / fromSpacing - (fromPoint ? 0 : 0.5));
  const begin = max(0, min(fromCount - taps, start));
  const at = max(0, min(begin, fromCount - fours));
  let sum: f64 = 0;
  let one: f64 = 0;
  let two: f64 = 0;
  for (let k = 0; k < taps; k++) {
    const t = (placeOf(begin + k, fromSpacing, fromPoint) - place) / spacing;
    const w = splineAt(begin + k, t, fromCount, fromPoint);
    sum += w;
    one += w * t;
    two += w * t * t;
  }
  const spread = sum * two - one * one;
  for (let s = 0; s < fours; s++) {
    const k = at + s - begin;
    let share: f64 = 0;
    if (k >= 0 && k < taps) {
      const t = (placeOf(begin + k, fromSpacing, fromPoint) - place) / spacing;
      const w = splineAt(begin + k, t, fromCount, fromPoint);
      share = spread > 1e-12 ? (w * (two - one * t)) / spread : w / sum;
    }
    store<f32>(into + (<usize>s << 2), <f32>share);
  }
  return at;
}

/** The weights of a finer sample at a place among coarser ones; beyond an edge the ground goes on straight, 2a − b. Returns where its sum begins. */
function alongCurve(place: f64, fromCount: i32, taps: i32, fours: i32, into: usize): i32 {
  const cell = max(0, min(fromCount - 2, <i32>floor<f64>(place)));
  const t = place - <f64>cell;
  const at = max(0, min(max(0, min(fromCount - taps, cell - 1)), fromCount - fours));
  for (let s = 0; s < fours; s++) {
    const index = at + s;
    let share: f32 = 0;
    for (let k = 0; k < 4; k++) {
      const w = catmullRom(k, t);
      const source = cell - 1 + k;
      if (source < 0) {
        if (index == 0) share = <f32>(<f64>share + 2 * w);
        else if (index == 1) share = <f32>(<f64>share - w);
      } else if (source >= fromCount) {
        if (index == fromCount - 1) share = <f32>(<f64>share + 2 * w);
        else if (index == fromCount - 2) share = <f32>(<f64>share - w);
      } else if (index == source) share = <f32>(<f64>share + w);
    }
    store<f32>(into + (<usize>s << 2), share);
  }
  return at;
}

// @ts-ignore: decorator
@inline
function catmullRom(k: i32, t: f64): f64 {
  if (k == 0) return ((2 - t) * t - 1) * t * 0.5;
  if (k == 1) return ((3 * t - 5) * t * t + 2) * 0.5;
  if (k == 2) return ((4 - 3 * t) * t + 1) * t * 0.5;
  return (t - 1) * t * t * 0.5;
}

const SIX: f32 = 6;
const FOUR: f32 = 4;
const PER: f32 = 1.0 / 16.0;

/** The binomial 1 4 6 4 1 along x, rows `from` to `to` of a grid; the edge is carried on. */
export function smoothAlong(source: usize, out: usize, stride: i32, left: i32, above: i32, across: i32, from: i32, to: i32): void {
  for (let row = from; row < to; row++) {
    const by = <usize>((row + above) * stride + left) << 2;
    const at = source + by;
    const into = out + by;
    let x = 0;
    for (; x < min(2, across); x++) store<f32>(into + (<usize>x << 2), smoothed(at, x, across));
    for (; x + 6 <= across; x += 4) {
      const c = at + (<usize>x << 2);
      const near = f32x4.mul(f32x4.splat(FOUR), f32x4.add(v128.load(c - 4), v128.load(c + 4)));
      const far = f32x4.add(v128.load(c - 8), v128.load(c + 8));
      const sum = f32x4.add(f32x4.add(f32x4.mul(f32x4.splat(SIX), v128.load(c)), near), far);
      v128.store(into + (<usize>x << 2), f32x4.mul(sum, f32x4.splat(PER)));
    }
    for (; x < across; x++) store<f32>(into + (<usize>x << 2), smoothed(at, x, across));
  }
}

// @ts-ignore: decorator
@inline
function sampleAt(row: usize, x: i32, across: i32): f32 {
  return load<f32>(row + (<usize>max(0, min(across - 1, x)) << 2));
}

// @ts-ignore: decorator
@inline
function smoothed(row: usize, x: i32, across: i32): f32 {
  const near = FOUR * (sampleAt(row, x - 1, across) + sampleAt(row, x + 1, across));
  const far = sampleAt(row, x - 2, across) + sampleAt(row, x + 2, across);
  return (SIX * sampleAt(row, x, across) + near + far) * PER;
}

/** The same along y. */
export function smoothDown(source: usize, out: usize, stride: i32, left: i32, above: i32, across: i32, down: i32, from: i32, to: i32): void {
  const row4 = <usize>stride << 2;
  for (let row = from; row < to; row++) {
    const by = <usize>((row + above) * stride + left) << 2;
    const at = source + by;
    const n = at - (row > 0 ? row4 : 0);
    const nn = at - row4 * <usize>min(2, row);
    const s = at + (row < down - 1 ? row4 : 0);
    const ss = at + row4 * <usize>min(2, down - 1 - row);
    let x = 0;
    for (; x + 4 <= across; x += 4) {
      const o = <usize>x << 2;
      const near = f32x4.mul(f32x4.splat(FOUR), f32x4.add(v128.load(n + o), v128.load(s + o)));
      const far = f32x4.add(v128.load(nn + o), v128.load(ss + o));
      const sum = f32x4.add(f32x4.add(f32x4.mul(f32x4.splat(SIX), v128.load(at + o)), near), far);
      v128.store(out + by + o, f32x4.mul(sum, f32x4.splat(PER)));
    }
    for (; x < across; x++) {
      const o = <usize>x << 2;
      const near = FOUR * (load<f32>(n + o) + load<f32>(s + o));
      store<f32>(out + by + o, (SIX * load<f32>(at + o) + near + (load<f32>(nn + o) + load<f32>(ss + o))) * PER);
    }
  }
}
