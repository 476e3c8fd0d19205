import { describe, expect, it } from 'vitest';
import { fractal } from '../../tests/helpers/fractal';
import { groundOf } from '../../tests/helpers/grounds';
import { fieldFrom } from '../field/field';
import { stepById, steps } from '.';
import { paramsOf } from './params';
import { measureGround, startingElevations, startingValues, USUAL_GROUND } from './starting-values';

describe('starting values', () => {
  it('on the ground that they are written for are the defaults', () => {
    for (const step of steps) {
      const begun = startingValues(step, USUAL_GROUND);
      for (const { key, value } of paramsOf(step.params)) if (key in begun) expect(begun[key], `${step.id} ${key}`).toBeCloseTo(value as number, 6);
    }
  });

  it('take lengths from the ground’s size and heights from its range: on 1 km and on 16 km', () => {
    const rivers = stepById('fluvial');
    expect(startingValues(rivers, { size: 1024, range: 62.5, steepness: 40 })).toMatchObject({ scale: 25, soften: 4.5, breach: 15 });
    expect(startingValues(rivers, { size: 16_384, range: 1000, steepness: 40 })).toMatchObject({ scale: 400, soften: 72, breach: 240 });
  });

  it('fit every starting point of every step, within its bounds', () => {
    for (const step of steps) {
      for (const preset of step.presets) {
        for (const measure of [
          { size: 60, range: 2, steepness: 3 },
          { size: 130_000, range: 8_000, steepness: 60 },
        ]) {
          const begun = startingValues(step, measure, preset.params);
          expect(step.params.safeParse(begun).success, `${step.id} ${preset.name}`).toBe(true);
          expect(Object.keys(begun)).toEqual(expect.arrayContaining(Object.keys(preset.params)));
        }
      }
    }
  });

  it('keep what is given and does not depend on the ground, and numbers that a person would type', () => {
    const begun = startingValues(stepById('talus'), { size: 3000, range: 200, steepness: 18 }, { sweeps: 33, cliff: 42 });
    expect(begun).toMatchObject({ sweeps: 33, cliff: 19 });
    for (const value of Object.values(begun)) expect(String(value).replace(/[.0]/g, '').length).toBeLessThanOrEqual(2);
  });

  it('leave heights alone where a ground has no range yet', () => {
    expect(startingValues(stepById('fluvial'), { size: 4096, range: 0, steepness: 0 })).toMatchObject({ scale: 100, breach: 120 });
    expect(startingValues(stepById('talus'), { size: 4096, range: 0, steepness: 0 })).toMatchObject({ cliff: 42 });
  });
});

describe('starting elevations', () => {
  const on = (step: string, lowest: number, highest: number) => startingElevations(stepById(step), { lowest, highest });

  it('are the ground’s own, by what the settings say of themselves', () => {
    expect(on('levels', 250.4, 842.8)).toEqual({ inLow: 250, outLow: 250, inHigh: 843, outHigh: 843 });
    expect(on('stretch', 250.4, 842.8)).toEqual({ fromLow: 250, toLow: 250, fromHigh: 843, toHigh: 843 });
    for (const [step, key] of [
      ['exposure', 'pivot'],
      ['invert', 'pivot'],
      ['terrace', 'start'],
      ['level-area', 'level'],
      ['roughen', 'highFrom'],
      ['path', 'level'],
    ])
      expect(on(step, 250.4, 842.8), step).toMatchObject({ [key]: 547 });
    // What stands for itself, whatever the ground.
    for (const step of ['flat', 'falloff', 'clamp', 'fit']) expect(on(step, 250, 840), step).toEqual({});
  });

  it('of a curve are the line that changes nothing', () => {
    const [curve] = Object.values(on('curve', 100, 300)) as { from: number; to: number }[][];
    expect(curve).toEqual([100, 200, 300].map((h) => ({ from: h, to: h })));
  });

  it('are none on flat ground, and are taken by every step within its bounds', () => {
    expect(on('levels', 100, 101)).toEqual({});
    expect(on('curve', 100, 100)).toEqual({});
    for (const step of steps)
      for (const [low, high] of [
        [-10_900, 8_900],
        [3, 12],
      ])
        expect(step.params.safeParse(startingElevations(step, { lowest: low, highest: high })).success, step.id).toBe(true);
  });
});

describe('what a ground measures for them', () => {
  it('its longer side, its range, and the slope that four fifths do not exceed', () => {
    const plane = fieldFrom(groundOf(101, 51, 10), (e) => 0.5 * e);
    const { size, range, steepness } = measureGround(plane);
    expect([size, range]).toEqual([1000, 500]);
    expect(steepness).toBeCloseTo(26.565, 2);
  });

  it('is defined on flat ground and on one sample', () => {
    expect(measureGround(fieldFrom(groundOf(9, 9, 10), () => 4))).toMatchObject({ range: 0, steepness: 0 });
    expect(measureGround(fieldFrom(groundOf(1, 1, 10), () => 4))).toMatchObject({ range: 0, steepness: 0 });
    expect(measureGround(fractal(groundOf(65, 65, 8))).steepness).toBeGreaterThan(1);
  });
});
