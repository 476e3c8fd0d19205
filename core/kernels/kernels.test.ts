import { describe, expect, it } from 'vitest';
import { evaluate } from '../course/evaluate';
import { makeCourse, stepUse } from '../course/schema';
import { firstWrong, groundOf, hills } from '../../tests/helpers/grounds';
import { changeBetween } from '../field/statistics';
import { steepestDrop } from '../analysis/slope';
import { exactMath } from './math';
import { inlineKernels } from './pool';
import { noiseProgram } from './programs/noise';
import { octavesOf } from '../field/octaves';

const kernels = inlineKernels();
const spectrum = { kind: 'fbm' as const, feature: 640, height: 100, octaves: 6, gain: 0.5, lacunarity: 2, seed: 9 };

async function fractal(across: number, spacing: number, kind: 0 | 1 | 2, over: Partial<typeof spectrum> = {}) {
  const octaves = octavesOf({ ...spectrum, ...over }, spacing);
  return kernels.run(noiseProgram, { across, down: across, firstX: 0, stepX: spacing, firstY: 0, stepY: spacing, kind, octaves, scale: 1, add: 0 }, null);
}

/** The same noise written plainly in float64, for the kernel to be held against. */
function plainNoise(x: number, y: number, seed: number): number {
  const mix = (h: number) => {
    h ^= h >>> 15;
    h = Math.imul(h, 0x2c1b3c6d);
    h ^= h >>> 12;
    return Math.imul(h, 0x297a2d39);
  };
  const sine = (angle: number) => {
    const t = (angle | 0) * 2 ** -31;
    const p = 4 * t * (1 - Math.abs(t));
    return 0.225 * (p * Math.abs(p) - p) + p;
  };
  const fade = (t: number) => t * t * t * (t * (t * 6 - 15) + 10);
  const ix = Math.floor(x);
  const iy = Math.floor(y);
  const corner = (cx: number, cy: number) => {
    const h = mix((Math.imul(cx, 0x1b873593) + (Math.imul(cy, 0x2545f491) ^ seed)) | 0);
    return sine(h + 0x40000000) * (x - cx) + sine(h) * (y - cy);
  };
  const u = fade(x - ix);
  const v = fade(y - iy);
  const north = corner(ix, iy) + u * (corner(ix + 1, iy) - corner(ix, iy));
  const south = corner(ix, iy + 1) + u * (corner(ix + 1, iy + 1) - corner(ix, iy + 1));
  return (north + v * (south - north)) * Math.SQRT2;
}

describe('the noise kernel', () => {
  it('agrees with the same formula in float64 within 1e-5 of its range', async () => {
    const [octave] = octavesOf(spectrum, 10);
    const got = await kernels.run(
      noiseProgram,
      { across: 61, down: 61, firstX: 0, stepX: 10, firstY: 0, stepY: 10, kind: 0, octaves: [octave], scale: 1, add: 0 },
      null,
    );
    for (let row = 0; row < 61; row += 3) {
      for (let column = 0; column < 61; column++) {
        const [x, y] = [column * 10 * octave.frequency, row * 10 * octave.frequency];
        const want = plainNoise(octave.cos * x - octave.sin * y + octave.offset, octave.sin * x + octave.cos * y + octave.offset, octave.seed) * octave.weight;
        expect(Math.abs(got[row * 61 + column] - want)).toBeLessThan(1e-5);
      }
    }
  });

  it('lies around zero, within its bounds', async () => {
    const h = await fractal(256, 10, 0, { octaves: 1, feature: 40 });
    expect(Math.abs(h.reduce((a, b) => a + b) / h.length)).toBeLessThan(0.02);
    expect(Math.max(...h)).toBeLessThanOrEqual(1.001);
    expect(Math.min(...h)).toBeGreaterThanOrEqual(-1.001);
  });

  it('gives another ground for another seed, and the same for the same', async () => {
    const a = await fractal(64, 10, 1);
    expect(await fractal(64, 10, 1)).toEqual(a);
    expect(await fractal(64, 10, 1, { seed: 10 })).not.toEqual(a);
  });

  it('has no octave under two samples, and adds only detail when samples are added', async () => {
    expect(octavesOf({ ...spectrum, octaves: 16 }, 10).every((o) => 1 / o.frequency > 20)).toBe(true);
    const coarse = await fractal(33, 20, 0, { octaves: 3 });
    const fine = await fractal(65, 10, 0, { octaves: 3 });
    for (let row = 0; row < 33; row++) for (let c = 0; c < 33; c++) expect(fine[2 * row * 65 + 2 * c]).toBe(coarse[row * 33 + c]);
  });

  it('keeps ridged noise at zero or above', async () => {
    expect(Math.min(...(await fractal(128, 10, 1)))).toBeGreaterThanOrEqual(0);
  });
});

