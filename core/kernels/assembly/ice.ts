// Ice that flows by its own weight over a bed (shallow ice, Glen's law with n = 3), implicit along rows and columns in turn. Grids as in `flow.ts`.

/** An implicit step holds the passage while it lasts; taken twice over, and once less as the drop is, the step damps what a passage that grows with slope³ would swing. */
const TWICE: f32 = 2;
/** Thinner ice than this lies still, metres. */
const THIN: f32 = 0.05;

/**
 * How readily ice passes between neighbours in one step of time: (Γ H⁵ + Γs H⁴) |∇s|² · dt / spacing², H the mean of both but not more than twice what lies on
 * the higher one (Jarosch, Schoof & Anslow 2013: else ice would come off bare rock). `east`: to the sample east, `south`: to the one south.
 */
export function iceFaces(
  surface: usize,
  ice: usize,
  east: usize,
  south: usize,
  stride: i32,
  rows: i32,
  from: i32,
  to: i32,
  dx: f32,
  dy: f32,
  flow: f32,
  slide: f32,
  timeX: f32,
  timeY: f32,
): void {
  const across = stride - 2;
  const perX: f32 = 1 / dx;
  const perY: f32 = 1 / dy;
  const row4 = <usize>stride << 2;
  for (let row = from; row < to; row++) {
    const up = row > 0 ? row4 : 0;
    const down = row < rows - 1 ? row4 : 0;
    const perRows: f32 = up + down == 0 ? 0 : (<f32>row4 / (<f32>2 * <f32>(up + down))) * perY;
    for (let x = 0; x < across; x++) {
      const off = <usize>((row + 1) * stride + 1 + x) << 2;
      const at = surface + off;
      // Four at a time where each has both neighbours.
      if (x > 0 && x + 5 <= across) {
        facesOfFour(at, ice + off, east + off, south + off, row4, up, down, perX, perY, perRows, flow, slide, timeX, timeY);
        x += 3;
        continue;
      }
      const last = x == across - 1;
      const e: usize = last ? 0 : 4;
      const w: usize = x == 0 ? 0 : 4;
      const lies = load<f32>(ice + off);
      const s = load<f32>(at);
      if (last) store<f32>(east + off, 0);
      else {
        const beside = load<f32>(at + 4);
        const thick = between(lies, load<f32>(ice + off + 4), s, beside);
        if (thick < THIN) store<f32>(east + off, 0);
        else {
          const gx = (beside - s) * perX;
          const gy = (load<f32>(at + down) + load<f32>(at + down + 4) - load<f32>(at - up) - load<f32>(at - up + 4)) * perRows;
          store<f32>(east + off, TWICE * (flow * thick + slide) * thick * thick * thick * thick * (gx * gx + gy * gy) * timeX);
        }
      }
      if (down == 0) store<f32>(south + off, 0);
      else {
        const below = load<f32>(at + row4);
        const thick = between(lies, load<f32>(ice + off + row4), s, below);
        if (thick < THIN) store<f32>(south + off, 0);
        else {
          const perColumns: f32 = e + w == 0 ? 0 : (<f32>4 / (<f32>2 * <f32>(e + w))) * perX;
          const gy = (below - s) * perY;
          const gx = (load<f32>(at + e) + load<f32>(at + row4 + e) - load<f32>(at - w) - load<f32>(at + row4 - w)) * perColumns;
          store<f32>(south + off, TWICE * (flow * thick + slide) * thick * thick * thick * thick * (gx * gx + gy * gy) * timeY);
        }
      }
    }
  }
}

/** iceFaces() of four samples, of which none is at the rim of its row. */
// @ts-ignore: decorator
@inline
function facesOfFour(
  at: usize,
  ice: usize,
  east: usize,
  south: usize,
  row4: usize,
  up: usize,
  down: usize,
  perX: f32,
  perY: f32,
  perRows: f32,
  flow: f32,
  slide: f32,
  timeX: f32,
  timeY: f32,
): void {
  const zero = f32x4.splat(0);
  const lies = v128.load(ice);
  const liesEast = v128.load(ice + 4);
  const liesSouth = v128.load(ice + down);
  if (!v128.any_true(v128.or(lies, v128.or(liesEast, liesSouth)))) {
    v128.store(east, zero);
    v128.store(south, zero);
    return;
  }
  const s = v128.load(at);
  const right = v128.load(at + 4);
  const below = v128.load(at + down);
  const belowRight = v128.load(at + down + 4);
  const aside = f32x4.sub(f32x4.sub(f32x4.add(below, belowRight), v128.load(at - up)), v128.load(at - up + 4));
  const slopeX = squareSum(f32x4.mul(f32x4.sub(right, s), f32x4.splat(perX)), f32x4.mul(aside, f32x4.splat(perRows)));
  v128.store(east, passageOf(betweenFour(lies, liesEast, s, right), slopeX, flow, slide, timeX));
  if (down == 0) {
    v128.store(south, zero);
    return;
  }
  const across = f32x4.sub(f32x4.sub(f32x4.add(right, belowRight), v128.load(at - 4)), v128.load(at + row4 - 4));
  const slopeY = squareSum(f32x4.mul(across, f32x4.splat(<f32>0.25 * perX)), f32x4.mul(f32x4.sub(below, s), f32x4.splat(perY)));
  v128.store(south, passageOf(betweenFour(lies, liesSouth, s, below), slopeY, flow, slide, timeY));
}

