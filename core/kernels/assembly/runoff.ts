// Rain that runs off as shallow water in virtual pipes (Mei, Decaudin & Hu 2007; Šťava et al.
// 2008), and what it takes and lays down. Grids as in `talus.ts`: `stride` floats a row, a
// multiple of four, column 0 at offset 4, one row above and below.
//
// Every sample owns the pipes to its east, south, south-east and south-west; a flow is positive
// away from the owner. Diagonal pipes make the water spread alike in all directions: with four
// alone it smears along the diagonals and cuts gullies along rows and columns.
//
// A sample on the rim stands for half a cell under point registration, and the pipes along the
// rim are half as wide. `columns` holds five rows of weights: the share of a column; 1 where a
// column and the next are inside; the smaller share of both; the same with the one
// before; one over the share. `half`: whether rows 0 and `rows` − 1 are halved.

// @ts-ignore: decorator
@inline
function rowShare(row: i32, rows: i32, half: i32): f32 {
  return half && (row == 0 || row == rows - 1) ? 0.5 : 1;
}

/** Nothing in place of next to nothing: numbers under 1e-38 take the processor a hundred times as long. */
// @ts-ignore: decorator
@inline
function flushed(x: v128): v128 {
  return v128.and(x, f32x4.gt(f32x4.abs(x), f32x4.splat(1e-12)));
}

// @ts-ignore: decorator
@inline
function outward(flow: v128): v128 {
  return f32x4.pmax(f32x4.splat(0), flow);
}

/**
 * What runs through the pipes: last step's flow, slowed by `keep`, and driven by the difference of the water's surfaces. Also writes `ground`,
 * the bed and its change added up, for the slopes. `driveX`, `driveY`: dt · g · cross-section /
 * length of a whole pipe along a row and a column, `driveD` of a diagonal one.
 */
export function runoffDrive(
  bed: usize,
  change: usize,
  ground: usize,
  surface: usize,
  east: usize,
  south: usize,
  southEast: usize,
  southWest: usize,
  columns: usize,
  stride: i32,
  from: i32,
  to: i32,
  rows: i32,
  half: i32,
  keep: f32,
  driveX: f32,
  driveY: f32,
  driveD: f32,
): void {
  const row4 = <usize>stride << 2;
  const k = f32x4.splat(keep);
  for (let row = from; row < to; row++) {
    const share = rowShare(row, rows, half);
    const last = row == rows - 1;
    const dx = f32x4.splat(driveX * share);
    const dy = f32x4.splat(last ? 0 : driveY);
    const dd = f32x4.splat(last ? 0 : driveD * min(share, rowShare(row + 1, rows, half)));
    const base = <usize>(row + 1) * row4;
    for (let c: usize = 16; c < row4 - 16; c += 16) {
      const at = base + c;
      v128.store(ground + at, f32x4.add(v128.load(bed + at), v128.load(change + at)));
      const h = v128.load(surface + at);
      const e = f32x4.mul(f32x4.mul(dx, v128.load(columns + row4 + c)), f32x4.sub(h, v128.load(surface + at + 4)));
      v128.store(east + at, flushed(f32x4.add(f32x4.mul(k, v128.load(east + at)), e)));
      const s = f32x4.mul(f32x4.mul(dy, v128.load(columns + c)), f32x4.sub(h, v128.load(surface + at + row4)));
      v128.store(south + at, flushed(f32x4.add(f32x4.mul(k, v128.load(south + at)), s)));
      const se = f32x4.mul(f32x4.mul(dd, v128.load(columns + 2 * row4 + c)), f32x4.sub(h, v128.load(surface + at + row4 + 4)));
      v128.store(southEast + at, flushed(f32x4.add(f32x4.mul(k, v128.load(southEast + at)), se)));
      const sw = f32x4.mul(f32x4.mul(dd, v128.load(columns + 3 * row4 + c)), f32x4.sub(h, v128.load(surface + at + row4 - 4)));
      v128.store(southWest + at, flushed(f32x4.add(f32x4.mul(k, v128.load(southWest + at)), sw)));
    }
  }
}

