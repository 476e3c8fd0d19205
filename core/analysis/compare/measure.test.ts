import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { groundOf } from '../../../tests/helpers/grounds';
import { UplandError } from '../../errors';
import { fieldFrom, type Field } from '../../field/field';
import { differenceBetween, differenceField, numbersOf } from './measure';

const ground = groundOf(7, 5, 10);
const holed = (field: Field, without: (i: number) => boolean): Field => ({
  ...field,
  valid: Uint8Array.from(field.height, (_, i) => (without(i) ? 0 : 1)),
});
const slope = fieldFrom(ground, (east, south) => 200 + 0.5 * east - 0.25 * south);
const raised = (by: number): Field => ({ ...slope, height: slope.height.map((h) => h + by) });

/** The same by its definitions, in doubles, over the samples that both have. */
function byDefinition(a: Field, b: Field) {
  const pairs = [...a.height].map((h, i) => [h, b.height[i]] as const).filter((_, i) => (!a.valid || a.valid[i]) && (!b.valid || b.valid[i]));
  const d = pairs.map(([ha, hb]) => hb + b.ground.datum - ha - a.ground.datum);
  const mean = (values: number[]) => values.reduce((sum, v) => sum + v, 0) / values.length;
  const average = mean(d);
  const sizes = d.map(Math.abs).sort((p, q) => p - q);
  return {
    count: d.length,
    mean: average,
    rmse: Math.sqrt(mean(d.map((v) => v * v))),
    deviation: Math.sqrt(mean(d.map((v) => (v - average) ** 2))),
    maxAbs: sizes[sizes.length - 1],
    median: sizes[Math.ceil(0.5 * sizes.length) - 1],
    gain: d.reduce((sum, v) => sum + Math.max(0, v), 0) * 100,
    loss: d.reduce((sum, v) => sum + Math.max(0, -v), 0) * 100,
  };
}

const heights = fc.array(fc.float({ min: -500, max: 2500, noNaN: true }), { minLength: 35, maxLength: 35 });
const known = fc.option(fc.array(fc.boolean(), { minLength: 35, maxLength: 35 }), { nil: undefined });

