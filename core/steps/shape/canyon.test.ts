import { describe, expect, it } from 'vitest';
import { evaluate } from '../../course/evaluate';
import { makeCourse, stepUse } from '../../course/schema';
import { fieldFrom, type Field } from '../../field/field';
import { inlineKernels } from '../../kernels/pool';
import { rockSchema, type Rock } from '../../rock/rock';
import { groundOf } from '../../../tests/helpers/grounds';

const kernels = inlineKernels();
const line = {
  points: [
    { east: 1000, south: 0 },
    { east: 1000, south: 2000 },
  ],
};
const plain = fieldFrom({ ...groundOf(201, 201, 10), sea: -500 }, (_, s) => 600 - 0.02 * s);
const cut = async (field: Field, params: object, rock?: Partial<Rock>) => {
  const course = {
    ...makeCourse('c', field.ground, [stepUse('canyon', { along: 'line', ...line, ...params })]),
    ...(rock && { rock: rockSchema.parse(rock) }),
  };
  return (await evaluate(course, { kernels, from: field })).stages[0];
};
const slopes = (height: Float32Array, row = 100) =>
  Array.from({ length: 200 }, (_, c) => (Math.atan(Math.abs(height[row * 201 + c + 1] - height[row * 201 + c]) / 10) * 180) / Math.PI);

describe('a canyon', () => {
  it('along a line has its floor at its depth, walls of one angle where rock is alike, and never raises the ground', async () => {
    const { height, fault, layers } = await cut(plain, { depth: 150, width: 100, hard: 70, soft: 50 });
    expect(fault).toBeUndefined();
    for (let i = 0; i < height.length; i++) {
      expect(height[i]).toBeLessThanOrEqual(plain.height[i]);
      expect(layers.cut[i]).toBeCloseTo(plain.height[i] - height[i], 3);
    }
    expect(plain.height[100 * 201 + 100] - height[100 * 201 + 100]).toBeCloseTo(150, 0);
    const walls = slopes(height).filter((s) => s > 20);
    expect(walls.length).toBeGreaterThan(8);
    // Half way between hard and soft; the ends of the wall lie within a sample.
    expect(walls.sort((a, b) => a - b)[walls.length >> 1]).toBeCloseTo(60, 0);
  });

  it('in bedded rock stands in cliffs and benches, at the angles of hard and of soft beds', async () => {
    const beds = { thickness: 40, spread: 0, dip: 0, foldHeight: 0, joints: 0, hardShare: 0.5, contrast: 1, seed: 4 };
    const even = slopes((await cut(plain, { depth: 300, width: 60, hard: 80, soft: 22 })).height).filter((s) => s > 5);
    const stepped = slopes((await cut(plain, { depth: 300, width: 60, hard: 80, soft: 22 }, beds)).height).filter((s) => s > 5);
    const spread = (s: number[]) => Math.max(...s) - Math.min(...s);
    expect(spread(stepped)).toBeGreaterThan(spread(even) + 15);
    expect(stepped.filter((s) => s > 15 && s < 32).length).toBeGreaterThan(4);
    expect(stepped.filter((s) => s > 60).length).toBeGreaterThan(2);
  });

  it('along the streams falls all the way, and begins where enough water has gathered', async () => {
    const valley = fieldFrom({ ...groundOf(161, 161, 10), sea: -500 }, (e, s) => 700 - 0.1 * s + 0.2 * Math.abs(e - 800));
    const { height, words } = await cut(valley, { along: 'streams', from: 400, depth: 80, width: 30 });
    expect(words).toEqual([]);
    const bed = Array.from({ length: 161 }, (_, row) => height[row * 161 + 80]);
    for (let row = 1; row < 161; row++) expect(bed[row]).toBeLessThanOrEqual(bed[row - 1] + 1e-3);
    expect(height[80 + 5 * 161]).toBe(valley.height[80 + 5 * 161]);
    expect(valley.height[80 + 155 * 161] - height[80 + 155 * 161]).toBeGreaterThan(40);
  });

  it('says so where no stream is large enough, and at its step where its line has one point', async () => {
    expect((await cut(plain, { along: 'streams', from: 100_000 })).words).toEqual([expect.stringMatching(/no canyon begins/)]);
    expect((await cut(plain, { points: [{ east: 5, south: 5 }] })).fault).toMatch(/one point/);
  });
});
