import type { Field } from '../../field/field';
import type { Kernels } from '../../kernels/pool';
import { patchErrorsProgram } from '../../kernels/programs/patch-errors';

/** Quads along the side of a patch. */
export const PATCH_QUADS = 32;

/** How many times the square over the ground is halved before the quads of a patch are single samples. */
export function deepestLevel(samples: number): number {
  let level = 0;
  while (patchesOf(level) * PATCH_QUADS < samples - 1) level++;
  return level;
}

/** Patches along the side of the square. */
const patchesOf = (level: number) => 1 << level;

/** The place of a level's first patch among all. */
export const firstPatch = (level: number): number => (patchesOf(2 * level) - 1) / 3;

/**
 * How far every patch of every level of a square quadtree over the ground lies off it at the most, metres: the levels one
 * after another from the whole square on, each row by row. A patch has {@link PATCH_QUADS} quads a side, whose corners lie on the ground; it is at
 * least as far off as those that it is split into. The finest are not off at all.
 */
export async function patchErrors(kernels: Kernels, { ground, height }: Field, options: { signal?: AbortSignal } = {}): Promise<Float32Array<ArrayBuffer>> {
  const { across, down, width, depth, registration } = ground;
  const deepest = deepestLevel(Math.max(across, down));
  const longest = Math.max(width, depth);
  const steps = (n: number) => (registration === 'area' ? n : Math.max(1, n - 1));
  const levels = Array.from({ length: deepest }, (_, level) => {
    const patches = patchesOf(level);
    const quads = patches * PATCH_QUADS;
    return { patches, stepX: (longest / width / quads) * steps(across), stepY: (longest / depth / quads) * steps(down) };
  });
  const args = { across, down, pad: registration === 'area' ? 0.5 : 0, quads: PATCH_QUADS, levels };
  const out = new Float32Array(firstPatch(deepest + 1));
  if (deepest > 0) out.set(await kernels.run(patchErrorsProgram, args, height, options));
  for (let level = deepest - 1; level >= 0; level--) {
    const patches = patchesOf(level);
    for (let z = 0; z < patches; z++) {
      for (let x = 0; x < patches; x++) {
        const child = firstPatch(level + 1) + 4 * z * patches + 2 * x;
        const i = firstPatch(level) + z * patches + x;
        out[i] = Math.max(out[i], out[child], out[child + 1], out[child + 2 * patches], out[child + 2 * patches + 1]);
      }
    }
  }
  return out;
}
