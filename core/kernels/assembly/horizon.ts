// Horizons along the lines of one direction, by the upper hull of what lies behind (Timonen & Westerholm 2010, "Scalable
// height field self-shadowing"). Lines run at their true slope across the grid, heights between samples by their two
// neighbours; a sample's horizon is that of the two lines beside it. Grids without a border, lines along x. Four samples along the
// lines are taken together, whichever rows their lines have come to by then.

/** Share of an even sky that level ground sees, of both ways along the lines. */
const LEVEL = 0;
/** Share of an even sky that lights the ground as it lies (cosine-weighted), of both ways. */
const TILTED = 1;
// Any other kind: the share of the sun's disc over the horizon, of one way.

/** Slopes under this are of lines with nothing ahead. */
const NOTHING: f32 = -1e8;
const NO_SLOPE: f32 = -1e9;

/** Lines that are taken together: neighbours rest on the same rows, which lie far apart in memory. */
const GROUP = 16;

/** Rooms of the scratch, as {@link horizonLines} lays them out. */
let heights: usize = 0;
let fronts: usize = 0;
let backs: usize = 0;
let hull: usize = 0;
let shift: usize = 0;
let share: usize = 0;
let spans: usize = 0;
/** Bytes of a line's row in them. */
let row: usize = 0;

/** Abramowitz & Stegun 4.4.49, within 1e-5, of four slopes that are not negative. */
// @ts-expect-error: a decorator of the compiler
@inline
function angles(slope: v128): v128 {
  const one = f32x4.splat(1);
  const steep = f32x4.gt(slope, one);
  const x = v128.bitselect(f32x4.div(one, slope), slope, steep);
  const s = f32x4.mul(x, x);
  let p = f32x4.add(f32x4.splat(-0.085133), f32x4.mul(s, f32x4.splat(0.0208351)));
  p = f32x4.add(f32x4.splat(0.180141), f32x4.mul(s, p));
  p = f32x4.add(f32x4.splat(-0.3302995), f32x4.mul(s, p));
  p = f32x4.mul(x, f32x4.add(f32x4.splat(0.999866), f32x4.mul(s, p)));
  return v128.bitselect(f32x4.sub(f32x4.splat(1.5707963), p), p, steep);
}

/** The same of slopes either way. */
// @ts-expect-error: a decorator of the compiler
@inline
function signedAngles(slope: v128): v128 {
  const sign = v128.and(slope, i32x4.splat(0x80000000));
  return v128.or(angles(f32x4.abs(slope)), sign);
}

/** The share of a disc of a radius that stands over the horizon, whose middle stands `above` it; both as angles. */
// @ts-expect-error: a decorator of the compiler
@inline
function discOver(above: v128, radius: f32): v128 {
  const one = f32x4.splat(1);
  const u = f32x4.max(f32x4.min(f32x4.div(above, f32x4.splat(radius)), one), f32x4.splat(-1));
  const c = f32x4.sqrt(f32x4.sub(one, f32x4.mul(u, u)));
  const part = f32x4.add(f32x4.mul(u, c), signedAngles(f32x4.div(u, c)));
  return f32x4.max(f32x4.min(f32x4.add(f32x4.splat(0.5), f32x4.mul(part, f32x4.splat(0.31830987))), one), f32x4.splat(0));
}

/** What one way of a tilted sample gets: from its horizon up, of a half turn's share. `toward`: how much its normal leans that way; `up`: its upward part. */
// @ts-expect-error: a decorator of the compiler
@inline
function skyOver(slope: v128, toward: v128, up: v128): v128 {
  const t = f32x4.max(slope, f32x4.splat(0));
  const square = f32x4.div(f32x4.splat(1), f32x4.add(f32x4.splat(1), f32x4.mul(t, t)));
  const open = f32x4.sub(f32x4.sub(f32x4.splat(1.5707963), angles(t)), f32x4.mul(t, square));
  return f32x4.max(f32x4.add(f32x4.mul(toward, open), f32x4.mul(up, square)), f32x4.splat(0));
}

/** What level ground sees of the sky, both ways. */
// @ts-expect-error: a decorator of the compiler
@inline
function levelSky(front: v128, back: v128): v128 {
  const none = f32x4.splat(0);
  const t = f32x4.max(front, none);
  const u = f32x4.max(back, none);
  const tt = f32x4.add(f32x4.splat(1), f32x4.mul(t, t));
  const uu = f32x4.add(f32x4.splat(1), f32x4.mul(u, u));
  return f32x4.div(f32x4.add(tt, uu), f32x4.mul(tt, uu));
}

