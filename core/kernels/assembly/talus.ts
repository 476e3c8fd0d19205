// Sliding scree (Musgrave, Kolb & Mace 1989, "Thermal weathering"), in three passes over a
// padded grid. Arrays have `stride` floats a row (a multiple of four) and one row above and
// below; column 0 of the ground stands at offset 4 of a row. The padding holds a height of
// 1e30 and an amount of 0, so that nothing slides over the rim.
//
// Every pair of neighbours has a conductance: the smaller of what the two samples stand for
// (½ on the rim under point registration), as columnWeight × rowWeight. It is the same seen
// from both, so that what leaves one arrives at the other.

import { around, BLOCK, blocksOf, mark, nextBlock, rowOfBlocks } from './still';

export const SHARE: f32 = 0.4;
/** An excess counts up to so many times the rise at the angle of repose. */
const CLIFF: f32 = 16;

/** height = bed + change for rows `from` … `to` − 1, where it has changed. The bed and its change are kept apart, or small slides are lost to rounding. */
export function talusHeight(bed: usize, change: usize, height: usize, stirred: usize, since: i32, stride: i32, from: i32, to: i32): void {
  const row4 = <usize>stride << 2;
  const perRow = rowOfBlocks(stride);
  for (let row = from; row < to; row++) {
    const base = <usize>(row + 1) * row4;
    // The padding, which no block has.
    for (let side: usize = 0; side <= row4 - 16; side += row4 - 16) {
      v128.store(height + base + side, f32x4.add(v128.load(bed + base + side), v128.load(change + base + side)));
    }
    let block = blocksOf(stirred, row, perRow);
    for (let first: usize = 16; first < row4 - 16; first += BLOCK, block = nextBlock(block)) {
      if (block != 0 && load<i32>(block) < since) continue;
      const end = min(first + BLOCK, row4 - 16);
      for (let c = first; c < end; c += 16) {
        v128.store(height + base + c, f32x4.add(v128.load(bed + base + c), v128.load(change + base + c)));
      }
    }
  }
}

@inline
function allowed(drop: v128, limit: usize, at: usize): v128 {
  return limit != 0 ? f32x4.mul(drop, v128.load(limit + at)) : drop;
}

@inline
function excess(h: v128, neighbour: v128, allowed: v128): v128 {
  return f32x4.pmax(f32x4.splat(0), f32x4.sub(f32x4.sub(h, neighbour), allowed));
}

/**
 * Rock that stands steeper than `cliff` (rise over run) sheds, in place: δ = rate · (steepness − cliff),
 * steepness by the gradient towards what lies lower, so that faces wear back and stay faces
 * (upwind, Osher & Sethian 1988). δ of rock becomes loose (`cover`, which with `change` is the depth of what
 * is loose) and takes more room by `bulk`. What is loose already, deeper than `shield` metres, protects the rock.
 */
