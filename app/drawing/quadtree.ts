import type { Ground } from '@upland-cast/core';

/** Quads along the side of a patch. */
export const PATCH_QUADS = 32;
/** A quad is held against the ground at no more than this many places a side. */
const LOOKS = 4;

export interface PatchNode {
  /** Corner and size as shares of the ground's longer side's square. */
  x: number;
  z: number;
  size: number;
}

/** How many times the square over the ground is halved before the quads of a patch are single samples. */
export const deepestLevel = (samples: number): number => Math.max(0, Math.ceil(Math.log2((samples - 1) / PATCH_QUADS)));

const firstOf = (level: number) => (4 ** level - 1) / 3;

/**
 * How far every patch of every level lies off the ground at the most, metres: the levels one
 * after another, each row by row. A patch is at least as far off as those that it is split into.
 */
export function patchErrors({ ground, height }: { ground: Ground; height: Float32Array }): Float32Array<ArrayBuffer> {
  const { across, down, width, depth, registration } = ground;
  const deepest = deepestLevel(Math.max(across, down));
  const out = new Float32Array(firstOf(deepest + 1));
  const longest = Math.max(width, depth);
  const pad = registration === 'area' ? 0.5 : 0;
  const steps = (n: number) => (registration === 'area' ? n : Math.max(1, n - 1));
  const at = (x: number, y: number) => {
    const [cx, cy] = [Math.min(across - 1, Math.max(0, x)), Math.min(down - 1, Math.max(0, y))];
    const [x0, y0] = [Math.floor(cx), Math.floor(cy)];
    const [u, v] = [cx - x0, cy - y0];
    const i = y0 * across + x0;
    const [right, below] = [x0 + 1 < across ? 1 : 0, y0 + 1 < down ? across : 0];
    const north = height[i] + (height[i + right] - height[i]) * u;
    const south = height[i + below] + (height[i + below + right] - height[i + below]) * u;
    return north + (south - north) * v;
  };
  for (let level = deepest - 1; level >= 0; level--) {
    const patches = 2 ** level;
    const quads = patches * PATCH_QUADS;
    // Samples from vertex to vertex, along both sides.
    const stepX = (longest / width / quads) * steps(across);
    const stepY = (longest / depth / quads) * steps(down);
    const first = firstOf(level);
    const below = firstOf(level + 1);
    const line = new Float32Array(2 * (quads + 1));
    const vertices = Math.min(quads, Math.ceil((steps(across) + pad) / stepX));
    const fill = (row: number) => {
      const from = (row & 1) * (quads + 1);
      for (let x = 0; x <= vertices; x++) line[from + x] = at(x * stepX - pad, row * stepY - pad);
    };
    fill(0);
    for (let row = 0; row < quads && row * stepY - pad < down - 1; row++) {
      fill(row + 1);
      const [upper, lower] = [(row & 1) * (quads + 1), ((row + 1) & 1) * (quads + 1)];
      const y0 = row * stepY - pad;
      const strideY = Math.max(1, Math.floor(stepY / LOOKS));
      const [fromY, toY] = [Math.max(0, Math.ceil(y0)), Math.min(down - 1, Math.floor(y0 + stepY))];
      for (let x = 0; x < vertices; x++) {
        const [a, b, c, d] = [line[upper + x], line[upper + x + 1], line[lower + x], line[lower + x + 1]];
        const x0 = x * stepX - pad;
        const strideX = Math.max(1, Math.floor(stepX / LOOKS));
        const [fromX, toX] = [Math.max(0, Math.ceil(x0)), Math.min(across - 1, Math.floor(x0 + stepX))];
        let worst = 0;
        for (let sy = fromY; sy <= toY; sy += strideY) {
          const v = (sy - y0) / stepY;
          for (let sx = fromX, i = sy * across + fromX; sx <= toX; sx += strideX, i += strideX) {
            const u = (sx - x0) / stepX;
            // The two triangles of the quad.
            const drawn = u + v <= 1 ? a + u * (b - a) + v * (c - a) : d + (1 - u) * (c - d) + (1 - v) * (b - d);
            const off = Math.abs(height[i] - drawn);
            if (off > worst) worst = off;
          }
        }
        const patch = first + ((row / PATCH_QUADS) | 0) * patches + ((x / PATCH_QUADS) | 0);
        if (worst > out[patch]) out[patch] = worst;
      }
    }
    for (let z = 0; z < patches; z++) {
      for (let x = 0; x < patches; x++) {
        const child = below + 2 * z * 2 * patches + 2 * x;
        const i = first + z * patches + x;
        out[i] = Math.max(out[i], out[child], out[child + 1], out[child + 2 * patches], out[child + 2 * patches + 1]);
      }
    }
  }
  return out;
}

/** Makes every patch over a piece of the ground (shares of the longer side) count as far off: what it holds is not known any more. */
export function forget(errors: Float32Array, west: number, north: number, east: number, south: number): void {
  for (let level = 0; firstOf(level + 1) < errors.length; level++) {
    const patches = 2 ** level;
    const within = (share: number) => Math.min(patches - 1, Math.max(0, Math.floor(share * patches)));
    for (let z = within(north); z <= within(south); z++) {
      errors.fill(Infinity, firstOf(level) + z * patches + within(west), firstOf(level) + z * patches + within(east) + 1);
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
    if (level < deepest && coarse(x * longest, z * longest, size * longest, firstOf(level) + row * 2 ** level + column)) {
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
