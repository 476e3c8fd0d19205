import { deepestLevel, firstPatch } from '@upland-cast/core';

export interface PatchNode {
  /** Corner and size as shares of the ground's longer side's square. */
  x: number;
  z: number;
  size: number;
}

/** Makes every patch over a piece of the ground (shares of the longer side) count as far off: what it holds is not known any more. */
export function forget(errors: Float32Array, west: number, north: number, east: number, south: number): void {
  for (let level = 0; firstPatch(level + 1) < errors.length; level++) {
    const patches = 2 ** level;
    const within = (share: number) => Math.min(patches - 1, Math.max(0, Math.floor(share * patches)));
    for (let z = within(north); z <= within(south); z++) {
      errors.fill(Infinity, firstPatch(level) + z * patches + within(west), firstPatch(level) + z * patches + within(east) + 1);
    }
  }
}

/**
 * The patches to draw: a square quadtree over the ground, split wherever `coarse` says that a
 * patch is not fine enough, down to patches whose quads are single samples; those that `seen`
 * refuses are left out. `index` is the place of a patch among the errors of `patchErrors`.
 */
export function choosePatches(
  coarse: (x: number, z: number, size: number, index: number) => boolean,
  extent: { width: number; depth: number },
  samples: number,
  seen: (x: number, z: number, size: number) => boolean = () => true,
): PatchNode[] {
  const deepest = deepestLevel(samples);
  const longest = Math.max(extent.width, extent.depth);
  const out: PatchNode[] = [];
  const visit = (column: number, row: number, level: number) => {
    const size = 1 / 2 ** level;
    const [x, z] = [column * size, row * size];
    if (x * longest >= extent.width || z * longest >= extent.depth) return;
    if (!seen(x * longest, z * longest, size * longest)) return;
    if (level < deepest && coarse(x * longest, z * longest, size * longest, firstPatch(level) + row * 2 ** level + column)) {
      for (const [dx, dz] of [
        [0, 0],
        [1, 0],
        [0, 1],
        [1, 1],
      ])
        visit(2 * column + dx, 2 * row + dz, level + 1);
    } else out.push({ x, z, size });
  };
  visit(0, 0, 0);
  return out;
}