describe('what lies between two grounds', () => {
  it('is what its definitions say, whatever the heights and the holes', () => {
    fc.assert(
      fc.property(heights, heights, known, known, fc.integer({ min: -300, max: 300 }), (ha, hb, ka, kb, datum) => {
        const a: Field = { ground, height: Float32Array.from(ha), ...(ka && { valid: Uint8Array.from(ka, Number) }) };
        const b: Field = { ground: { ...ground, datum }, height: Float32Array.from(hb), ...(kb && { valid: Uint8Array.from(kb, Number) }) };
        const both = ha.filter((_, i) => (ka?.[i] ?? true) && (kb?.[i] ?? true)).length;
        if (both === 0) {
          expect(() => differenceBetween(a, b)).toThrow(UplandError);
          return;
        }
        const found = differenceBetween(a, b);
        const said = byDefinition(a, b);
        expect(found.count).toBe(said.count);
        for (const what of ['mean', 'rmse', 'deviation', 'maxAbs'] as const) expect(Math.abs(found[what] - said[what]), what).toBeLessThan(2e-3);
        for (const what of ['gain', 'loss'] as const) expect(Math.abs(found[what] - said[what]), what).toBeLessThan(1e-6 * (said.gain + said.loss) + 1);
        // Percentiles are told to a 65 535th of the largest difference.
        expect(Math.abs(found.percentiles[0].within - said.median)).toBeLessThan(said.maxAbs / 60_000 + 1e-3);
      }),
      { numRuns: 200, seed: 41 },
    );
  });

  it('is nothing between a ground and itself', () => {
    expect(differenceBetween(slope, slope)).toMatchObject({ count: 35, share: 1, mean: 0, rmse: 0, deviation: 0, maxAbs: 0, loss: 0, gain: 0 });
    expect(differenceBetween(slope, slope).correlation).toBeCloseTo(1, 12);
    expect(differenceBetween(slope, slope).percentiles.every(({ within }) => within === 0)).toBe(true);
  });

  it('is the volume between them where one is raised, and says where it is largest', () => {
    const found = differenceBetween(slope, raised(3));
    expect(found.gain).toBeCloseTo(35 * 3 * 100, 3);
    expect(found.loss).toBeCloseTo(0, 6);
    const tipped = raised(0);
    tipped.height[2 * 7 + 4] -= 25;
    expect(differenceBetween(slope, tipped)).toMatchObject({ maxAbs: 25, at: { east: 40, south: 20 }, gain: 0 });
    // Cells have their heights in their middles.
    const cells = groundOf(7, 5, 10, 'area');
    expect(differenceBetween({ ...slope, ground: cells }, { ...tipped, ground: cells }).at).toEqual({ east: 45, south: 25 });
  });

  it('takes the datum along: the same ground told from another height is the same', () => {
    const told: Field = { ground: { ...ground, datum: 150 }, height: slope.height.map((h) => h - 150) };
    expect(differenceBetween(slope, told)).toMatchObject({ maxAbs: 0, mean: 0 });
    expect(differenceField(slope, told).height.every((d) => d === 0)).toBe(true);
  });

  it('counts the share of A that both have', () => {
    const a = holed(slope, (i) => i < 5);
    const b = holed(slope, (i) => i % 2 === 1);
    const both = Array.from({ length: 35 }, (_, i) => i).filter((i) => i >= 5 && i % 2 === 0).length;
    expect(differenceBetween(a, b)).toMatchObject({ count: both, share: both / 30 });
  });

  it('correlates nothing with a flat ground, and is 1 between two flat ones', () => {
    const flat = fieldFrom(ground, () => 40);
    expect(differenceBetween(slope, flat).correlation).toBe(0);
    expect(differenceBetween(flat, { ...flat, height: flat.height.map(() => 90) }).correlation).toBe(1);
    expect(differenceBetween(slope, { ...slope, height: slope.height.map((h) => -h) }).correlation).toBeCloseTo(-1, 6);
  });

  it('is a field without a height where either has none', () => {
    const gap = differenceField(
      holed(slope, (i) => i === 3),
      holed(raised(2), (i) => i === 20),
    );
    expect([...gap.valid!].flatMap((v, i) => (v ? [] : [i]))).toEqual([3, 20]);
    expect(gap.height[0]).toBeCloseTo(2, 4);
    expect(gap.ground).toMatchObject({ datum: 0, sea: 0, across: 7 });
    expect(differenceField(slope, raised(2)).valid).toBeUndefined();
  });
});

describe('one side by itself', () => {
  it('has its numbers over the datum, and its steepest rise', () => {
    const told = numbersOf({ ground: { ...ground, datum: 50, sea: 260 }, height: slope.height });
    expect(told.lowest).toBe(190 + 50);
    expect(told.highest).toBe(230 + 50);
    expect(told.mean).toBeCloseTo(210 + 50, 6);
    expect(told.underWater).toBeCloseTo([...slope.height].filter((h) => h + 50 < 260).length / 35, 9);
    expect(told.steepest).toBeCloseTo((Math.atan(Math.hypot(0.5, 0.25)) * 180) / Math.PI, 4);
  });

  it('leaves out what has no height, and says where nothing has one', () => {
    const spike = { ...slope, height: slope.height.slice() };
    spike.height[17] = 9000;
    expect(numbersOf(holed(spike, (i) => i === 17))).toMatchObject({ highest: 230 });
    expect(numbersOf(holed(spike, (i) => i === 17)).steepest).toBeLessThan(30);
    expect(() => numbersOf(holed(slope, () => true))).toThrow('No sample of it has a height.');
  });
});
