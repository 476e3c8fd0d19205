/**
 * Heights to be looked at where some have none: holes are closed from around them, coarse to fine
 * (push and pull over halved grids), so that no crater is drawn where nothing is known. For the
 * eye only: the step `fill-voids` is the mend.
 */
export function fillForDisplay(height: Float32Array<ArrayBuffer>, across: number, down: number, valid: Uint8Array | undefined): Float32Array<ArrayBuffer> {
  if (!valid) return height;
  const levels = [{ across, down, height: height.slice(), weight: Float32Array.from(valid) }];
  // Push: means of what is known, on half as many samples each time.
  for (let top = levels[0]; top.across > 1 || top.down > 1; top = levels[levels.length - 1]) {
    const next = { across: (top.across + 1) >> 1, down: (top.down + 1) >> 1, height: new Float32Array(0), weight: new Float32Array(0) };
    next.height = new Float32Array(next.across * next.down);
    next.weight = new Float32Array(next.across * next.down);
    for (let row = 0; row < top.down; row++) {
      for (let column = 0; column < top.across; column++) {
        const i = row * top.across + column;
        if (top.weight[i] === 0) continue;
        const to = (row >> 1) * next.across + (column >> 1);
        next.height[to] += top.height[i];
        next.weight[to]++;
      }
    }
    for (let i = 0; i < next.height.length; i++) {
      if (next.weight[i] === 0) continue;
      next.height[i] /= next.weight[i];
      next.weight[i] = 1;
    }
    levels.push(next);
  }
  // Pull: what is not known takes the coarser surface, straight between its samples.
  for (let k = levels.length - 2; k >= 0; k--) {
    const [fine, coarse] = [levels[k], levels[k + 1]];
    for (let row = 0; row < fine.down; row++) {
      const y = Math.max(0, Math.min(coarse.down - 1, row / 2 - 0.25));
      const [y0, y1] = [Math.floor(y), Math.min(coarse.down - 1, Math.floor(y) + 1)];
      for (let column = 0; column < fine.across; column++) {
        const i = row * fine.across + column;
        if (fine.weight[i]) continue;
        const x = Math.max(0, Math.min(coarse.across - 1, column / 2 - 0.25));
        const [x0, x1] = [Math.floor(x), Math.min(coarse.across - 1, Math.floor(x) + 1)];
        const at = (r: number, c: number) => coarse.height[r * coarse.across + c];
        const upper = at(y0, x0) + (at(y0, x1) - at(y0, x0)) * (x - x0);
        const lower = at(y1, x0) + (at(y1, x1) - at(y1, x0)) * (x - x0);
        fine.height[i] = upper + (lower - upper) * (y - y0);
        fine.weight[i] = 1;
      }
    }
  }
  return levels[0].height;
}
