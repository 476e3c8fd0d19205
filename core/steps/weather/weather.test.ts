import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { evaluate } from '../../course/evaluate';
import { makeCourse, makeTributary, stepUse } from '../../course/schema';
import { maskUse } from '../../course/where';
import { fieldFrom, type Field } from '../../field/field';
import { inlineKernels } from '../../kernels/pool';
import { fractal } from '../../../tests/helpers/fractal';
import { groundOf, range } from '../../../tests/helpers/grounds';
import { steps } from '..';
import { paramsOf } from '../params';
import { steepTo } from '../../../tests/helpers/weather';
import { easeOf } from './common';
import type { StepContext } from '../step';
import { weathered, grounds } from '../../../tests/helpers/weather-steps';

const kernels = inlineKernels();

const weather = steps.filter((step) => step.family === 'weather');

const WEATHER = ['fluvial', 'runoff', 'talus', 'glacier', 'wind', 'shore', 'settle'];

/** Settings drawn from what a panel lets one reach; long runs shortened. */
const settings = (id: string) => {
  const step = steps.find((s) => s.id === id)!;
  const entries = paramsOf(step.params).flatMap(({ key, meta }): [string, fc.Arbitrary<unknown>][] => {
    const { min = 0, max = 1 } = meta;
    if (key === 'amount' && meta.kind === 'count') return [[key, fc.integer({ min: 1, max: 60 })]];
    if (key === 'sweeps') return [[key, fc.integer({ min, max: 60 })]];
    if (key === 'softAt' || key === 'hardAt') return [];
    if (meta.kind === 'count' || meta.kind === 'seed') return [[key, fc.integer({ min, max })]];
    if (meta.kind === 'choice') return [[key, fc.constantFrom(...Object.keys(meta.choices!))]];
    if (meta.kind === 'switch') return [[key, fc.boolean()]];
    if (['hidden', 'tributary', 'asset', 'line', 'curve'].includes(meta.kind)) return [];
    return [[key, fc.double({ min, max, noNaN: true })]];
  });
  return fc.record(Object.fromEntries(entries));
};

/** How far a sample stands out of its eight neighbours, at most: a spike. */
function spike({ ground, height }: Field): number {
  const { across, down } = ground;
  let most = 0;
  for (let row = 1; row < down - 1; row++) {
    for (let column = 1; column < across - 1; column++) {
      const i = row * across + column;
      const around = [-1, 1, -across, across, -across - 1, -across + 1, across - 1, across + 1].map((d) => height[i + d]);
      most = Math.max(most, height[i] - Math.max(...around), Math.min(...around) - height[i]);
    }
  }
  return most;
}