// @ts-ignore: decorator
@inline
function squareSum(x: v128, y: v128): v128 {
  return f32x4.add(f32x4.mul(x, x), f32x4.mul(y, y));
}

/** between() of four. */
// @ts-ignore: decorator
@inline
function betweenFour(one: v128, other: v128, s: v128, beside: v128): v128 {
  const higher = v128.bitselect(one, other, f32x4.ge(s, beside));
  return f32x4.min(f32x4.mul(f32x4.splat(0.5), f32x4.add(one, other)), f32x4.add(higher, higher));
}

// @ts-ignore: decorator
@inline
function passageOf(thick: v128, squared: v128, flow: f32, slide: f32, time: f32): v128 {
  const law = f32x4.mul(f32x4.splat(TWICE), f32x4.add(f32x4.mul(f32x4.splat(flow), thick), f32x4.splat(slide)));
  const fourth = f32x4.mul(f32x4.mul(f32x4.mul(f32x4.mul(law, thick), thick), thick), thick);
  return v128.and(f32x4.mul(f32x4.mul(fourth, squared), f32x4.splat(time)), f32x4.ge(thick, f32x4.splat(THIN)));
}

// @ts-ignore: decorator
@inline
function between(one: f32, other: f32, s: f32, beside: f32): f32 {
  return min<f32>(<f32>0.5 * (one + other), 2 * (s >= beside ? one : other));
}

/**
 * Snow falls and ice melts: the surface by `gradient` a metre over the snow line and a year, at most `most` where it gathers, over
 * `dt` years. Where the bed lies under `sea`, `calve` metres a year break off besides. Ice does not become less than none.
 */
export function iceBalance(
  surface: usize,
  bed: usize,
  snowline: usize,
  stride: i32,
  from: i32,
  to: i32,
  gradient: f32,
  most: f32,
  rise: f32,
  sea: f32,
  calve: f32,
  dt: f32,
): void {
  for (let row = from; row < to; row++) {
    const end = <usize>((row + 2) * stride - 1) << 2;
    let off = <usize>((row + 1) * stride + 1) << 2;
    for (; off + 16 <= end; off += 16) {
      const b = v128.load(bed + off);
      const s = v128.load(surface + off);
      const over = f32x4.sub(f32x4.sub(s, v128.load(snowline + off)), f32x4.splat(rise));
      const gain = f32x4.min(f32x4.splat(most), f32x4.mul(f32x4.splat(gradient), over));
      const kept = f32x4.sub(gain, v128.and(f32x4.splat(calve), f32x4.lt(b, f32x4.splat(sea))));
      v128.store(surface + off, f32x4.max(b, f32x4.add(s, f32x4.mul(kept, f32x4.splat(dt)))));
    }
    for (; off < end; off += 4) {
      const b = load<f32>(bed + off);
      const s = load<f32>(surface + off);
      let gain = min<f32>(most, gradient * (s - load<f32>(snowline + off) - rise));
      if (b < sea) gain -= calve;
      store<f32>(surface + off, max<f32>(b, s + gain * dt));
    }
  }
}

/** Ice is what lies between bed and surface; none of it is less than none. */
export function iceDepth(surface: usize, bed: usize, ice: usize, stride: i32, from: i32, to: i32): void {
  for (let row = from; row < to; row++) {
    const end = <usize>((row + 2) * stride - 1) << 2;
    let off = <usize>((row + 1) * stride + 1) << 2;
    for (; off + 16 <= end; off += 16) {
      const b = v128.load(bed + off);
      const depth = f32x4.max(f32x4.splat(0), f32x4.sub(v128.load(surface + off), b));
      v128.store(ice + off, depth);
      v128.store(surface + off, f32x4.add(b, depth));
    }
    for (; off < end; off += 4) {
      const b = load<f32>(bed + off);
      const depth = max<f32>(0, load<f32>(surface + off) - b);
      store<f32>(ice + off, depth);
      store<f32>(surface + off, b + depth);
    }
  }
}

