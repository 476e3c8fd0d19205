import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../tests/helpers/grounds';
import { fieldFrom, flatField, makeField } from './field';
import { changeBetween, histogram, shareUnderWater, statistics } from './statistics';

describe('statistics', () => {
  it('of a ramp are its ends and its middle', () => {
    const ramp = fieldFrom(groundOf(101), (east) => east);
    expect(statistics(ramp)).toEqual({ lowest: 0, highest: 1000, mean: 500, count: 101 * 101 });
  });

  it('add the datum', () => {
    expect(statistics(flatField(groundOf(9, 9, 1, 'point', 3650), 3652.5)).lowest).toBe(3652.5);
  });

  it('pass over samples without data and over NaN', () => {
    const ground = groundOf(2, 2);
    const valid = Uint8Array.from([1, 0, 1, 1]);
    const field = makeField(ground, Float32Array.from([1, 999, NaN, 5]), valid);
    expect(statistics(field)).toMatchObject({ lowest: 1, highest: 5, mean: 3, count: 2 });
    expect(statistics(makeField(ground, new Float32Array(4), new Uint8Array(4))).count).toBe(0);
  });

  it('count every sample once in the histogram', () => {
    const { counts } = histogram(hills(groundOf(65)), 40);
    expect(counts.reduce((a, b) => a + b)).toBe(65 * 65);
  });

  it('give the share under water', () => {
    const ramp = fieldFrom({ ...groundOf(101), sea: 250 }, (east) => east);
    expect(shareUnderWater(ramp)).toBeCloseTo(0.25, 2);
  });

  it('refuse an array of another length', () => {
    expect(() => makeField(groundOf(4), new Float32Array(15))).toThrow(/needs 16/);
  });
});

describe('the change between two grounds', () => {
  it('raised by one metre everywhere is the area in cubic metres, under both registrations', () => {
    for (const registration of ['point', 'area'] as const) {
      const ground = groundOf(33, 17, 10, registration);
      const before = flatField(ground, 0).height;
      const { volumeFill, volumeCut, meanChange } = changeBetween(before, flatField(ground, 1).height, ground);
      expect(volumeFill).toBeCloseTo(ground.width * ground.depth, 6);
      expect(volumeCut).toBe(0);
      expect(meanChange).toBeCloseTo(1, 9);
    }
  });

  it('is the integral of the bilinear surface: a tilted plane about its middle cuts as much as it fills', () => {
    const ground = groundOf(33);
    const tilt = fieldFrom(ground, (east) => east - ground.width / 2);
    const { volumeCut, volumeFill } = changeBetween(flatField(ground, 0).height, tilt.height, ground);
    expect(volumeCut).toBeCloseTo(volumeFill, 6);
    expect(volumeFill).toBeCloseTo((ground.width / 4) * (ground.width / 2) * ground.depth, -1);
  });
});
