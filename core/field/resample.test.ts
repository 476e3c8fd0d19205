import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { groundOf, hills, largestDifference, noiseField, range } from '../../tests/helpers/grounds';
import { fieldFrom, makeField } from './field';
import { withSamples } from './ground';
import { inlineKernels } from '../kernels/pool';
import { FILTERS, resample, resampledRows, resampleWindow } from './resample';
import { cropSamples } from './window';
import { flipColumns, flipRows, turn } from './turn';

describe('resampling', () => {
  it('to the same samples gives the same bits', () => {
    const field = hills(groundOf(33));
    for (const filter of FILTERS) expect(resample(field, field.ground, filter).height).toEqual(field.height);
  });

  it('over the kernels, row by row, gives the same bits', async () => {
    const kernels = inlineKernels();
    for (const registration of ['point', 'area'] as const) {
      const field = hills(groundOf(61, 47, 10, registration), 4);
      const rows = { ground: field.ground, rows: (from: number, to: number) => Promise.resolve(field.height.slice(from * 61, to * 61)) };
      for (const filter of FILTERS) {
        for (const [across, down] of [
          [122, 93],
          [20, 15],
          [1, 47],
        ]) {
          const ground = { ...withSamples(field.ground, across, down), datum: 3 };
          const made = resampledRows(kernels, rows, ground, filter);
          if (filter === 'monotone') expect(made).toBeNull();
          if (!made) continue;
          const whole = resample(field, ground, filter).height;
          for (const step of [1, 13, down]) {
            for (let from = 0; from < down; from += step) {
              const to = Math.min(down, from + step);
              expect(await made.rows(from, to)).toEqual(whole.subarray(from * across, to * across));
            }
          }
        }
      }
    }
  });

  it('over a window gives the bits that the whole has there', () => {
    for (const registration of ['point', 'area'] as const) {
      const field = hills(groundOf(61, 47, 10, registration), 4);
      const known = makeField(
        field.ground,
        field.height,
        Uint8Array.from(field.height, (_, i) => (i % 7 === 0 ? 0 : 1)),
      );
      for (const filter of FILTERS) {
        for (const [across, down] of [
          [122, 93],
          [20, 15],
          [61, 47],
        ]) {
          const ground = { ...withSamples(field.ground, across, down), datum: 3 };
          const whole = resample(known, ground, filter);
          for (const window of [
            { left: 0, top: 0, across: 5, down: 9 },
            { left: across - 7, top: down - 4, across: 7, down: 4 },
            { left: 3, top: 2, across: 11, down: 1 },
          ]) {
            const part = resampleWindow(known, ground, window, filter);
            expect(part.height, `${filter} ${across}`).toEqual(cropSamples(whole.height, across, window));
            expect(part.valid).toEqual(cropSamples(whole.valid!, across, window));
          }
        }
      }
    }
  });

  it('of a plane is the plane, inside, for every filter but nearest and under both registrations: nothing moves by half a sample', () => {
    for (const registration of ['point', 'area'] as const) {
      const ground = groundOf(64, 64, 10, registration);
      const plane = (g: typeof ground) => fieldFrom(g, (east, south) => 0.3 * east - 0.2 * south + 100);
      for (const filter of ['linear', 'cubic', 'average', 'lanczos'] as const) {
        for (const count of [32, 91, 128]) {
          const other = withSamples(ground, count, count);
          const got = resample(plane(ground), other, filter).height;
          const want = plane(other).height;
          const margin = Math.ceil(count / 8);
          for (let row = margin; row < count - margin; row++) {
            for (let column = margin; column < count - margin; column++) {
              const i = row * count + column;
              expect(Math.abs(got[i] - want[i]), `${filter} ${registration} ${count}`).toBeLessThan(filter === 'average' || filter === 'lanczos' ? 0.15 : 2e-2);
            }
          }
        }
      }
    }
  });

  it('of point samples up by a whole factor keeps every sample bit for bit (cubic, linear, monotone)', () => {
    const field = hills(groundOf(33));
    const twice = withSamples(field.ground, 65, 65);
    for (const filter of ['linear', 'cubic', 'monotone'] as const) {
      const up = resample(field, twice, filter).height;
      for (let row = 0; row < 33; row++)
        for (let column = 0; column < 33; column++) expect(up[2 * row * 65 + 2 * column]).toBe(field.height[row * 33 + column]);
    }
  });

  it('by area of cells keeps the mean', () => {
    const field = noiseField(groundOf(60, 60, 1, 'area'), 3);
    const mean = (h: Float32Array) => h.reduce((a, b) => a + b, 0) / h.length;
    for (const count of [30, 20, 17])
      expect(mean(resample(field, withSamples(field.ground, count, count), 'average').height)).toBeCloseTo(mean(field.height), 5);
  });

  it('monotone makes no overshoot, whatever the heights', () => {
    fc.assert(
      fc.property(fc.array(fc.float({ min: -1000, max: 1000, noNaN: true }), { minLength: 36, maxLength: 36 }), (heights) => {
        const field = makeField(groundOf(6), Float32Array.from(heights));
        const [low, high] = range(field.height);
        const [lowUp, highUp] = range(resample(field, withSamples(field.ground, 23, 31), 'monotone').height);
        return lowUp >= low - 1e-3 && highUp <= high + 1e-3;
      }),
      { seed: 7, numRuns: 200 },
    );
  });

  it('moves heights to another datum', () => {
    const field = fieldFrom(groundOf(5, 5, 1, 'point', 3650), () => 3652);
    expect(resample(field, { ...field.ground, datum: 3000 }).height[0]).toBe(652);
  });

  it('leaves holes where the nearest sample is one', () => {
    const field = hills(groundOf(9));
    const valid = new Uint8Array(81).fill(1);
    valid[40] = 0;
    const up = resample({ ...field, valid }, withSamples(field.ground, 17, 17));
    expect(up.valid![8 * 17 + 8]).toBe(0);
    expect(up.valid!.reduce((a, b) => a + b)).toBeGreaterThan(17 * 17 - 10);
  });
});

describe('turning and flipping', () => {
  const field = noiseField(groundOf(7, 5), 11);

  it('four times by 90°, or twice over, gives the same bits', () => {
    let turned = field;
    for (let i = 0; i < 4; i++) turned = turn(turned, 90);
    expect(turned).toEqual(field);
    expect(flipRows(flipRows(field))).toEqual(field);
    expect(flipColumns(flipColumns(field))).toEqual(field);
    expect(turn(turn(field, 90), 270)).toEqual(field);
    expect(turn(field, 180).height).toEqual(flipRows(flipColumns(field)).height);
  });

  it('by 90° clockwise brings the north-west corner to the north-east', () => {
    const turned = turn(field, 90);
    expect(turned.ground).toMatchObject({ across: 5, down: 7, width: field.ground.depth, depth: field.ground.width });
    expect(turned.height[4]).toBe(field.height[0]);
    expect(largestDifference(turned.height, field.height)).toBeGreaterThan(0);
  });

  it('by 90° swaps width and depth even where the sample counts are equal', () => {
    const square = { ...noiseField(groundOf(5), 2) };
    const land = { ...square, ground: { ...square.ground, width: 80, depth: 40 } };
    expect(turn(land, 90).ground).toMatchObject({ width: 40, depth: 80 });
  });
});