/** Between the slopes of two lines; where one looks out on nothing, that of the nearer. */
// @ts-expect-error: a decorator of the compiler
@inline
function between(a: v128, b: v128, share: v128): v128 {
  const nothing = f32x4.splat(NOTHING);
  const nearer = v128.bitselect(b, a, f32x4.gt(share, f32x4.splat(0.5)));
  const mixed = f32x4.add(a, f32x4.mul(share, f32x4.sub(b, a)));
  return v128.bitselect(nearer, mixed, v128.or(f32x4.lt(a, nothing), f32x4.lt(b, nothing)));
}

/** Of four values those of a lane's own place, 0 to 3. */
// @ts-expect-error: a decorator of the compiler
@inline
function pick(a: v128, b: v128, c: v128, d: v128, places: v128): v128 {
  const low = v128.bitselect(b, a, i32x4.eq(places, i32x4.splat(1)));
  const high = v128.bitselect(d, c, i32x4.eq(places, i32x4.splat(3)));
  return v128.bitselect(high, low, i32x4.gt_s(places, i32x4.splat(1)));
}

/** Where the row `r` of a grid has its sample `n`; beyond the rim the outer row. */
// @ts-expect-error: a decorator of the compiler
@inline
function rowAt(values: usize, r: i32, wide: i32, stride: i32, n: i32): usize {
  return values + (<usize>(max(0, min(wide - 1, r)) * stride + n) << 2);
}

/** Whether the line `j` is beside the ground at its place `n`; with `half` whether it is so within half a sample of the rim, so that it hides something. */
// @ts-expect-error: a decorator of the compiler
@inline
function isBeside(j: i32, n: i32, wide: i32, half: bool): bool {
  const at = <usize>n << 2;
  const low = j + load<i32>(shift + at);
  if (low < -1 || low >= wide) return false;
  const part = load<f32>(share + at);
  return !half || ((low >= 0 || part >= 0.5) && (low < wide - 1 || part <= 0.5));
}

/** Of a line the first and last sample beside the ground, and the first and last of those that hide something. */
function findSpan(span: usize, j: i32, long: i32, wide: i32): void {
  let first = 0;
  while (first < long && !isBeside(j, first, wide, false)) first++;
  let last = long - 1;
  while (last >= first && !isBeside(j, last, wide, false)) last--;
  let on = first;
  while (on <= last && !isBeside(j, on, wide, true)) on++;
  let off = last;
  while (off >= on && !isBeside(j, off, wide, true)) off--;
  store<i32>(span, first);
  store<i32>(span, last, 4);
  store<i32>(span, on, 8);
  store<i32>(span, off, 12);
}

/** How many rows the lines of four samples are aside of the least of them: 0 to 3 each. */
// @ts-expect-error: a decorator of the compiler
@inline
function placesAside(under: v128, least: i32): v128 {
  return i32x4.sub(under, i32x4.splat(least));
}

// @ts-expect-error: a decorator of the compiler
@inline
function leastOf(four: v128): i32 {
  return min(min(i32x4.extract_lane(four, 0), i32x4.extract_lane(four, 1)), min(i32x4.extract_lane(four, 2), i32x4.extract_lane(four, 3)));
}

/**
 * Heights along the lines from `j`, `lines` of them, one after the other from the `slot`-th on, and their spans; beside the ground
 * those of the rim.
 */
function gather(height: usize, slot: i32, long: i32, wide: i32, stride: i32, j: i32, lines: i32): void {
  for (let i = 0; i < lines; i++) findSpan(spans + (<usize>(slot + i) << 4), j + i, long, wide);
  const into = heights + <usize>slot * row;
  for (let n = 0; n < long; n += 4) {
    const at = <usize>n << 2;
    const under = v128.load(shift + at);
    const least = leastOf(under);
    const places = placesAside(under, least);
    const part = v128.load(share + at);
    // Rows of which a line takes one a sample; the next line takes the next.
    let r = j + least;
    if (r >= wide || r + 3 + lines < -1) continue;
    let a = v128.load(rowAt(height, r, wide, stride, n));
    let b = v128.load(rowAt(height, r + 1, wide, stride, n));
    let c = v128.load(rowAt(height, r + 2, wide, stride, n));
    let d = v128.load(rowAt(height, r + 3, wide, stride, n));
    let from = pick(a, b, c, d, places);
    for (let i = 0; i < lines; i++, r++) {
      a = b;
      b = c;
      c = d;
      d = v128.load(rowAt(height, r + 4, wide, stride, n));
      const to = pick(a, b, c, d, places);
      v128.store(into + <usize>i * row + at, f32x4.add(from, f32x4.mul(part, f32x4.sub(to, from))));
      from = to;
    }
  }
}