describe('talus', () => {
  const run = async (across: number, params: object, field = hills(groundOf(across, across, 5), 4, 900)) => {
    const { stages } = await evaluate(makeCourse('t', field.ground, [stepUse('talus', { soil: 10_000, fall: 0, spread: 0, ...params })]), {
      kernels,
      from: field,
    });
    expect(stages[0].fault).toBeUndefined();
    return { field, height: stages[0].height, layers: stages[0].layers };
  };

  it('ends within half a degree of its angle of repose', async () => {
    const { field, height } = await run(129, { repose: 34, sweeps: 800 });
    expect(steepestDrop(field)).toBeGreaterThan(45);
    expect(steepestDrop({ ...field, height })).toBeLessThanOrEqual(34.5);
  });

  it('keeps its volume to a millionth of what it moved, under both registrations and on sides that do not halve', async () => {
    for (const [across, registration] of [
      [129, 'point'],
      [128, 'area'],
      [101, 'point'],
      [90, 'area'],
    ] as const) {
      const field = hills(groundOf(across, across, 5, registration), 4, 900);
      const { height } = await run(across, { repose: 30, sweeps: 120 }, field);
      const { volumeCut, volumeFill } = changeBetween(field.height, height, field.ground);
      expect(volumeCut).toBeGreaterThan(1000);
      expect(Math.abs(volumeFill - volumeCut) / volumeCut, `${across} ${registration}`).toBeLessThan(1e-6);
    }
  });

  it('leaves ground alone that is gentler than its angle', async () => {
    const field = hills(groundOf(65, 65, 100), 5, 100);
    const { height } = await run(65, { repose: 50 }, field);
    expect(height).toEqual(field.height);
  });

  it('leaves what it cut and laid down as layers that add up to the change', async () => {
    const { field, height, layers } = await run(65, { repose: 25, sweeps: 50 });
    expect(firstWrong(height.length, (i) => Math.abs(height[i] - field.height[i] - (layers.fill[i] - layers.cut[i])) < 1e-3)).toBe(-1);
  });

  it('keeps symmetric ground symmetric', async () => {
    const ground = groundOf(65, 65, 5);
    const cone = hills(ground);
    for (let row = 0; row < 65; row++) for (let c = 0; c < 65; c++) cone.height[row * 65 + c] = Math.max(0, 200 - 8 * Math.hypot(row - 32, c - 32));
    const { height } = await run(65, { repose: 30, sweeps: 100 }, cone);
    expect(firstWrong(65 * 65, (i) => Math.abs(height[i] - height[i - (i % 65) + (64 - (i % 65))]) < 1e-3)).toBe(-1);
  });
});

describe('exact math', () => {
  it('agrees with this engine to a few units in the last place', () => {
    const m = exactMath();
    for (let x = -6; x < 6; x += 0.37) {
      expect(m.sin(x)).toBeCloseTo(Math.sin(x), 14);
      expect(m.exp(x)).toBeCloseTo(Math.exp(x), 10);
      expect(m.atan2(x, 1.3)).toBeCloseTo(Math.atan2(x, 1.3), 14);
    }
    expect(m.pow(2, 0.5)).toBeCloseTo(Math.SQRT2, 15);
  });
});
