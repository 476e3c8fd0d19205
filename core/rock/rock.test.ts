import { describe, expect, it } from 'vitest';
import { inlineKernels } from '../kernels/pool';
import { evaluate } from '../course/evaluate';
import { makeCourse, stepUse } from '../course/schema';
import { eastOf, southOf } from '../field/ground';
import { groundOf } from '../../tests/helpers/grounds';
import { bedTable } from './beds';
import { hardnessAtSurface } from './hardness';
import { rockSchema, rockSettings, ROCK_PRESETS, type Rock } from './rock';
import { structureOf, upliftOf } from './structure';
import { paramsOf } from '../steps/params';

const kernels = inlineKernels();
const rock = (parts: Partial<Rock> = {}) => rockSchema.parse(parts);
const ground = groundOf(65, 49, 20);

describe('beds', () => {
  it('lie at the same heights whatever part of the stack is asked for', () => {
    const whole = bedTable(rock(), -800, 1200);
    const part = bedTable(rock(), 100, 300);
    const first = Math.round((part.low - whole.low) / whole.step);
    expect(part.step).toBe(whole.step);
    expect([...part.hardness]).toEqual([...whole.hardness.slice(first, first + part.hardness.length)]);
    expect([...part.bed]).toEqual([...whole.bed.slice(first, first + part.bed.length)]);
  });

  it('are as thick as asked on the mean, and as many of them hard', () => {
    const { bed, step } = bedTable(rock({ thickness: 40, dip: 0 }), -8000, 8000);
    const beds = bed[bed.length - 1] - bed[0];
    expect((bed.length * step) / beds).toBeGreaterThan(37);
    expect((bed.length * step) / beds).toBeLessThan(43);
    const { hardness } = bedTable(rock({ thickness: 40, hardShare: 0.3, contrast: 1 }), -8000, 8000);
    const share = hardness.filter((h) => h > 0.5).length / hardness.length;
    expect(share).toBeGreaterThan(0.23);
    expect(share).toBeLessThan(0.37);
    expect(Math.min(...hardness)).toBeGreaterThanOrEqual(0);
    expect(Math.max(...hardness)).toBeLessThanOrEqual(1);
  });

  it('measured straight up are thicker the more they dip', () => {
    const count = (dip: number) => {
      const { bed } = bedTable(rock({ dip, spread: 0 }), 0, 6000);
      return bed[bed.length - 1];
    };
    expect(count(60) / count(0)).toBeCloseTo(0.5, 1);
  });

  it('of no thickness are none: the rock is alike everywhere', () => {
    for (const thickness of [0, 0.05]) expect(new Set(bedTable(rock({ thickness }), -500, 900).hardness)).toEqual(new Set([0.5]));
  });

  it('all hard are hard everywhere', () => {
    expect(Math.min(...bedTable(rock({ hardShare: 1, contrast: 1 }), -500, 900).hardness)).toBeGreaterThan(0.85);
  });
});