/** A sample of a hull: its height, and how many samples from the beginning of the walk it lies; bytes. */
const POINT = 16;

// @ts-expect-error: a decorator of the compiler
@inline
function push(top: usize, height: f64, along: f64): usize {
  store<f64>(top, height, POINT);
  store<f64>(top, along, POINT + 8);
  return top + POINT;
}

/**
 * Takes from the hull what lies under the line from `here`, `along` samples on, to what stands before it, and returns the top; the slope
 * to that, per step, is written down. None, one or two are taken without a branch: which cannot be foretold, and three are seldom.
 */
// @ts-expect-error: a decorator of the compiler
@inline
function lookBack(top: usize, here: f64, along: f64, out: usize): usize {
  const rise = load<f64>(top) - here;
  const run = along - load<f64>(top, 8);
  const rise1 = load<f64>(top - POINT) - here;
  const run1 = along - load<f64>(top - POINT, 8);
  const rise2 = load<f64>(top - 2 * POINT) - here;
  const run2 = along - load<f64>(top - 2 * POINT, 8);
  const one = i32(rise1 * run >= rise * run1);
  const two = one & i32(rise2 * run1 >= rise1 * run2);
  top -= <usize>(one + two) * POINT;
  if (two) {
    let lastRise = rise2;
    let lastRun = run2;
    for (;;) {
      const nextRise = load<f64>(top - POINT) - here;
      const nextRun = along - load<f64>(top - POINT, 8);
      if (nextRise * lastRun < lastRise * nextRun) break;
      lastRise = nextRise;
      lastRun = nextRun;
      top -= POINT;
    }
  }
  store<f32>(out, <f32>((load<f64>(top) - here) / (along - load<f64>(top, 8))));
  return top;
}

/** Without slopes, from the place `from` of a line to that before `to`. */
// @ts-expect-error: a decorator of the compiler
@inline
function fillNothing(out: usize, from: i32, to: i32): void {
  for (let n = from; n < to; n++) store<f32>(out + (<usize>n << 2), NO_SLOPE);
}

/** An empty hull: under its first sample lies what is never taken off. */
// @ts-expect-error: a decorator of the compiler
@inline
function emptyHull(into: usize): usize {
  store<f64>(into, -Infinity);
  store<f64>(into, 0, 8);
  store<f64>(into, -Infinity, POINT);
  store<f64>(into, 0, POINT + 8);
  return into + POINT;
}

/**
 * From the heights along a line the horizons' slopes at every sample, per step, towards its end and its beginning, by the upper hull of
 * what lies there; −1e9 off the ground and where nothing hides anything. Both ways are walked side by side.
 */
function horizons(line: usize, span: usize, front: usize, back: usize, long: i32): void {
  const first = load<i32>(span);
  const last = load<i32>(span, 4);
  const on = load<i32>(span, 8);
  const off = load<i32>(span, 12);
  fillNothing(front, 0, first);
  fillNothing(front, max(first, off), long);
  fillNothing(back, 0, min(on + 1, last + 1));
  fillNothing(back, max(first, last + 1), long);
  if (on > off) {
    fillNothing(front, first, last + 1);
    fillNothing(back, first, last + 1);
    return;
  }
  const most = off - on;
  let behind = push(emptyHull(hull), <f64>load<f32>(line + (<usize>on << 2)), 0);
  let ahead = push(emptyHull(hull + 4 * row + 4 * POINT), <f64>load<f32>(line + (<usize>off << 2)), 0);
  for (let k = 1; k <= most; k++) {
    const along = <f64>k;
    const east = <usize>(on + k) << 2;
    const west = <usize>(off - k) << 2;
    const hereEast = <f64>load<f32>(line + east);
    const hereWest = <f64>load<f32>(line + west);
    behind = push(lookBack(behind, hereEast, along, back + east), hereEast, along);
    ahead = push(lookBack(ahead, hereWest, along, front + west), hereWest, along);
  }
  // What lies half a sample and more beyond the rim sees, and hides nothing.
  for (let n = off + 1; n <= last; n++) lookBack(behind, <f64>load<f32>(line + (<usize>n << 2)), <f64>(n - on), back + (<usize>n << 2));
  for (let n = on - 1; n >= first; n--) lookBack(ahead, <f64>load<f32>(line + (<usize>n << 2)), <f64>(off - n), front + (<usize>n << 2));
}