describe('every weather step', () => {
  it('is one of the seven, and has five starting points whose settings it takes', () => {
    expect(weather.map((s) => s.id)).toEqual(expect.arrayContaining(WEATHER));
    for (const step of weather) {
      expect(step.presets.length, step.id).toBe(5);
      for (const preset of step.presets) expect(() => step.params.parse(preset.params), `${step.id}: ${preset.name}`).not.toThrow();
    }
  });

  it.each([...WEATHER, 'drain', 'river'])('%s makes no NaN, no infinity and no spike of any setting on any ground', async (id) => {
    await fc.assert(
      fc.asyncProperty(fc.constantFrom(...Object.keys(grounds)), settings(id), fc.constantFrom(-50, 60, 230), async (name, params, sea) => {
        const field = grounds[name];
        const stage = await weathered(field, id, params, sea);
        expect(stage.fault).toBeUndefined();
        expect(stage.height.every(Number.isFinite)).toBe(true);
        for (const layer of Object.values(stage.layers)) expect(layer.every(Number.isFinite)).toBe(true);
        // How deep a river of a given size lies is what was asked for.
        if (id === 'river') return;
        const [low, high] = range(field.height);
        const [least, most] = range(stage.height);
        const given = Number(params.uplift ?? 0) + Number(params.sand ?? 0) * 40 + (id === 'settle' ? Number(params.amount) * 60 : 0);
        expect(least).toBeGreaterThan(low - 0.2 * (high - low) - given - 60);
        expect(most).toBeLessThan(high + 0.2 * (high - low) + given + 60);
        // What stands out alone afterwards is no more than what did before, or what a bank of the step's own angle allows; where not all is loose, crags stand.
        const { x, y } = { x: field.ground.width / Math.max(1, field.ground.across - 1), y: field.ground.depth / Math.max(1, field.ground.down - 1) };
        expect(spike({ ...field, height: stage.height })).toBeLessThanOrEqual(
          spike(field) + steepTo(id, params) * Math.max(x, y) + given + (id === 'talus' && Number(params.loose) < 1 ? 1 : 0.02) * (high - low) + 2,
        );
      }),
      { numRuns: 40, seed: 20_261 },
    );
  });

  it.each(WEATHER)('%s leaves no checkerboard: neighbours do not take turns', async (id) => {
    const field = fractal(groundOf(129, 129, 8), { seed: 4, height: 150 });
    const energy = (h: Float32Array) => {
      let [sum, all] = [0, 0];
      for (let row = 1; row < 128; row++) {
        for (let column = 1; column < 128; column++) {
          const i = row * 129 + column;
          const straight = h[i - 1] + h[i + 1] + h[i - 129] + h[i + 129];
          const corners = h[i - 130] + h[i - 128] + h[i + 128] + h[i + 130];
          sum += ((4 * h[i] - 2 * straight + corners) / 16) ** 2;
          all += (h[i + 1] - h[i - 1]) ** 2 + (h[i + 129] - h[i - 129]) ** 2;
        }
      }
      return sum / all;
    };
    for (const preset of steps.find((s) => s.id === id)!.presets) {
      const stage = await weathered(field, id, preset.params, 280);
      // White noise has 0.06 here.
      expect(energy(stage.height), preset.name).toBeLessThan(0.02);
    }
  });

  it.each(WEATHER)('%s works on 2 049 × 257 samples', async (id) => {
    const field = fieldFrom(groundOf(2049, 257, 4), (e, s) => 120 + 60 * Math.sin(e / 400) * Math.cos(s / 300) + 8 * Math.sin(e / 31) * Math.sin(s / 27));
    const brief = id === 'runoff' ? { amount: 6 } : id === 'wind' ? { amount: 6 } : id === 'talus' || id === 'settle' ? { sweeps: 8 } : {};
    const stage = await weathered(field, id, brief, 90);
    expect(stage.fault).toBeUndefined();
    expect(stage.height.every(Number.isFinite)).toBe(true);
    expect(stage.height.length).toBe(2049 * 257);
  });

  it.each(['fluvial', 'runoff', 'talus', 'glacier', 'wind', 'settle', 'shore'])('%s leaves what its mask leaves out', async (id) => {
    const field = fractal(groundOf(129, 129, 8), { seed: 4, height: 150 });
    const where = { masks: [maskUse('height', { low: -9000, high: 300, softness: 0 })], combine: 'multiply' as const };
    const stage = await weathered(field, id, {}, 280, { where });
    let kept = 0;
    let moved = 0;
    for (let i = 0; i < field.height.length; i++) {
      const same = stage.height[i] === field.height[i];
      if (field.height[i] <= 300) moved += same ? 0 : 1;
      else if (same) kept++;
    }
    expect(moved).toBeGreaterThan(id === 'shore' ? 10 : 500);
    // Rock that does not give way stays; what slides or is carried may come to lie on it.
    if (['fluvial', 'shore', 'glacier'].includes(id)) expect(kept).toBe(field.height.reduce((n, h) => n + (h > 300 ? 1 : 0), 0));
    else expect(stage.layers.cut === undefined || stage.layers.cut.every((c, i) => field.height[i] <= 300 || c < 1e-4)).toBe(true);
  });

  it('takes hardness from a tributary: where it is hard, nothing is cut', async () => {
    const field = fractal(groundOf(129, 129, 8), { seed: 4, height: 150 });
    for (const step of ['fluvial', 'runoff', 'talus', 'glacier']) {
      const half = makeTributary('Rock', [stepUse('landform', { form: 'ramp', height: 4000, length: 8, level: -2000, turn: 90 })], 'rock');
      const course = makeCourse('hard', field.ground, [stepUse(step, { hardness: 'rock', softAt: -1000, hardAt: 1000 })], [half]);
      const { stages } = await evaluate(course, { kernels, from: field });
      const stage = stages.find((s) => s.use.step === step)!;
      expect(stage.fault).toBeUndefined();
      const rock = stages.find((s) => s.line === 'rock')!.height;
      expect(Math.max(...rock.map((h) => (h >= 1000 ? 1 : 0)))).toBe(1);
      expect(stage.layers.cut.every((c, i) => rock[i] < 1000 || c < 1e-4)).toBe(true);
      expect(stage.layers.cut.some((c, i) => rock[i] <= -1000 && c > 0.1)).toBe(true);
    }
  });

  it('refuses hardness and masks of another size with a sentence', async () => {
    const field = grounds.fractal;
    const context = { mask: new Float32Array(7), tributary: () => Promise.resolve(new Float32Array(9)) } as unknown as StepContext;
    await expect(easeOf(field, { hardness: '', softAt: 0, hardAt: 1 }, context)).rejects.toThrow(
      'The mask has 7 samples and the ground 6305. Both have to lie on the same grid.',
    );
    await expect(easeOf(field, { hardness: 'rock', softAt: 0, hardAt: 1 }, { ...context, mask: undefined })).rejects.toThrow('The hardness has 9 samples');
  });
});