describe('the structure', () => {
  it('dips towards where it is told to', () => {
    const at = upliftOf(rock({ dip: 10, dipDirection: 90, foldHeight: 0 }), ground);
    expect((at(0, 100) - at(1000, 100)) / 1000).toBeCloseTo(Math.tan((10 * Math.PI) / 180), 6);
    expect(at(300, 0)).toBeCloseTo(at(300, 900), 6);
    const south = upliftOf(rock({ dip: 10, dipDirection: 180, foldHeight: 0 }), ground);
    expect(south(0, 0)).toBeGreaterThan(south(0, 900));
  });

  it('counts from the datum', () => {
    const plain = upliftOf(rock(), ground);
    const high = upliftOf(rock(), { ...ground, datum: 3000 });
    expect(plain(300, 200) - high(300, 200)).toBeCloseTo(3000, 6);
  });

  it('is thrown down to the right of a fault, and by both where two cross', () => {
    const level = { dip: 0, foldHeight: 0 };
    const north = { east: 600, south: 500, strike: 0, throw: 40 };
    const east = { east: 600, south: 500, strike: 90, throw: 15 };
    const at = upliftOf(rock({ ...level, faults: [north, east] }), ground);
    // Right of a line to the north is the east; right of one to the east the south.
    expect([at(400, 300), at(800, 300), at(400, 700), at(800, 700)]).toEqual([0, -40, -15, -55]);
  });

  it('is at every sample of a grid what it is at that place', async () => {
    const bent = rock({ faults: [{ east: 600, south: 500, strike: 20, throw: 40 }] });
    const { uplift } = await structureOf(kernels, bent, ground);
    const at = upliftOf(bent, ground);
    const apart = uplift.map((up, i) => Math.abs(up - at(eastOf(ground, i % ground.across), southOf(ground, Math.floor(i / ground.across)))));
    // Metres: heights of some hundred as floats.
    expect(Math.max(...apart)).toBeLessThan(5e-5);
  });

  it('has joints only where they are asked for, and they weaken', async () => {
    expect((await structureOf(kernels, rock({ joints: 0 }), ground)).sound).toBeUndefined();
    const { sound } = await structureOf(kernels, rock({ joints: 0.8, jointSpacing: 100 }), ground);
    const values = [...sound!];
    expect(Math.min(...values)).toBeLessThan(0.5);
    expect(Math.min(...values)).toBeGreaterThanOrEqual(0.2 - 1e-6);
    expect(values.filter((v) => v === 1).length / values.length).toBeGreaterThan(0.375);
  });

  it('has settings that a panel can show, and starting points that they take', () => {
    expect(paramsOf(rockSettings).every(({ meta }) => meta.label)).toBe(true);
    for (const { name, rock: preset } of ROCK_PRESETS) expect(() => rockSchema.parse(preset), name).not.toThrow();
  });
});

describe('a terrain’s rock', () => {
  const stem = (felt: number, step = 'fluvial') => [
    stepUse('noise', { feature: 700, height: 260, level: 300, octaves: 7, seed: 3 }, { join: 'replace', id: 'n' }),
    stepUse(step, { rock: felt, ...(step === 'runoff' ? { amount: 40 } : {}), ...(step === 'shore' ? { scale: 200, height: 40 } : {}) }, { id: 'w' }),
  ];
  const made = (parts: Rock | undefined, felt: number, step?: string, on = ground) =>
    evaluate({ ...makeCourse('Rock', { ...on, sea: step === 'shore' ? 280 : 0 }, stem(felt, step)), ...(parts && { rock: parts }) }, { kernels });

  it.each(['fluvial', 'runoff', 'talus', 'glacier', 'shore'])('is felt by %s, by its strength', async (step) => {
    const thin = rock({ thickness: 25, contrast: 1 });
    const [none, unfelt, felt] = [await made(undefined, 1, step), await made(thin, 0, step), await made(thin, 1, step)];
    expect(felt.stages.map((s) => s.fault)).toEqual([undefined, undefined]);
    expect(unfelt.height).toEqual(none.height);
    expect(felt.height).not.toEqual(none.height);
    expect(felt.height.every(Number.isFinite)).toBe(true);
  });

  it('is part of the key of what reads it, and of nothing else', async () => {
    const keys = async (parts: Rock | undefined, felt: number) => (await made(parts, felt)).stages.map((s) => s.key);
    const [a, b, unfelt, none] = [await keys(rock(), 1), await keys(rock({ dip: 20 }), 1), await keys(rock(), 0), await keys(undefined, 0)];
    expect(a[0]).toBe(b[0]);
    expect(a[1]).not.toBe(b[1]);
    expect(unfelt).toEqual(none);
  });

  it('says how hard the surface is: hard where a hard bed lies', async () => {
    const level = rock({ thickness: 50, spread: 0, dip: 0, foldHeight: 0, joints: 0 });
    const height = Float32Array.from({ length: 65 * 49 }, (_, i) => (i % 65) * 10);
    const { hardness, bed } = await hardnessAtSurface(kernels, level, ground, height);
    const table = bedTable(level, 0, 640);
    for (let column = 0; column < 65; column++) {
      const entry = Math.round((height[column] - table.low) / table.step);
      expect(bed[column]).toBe(table.bed[entry]);
      expect(hardness[column]).toBeGreaterThanOrEqual(0);
    }
    expect(new Set(bed).size).toBeGreaterThan(10);
  });
});
