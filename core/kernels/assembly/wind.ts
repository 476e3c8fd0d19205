// Blown sand as slabs on rock, after Werner 1995, "Eolian dunes: computer simulations and
// attractor interpretation", in sweeps: every sample is tried once in each, and all see the
// ground as the sweep began. Slabs are whole numbers and moved by atomic sums, so that the order in
// which bands come does not matter. Grids have no border: row after row.

// @ts-ignore: decorator
@inline
function mixed(h: u32): u32 {
  h ^= h >>> 16;
  h *= 0x7feb352d;
  h ^= h >>> 15;
  h *= 0x846ca68b;
  return h ^ (h >>> 16);
}

/** Lines upwind of a block that a shadow may come from. */
const FAR = 64;

/** The sample at a column and a row that may lie beyond the edge; −1: beyond, where nothing comes round. */
// @ts-ignore: decorator
@inline
function sampleAt(x: i32, y: i32, across: i32, down: i32, wrap: i32): i32 {
  if (wrap) {
    while (x < 0) x += across;
    while (x >= across) x -= across;
    while (y < 0) y += down;
    while (y >= down) y -= down;
  } else if (x < 0 || y < 0 || x >= across || y >= down) return -1;
  return y * across + x;
}

/** height = rock + what was moved, in slabs; rows `from` to `to`. `moved` is taken in. */
export function windApply(rock: usize, sand: usize, moved: usize, height: usize, from: i32, to: i32, across: i32, slab: f32): void {
  const end = <usize>to * <usize>across;
  for (let p = <usize>from * <usize>across; p < end; p++) {
    const at = p << 2;
    const now = load<i32>(sand + at) + load<i32>(moved + at);
    store<i32>(sand + at, now);
    store<i32>(moved + at, 0);
    store<f32>(height + at, load<f32>(rock + at) + <f32>now * slab);
  }
}

/**
 * Where the ground lies in the lee: 1 in `shadow`. A shadow's edge falls by `fall` from line to
 * line. Lines run across the wind's main way: rows where `alongY`, else columns; `first` to `last`
 * of them are done here, downwind, beginning some lines upwind. The wind drifts by `shift` samples along the line
 * from one to the next. `edges`: two lines of floats.
 */
export function windShadow(
  height: usize,
  shadow: usize,
  edges: usize,
  across: i32,
  down: i32,
  alongY: i32,
  way: i32,
  shift: f32,
  fall: f32,
  wrap: i32,
  first: i32,
  last: i32,
): void {
  const lines = alongY ? down : across;
  const count = alongY ? across : down;
  const step = alongY ? 1 : across;
  const lineStep = alongY ? across : 1;
  let before = edges;
  let here = edges + (<usize>count << 2);
  for (let j = 0; j < count; j++) store<f32>(before + (<usize>j << 2), -1e30);
  const whole = <i32>floor<f32>(shift);
  const part: f32 = shift - <f32>whole;
  for (let i = first - FAR; i < last; i++) {
    // Counted downwind; `way` −1: from the last line to the first.
    let line = way > 0 ? i : lines - 1 - i;
    if (line < 0 || line >= lines) {
      if (!wrap) continue;
      line = ((line % lines) + lines) % lines;
    }
    for (let j = 0; j < count; j++) {
      let a = j - whole;
      let b = a - 1;
      if (wrap) {
        a = a < 0 ? a + count : a >= count ? a - count : a;
        b = b < 0 ? b + count : b >= count ? b - count : b;
      } else {
        a = max(0, min(count - 1, a));
        b = max(0, min(count - 1, b));
      }
      const edge: f32 = (<f32>1 - part) * load<f32>(before + (<usize>a << 2)) + part * load<f32>(before + (<usize>b << 2)) - fall;
      const p = line * lineStep + j * step;
      const h = load<f32>(height + (<usize>p << 2));
      if (i >= first) store<u8>(shadow + <usize>p, edge > h ? 1 : 0);
      store<f32>(here + (<usize>j << 2), max<f32>(edge, h));
    }
    const swap = before;
    before = here;
    here = swap;
  }
}