export function talusShed(
  height: usize,
  cover: usize,
  change: usize,
  ease: usize,
  stirred: usize,
  since: i32,
  sweep: i32,
  columns: usize,
  stride: i32,
  from: i32,
  to: i32,
  dx: f32,
  dy: f32,
  cliff: f32,
  rate: f32,
  bulk: f32,
  shield: f32,
): void {
  const row4 = <usize>stride << 2;
  const perRow = rowOfBlocks(stride);
  const perX = f32x4.splat(1 / dx);
  const perY = f32x4.splat(1 / dy);
  const zero = f32x4.splat(0);
  const one = f32x4.splat(1);
  const most = f32x4.splat(STEEPEST_FACE);
  for (let row = from; row < to; row++) {
    const base = <usize>(row + 1) * row4;
    let block = blocksOf(stirred, row, perRow);
    for (let first: usize = 16; first < row4 - 16; first += BLOCK, block = nextBlock(block)) {
      if (!around(block, perRow, since)) continue;
      const end = min(first + BLOCK, row4 - 16);
      let any = false;
      for (let c = first; c < end; c += 16) {
        const at = height + base + c;
        const h = v128.load(at);
        const gx = f32x4.mul(perX, f32x4.sub(h, f32x4.pmin(h, f32x4.pmin(v128.load(at - 4), v128.load(at + 4)))));
        const gy = f32x4.mul(perY, f32x4.sub(h, f32x4.pmin(h, f32x4.pmin(v128.load(at - row4), v128.load(at + row4)))));
        const steep = f32x4.pmin(most, f32x4.sqrt(f32x4.add(f32x4.mul(gx, gx), f32x4.mul(gy, gy))));
        const over = f32x4.pmax(zero, f32x4.sub(steep, f32x4.splat(cliff)));
        if (!v128.any_true(f32x4.gt(over, zero))) continue;
        const laid = cover + base + c;
        const since = change + base + c;
        const loose = f32x4.pmax(zero, f32x4.add(v128.load(laid), v128.load(since)));
        const bare = f32x4.pmax(zero, f32x4.sub(one, f32x4.mul(loose, f32x4.splat(1 / shield))));
        let shed = f32x4.mul(f32x4.mul(f32x4.splat(rate), over), bare);
        if (ease != 0) shed = f32x4.mul(shed, v128.load(ease + base + c));
        // Outside the ground there is nothing to shed.
        shed = v128.and(shed, f32x4.gt(v128.load(columns + c), zero));
        if (!v128.any_true(f32x4.gt(shed, zero))) continue;
        any = true;
        v128.store(laid, f32x4.add(v128.load(laid), shed));
        v128.store(since, f32x4.add(v128.load(since), f32x4.mul(f32x4.splat(bulk - 1), shed)));
      }
      if (any) mark(block, sweep);
    }
  }
}

/** A face counts as no steeper than this, rise over run. */
const STEEPEST_FACE: f32 = 6;

/**
 * For every sample how much slides away: `rate` (metres moved a metre of excess) and `moved`
 * (metres lost in all). `SHARE` of the largest excess leaves, shared out by excess.
 * `weightX`: three rows of column weights: pairs to the west, on the column, to the east.
 * `limit`: as talusLimit() leaves it; 0: every direction may use its drop in full.
 */
export function talusRelease(
  height: usize,
  rate: usize,
  moved: usize,
  limit: usize,
  stirred: usize,
  released: usize,
  since: i32,
  sweep: i32,
  weightX: usize,
  inverseArea: usize,
  stride: i32,
  from: i32,
  to: i32,
  rows: i32,
  halfRim: i32,
  dropX: f32,
  dropY: f32,
  dropDiagonal: f32,
): void {
  const row4 = <usize>stride << 2;
  const perRow = rowOfBlocks(stride);
  const dx = f32x4.splat(dropX);
  const dy = f32x4.splat(dropY);
  const dd = f32x4.splat(dropDiagonal);
  let ax = dx;
  let ay = dy;
  let ad = dd;
  const share = f32x4.splat(SHARE);
  const tiny = f32x4.splat(1e-12);
  // Off a cliff it comes bit by bit: all at once it would stand at the foot as a needle.
  const cap = f32x4.splat(CLIFF * dropDiagonal);
  for (let row = from; row < to; row++) {
    const here: f32 = halfRim && (row == 0 || row == rows - 1) ? 0.5 : 1;
    const north: f32 = halfRim && (row <= 1 || row == rows - 1) ? 0.5 : 1;
    const south: f32 = halfRim && (row >= rows - 2 || row == 0) ? 0.5 : 1;
    const wh = f32x4.splat(here);
    const wn = f32x4.splat(north);
    const ws = f32x4.splat(south);
    const inverseRow = f32x4.splat(1 / here);
    const base = <usize>(row + 1) * row4;
    let block = blocksOf(stirred, row, perRow);
    let left = blocksOf(released, row, perRow);
    for (let first: usize = 16; first < row4 - 16; first += BLOCK, block = nextBlock(block), left = nextBlock(left)) {
      if (!around(block, perRow, since)) continue;
      const end = min(first + BLOCK, row4 - 16);
      let any = false;
      for (let c = first; c < end; c += 16) {
        const at = height + base + c;
        const h = v128.load(at);
        if (limit != 0) {
          const share = v128.load(limit + base + c);
          ax = f32x4.mul(dx, share);
          ay = f32x4.mul(dy, share);
          ad = f32x4.mul(dd, share);
        }
        const w = excess(h, v128.load(at - 4), ax);
        const e = excess(h, v128.load(at + 4), ax);
        const n = excess(h, v128.load(at - row4), ay);
        const s = excess(h, v128.load(at + row4), ay);
        const nw = excess(h, v128.load(at - row4 - 4), ad);
        const ne = excess(h, v128.load(at - row4 + 4), ad);
        const sw = excess(h, v128.load(at + row4 - 4), ad);
        const se = excess(h, v128.load(at + row4 + 4), ad);
        const most = f32x4.pmax(
          f32x4.pmax(f32x4.pmax(w, e), f32x4.pmax(n, s)),
          f32x4.pmax(f32x4.pmax(nw, ne), f32x4.pmax(sw, se)),
        );
        if (!v128.any_true(most)) {
          v128.store(rate + base + c, f32x4.splat(0));
          v128.store(moved + base + c, f32x4.splat(0));
          continue;
        }
        const sum = f32x4.add(
          f32x4.add(f32x4.add(w, e), f32x4.add(n, s)),
          f32x4.add(f32x4.add(nw, ne), f32x4.add(sw, se)),
        );
        const r = f32x4.div(f32x4.mul(share, f32x4.pmin(most, cap)), f32x4.pmax(tiny, sum));
        const west = v128.load(weightX + c);
        const mid = v128.load(weightX + row4 + c);
        const east = v128.load(weightX + (row4 << 1) + c);
        const weighted = f32x4.add(
          f32x4.mul(wh, f32x4.add(f32x4.mul(west, w), f32x4.mul(east, e))),
          f32x4.add(
            f32x4.mul(wn, f32x4.add(f32x4.mul(mid, n), f32x4.add(f32x4.mul(west, nw), f32x4.mul(east, ne)))),
            f32x4.mul(ws, f32x4.add(f32x4.mul(mid, s), f32x4.add(f32x4.mul(west, sw), f32x4.mul(east, se)))),
          ),
        );
        const area = f32x4.mul(v128.load(inverseArea + c), inverseRow);
        v128.store(rate + base + c, r);
        const leaves = f32x4.mul(f32x4.mul(r, weighted), area);
        any = any || v128.any_true(leaves);
        v128.store(moved + base + c, leaves);
      }
      if (any) mark(left, sweep);
    }
  }
}

