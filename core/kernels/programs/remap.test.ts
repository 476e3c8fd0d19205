import { describe, expect, it } from 'vitest';
import { turnTakingKernels } from '../../../tests/helpers/turn-taking';
import { hash32 } from '../../field/hash';
import { monotoneCurve } from '../../steps/shape/curve';
import { exactMath } from '../math';
import { inlineKernels } from '../pool';
import { remapProgram, type Remap } from './remap';

const kernels = inlineKernels();
/** Heights of every size and sign, not in any order. */
const heights = Float32Array.from({ length: 70_003 }, (_, i) => (hash32(i, 3) / 2 ** 32 - 0.3) * (i % 7 === 0 ? 3000 : 300));
const on = (by: Remap, given = heights) => kernels.run(remapProgram, { count: given.length, by }, given);
const each = (of: (h: number) => number) => heights.map((h) => of(h));

const terrace = (h: number) => {
  // The tread that holds a height, looked for among all of them.
  const edge = (k: number) => 5 + 12.5 * (k + 0.24 * (hash32(9, k) / 2 ** 32 - 0.5));
  let k = Math.floor((h - 5) / 12.5) - 2;
  while (!(h < edge(k + 1))) k++;
  const [low, high] = [edge(k), edge(k + 1)];
  const t = (h - low) / (high - low);
  const u = (t - 1 + 0.3) / 0.3;
  return low + (high - low) * (0.15 * t + 0.85 * (u <= 0 ? 0 : u * u * (3 - 2 * u)));
};
const clamp = (h: number) => {
  const under = h >= 420 ? 400 : h > 380 ? 400 - (420 - h) ** 2 / 80 : h;
  return under <= -70 ? -50 : under < -30 ? -50 + (under + 70) ** 2 / 80 : under;
};

describe('functions of the height', () => {
  const points = [
    { from: -100, to: -40 },
    { from: 0, to: 0 },
    { from: 90, to: 0 },
    { from: 300, to: 800 },
    { from: 310, to: 810 },
  ];
  const curve: Remap = { kind: 'curve', points: [] };

  it.each([
    ['terrace', { kind: 'terrace', spacing: 12.5, start: 5, riser: 0.3, tilt: 0.15, spread: 0.24, seed: 9 }, terrace, 1e-4],
    ['clamp', { kind: 'clamp', low: -50, high: 400, shoulder: 20 }, clamp, 1e-4],
    [
      'levels, as they are',
      { kind: 'levels', inLow: 0, scale: 1 / 500, exponent: 1, outLow: 20, outRange: 100 },
      (h: number) => 20 + 100 * Math.min(1, Math.max(0, h / 500)),
      1e-4,
    ],
  ] as [string, Remap, (h: number) => number, number][])('%s: what its formula says', async (_, by, of, most) => {
    const { height } = await on(by);
    const wanted = each(of);
    let worst = 0;
    for (let i = 0; i < height.length; i++) worst = Math.max(worst, Math.abs(height[i] - wanted[i]));
    expect(worst).toBeLessThan(most);
  });

  it('levels with a gamma are the exact power, and what is clipped is counted', async () => {
    const { pow } = exactMath();
    const { height, below, above } = await on({ kind: 'levels', inLow: 0, scale: 1 / 500, exponent: 1 / 1.7, outLow: 20, outRange: 100 });
    expect(height).toEqual(each((h) => 20 + 100 * pow(Math.min(1, Math.max(0, h * (1 / 500))), 1 / 1.7)));
    expect([below, above]).toEqual([heights.filter((h) => h < 0).length, heights.filter((h) => h * (1 / 500) > 1).length]);
    const { below: clipped } = await on({ kind: 'clamp', low: -50, high: 400, shoulder: 20 });
    expect(clipped).toBe(heights.filter((h) => h < -50 || h > 400).length);
  });

  it('a curve is the function that the editor draws, to the bit', async () => {
    const { curve: step } = await import('../../steps/shape/curve');
    const field = { height: heights };
    const { height } = await step.run(field as never, { points }, { kernels } as never);
    expect(height).toEqual(each(monotoneCurve(points)));
  });

  it('are the same for any number of threads', async () => {
    for (const by of [
      { kind: 'terrace', spacing: 12.5, start: 5, riser: 0.3, tilt: 0.15, spread: 0.24, seed: 9 },
      { kind: 'clamp', low: 0, high: 9, shoulder: 3 },
      { ...curve, points: [0, 1, 2, 9, 9, 9] },
    ] as Remap[]) {
      const alone = await on(by);
      for (const bands of [2, 3, 70]) expect(await turnTakingKernels(bands, true).run(remapProgram, { count: heights.length, by }, heights)).toEqual(alone);
    }
  });

  it('take one height, and what is no height', async () => {
    const by: Remap = { kind: 'terrace', spacing: 1e-3, start: 0, riser: 0.3, tilt: 0, spread: 0, seed: 1 };
    const { height } = await on(by, Float32Array.of(NaN, 3e38, -3e38, Infinity));
    expect(height[0]).toBeNaN();
    expect((await on({ kind: 'clamp', low: 0, high: 1, shoulder: 0 }, Float32Array.of(5))).height).toEqual(Float32Array.of(1));
  });
});