/**
 * One sweep over the rows `from` to `to`: every sample with sand in the open
 * gives a slab (as readily as `ease` says). It is carried on by hops of `hopX`, `hopY` samples and
 * comes down by chance, 0.6 on sand and 0.4 on bare rock, and always in the lee. Returns the slabs that went over the edge.
 */
export function windLift(
  sand: usize,
  moved: usize,
  shadow: usize,
  ease: usize,
  across: i32,
  down: i32,
  from: i32,
  to: i32,
  seed: u32,
  hopX: f32,
  hopY: f32,
  wrap: i32,
): i32 {
  let gone = 0;
  for (let row = from; row < to; row++) {
    for (let column = 0; column < across; column++) {
      const p = row * across + column;
      if (load<u8>(shadow + <usize>p) != 0 || load<i32>(sand + (<usize>p << 2)) <= 0) continue;
      let random = mixed((<u32>p * 0x9e3779b1) ^ seed);
      if (<f32>(random >>> 8) * <f32>(1.0 / 16777216.0) >= load<f32>(ease + (<usize>p << 2))) continue;
      let x = column;
      let y = row;
      for (let hop = 0; ; hop++) {
        random = mixed(random + 0x9e3779b9);
        // Hops of part of a sample come out right on the mean.
        x += <i32>floor<f32>(hopX + <f32>(random & 0xffff) * <f32>(1.0 / 65536.0));
        y += <i32>floor<f32>(hopY + <f32>(random >>> 16) * <f32>(1.0 / 65536.0));
        const q = sampleAt(x, y, across, down, wrap);
        if (q < 0) {
          atomic.sub<i32>(moved + (<usize>p << 2), 1);
          gone++;
          break;
        }
        random = mixed(random + 0x9e3779b9);
        const chance = <f32>(random >>> 8) * <f32>(1.0 / 16777216.0);
        const rests: f32 = load<i32>(sand + (<usize>q << 2)) > 0 ? 0.6 : 0.4;
        if (hop >= 40 || chance < rests || load<u8>(shadow + <usize>q) != 0) {
          atomic.sub<i32>(moved + (<usize>p << 2), 1);
          atomic.add<i32>(moved + (<usize>q << 2), 1);
          break;
        }
      }
    }
  }
  return gone;
}

/** Sand steeper than `repose` (rise over run) slides to the lowest neighbour: so many slabs that both are level with the slope again. */
export function windSlip(
  sand: usize,
  moved: usize,
  height: usize,
  across: i32,
  down: i32,
  from: i32,
  to: i32,
  repose: f32,
  slab: f32,
  dx: f32,
  dy: f32,
  wrap: i32,
): void {
  const diagonal: f32 = sqrt<f32>(dx * dx + dy * dy);
  const perSlab: f32 = 0.5 / slab;
  for (let row = from; row < to; row++) {
    for (let column = 0; column < across; column++) {
      const p = row * across + column;
      const have = load<i32>(sand + (<usize>p << 2));
      if (have <= 0) continue;
      const h = load<f32>(height + (<usize>p << 2));
      const inside = column > 0 && row > 0 && column < across - 1 && row < down - 1;
      let most: f32 = 0;
      let found = -1;
      for (let v = -1; v <= 1; v++) {
        for (let u = -1; u <= 1; u++) {
          if (u == 0 && v == 0) continue;
          const n = inside ? p + v * across + u : sampleAt(column + u, row + v, across, down, wrap);
          if (n < 0) continue;
          const over = h - load<f32>(height + (<usize>n << 2)) - repose * (v == 0 ? dx : u == 0 ? dy : diagonal);
          if (over > most) {
            most = over;
            found = n;
          }
        }
      }
      if (found < 0) continue;
      const slides = min(have, max(1, <i32>(most * perSlab)));
      atomic.sub<i32>(moved + (<usize>p << 2), slides);
      atomic.add<i32>(moved + (<usize>found << 2), slides);
    }
  }
}