/** Adds to `change` what arrives from the eight neighbours less what leaves. */
export function talusSettle(
  height: usize,
  rate: usize,
  moved: usize,
  change: usize,
  limit: usize,
  stirred: usize,
  released: usize,
  sweep: i32,
  weightX: usize,
  inverseArea: usize,
  stride: i32,
  from: i32,
  to: i32,
  rows: i32,
  halfRim: i32,
  dropX: f32,
  dropY: f32,
  dropDiagonal: f32,
): void {
  const row4 = <usize>stride << 2;
  const perRow = rowOfBlocks(stride);
  const ax = f32x4.splat(dropX);
  const ay = f32x4.splat(dropY);
  const ad = f32x4.splat(dropDiagonal);
  for (let row = from; row < to; row++) {
    const here: f32 = halfRim && (row == 0 || row == rows - 1) ? 0.5 : 1;
    const north: f32 = halfRim && (row <= 1 || row == rows - 1) ? 0.5 : 1;
    const south: f32 = halfRim && (row >= rows - 2 || row == 0) ? 0.5 : 1;
    const wh = f32x4.splat(here);
    const wn = f32x4.splat(north);
    const ws = f32x4.splat(south);
    const inverseRow = f32x4.splat(1 / here);
    const base = <usize>(row + 1) * row4;
    let block = blocksOf(stirred, row, perRow);
    let left = blocksOf(released, row, perRow);
    for (let first: usize = 16; first < row4 - 16; first += BLOCK, block = nextBlock(block), left = nextBlock(left)) {
      if (!around(left, perRow, sweep)) continue;
      const end = min(first + BLOCK, row4 - 16);
      let any = false;
      for (let c = first; c < end; c += 16) {
        const at = height + base + c;
        const from4 = rate + base + c;
        const rw = v128.load(from4 - 4);
        const re = v128.load(from4 + 4);
        const rn = v128.load(from4 - row4);
        const rs = v128.load(from4 + row4);
        const rnw = v128.load(from4 - row4 - 4);
        const rne = v128.load(from4 - row4 + 4);
        const rsw = v128.load(from4 + row4 - 4);
        const rse = v128.load(from4 + row4 + 4);
        const leaves = v128.load(moved + base + c);
        const active = v128.or(
          v128.or(v128.or(v128.or(rw, re), v128.or(rn, rs)), v128.or(v128.or(rnw, rne), v128.or(rsw, rse))),
          leaves,
        );
        if (!v128.any_true(active)) continue;
        const h = v128.load(at);
        const west = v128.load(weightX + c);
        const mid = v128.load(weightX + row4 + c);
        const east = v128.load(weightX + (row4 << 1) + c);
        const w = f32x4.mul(excess(v128.load(at - 4), h, allowed(ax, limit, base + c - 4)), rw);
        const e = f32x4.mul(excess(v128.load(at + 4), h, allowed(ax, limit, base + c + 4)), re);
        const n = f32x4.mul(excess(v128.load(at - row4), h, allowed(ay, limit, base + c - row4)), rn);
        const s = f32x4.mul(excess(v128.load(at + row4), h, allowed(ay, limit, base + c + row4)), rs);
        const nw = f32x4.mul(excess(v128.load(at - row4 - 4), h, allowed(ad, limit, base + c - row4 - 4)), rnw);
        const ne = f32x4.mul(excess(v128.load(at - row4 + 4), h, allowed(ad, limit, base + c - row4 + 4)), rne);
        const sw = f32x4.mul(excess(v128.load(at + row4 - 4), h, allowed(ad, limit, base + c + row4 - 4)), rsw);
        const se = f32x4.mul(excess(v128.load(at + row4 + 4), h, allowed(ad, limit, base + c + row4 + 4)), rse);
        const arrives = f32x4.add(
          f32x4.mul(wh, f32x4.add(f32x4.mul(west, w), f32x4.mul(east, e))),
          f32x4.add(
            f32x4.mul(wn, f32x4.add(f32x4.mul(mid, n), f32x4.add(f32x4.mul(west, nw), f32x4.mul(east, ne)))),
            f32x4.mul(ws, f32x4.add(f32x4.mul(mid, s), f32x4.add(f32x4.mul(west, sw), f32x4.mul(east, se)))),
          ),
        );
        const area = f32x4.mul(v128.load(inverseArea + c), inverseRow);
        const to4 = change + base + c;
        const gains = f32x4.sub(f32x4.mul(arrives, area), leaves);
        any = any || v128.any_true(v128.or(gains, leaves));
        v128.store(to4, f32x4.add(v128.load(to4), gains));
      }
      if (any) mark(block, sweep);
    }
  }
}

