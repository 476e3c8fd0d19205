/**
 * One step of the accelerated projected gradient (Beck & Teboulle 2009) on the bending energy
 * Σ xx² + 2 xy² + yy², rows `from` to `to`: from `ahead` downhill by 1/64 of the gradient, back
 * into `half` about `code`, and `momentum` beyond that into `next`. Grids have `stride` floats
 * a row, four before the first sample and two rows above and below.
 */
export function unstepRows(
  ahead: usize,
  next: usize,
  at: usize,
  code: usize,
  stride: i32,
  from: i32,
  to: i32,
  across: i32,
  half: f32,
  momentum: f32,
): void {
  const w = <usize>stride << 2;
  const two = f32x4.splat(2);
  const eight = f32x4.splat(8);
  // 6 + 6 for the bends along and down, 8 for those across.
  const own = f32x4.splat(20);
  const rate = f32x4.splat(1.0 / 64.0);
  const most = f32x4.splat(half);
  const least = f32x4.splat(-half);
  const m = f32x4.splat(momentum);
  for (let row = from; row < to; row++) {
    const start = ((<usize>(row + 2) * <usize>stride) << 2) + 16;
    for (let i = 0; i < across; i += 4) {
      const off = start + (<usize>i << 2);
      const p = ahead + off;
      const here = v128.load(p);
      const near = f32x4.add(f32x4.add(v128.load(p - 4), v128.load(p + 4)), f32x4.add(v128.load(p - w), v128.load(p + w)));
      const far = f32x4.add(f32x4.add(v128.load(p - 8), v128.load(p + 8)), f32x4.add(v128.load(p - 2 * w), v128.load(p + 2 * w)));
      const corners = f32x4.add(
        f32x4.add(v128.load(p - w - 4), v128.load(p - w + 4)),
        f32x4.add(v128.load(p + w - 4), v128.load(p + w + 4)),
      );
      const gradient = f32x4.add(f32x4.add(f32x4.mul(own, here), far), f32x4.sub(f32x4.mul(two, corners), f32x4.mul(eight, near)));
      const middle = v128.load(code + off);
      const moved = f32x4.sub(f32x4.sub(here, f32x4.mul(rate, gradient)), middle);
      const now = f32x4.add(middle, f32x4.pmin(most, f32x4.pmax(least, moved)));
      const before = v128.load(at + off);
      v128.store(at + off, now);
      v128.store(next + off, f32x4.add(now, f32x4.mul(m, f32x4.sub(now, before))));
    }
  }
}