/** The surface is the bed with its ice on it; floats `first` to `end`. */
export function iceOver(bed: usize, ice: usize, surface: usize, first: i32, end: i32): void {
  let off = <usize>first << 2;
  const last = <usize>end << 2;
  for (; off + 16 <= last; off += 16) v128.store(surface + off, f32x4.add(v128.load(bed + off), v128.load(ice + off)));
  for (; off < last; off += 4) store<f32>(surface + off, load<f32>(bed + off) + load<f32>(ice + off));
}

/** One value in the floats `first` to `end`: on shared memory a script’s own filling takes three times what it takes elsewhere. */
export function fillFloats(at: usize, first: i32, end: i32, value: f32): void {
  let off = at + (<usize>first << 2);
  const last = at + (<usize>end << 2);
  const four = f32x4.splat(value);
  for (; off + 16 <= last; off += 16) v128.store(off, four);
  for (; off < last; off += 4) store<f32>(off, value);
}

/** Ice slides over an adverse slope of its bed this many times as steep as its surface with no strength left to wear it (Alley et al. 2003: 1.2 to 1.7). */
const ADVERSE: f32 = 1.4;

/**
 * How fast ice slides at its bed, metres a year: u = Γs H³ |∇s|³, less where it is fast, u · `most` / (u + `most`); and what that wears off the bed: `wear` metres for a metre a year, as far as
 * the rock gives way, less where the bed rises against the ice.
 */
export function iceWear(
  surface: usize,
  bed: usize,
  ice: usize,
  ease: usize,
  worn: usize,
  stride: i32,
  rows: i32,
  from: i32,
  to: i32,
  dx: f32,
  dy: f32,
  slide: f32,
  most: f32,
  wear: f32,
): void {
  const across = stride - 2;
  const row4 = <usize>stride << 2;
  for (let row = from; row < to; row++) {
    const up = row > 0 ? row4 : 0;
    const down = row < rows - 1 ? row4 : 0;
    const perY: f32 = up + down == 0 ? 0 : <f32>row4 / (<f32>(up + down) * dy);
    for (let x = 0; x < across; x++) {
      const off = <usize>((row + 1) * stride + 1 + x) << 2;
      if (x > 0 && x + 5 <= across) {
        wearOfFour(surface + off, bed + off, ice + off, ease + off, worn + off, up, down, <f32>0.5 / dx, perY, slide, most, wear);
        x += 3;
        continue;
      }
      const depth = load<f32>(ice + off);
      if (depth < THIN) {
        store<f32>(worn + off, 0);
        continue;
      }
      const e: usize = x == across - 1 ? 0 : 4;
      const w: usize = x == 0 ? 0 : 4;
      const perX: f32 = e + w == 0 ? 0 : <f32>4 / (<f32>(e + w) * dx);
      const gx = (load<f32>(surface + off + e) - load<f32>(surface + off - w)) * perX;
      const gy = (load<f32>(surface + off + down) - load<f32>(surface + off - up)) * perY;
      const squared = gx * gx + gy * gy;
      const free = slide * depth * depth * depth * squared * sqrt<f32>(squared);
      // Drag along the sides holds the fastest back (Harbor 1992): without it troughs would stay as narrow as gorges.
      const speed = (free * most) / (free + most);
      const bx = (load<f32>(bed + off + e) - load<f32>(bed + off - w)) * perX;
      const by = (load<f32>(bed + off + down) - load<f32>(bed + off - up)) * perY;
      // How steeply the bed rises in the direction that the ice goes, of the surface's slope.
      const against = -(bx * gx + by * gy) / max<f32>(1e-9, squared);
      const left = max<f32>(0, min<f32>(1, 1 - against / ADVERSE));
      store<f32>(worn + off, speed * wear * left * load<f32>(ease + off));
    }
  }
}

