import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../../tests/helpers/grounds';
import { fieldFrom, makeField } from '../../field/field';
import { paramsOf, steps } from '../../index';
import { runShape, shapedHeights } from '../../../tests/helpers/shape-steps';

/** A single row of heights, to look at a function of height. */
const rowOf = (heights: number[]) => makeField(groundOf(heights.length, 1, 10), Float32Array.from(heights));

const rising = fc
  .uniqueArray(fc.integer({ min: -500_000, max: 2_500_000 }), { minLength: 2, maxLength: 60 })
  .map((h) => h.map((k) => k / 1024).sort((a, b) => a - b));

const share = () => fc.double({ min: 0, max: 1, noNaN: true });

describe('steps that are functions of height rise with it', () => {
  const monotone = (step: string, params: fc.Arbitrary<object>) =>
    fc.assert(
      fc.asyncProperty(rising, params, async (heights, settings) => {
        const out = await shapedHeights(step, settings, rowOf(heights));
        return out.every((h, i) => i === 0 || h >= out[i - 1]);
      }),
      { seed: 5, numRuns: 120 },
    );

  it('terrace', () =>
    monotone(
      'terrace',
      fc.record({ spacing: fc.double({ min: 0.5, max: 400, noNaN: true }), sharpness: share(), tilt: share(), variation: share(), seed: fc.nat(999) }),
    ));
  it('levels', () =>
    monotone(
      'levels',
      fc.record({
        inLow: fc.integer({ min: -600, max: 500 }),
        inHigh: fc.integer({ min: 501, max: 3000 }),
        gamma: fc.double({ min: 0.1, max: 10, noNaN: true }),
        outLow: fc.integer({ min: -100, max: 100 }),
        outHigh: fc.integer({ min: 101, max: 900 }),
      }),
    ));
  it('curve, through points that rise', () =>
    monotone(
      'curve',
      fc.uniqueArray(fc.integer({ min: -400, max: 2400 }), { minLength: 2, maxLength: 9 }).chain((from) =>
        fc.array(fc.integer({ min: -400, max: 2400 }), { minLength: from.length, maxLength: from.length }).map((to) => {
          const [a, b] = [[...from].sort((x, y) => x - y), [...to].sort((x, y) => x - y)];
          return { points: a.map((x, i) => ({ from: x, to: b[i] })) };
        }),
      ),
    ));
  it('clamp, equalise and exposure', async () => {
    await monotone(
      'clamp',
      fc.record({ low: fc.integer({ min: -600, max: 400 }), high: fc.integer({ min: 401, max: 2600 }), shoulder: fc.integer({ min: 0, max: 190 }) }),
    );
    await monotone('equalise', fc.record({ amount: share() }));
    await monotone('exposure', fc.record({ stops: fc.double({ min: -6, max: 6, noNaN: true }), pivot: fc.integer({ min: -500, max: 500 }) }));
  });
});

describe('every step', () => {
  // Weathering has its own tests; these stay within their bounds whatever is set.
  const calm = steps.filter((s) => !['talus', 'sculpt', 'raster', 'join'].includes(s.id));
  it('makes no height that is not a number, at any setting, on any ground', async () => {
    const grounds = [hills(groundOf(33)), fieldFrom(groundOf(16), () => 0), fieldFrom(groundOf(17, 9, 3, 'area'), (e) => (e > 20 ? 5000 : 0)), rowOf([5])];
    for (const step of calm) {
      const numbers = paramsOf(step.params);
      await fc.assert(
        fc.asyncProperty(fc.array(share(), { minLength: 12, maxLength: 12 }), fc.nat(grounds.length - 1), async (shares, which) => {
          const params: Record<string, unknown> = {};
          numbers.forEach(({ key, meta }, i) => {
            const s = shares[i % 12];
            if (meta.choices) params[key] = Object.keys(meta.choices)[Math.floor(s * 0.999 * Object.keys(meta.choices).length)];
            else if (meta.kind === 'line') params[key] = Array.from({ length: 4 }, (_, k) => ({ east: shares[k] * 300, south: shares[k + 4] * 300 }));
            else if (meta.max !== undefined) {
              const value = meta.min! + s * s * s * (meta.max - meta.min!);
              params[key] = meta.kind === 'count' || meta.kind === 'seed' ? Math.round(value) : value;
            }
          });
          const { height, fault } = await runShape(step.id, params, grounds[which]);
          return (fault === undefined || /\.$/.test(fault)) && height.every((h) => Number.isFinite(h));
        }),
        { seed: 3, numRuns: 10 },
      );
    }
  });

  it('has presets whose settings it takes', () => {
    for (const step of steps) for (const { params } of step.presets) expect(step.params.safeParse(params).success, step.id).toBe(true);
    expect(steps.find((s) => s.id === 'noise')!.presets.length).toBeGreaterThanOrEqual(12);
  });
});