describe('where they cannot work', () => {
  it('rivers say that all of it lies under the sea, and leave it', async () => {
    const stage = await weathered(grounds.fractal, 'fluvial', {}, 9000);
    expect(stage.words[0]).toMatch(/under the sea, so no river runs/);
    expect(stage.height).toEqual(grounds.fractal.height);
  });

  it('a shore says that there is no water line, above and below', async () => {
    expect((await weathered(grounds.fractal, 'shore', {}, 9000)).words[0]).toMatch(/All of the ground lies under the sea/);
    expect((await weathered(grounds.fractal, 'shore', {}, -900)).words[0]).toMatch(/No part of the ground lies under the sea/);
  });

  it('one sample wide with open edges, rivers say that all of it is edge', async () => {
    const stage = await weathered(grounds['one sample wide'], 'fluvial');
    expect(stage.words[0]).toMatch(/lies on its edge/);
    expect(stage.height).toEqual(grounds['one sample wide'].height);
  });

  it('flat ground stays flat under rivers, talus and snow', async () => {
    expect((await weathered(grounds.flat, 'fluvial')).height).toEqual(grounds.flat.height);
    expect((await weathered(grounds.flat, 'talus')).height).toEqual(grounds.flat.height);
    expect(range((await weathered(grounds.flat, 'settle', { amount: 2 })).height)).toEqual([102, 102]);
  });
});

describe('ended early', () => {
  it.each(['fluvial', 'runoff', 'talus', 'wind', 'settle'])('%s keeps what there is, and the settings it tells give the same bits again', async (id) => {
    const field = fractal(groundOf(257, 257, 8), { seed: 4, height: 150 });
    const ground = { ...field.ground, sea: -900 };
    const halt = new AbortController();
    const long = id === 'wind' || id === 'runoff' ? { amount: 2000 } : id === 'fluvial' ? {} : { sweeps: 2000 };
    const use = stepUse(id, long);
    let seen = 0;
    const run = evaluate(makeCourse('halted', ground, [use]), {
      kernels,
      from: { ...field, ground },
      halt: halt.signal,
      onStanding: ({ field: standing }) => {
        seen++;
        expect(standing.height.length).toBe(standing.ground.across * standing.ground.down);
        expect(standing.height.every(Number.isFinite)).toBe(true);
      },
      onProgress: () => setTimeout(() => halt.abort(), id === 'fluvial' ? 0 : 700),
    });
    const [stage] = (await run).stages;
    expect(stage.fault).toBeUndefined();
    expect(stage.reached?.until).toBeDefined();
    if (id !== 'fluvial' && id !== 'wind') expect(seen).toBeGreaterThan(0);
    const [again] = (
      await evaluate(makeCourse('again', ground, [{ ...use, params: { ...use.params, ...stage.reached } }]), { kernels, from: { ...field, ground } })
    ).stages;
    expect(Buffer.compare(Buffer.from(again.height.buffer), Buffer.from(stage.height.buffer))).toBe(0);
    expect(again.key).toBe(stage.key);
  });
});