/** iceWear() of four samples, of which none is at the rim of its row. */
// @ts-ignore: decorator
@inline
function wearOfFour(
  surface: usize,
  bed: usize,
  ice: usize,
  ease: usize,
  worn: usize,
  up: usize,
  down: usize,
  perX: f32,
  perY: f32,
  slide: f32,
  most: f32,
  wear: f32,
): void {
  const depth = v128.load(ice);
  const lies = f32x4.ge(depth, f32x4.splat(THIN));
  if (!v128.any_true(lies)) {
    v128.store(worn, f32x4.splat(0));
    return;
  }
  const gx = f32x4.mul(f32x4.sub(v128.load(surface + 4), v128.load(surface - 4)), f32x4.splat(perX));
  const gy = f32x4.mul(f32x4.sub(v128.load(surface + down), v128.load(surface - up)), f32x4.splat(perY));
  const squared = squareSum(gx, gy);
  const cubed = f32x4.mul(f32x4.mul(f32x4.mul(f32x4.splat(slide), depth), depth), depth);
  const free = f32x4.mul(f32x4.mul(cubed, squared), f32x4.sqrt(squared));
  const speed = f32x4.div(f32x4.mul(free, f32x4.splat(most)), f32x4.add(free, f32x4.splat(most)));
  const bx = f32x4.mul(f32x4.sub(v128.load(bed + 4), v128.load(bed - 4)), f32x4.splat(perX));
  const by = f32x4.mul(f32x4.sub(v128.load(bed + down), v128.load(bed - up)), f32x4.splat(perY));
  const along = f32x4.add(f32x4.mul(bx, gx), f32x4.mul(by, gy));
  const against = f32x4.neg(f32x4.div(along, f32x4.max(f32x4.splat(1e-9), squared)));
  const one = f32x4.splat(1);
  const left = f32x4.max(f32x4.splat(0), f32x4.min(one, f32x4.sub(one, f32x4.div(against, f32x4.splat(ADVERSE)))));
  v128.store(worn, v128.and(f32x4.mul(f32x4.mul(f32x4.mul(speed, f32x4.splat(wear)), left), v128.load(ease)), lies));
}

/**
 * Takes what was worn off the bed and the surface over it, rows `from` to `to`: at most `most` metres, and within `margin` samples of the rim no more than at the
 * nearest sample further in, since beyond the rim there is no ice to hold it back. Nothing where the rock gives no way.
 */
export function iceTake(
  worn: usize,
  bed: usize,
  surface: usize,
  ease: usize,
  stride: i32,
  across: i32,
  rows: i32,
  from: i32,
  to: i32,
  margin: i32,
  most: f32,
): void {
  const all = f32x4.splat(most);
  for (let row = from; row < to; row++) {
    const first = <usize>((row + 1) * stride + 1) << 2;
    const further = worn + (<usize>((max(margin, min(rows - 1 - margin, row)) + 1) * stride + 1) << 2);
    for (let x = 0; x < across; x++) {
      const off = first + (<usize>x << 2);
      if (x >= margin && x + 3 < across - margin) {
        const by = f32x4.min(all, f32x4.min(v128.load(worn + off), v128.load(further + (<usize>x << 2))));
        const taken = v128.and(by, f32x4.ne(v128.load(ease + off), f32x4.splat(0)));
        v128.store(bed + off, f32x4.sub(v128.load(bed + off), taken));
        v128.store(surface + off, f32x4.sub(v128.load(surface + off), taken));
        x += 3;
        continue;
      }
      if (load<f32>(ease + off) == 0) continue;
      const inside = load<f32>(further + (<usize>max(margin, min(across - 1 - margin, x)) << 2));
      const by = min<f32>(most, min<f32>(load<f32>(worn + off), inside));
      store<f32>(bed + off, load<f32>(bed + off) - by);
      store<f32>(surface + off, load<f32>(surface + off) - by);
    }
  }
}

/**
 * What a finer grid begins with, samples `from` to `to`: in `bed` what the coarser one wore off, in `smoothed` its ground as it was. Its own detail stands on that as
 * far as it was not worn off: half of it where the ground was lowered by 1 / `perDepth`. In `depth` and `over` the coarser grid's ice and
 * surface: the surface is smooth, whatever detail the bed has. Ice thinner than `least` is not handed down; `lies`: the till there, 0: none.
 */
export function iceFiner(
  given: usize,
  bed: usize,
  smoothed: usize,
  ease: usize,
  depth: usize,
  over: usize,
  ice: usize,
  lies: usize,
  till: usize,
  from: i32,
  to: i32,
  perDepth: f64,
  least: f32,
): void {
  for (let p = from; p < to; p++) {
    const off = <usize>p << 2;
    const ground = <f64>load<f32>(given + off);
    const change = min<f64>(0, <f64>load<f32>(bed + off));
    const smooth = <f64>load<f32>(smoothed + off);
    const now = load<f32>(ease + off) == 0 ? <f32>ground : <f32>(smooth + change + (ground - smooth) / (1 - change * perDepth));
    store<f32>(bed + off, now);
    store<f32>(ice + off, load<f32>(depth + off) > least ? max<f32>(0, load<f32>(over + off) - now) : 0);
    store<f32>(till + off, lies != 0 ? max<f32>(0, load<f32>(lies + off)) : 0);
  }
}
