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
    for (let off = <usize>((row + 1) * stride + 1) << 2, end = <usize>((row + 2) * stride - 1) << 2; off < end; off += 4) {
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
    for (let off = <usize>((row + 1) * stride + 1) << 2, end = <usize>((row + 2) * stride - 1) << 2; off < end; off += 4) {
      const b = load<f32>(bed + off);
      const depth = max<f32>(0, load<f32>(surface + off) - b);
      store<f32>(ice + off, depth);
      store<f32>(surface + off, b + depth);
    }
  }
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
