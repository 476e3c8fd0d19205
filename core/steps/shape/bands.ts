import { z } from 'zod';
import { spacingOf } from '../../field/ground';
import { exactMath } from '../../kernels/math';
import type { Kernels } from '../../kernels/pool';
import { filterProgram } from '../../kernels/programs/filter';
import { defineStep } from '../step';
import { ratio } from '../params';

/** The bands by the wavelength of their detail, metres: each from 2ⁿ to 2ⁿ⁺¹, n from 3 on. */
const BANDS = ['to16', 'to32', 'to64', 'to128', 'to256', 'to512', 'to1024', 'over1024'] as const;

const gain = (label: string) => ratio(1, { min: 0, max: 4, label, help: 'How strong detail of this size is; 100 % leaves it.' });

/**
 * Strengthens or weakens detail of one size and not the others: a Laplacian pyramid (Burt &
 * Adelson 1983) whose levels are weighed by their wavelength in metres. Gains of 1 give the
 * ground back to the bit; what is larger than the coarsest level stays.
 */
export const bands = defineStep({
  id: 'bands',
  title: 'Detail by size',
  family: 'shape',
  summary: 'Strengthens or weakens detail of one size and leaves the others.',
  finds: ['detail', 'frequency', 'bands', 'equaliser', 'sharpen', 'unsharp', 'wavelet', 'high-pass', 'low-pass', 'octaves'],
  params: z.object({
    to16: gain('Under 16 m'),
    to32: gain('16 to 32 m'),
    to64: gain('32 to 64 m'),
    to128: gain('64 to 128 m'),
    to256: gain('128 to 256 m'),
    to512: gain('256 to 512 m'),
    to1024: gain('512 to 1 024 m'),
    over1024: gain('Over 1 024 m'),
  }),
  presets: [
    { name: 'Crisper', params: { to16: 1.4, to32: 1.5, to64: 1.4, to128: 1.2 } },
    { name: 'Large forms only', params: { to16: 0.1, to32: 0.15, to64: 0.25, to128: 0.5 } },
    { name: 'Broader valleys', params: { to256: 1.3, to512: 1.5, to1024: 1.3 } },
  ],
  reach: () => Infinity,
  async run({ height }, params, { ground, window, kernels, progress, signal }) {
    const { x, y } = spacingOf(ground);
    const spacing = Math.sqrt(x * y);
    const gains = BANDS.map((key) => params[key]);
    const { log } = exactMath();
    const gainOf = (level: number) => {
      // The middle of a level's wavelengths: 2 to 4 of its samples; of band n: 2^(n + 3.5) m.
      const place = log(spacing) / Math.LN2 + level + 1.5 - 3.5;
      const from = Math.min(gains.length - 1, Math.max(0, Math.floor(place)));
      const to = Math.min(gains.length - 1, from + 1);
      return gains[from] + (gains[to] - gains[from]) * Math.min(1, Math.max(0, place - from));
    };
    let levels = 1;
    while (levels < 12 && Math.min(window.across, window.down) >> levels >= 2) levels++;
    const correction = await corrected(height, window.across, window.down, 0, levels, gainOf, kernels, signal);
    progress(1);
    if (!correction) return { height };
    const out = new Float32Array(height.length);
    for (let i = 0; i < out.length; i++) out[i] = height[i] + correction[i];
    return { height: out };
  },
});

const REDUCE = [1 / 16, 4 / 16, 6 / 16, 4 / 16, 1 / 16];

/** What the gains of this and all coarser levels add to a level; null where that is nothing. */
async function corrected(
  fine: Float32Array,
  across: number,
  down: number,
  level: number,
  levels: number,
  gainOf: (level: number) => number,
  kernels: Kernels,
  signal: AbortSignal | undefined,
): Promise<Float32Array | null> {
  if (level >= levels) return null;
  const coarse = await kernels.run(filterProgram, { across, down, tapsX: REDUCE, tapsY: REDUCE, step: 2 }, fine, { signal });
  const [coarseAcross, coarseDown] = [Math.ceil(across / 2), Math.ceil(down / 2)];
  const beneath = await corrected(coarse, coarseAcross, coarseDown, level + 1, levels, gainOf, kernels, signal);
  const more = gainOf(level) - 1;
  if (more === 0 && !beneath) return null;
  const out = beneath ? expanded(beneath, coarseAcross, coarseDown, across, down) : new Float32Array(fine.length);
  if (more !== 0) {
    const smooth = expanded(coarse, coarseAcross, coarseDown, across, down);
    for (let i = 0; i < out.length; i++) out[i] += more * (fine[i] - smooth[i]);
  }
  return out;
}

/** Burt & Adelson's expansion: (1, 6, 1) / 8 on the samples there were, halves between them. */
function expanded(coarse: Float32Array, fromAcross: number, fromDown: number, across: number, down: number): Float32Array<ArrayBuffer> {
  const wide = new Float32Array(across * fromDown);
  for (let row = 0; row < fromDown; row++) {
    const at = row * fromAcross;
    for (let i = 0; i < across; i++) {
      const k = i >> 1;
      const next = coarse[at + Math.min(fromAcross - 1, k + 1)];
      const here = coarse[at + k];
      wide[row * across + i] = i & 1 ? (here + next) / 2 : (coarse[at + Math.max(0, k - 1)] + 6 * here + next) / 8;
    }
  }
  const out = new Float32Array(across * down);
  for (let row = 0; row < down; row++) {
    const k = row >> 1;
    const here = k * across;
    const before = Math.max(0, k - 1) * across;
    const next = Math.min(fromDown - 1, k + 1) * across;
    const to = row * across;
    if (row & 1) for (let i = 0; i < across; i++) out[to + i] = (wide[here + i] + wide[next + i]) / 2;
    else for (let i = 0; i < across; i++) out[to + i] = (wide[before + i] + 6 * wide[here + i] + wide[next + i]) / 8;
  }
  return out;
}
