/** Quads along the side of a patch. */
export const PATCH_QUADS = 32;

export interface PatchNode {
  /** Corner and size as shares of the ground's longer side's square. */
  x: number;
  z: number;
  size: number;
}

/**
 * The patches to draw: a square quadtree over the ground, split where a patch is nearer than
 * `reach` times its own size, down to patches whose quads are single samples.
 */
export function choosePatches(
  distanceTo: (x: number, z: number, size: number) => number,
  extent: { width: number; depth: number },
  samples: number,
  reach: number,
): PatchNode[] {
  const deepest = Math.max(0, Math.ceil(Math.log2((samples - 1) / PATCH_QUADS)));
  const longest = Math.max(extent.width, extent.depth);
  const out: PatchNode[] = [];
  const visit = (x: number, z: number, size: number, level: number) => {
    if (x * longest >= extent.width || z * longest >= extent.depth) return;
    if (level < deepest && distanceTo(x * longest, z * longest, size * longest) < reach * size * longest) {
      const half = size / 2;
      for (const [dx, dz] of [
        [0, 0],
        [half, 0],
        [0, half],
        [half, half],
      ])
        visit(x + dx, z + dz, half, level + 1);
    } else out.push({ x, z, size });
  };
  visit(0, 0, 1, 0);
  return out;
}