/** What four samples of the row `r` from `n` on get, of their horizons ahead and behind; their own slopes by their neighbours. */
// @ts-expect-error: a decorator of the compiler
@inline
function tiltedSky(height: usize, r: i32, n: i32, long: i32, wide: i32, stride: i32, rise: f32, alongLong: f32, alongWide: f32, spacingLong: f32, spacingWide: f32, front: v128, back: v128): v128 {
  const here = height + (<usize>(r * stride + n) << 2);
  const west = n > 0 ? v128.load(here - 4) : i8x16.shuffle(v128.load(here), v128.load(here), 0, 1, 2, 3, 0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11);
  let east = v128.load(here + 4);
  const columns = i32x4.add(i32x4.splat(n), i32x4(0, 1, 2, 3));
  const isFirst = i32x4.eq(columns, i32x4.splat(0));
  const isLast = i32x4.ge_s(columns, i32x4.splat(long - 1));
  // At the rim a sample is its own neighbour.
  if (n + 4 >= long) east = v128.bitselect(f32x4.splat(load<f32>(height + (<usize>(r * stride + long - 1) << 2))), east, isLast);
  const steps = i32x4.max_s(i32x4.splat(1), i32x4.add(i32x4.splat(2), i32x4.add(isFirst, isLast)));
  const apart = f32x4.mul(f32x4.convert_i32x4_s(steps), f32x4.splat(spacingLong));
  const s = max(0, r - 1);
  const t = min(wide - 1, r + 1);
  const north = v128.load(height + (<usize>(s * stride + n) << 2));
  const south = v128.load(height + (<usize>(t * stride + n) << 2));
  const gl = f32x4.div(f32x4.mul(f32x4.splat(rise), f32x4.sub(east, west)), apart);
  const gw = t > s ? f32x4.div(f32x4.mul(f32x4.splat(rise), f32x4.sub(south, north)), f32x4.splat(<f32>(t - s) * spacingWide)) : f32x4.splat(0);
  const one = f32x4.splat(1);
  const up = f32x4.div(one, f32x4.sqrt(f32x4.add(one, f32x4.add(f32x4.mul(gl, gl), f32x4.mul(gw, gw)))));
  const slope = f32x4.add(f32x4.mul(gl, f32x4.splat(alongLong)), f32x4.mul(gw, f32x4.splat(alongWide)));
  const toward = f32x4.mul(slope, up);
  // The ground that it lies in hides the sky as well as what stands on it.
  return f32x4.add(skyOver(f32x4.max(front, slope), f32x4.neg(toward), up), skyOver(f32x4.max(back, f32x4.neg(slope)), toward, up));
}

/**
 * Adds to `out` what every sample between the lines `from` and `to` gets along one direction. `lean`: samples aside a sample along;
 * `step`: metres along the direction a sample; `rise`: what heights are multiplied by; `alongLong`, `alongWide`: the direction, of length
 * one; `spacingLong`, `spacingWide`: metres. For the sun `ahead` says which way it stands, `altitude` and `radius` are angles. Rows of
 * `height` and `out` are `stride` samples apart, at least 8 more than `long`. `scratch`: of a group and the line after it heights and
 * horizons ahead and behind; two hulls and two rows: 3 · 17 + 10 rows of `long` + 32 samples, then 17 spans of 16 and 2 · 16 + 9 quads of 16 bytes.
 */
