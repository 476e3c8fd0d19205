// Scree slides by the whole gradient between two samples, over the four faces of each: a cone stays round.

import { around, BLOCK, blocksOf, mark, nextBlock, rowOfBlocks } from './still';
import { SHARE } from './talus';

/** Where a sample lies in the wall around the ground the other one counts. */
// @ts-ignore: decorator
@inline
function within(value: v128, other: v128): v128 {
  return v128.bitselect(value, other, f32x4.lt(value, f32x4.splat(1e29)));
}

// @ts-ignore: decorator
@inline
function beyondRepose(h: v128, n: v128, across2: v128, perRun: v128, perCross: v128, tan: v128): v128 {
  const along = f32x4.mul(perRun, f32x4.sub(h, n));
  const aside = f32x4.mul(perCross, across2);
  const steep = f32x4.sqrt(f32x4.add(f32x4.mul(along, along), f32x4.mul(aside, aside)));
  const share = f32x4.pmax(f32x4.splat(0), f32x4.sub(f32x4.splat(1), f32x4.div(tan, f32x4.pmax(f32x4.splat(1e-9), steep))));
  return v128.and(share, f32x4.lt(n, f32x4.splat(1e29)));
}

/**
 * For the faces between each sample and the one east of it (`faceX`) and south of it (`faceY`): the part of
 * the drop there that is beyond the angle of repose, 1 − tan / S, with S the length of the whole gradient between the two. Held to
 * it, a cone stays round. `tan`: rise over run at repose, times `grain` of both samples where that is no 0.
 * Faces beside which nothing is loose (`cover` + `change`, where `cover` is no 0) are left as they were: nothing passes there.
 */
export function talusFaces(
  height: usize,
  faceX: usize,
  faceY: usize,
  grain: usize,
  cover: usize,
  change: usize,
  stirred: usize,
  since: i32,
  stride: i32,
  from: i32,
  to: i32,
  dx: f32,
  dy: f32,
  tan: f32,
): void {
  const row4 = <usize>stride << 2;
  const perRow = rowOfBlocks(stride);
  const perX = f32x4.splat(1 / dx);
  const perY = f32x4.splat(1 / dy);
  const crossX = f32x4.splat(<f32>0.25 / dx);
  const crossY = f32x4.splat(<f32>0.25 / dy);
  const half = f32x4.splat(0.5);
  for (let row = from; row < to; row++) {
    const base = <usize>(row + 1) * row4;
    let block = blocksOf(stirred, row, perRow);
    for (let first: usize = 16; first < row4 - 16; first += BLOCK, block = nextBlock(block)) {
      if (!around(block, perRow, since)) continue;
      const end = min(first + BLOCK, row4 - 16);
      for (let c = first; c < end; c += 16) {
        if (cover != 0) {
          const laid = cover + base + c;
          const since = change + base + c;
          const own = f32x4.add(v128.load(laid), v128.load(since));
          const beside = f32x4.add(v128.load(laid + 4), v128.load(since + 4));
          const below = f32x4.add(v128.load(laid + row4), v128.load(since + row4));
          if (!v128.any_true(f32x4.gt(f32x4.pmax(own, f32x4.pmax(beside, below)), f32x4.splat(0)))) continue;
        }
        const at = height + base + c;
        const h = v128.load(at);
        const e = v128.load(at + 4);
        const s = v128.load(at + row4);
        let tanX = f32x4.splat(tan);
        let tanY = tanX;
        if (grain != 0) {
          const g = grain + base + c;
          tanX = f32x4.mul(tanX, f32x4.mul(half, f32x4.add(v128.load(g), v128.load(g + 4))));
          tanY = f32x4.mul(tanY, f32x4.mul(half, f32x4.add(v128.load(g), v128.load(g + row4))));
        }
        const se = v128.load(at + row4 + 4);
        const down = f32x4.add(within(s, h), within(se, e));
        const up = f32x4.add(within(v128.load(at - row4), h), within(v128.load(at - row4 + 4), e));
        v128.store(faceX + base + c, beyondRepose(h, e, f32x4.sub(down, up), perX, crossY, tanX));
        const right = f32x4.add(within(e, h), within(se, s));
        const left = f32x4.add(within(v128.load(at - 4), h), within(v128.load(at + row4 - 4), s));
        v128.store(faceY + base + c, beyondRepose(h, s, f32x4.sub(right, left), perY, crossX, tanY));
      }
    }
  }
}

// @ts-ignore: decorator
@inline
function over(h: v128, n: v128, share: v128): v128 {
  return f32x4.mul(f32x4.pmax(f32x4.splat(0), f32x4.sub(h, n)), share);
}

