import { throwIfStopped } from '../errors';
import { settleFree, type Stiffness } from './bending';

interface FillOptions {
  /** Spacing east over spacing south. */
  aspect?: number;
  stiffness?: Stiffness;
  signal?: AbortSignal;
  progress?(share: number): void;
}

/**
 * Gives the samples marked in `voids` heights that carry the ground around them on: with
 * `bending` its slope too (planes come back exactly, quadratics closely), with `membrane` only
 * its height. The others are untouched. Returns how many holes there were, counted as patches
 * that lie more than two samples apart.
 */
export async function fillVoids(
  height: Float32Array,
  across: number,
  down: number,
  voids: Uint8Array,
  { aspect = 1, stiffness = 'bending', signal, progress }: FillOptions = {},
): Promise<{ height: Float32Array<ArrayBuffer>; holes: number }> {
  const out = Float32Array.from(height);
  const patches = patchesOf(voids, across, down);
  let done = 0;
  for (const patch of patches) {
    throwIfStopped(signal);
    progress?.(done++ / patches.length);
    // Two samples of rim hold height and slope; some more keep the coarser levels from floating.
    const left = Math.max(0, patch.left - 8);
    const top = Math.max(0, patch.top - 8);
    const w = Math.min(across, patch.right + 9) - left;
    const h = Math.min(down, patch.bottom + 9) - top;
    const free = new Uint8Array(w * h);
    for (const i of patch.samples) free[(Math.floor(i / across) - top) * w + (i % across) - left] = 1;
    const piece = new Float64Array(w * h);
    // Counted from a height of its own, so that high country loses nothing.
    const base = baseOf(out, voids, across, left, top, w, h);
    for (let row = 0, k = 0; row < h; row++) {
      for (let column = 0; column < w; column++, k++) {
        const i = (top + row) * across + left + column;
        // Other patches are no rim of this one; what stands for them only has to be near.
        piece[k] = voids[i] ? (column > 0 ? piece[k - 1] : 0) : out[i] - base;
      }
    }
    await settleFree(piece, free, { across: w, down: h, aspect, stiffness }, { signal });
    for (const i of patch.samples) out[i] = base + piece[(Math.floor(i / across) - top) * w + (i % across) - left];
  }
  return { height: out, holes: patches.length };
}

/** The first known height of a window; 0 where there is none. */
function baseOf(height: Float32Array, voids: Uint8Array, across: number, left: number, top: number, w: number, h: number): number {
  for (let row = top; row < top + h; row++) {
    for (let i = row * across + left; i < row * across + left + w; i++) if (!voids[i]) return height[i];
  }
  return 0;
}

interface Patch {
  left: number;
  top: number;
  right: number;
  bottom: number;
  samples: number[];
}

/** Voids gathered into patches: two belong together where less than three samples lie between them, since bends reach that far. */
export function patchesOf(voids: Uint8Array, across: number, down: number): Patch[] {
  const seen = new Uint8Array(voids.length);
  const patches: Patch[] = [];
  for (let start = 0; start < voids.length; start++) {
    if (!voids[start] || seen[start]) continue;
    const patch: Patch = { left: across, top: down, right: 0, bottom: 0, samples: [] };
    const open = [start];
    seen[start] = 1;
    while (open.length) {
      const i = open.pop()!;
      const row = Math.floor(i / across);
      const column = i - row * across;
      patch.samples.push(i);
      patch.left = Math.min(patch.left, column);
      patch.right = Math.max(patch.right, column);
      patch.top = Math.min(patch.top, row);
      patch.bottom = Math.max(patch.bottom, row);
      for (let y = Math.max(0, row - 2); y <= Math.min(down - 1, row + 2); y++) {
        for (let x = Math.max(0, column - 2); x <= Math.min(across - 1, column + 2); x++) {
          const n = y * across + x;
          if (!voids[n] || seen[n]) continue;
          seen[n] = 1;
          open.push(n);
        }
      }
    }
    patches.push(patch);
  }
  return patches;
}