export function horizonLines(
  height: usize,
  out: usize,
  scratch: usize,
  kind: i32,
  long: i32,
  wide: i32,
  stride: i32,
  from: i32,
  to: i32,
  lean: f64,
  step: f64,
  rise: f64,
  alongLong: f64,
  alongWide: f64,
  spacingLong: f64,
  spacingWide: f64,
  ahead: i32,
  altitude: f64,
  radius: f64,
): void {
  if (from >= to) return;
  // As many that rows under each other do not drive each other out of the nearest memory.
  const padded = (((long + 15) >> 4) + 1) << 4;
  row = <usize>padded << 2;
  heights = scratch;
  fronts = heights + (GROUP + 1) * row;
  backs = fronts + (GROUP + 1) * row;
  hull = backs + (GROUP + 1) * row;
  shift = hull + 2 * (4 * row + 4 * POINT);
  share = shift + row;
  spans = share + row;
  // Rows at the group's rim look for lines before and after its own, whatever is there.
  const forward = spans + ((GROUP + 1 + 3) << 4);
  const backward = forward + ((GROUP + 3) << 4);
  for (let n = 0; n < padded; n++) {
    const place = lean * <f64>min(n, long - 1);
    const under = Math.floor(place);
    store<i32>(shift + (<usize>n << 2), <i32>under);
    store<f32>(share + (<usize>n << 2), <f32>(place - under));
  }
  const scales = f32x4.splat(<f32>(rise / step));
  const none = f32x4.splat(0);
  // A sample's horizon is that of the two lines beside it: of every group the last line is the first of the next.
  gather(height, GROUP, long, wide, stride, from, 1);
  horizons(heights + GROUP * row, spans + (GROUP << 4), fronts + GROUP * row, backs + GROUP * row, long);
  for (let group = from; group < to; group += GROUP) {
    const lines = min(GROUP, to - group);
    memory.copy(fronts, fronts + GROUP * row, row);
    memory.copy(backs, backs + GROUP * row, row);
    gather(height, 1, long, wide, stride, group + 1, lines);
    for (let i = 1; i <= lines; i++) horizons(heights + i * row, spans + (<usize>i << 4), fronts + i * row, backs + i * row, long);
    for (let n = 0; n < long; n += 4) {
      const at = <usize>n << 2;
      const part = v128.load(share + at);
      const inside = f32x4.gt(part, none);
      const g = v128.and(inside, f32x4.sub(f32x4.splat(1), part));
      // The row of the sample after a line's place.
      const next = i32x4.sub(v128.load(shift + at), inside);
      const least = leastOf(next);
      const places = placesAside(next, least);
      let most = 0;
      for (let k = 3; k > 0; k--) {
        if (v128.any_true(i32x4.eq(places, i32x4.splat(k)))) {
          most = k;
          break;
        }
      }
      const begin = max(0, -group - least);
      const end = min(lines + most, wide - group - least);
      if (begin >= end) continue;
      let front = v128.load(fronts + at);
      let back = v128.load(backs + at);
      for (let i = 0; i < lines; i++) {
        const nextFront = v128.load(fronts + (i + 1) * row + at);
        const nextBack = v128.load(backs + (i + 1) * row + at);
        const f = f32x4.mul(scales, between(front, nextFront, g));
        const b = f32x4.mul(scales, between(back, nextBack, g));
        const to = <usize>i << 4;
        if (kind == LEVEL) v128.store(forward + to, levelSky(f, b));
        else if (kind == TILTED) {
          v128.store(forward + to, f);
          v128.store(backward + to, b);
        } else v128.store(forward + to, discOver(f32x4.sub(f32x4.splat(<f32>altitude), signedAngles(ahead ? f : b)), <f32>radius));
        front = nextFront;
        back = nextBack;
      }
      for (let q = begin; q < end; q++) {
        const r = group + least + q;
        const p = out + (<usize>(r * stride + n) << 2);
        let sum = across(forward + (<usize>q << 4), places, most);
        if (kind == TILTED) {
          const b = across(backward + (<usize>q << 4), places, most);
          sum = tiltedSky(height, r, n, long, wide, stride, <f32>rise, <f32>alongLong, <f32>alongWide, <f32>spacingLong, <f32>spacingWide, sum, b);
        }
        if (kind == LEVEL || kind == TILTED) sum = f32x4.add(v128.load(p), sum);
        // Another band has the rest of a row's four: nothing is written where it may write.
        if (q >= most && q < lines && n + 4 <= long) v128.store(p, sum);
        else storeOwn(p, sum, places, q, lines, long - n);
      }
    }
  }
}

/** Of the quads of one line after the other those that come to one row: every lane that of its own line. */
// @ts-expect-error: a decorator of the compiler
@inline
function across(quad: usize, places: v128, most: i32): v128 {
  if (most == 0) return v128.load(quad);
  if (most == 1) return v128.bitselect(v128.load(quad), v128.load(quad - 16), i32x4.eq(places, i32x4.splat(0)));
  return pick(v128.load(quad), v128.load(quad - 16), v128.load(quad - 32), v128.load(quad - 48), places);
}