/** How much of what would leave a sample can: never more than the water there is. `perCell`: dt / (dx · dy). */
export function runoffLimit(
  water: usize,
  limit: usize,
  east: usize,
  south: usize,
  southEast: usize,
  southWest: usize,
  columns: usize,
  stride: i32,
  from: i32,
  to: i32,
  rows: i32,
  half: i32,
  perCell: f32,
): void {
  const row4 = <usize>stride << 2;
  const zero = f32x4.splat(0);
  const one = f32x4.splat(1);
  const tiny = f32x4.splat(1e-20);
  for (let row = from; row < to; row++) {
    const cell = f32x4.splat(perCell / rowShare(row, rows, half));
    const base = <usize>(row + 1) * row4;
    for (let c: usize = 16; c < row4 - 16; c += 16) {
      const at = base + c;
      const straight = f32x4.add(
        f32x4.add(outward(v128.load(east + at)), outward(f32x4.neg(v128.load(east + at - 4)))),
        f32x4.add(outward(v128.load(south + at)), outward(f32x4.neg(v128.load(south + at - row4)))),
      );
      const askew = f32x4.add(
        f32x4.add(outward(v128.load(southEast + at)), outward(f32x4.neg(v128.load(southEast + at - row4 - 4)))),
        f32x4.add(outward(v128.load(southWest + at)), outward(f32x4.neg(v128.load(southWest + at - row4 + 4)))),
      );
      const out = f32x4.mul(f32x4.add(straight, askew), cell);
      const have = f32x4.mul(v128.load(water + at), v128.load(columns + c));
      v128.store(limit + at, f32x4.pmax(zero, f32x4.pmin(one, f32x4.div(have, f32x4.pmax(tiny, out)))));
    }
  }
}

// @ts-ignore: decorator
@inline
function carry1(flow: usize, load: usize, limit: usize, carried: usize, at: usize, over: usize): void {
  const f = v128.load(flow + at);
  const away = f32x4.gt(f, f32x4.splat(0));
  const scaled = f32x4.mul(f, v128.bitselect(v128.load(limit + at), v128.load(limit + at + over), away));
  v128.store(flow + at, scaled);
  v128.store(load + at, f32x4.mul(scaled, v128.bitselect(v128.load(carried + at), v128.load(carried + at + over), away)));
}

/** The flows as far as there is water for them, and the material that they carry: by the concentration where they come from. */
export function runoffCarry(
  limit: usize,
  carried: usize,
  east: usize,
  south: usize,
  southEast: usize,
  southWest: usize,
  loadEast: usize,
  loadSouth: usize,
  loadSouthEast: usize,
  loadSouthWest: usize,
  stride: i32,
  from: i32,
  to: i32,
): void {
  const row4 = <usize>stride << 2;
  for (let row = from; row < to; row++) {
    const base = <usize>(row + 1) * row4;
    for (let c: usize = 16; c < row4 - 16; c += 16) {
      const at = base + c;
      carry1(east, loadEast, limit, carried, at, 4);
      carry1(south, loadSouth, limit, carried, at, row4);
      carry1(southEast, loadSouthEast, limit, carried, at, row4 + 4);
      carry1(southWest, loadSouthWest, limit, carried, at, row4 - 4);
    }
  }
}

/**
 * Moves the water and what it carries, lets it wear and settle, and writes the surface for the
 * next step, `carried` (metres of material in a metre of water) among it.
 *
 * Capacity: `carry` · (sine of the bed's tilt, which is never less than `least`) · speed · depth / (depth +
 * `shallow`). Of what is missing the share `wear` goes into the water, never more than a quarter of
 * what the ground falls over one spacing; of what is too much the share `settle` is laid down. `dry` of the water stays, and `rain` (metres) falls.
 */