/**
 * Holds what does not slide. With `laid`, nothing but the cover that was laid and its change since
 * is loose; with `ease` (0 to 1; one of the two addresses is 0) rock gives way so easily, and
 * what has come to lie on it since is loose.
 */
export function talusHold(rate: usize, moved: usize, laid: usize, ease: usize, change: usize, released: usize, sweep: i32, stride: i32, from: i32, to: i32): void {
  const row4 = <usize>stride << 2;
  const perRow = rowOfBlocks(stride);
  const zero = f32x4.splat(0);
  const tiny = f32x4.splat(1e-12);
  for (let row = from; row < to; row++) {
    const base = <usize>(row + 1) * row4;
    let left = blocksOf(released, row, perRow);
    for (let first: usize = 16; first < row4 - 16; first += BLOCK, left = nextBlock(left)) {
      if (left != 0 && load<i32>(left) !== sweep) continue;
      const end = base + min(first + BLOCK, row4 - 16);
      for (let at = base + first; at < end; at += 16) {
        const loses = v128.load(moved + at);
        if (!v128.any_true(loses)) continue;
        const since = v128.load(change + at);
        const loose = laid != 0 ? f32x4.pmax(zero, f32x4.add(v128.load(laid + at), since)) : f32x4.pmax(zero, since);
        const can = ease != 0 ? f32x4.add(loose, f32x4.mul(loses, v128.load(ease + at))) : loose;
        const share = f32x4.pmin(f32x4.splat(1), f32x4.div(can, f32x4.pmax(tiny, loses)));
        v128.store(moved + at, f32x4.mul(loses, share));
        v128.store(rate + at, f32x4.mul(v128.load(rate + at), share));
      }
    }
  }
}