/** Of four samples those whose line is one of the group's, and that lie on the ground. */
function storeOwn(p: usize, values: v128, places: v128, q: i32, lines: i32, within: i32): void {
  const i0 = q - i32x4.extract_lane(places, 0);
  const i1 = q - i32x4.extract_lane(places, 1);
  const i2 = q - i32x4.extract_lane(places, 2);
  const i3 = q - i32x4.extract_lane(places, 3);
  if (i0 >= 0 && i0 < lines) v128.store32_lane(p, values, 0);
  if (i1 >= 0 && i1 < lines && within > 1) v128.store32_lane(p, values, 1, 4);
  if (i2 >= 0 && i2 < lines && within > 2) v128.store32_lane(p, values, 2, 8);
  if (i3 >= 0 && i3 < lines && within > 3) v128.store32_lane(p, values, 3, 12);
}

/** The row `y` of a grid from a place on, or its last one. */
// @ts-expect-error: a decorator of the compiler
@inline
function fourOf(from: usize, stride: i32, y: i32, down: i32): v128 {
  return v128.load(from + (<usize>(min(y, down - 1) * stride) << 2));
}

/** Four by four samples turned over, into `to` as rows that lie `next` bytes apart, `rows` of them at the most. */
// @ts-expect-error: a decorator of the compiler
@inline
function turnFour(from: usize, stride: i32, y: i32, down: i32, to: usize, next: usize, rows: i32): void {
  const a = fourOf(from, stride, y, down);
  const b = fourOf(from, stride, y + 1, down);
  const c = fourOf(from, stride, y + 2, down);
  const d = fourOf(from, stride, y + 3, down);
  const ab = v128.shuffle<i32>(a, b, 0, 4, 1, 5);
  const cd = v128.shuffle<i32>(c, d, 0, 4, 1, 5);
  const abAfter = v128.shuffle<i32>(a, b, 2, 6, 3, 7);
  const cdAfter = v128.shuffle<i32>(c, d, 2, 6, 3, 7);
  v128.store(to, v128.shuffle<i64>(ab, cd, 0, 2));
  if (rows > 1) v128.store(to + next, v128.shuffle<i64>(ab, cd, 1, 3));
  if (rows > 2) v128.store(to + 2 * next, v128.shuffle<i64>(abAfter, cdAfter, 0, 2));
  if (rows > 3) v128.store(to + 3 * next, v128.shuffle<i64>(abAfter, cdAfter, 1, 3));
}

/** Samples that are turned over at a time: their rows fit near the processor. */
const BLOCK = 64;

/**
 * Rows of `to` from the columns `left` to `right` of `from`, which are `down` samples long; both with rows of so many samples, at least 4
 * more than they hold.
 */
export function turnOver(from: usize, to: usize, down: i32, stride: i32, turnedStride: i32, left: i32, right: i32): void {
  const next = <usize>turnedStride << 2;
  for (let begin = 0; begin < down; begin += BLOCK) {
    const end = min(down, begin + BLOCK);
    for (let x = left; x < right; x += 4)
      for (let y = begin; y < end; y += 4) turnFour(from + (<usize>x << 2), stride, y, down, to + (<usize>(x * turnedStride + y) << 2), next, right - x);
  }
}

/**
 * To the rows `top` to `bottom` of `sums`, which are `across` samples long, adds the columns of `turned`, unless that is null; all of it
 * times `scale`, 1 at the most. `block`: 4 · 4 samples.
 */
export function gatherSums(sums: usize, turned: usize, block: usize, across: i32, stride: i32, turnedStride: i32, top: i32, bottom: i32, scale: f32): void {
  const scales = f32x4.splat(scale);
  const most = f32x4.splat(1);
  const next = <usize>stride << 2;
  if (!turned) memory.fill(block, 0, 64);
  for (let begin = 0; begin < across; begin += BLOCK) {
    const end = min(across, begin + BLOCK);
    for (let y = top; y < bottom; y += 4) {
      const rows = min(4, bottom - y);
      for (let x = begin; x < end; x += 4) {
        if (turned) turnFour(turned + (<usize>y << 2), turnedStride, x, across, block, 16, rows);
        let at = sums + (<usize>(y * stride + x) << 2);
        for (let k = 0; k < rows; k++, at += next)
          v128.store(at, f32x4.min(most, f32x4.mul(scales, f32x4.add(v128.load(at), v128.load(block + (<usize>k << 4))))));
      }
    }
  }
}