export function runoffMove(
  bed: usize,
  change: usize,
  ground: usize,
  surface: usize,
  water: usize,
  sediment: usize,
  carried: usize,
  east: usize,
  south: usize,
  southEast: usize,
  southWest: usize,
  loadEast: usize,
  loadSouth: usize,
  loadSouthEast: usize,
  loadSouthWest: usize,
  ease: usize,
  columns: usize,
  stride: i32,
  from: i32,
  to: i32,
  rows: i32,
  half: i32,
  perCell: f32,
  perX: f32,
  perY: f32,
  fastest: f32,
  carry: f32,
  least: f32,
  shallow: f32,
  wear: f32,
  settle: f32,
  dry: f32,
  rain: f32,
): void {
  const row4 = <usize>stride << 2;
  const zero = f32x4.splat(0);
  const one = f32x4.splat(1);
  const halfway = f32x4.splat(0.5);
  const most = f32x4.splat(fastest);
  const reach: f32 = <f32>0.25 / max(perX, perY);
  for (let row = from; row < to; row++) {
    const share = rowShare(row, rows, half);
    const base = <usize>(row + 1) * row4;
    const perFaceX = f32x4.splat((0.5 * perY) / share);
    const perFaceY = f32x4.splat(0.5 * perX);
    const cell = f32x4.splat(perCell / share);
    for (let c: usize = 16; c < row4 - 16; c += 16) {
      const at = base + c;
      const own = v128.load(columns + c);
      const there = f32x4.gt(own, zero);
      const perOwn = v128.load(columns + 4 * row4 + c);
      const per = f32x4.mul(cell, perOwn);
      // What comes in from the eight sides, m³/s; negative: what leaves.
      const w = v128.load(east + at - 4);
      const e = f32x4.neg(v128.load(east + at));
      const n = v128.load(south + at - row4);
      const s = f32x4.neg(v128.load(south + at));
      const nw = v128.load(southEast + at - row4 - 4);
      const se = f32x4.neg(v128.load(southEast + at));
      const ne = v128.load(southWest + at - row4 + 4);
      const sw = f32x4.neg(v128.load(southWest + at));
      const net = f32x4.add(f32x4.add(f32x4.add(w, e), f32x4.add(n, s)), f32x4.add(f32x4.add(nw, se), f32x4.add(ne, sw)));
      const d = v128.load(water + at);
      const now = f32x4.pmax(zero, f32x4.add(d, f32x4.mul(net, per)));
      const straight = f32x4.add(
        f32x4.sub(v128.load(loadEast + at - 4), v128.load(loadEast + at)),
        f32x4.sub(v128.load(loadSouth + at - row4), v128.load(loadSouth + at)),
      );
      const askew = f32x4.add(
        f32x4.sub(v128.load(loadSouthEast + at - row4 - 4), v128.load(loadSouthEast + at)),
        f32x4.sub(v128.load(loadSouthWest + at - row4 + 4), v128.load(loadSouthWest + at)),
      );
      const held = f32x4.pmax(zero, f32x4.add(v128.load(sediment + at), f32x4.mul(f32x4.add(straight, askew), per)));

      const middle = f32x4.pmax(f32x4.splat(1e-3), f32x4.mul(halfway, f32x4.add(d, now)));
      const vx = f32x4.mul(perFaceX, f32x4.add(f32x4.sub(w, e), f32x4.add(f32x4.sub(nw, se), f32x4.sub(sw, ne))));
      const vy = f32x4.mul(f32x4.mul(perFaceY, perOwn), f32x4.add(f32x4.sub(n, s), f32x4.add(f32x4.sub(nw, se), f32x4.sub(ne, sw))));
      const fast = f32x4.mul(most, middle);
      // The square of speed · mean depth, not beyond the fastest.
      const squared = f32x4.pmin(f32x4.mul(fast, fast), f32x4.add(f32x4.mul(vx, vx), f32x4.mul(vy, vy)));

      const g = v128.load(ground + at);
      const gw = v128.load(ground + at - 4);
      const ge = v128.load(ground + at + 4);
      const gn = v128.load(ground + at - row4);
      const gs = v128.load(ground + at + row4);
      // Walls stand at 1e30: there the ground goes on level. By central differences: drops to one side would favour slopes that face between two neighbours.
      const wall = f32x4.splat(1e29);
      const fallX = f32x4.mul(f32x4.splat(<f32>0.5 * perX), f32x4.sub(v128.bitselect(gw, g, f32x4.lt(gw, wall)), v128.bitselect(ge, g, f32x4.lt(ge, wall))));
      const fallY = f32x4.mul(f32x4.splat(<f32>0.5 * perY), f32x4.sub(v128.bitselect(gn, g, f32x4.lt(gn, wall)), v128.bitselect(gs, g, f32x4.lt(gs, wall))));
      const slope = f32x4.add(f32x4.mul(fallX, fallX), f32x4.mul(fallY, fallY));
      const fall = f32x4.pmax(f32x4.splat(least * least), slope);
      // carry · fall / √(1 + fall²) · speed · depth / (depth + shallow), with one root and one division.
      const steep = f32x4.add(one, fall);
      const above = f32x4.mul(f32x4.mul(f32x4.splat(carry), now), f32x4.sqrt(f32x4.mul(f32x4.mul(fall, squared), steep)));
      const capacity = f32x4.div(above, f32x4.mul(f32x4.mul(steep, middle), f32x4.add(now, f32x4.splat(shallow))));
      const missing = f32x4.sub(capacity, held);
      // By the whole gradient: the drop to one neighbour would spare slopes that face between two.
      const room = f32x4.mul(f32x4.splat(reach), f32x4.sqrt(slope));
      const taken = f32x4.mul(v128.load(ease + at), f32x4.pmin(room, f32x4.mul(f32x4.splat(wear), f32x4.pmax(zero, missing))));
      const laid = f32x4.mul(f32x4.splat(settle), f32x4.pmax(zero, f32x4.neg(missing)));
      // What goes into the water is what the bed's change really lost: rounding makes and destroys nothing.
      const was = v128.load(change + at);
      const is = v128.and(there, f32x4.add(was, f32x4.sub(laid, taken)));
      v128.store(change + at, is);
      const left = v128.and(there, flushed(f32x4.pmax(zero, f32x4.add(held, f32x4.sub(was, is)))));
      v128.store(sediment + at, left);
      const depth = v128.and(there, f32x4.add(f32x4.mul(now, f32x4.splat(dry)), f32x4.splat(rain)));
      v128.store(water + at, depth);
      v128.store(carried + at, f32x4.div(left, f32x4.pmax(f32x4.splat(1e-6), depth)));
      v128.store(surface + at, f32x4.add(f32x4.add(v128.load(bed + at), is), depth));
    }
  }
}