/** talusRelease() over the four faces, with what talusFaces() found. `cap`: an excess counts up to so many metres. */
export function talusReleaseFaces(
  height: usize,
  rate: usize,
  moved: usize,
  faceX: usize,
  faceY: usize,
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
  cap: f32,
  cover: usize,
  change: usize,
): void {
  const row4 = <usize>stride << 2;
  const perRow = rowOfBlocks(stride);
  const share = f32x4.splat(SHARE);
  const tiny = f32x4.splat(1e-12);
  for (let row = from; row < to; row++) {
    const here: f32 = halfRim && (row == 0 || row == rows - 1) ? 0.5 : 1;
    const wn = f32x4.splat(halfRim && (row <= 1 || row == rows - 1) ? 0.5 : 1);
    const ws = f32x4.splat(halfRim && (row >= rows - 2 || row == 0) ? 0.5 : 1);
    const base = <usize>(row + 1) * row4;
    let block = blocksOf(stirred, row, perRow);
    let left = blocksOf(released, row, perRow);
    for (let first: usize = 16; first < row4 - 16; first += BLOCK, block = nextBlock(block), left = nextBlock(left)) {
      if (!around(block, perRow, since)) continue;
      const end = min(first + BLOCK, row4 - 16);
      let any = false;
      for (let c = first; c < end; c += 16) {
        if (cover != 0 && !v128.any_true(f32x4.gt(f32x4.add(v128.load(cover + base + c), v128.load(change + base + c)), f32x4.splat(0)))) {
          v128.store(rate + base + c, f32x4.splat(0));
          v128.store(moved + base + c, f32x4.splat(0));
          continue;
        }
        const at = height + base + c;
        const h = v128.load(at);
        const w = over(h, v128.load(at - 4), v128.load(faceX + base + c - 4));
        const e = over(h, v128.load(at + 4), v128.load(faceX + base + c));
        const n = over(h, v128.load(at - row4), v128.load(faceY + base + c - row4));
        const s = over(h, v128.load(at + row4), v128.load(faceY + base + c));
        const most = f32x4.pmax(f32x4.pmax(w, e), f32x4.pmax(n, s));
        if (!v128.any_true(most)) {
          v128.store(rate + base + c, f32x4.splat(0));
          v128.store(moved + base + c, f32x4.splat(0));
          continue;
        }
        const sum = f32x4.add(f32x4.add(w, e), f32x4.add(n, s));
        const r = f32x4.div(f32x4.mul(share, f32x4.pmin(most, f32x4.splat(cap))), f32x4.pmax(tiny, sum));
        const sides = f32x4.mul(
          f32x4.splat(here),
          f32x4.add(f32x4.mul(v128.load(weightX + c), w), f32x4.mul(v128.load(weightX + (row4 << 1) + c), e)),
        );
        const ends = f32x4.mul(v128.load(weightX + row4 + c), f32x4.add(f32x4.mul(wn, n), f32x4.mul(ws, s)));
        const area = f32x4.mul(v128.load(inverseArea + c), f32x4.splat(1 / here));
        v128.store(rate + base + c, r);
        const leaves = f32x4.mul(f32x4.mul(r, f32x4.add(sides, ends)), area);
        any = any || v128.any_true(leaves);
        v128.store(moved + base + c, leaves);
      }
      if (any) mark(left, sweep);
    }
  }
}

/** Adds to `change` what arrives over the four faces less what leaves. */
export function talusSettleFaces(
  height: usize,
  rate: usize,
  moved: usize,
  change: usize,
  faceX: usize,
  faceY: usize,
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
): void {
  const row4 = <usize>stride << 2;
  const perRow = rowOfBlocks(stride);
  for (let row = from; row < to; row++) {
    const here: f32 = halfRim && (row == 0 || row == rows - 1) ? 0.5 : 1;
    const wn = f32x4.splat(halfRim && (row <= 1 || row == rows - 1) ? 0.5 : 1);
    const ws = f32x4.splat(halfRim && (row >= rows - 2 || row == 0) ? 0.5 : 1);
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
        const leaves = v128.load(moved + base + c);
        if (!v128.any_true(v128.or(v128.or(v128.or(rw, re), v128.or(rn, rs)), leaves))) continue;
        const h = v128.load(at);
        const w = f32x4.mul(over(v128.load(at - 4), h, v128.load(faceX + base + c - 4)), rw);
        const e = f32x4.mul(over(v128.load(at + 4), h, v128.load(faceX + base + c)), re);
        const n = f32x4.mul(over(v128.load(at - row4), h, v128.load(faceY + base + c - row4)), rn);
        const s = f32x4.mul(over(v128.load(at + row4), h, v128.load(faceY + base + c)), rs);
        const sides = f32x4.mul(
          f32x4.splat(here),
          f32x4.add(f32x4.mul(v128.load(weightX + c), w), f32x4.mul(v128.load(weightX + (row4 << 1) + c), e)),
        );
        const ends = f32x4.mul(v128.load(weightX + row4 + c), f32x4.add(f32x4.mul(wn, n), f32x4.mul(ws, s)));
        const area = f32x4.mul(v128.load(inverseArea + c), f32x4.splat(1 / here));
        const to4 = change + base + c;
        const gains = f32x4.sub(f32x4.mul(f32x4.add(sides, ends), area), leaves);
        any = any || v128.any_true(v128.or(gains, leaves));
        v128.store(to4, f32x4.add(v128.load(to4), gains));
      }
      if (any) mark(block, sweep);
    }
  }
}
