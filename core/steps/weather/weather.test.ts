import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { evaluate } from '../../course/evaluate';
import { makeCourse, makeTributary, stepUse } from '../../course/schema';
import { maskUse } from '../../course/where';
import { fieldFrom, type Field } from '../../field/field';
import type { Ground } from '../../field/ground';
import { inlineKernels } from '../../kernels/pool';
import { drainageOf, lakesOf } from '../../analysis/drainage';
import { steepestDrop } from '../../analysis/slope';
import { fractal } from '../../../tests/helpers/fractal';
import { groundOf, hills, range } from '../../../tests/helpers/grounds';
import { steps } from '..';
import { paramsOf } from '../params';
import { steepTo } from '../../../tests/helpers/weather';
import { easeOf } from './common';
import type { StepContext } from '../step';

const kernels = inlineKernels();
const weather = steps.filter((step) => step.family === 'weather');
const WEATHER = ['fluvial', 'runoff', 'talus', 'wind', 'shore', 'settle'];

async function after(field: Field, step: string, params: Record<string, unknown> = {}, sea = 0, rest = {}) {
  const ground: Ground = { ...field.ground, sea };
  const { stages } = await evaluate(makeCourse('test', ground, [stepUse(step, params, rest)]), { kernels, from: { ...field, ground } });
  return stages[0];
}

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

const grounds: Record<string, Field> = {
  flat: fieldFrom(groundOf(48, 48, 10), () => 100),
  'a single spike': fieldFrom(groundOf(49, 49, 10), (e, s) => (e === 240 && s === 240 ? 900 : 50)),
  'a cliff of 5 000 m': fieldFrom(groundOf(65, 65, 5), (e) => (e < 160 ? 5000 : 0)),
  'sixteen samples a side': hills(groundOf(16, 16, 100), 2),
  'one sample wide': fieldFrom(groundOf(1, 64, 10), (_, s) => 200 + 20 * Math.sin(s / 60)),
  fractal: fractal(groundOf(97, 65, 8, 'area'), { seed: 4, height: 150 }),
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
  it('is one of the six, and has five starting points whose settings it takes', () => {
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
        const stage = await after(field, id, params, sea);
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
      const stage = await after(field, id, preset.params, 280);
      // White noise has 0.06 here.
      expect(energy(stage.height), preset.name).toBeLessThan(0.02);
    }
  });

  it.each(WEATHER)('%s works on 2 049 × 513 samples', async (id) => {
    const field = fieldFrom(groundOf(2049, 513, 4), (e, s) => 120 + 60 * Math.sin(e / 400) * Math.cos(s / 300) + 8 * Math.sin(e / 31) * Math.sin(s / 27));
    const brief = id === 'runoff' ? { amount: 6 } : id === 'wind' ? { amount: 6 } : id === 'talus' || id === 'settle' ? { sweeps: 8 } : {};
    const stage = await after(field, id, brief, 90);
    expect(stage.fault).toBeUndefined();
    expect(stage.height.every(Number.isFinite)).toBe(true);
    expect(stage.height.length).toBe(2049 * 513);
  });

  it.each(['fluvial', 'runoff', 'talus', 'wind', 'settle', 'shore'])('%s leaves what its mask leaves out', async (id) => {
    const field = fractal(groundOf(129, 129, 8), { seed: 4, height: 150 });
    const where = { masks: [maskUse('height', { low: -9000, high: 300, softness: 0 })], combine: 'multiply' as const };
    const stage = await after(field, id, {}, 280, { where });
    let kept = 0;
    let moved = 0;
    for (let i = 0; i < field.height.length; i++) {
      const same = stage.height[i] === field.height[i];
      if (field.height[i] <= 300) moved += same ? 0 : 1;
      else if (same) kept++;
    }
    expect(moved).toBeGreaterThan(id === 'shore' ? 10 : 500);
    // Rock that does not give way stays; what slides or is carried may come to lie on it.
    if (['fluvial', 'shore'].includes(id)) expect(kept).toBe(field.height.reduce((n, h) => n + (h > 300 ? 1 : 0), 0));
    else expect(stage.layers.cut === undefined || stage.layers.cut.every((c, i) => field.height[i] <= 300 || c < 1e-4)).toBe(true);
  });

  it('takes hardness from a tributary: where it is hard, nothing is cut', async () => {
    const field = fractal(groundOf(129, 129, 8), { seed: 4, height: 150 });
    for (const step of ['fluvial', 'runoff', 'talus']) {
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
    const stage = await after(grounds.fractal, 'fluvial', {}, 9000);
    expect(stage.words[0]).toMatch(/under the sea, so no river runs/);
    expect(stage.height).toEqual(grounds.fractal.height);
  });

  it('a shore says that there is no water line, above and below', async () => {
    expect((await after(grounds.fractal, 'shore', {}, 9000)).words[0]).toMatch(/All of the ground lies under the sea/);
    expect((await after(grounds.fractal, 'shore', {}, -900)).words[0]).toMatch(/No part of the ground lies under the sea/);
  });

  it('one sample wide with open edges, rivers say that all of it is edge', async () => {
    const stage = await after(grounds['one sample wide'], 'fluvial');
    expect(stage.words[0]).toMatch(/lies on its edge/);
    expect(stage.height).toEqual(grounds['one sample wide'].height);
  });

  it('flat ground stays flat under rivers, talus and snow', async () => {
    expect((await after(grounds.flat, 'fluvial')).height).toEqual(grounds.flat.height);
    expect((await after(grounds.flat, 'talus')).height).toEqual(grounds.flat.height);
    expect(range((await after(grounds.flat, 'settle', { amount: 2 })).height)).toEqual([102, 102]);
  });
});

describe('rivers', () => {
  it('end at the sea: its floor and the ground under it keep their bits, nothing is cut below its level', async () => {
    const field = fractal(groundOf(129, 129, 16), { seed: 8, height: 260 });
    const stage = await after(field, 'fluvial', { amount: 20_000 }, 290);
    for (let i = 0; i < field.height.length; i++) {
      if (field.height[i] < 290) expect(stage.height[i]).toBe(field.height[i]);
      else expect(stage.height[i]).toBeGreaterThanOrEqual(290);
    }
  });

  it('lay down more, and cut less in all, the more settles on the way', async () => {
    const field = fractal(groundOf(129, 129, 16), { seed: 8, height: 260 });
    const none = await after(field, 'fluvial', { amount: 4000, lakes: 'stay' }, -900);
    const much = await after(field, 'fluvial', { amount: 4000, lakes: 'stay', deposit: 1.5 }, -900);
    const sum = (l: Float32Array) => l.reduce((a, b) => a + b, 0);
    expect(sum(much.layers.cut)).toBeLessThan(0.9 * sum(none.layers.cut));
  });
});

describe('the slides keep what they move', () => {
  const field = fractal(groundOf(129, 97, 8), { seed: 4, height: 300 });
  const volume = (h: Float32Array) => {
    const { across, down } = field.ground;
    const share = (at: number, last: number) => (at === 0 || at === last ? 0.5 : 1);
    return h.reduce((sum, value, i) => sum + value * share(i % across, across - 1) * share(Math.floor(i / across), down - 1), 0);
  };

  it('talus to 1e-6 of what was moved, down to its angle and half a degree (Musgrave, Kolb & Mace 1989)', async () => {
    const stage = await after(field, 'talus', { repose: 30, sweeps: 1500 });
    const change = stage.height.map((h, i) => h - field.height[i]);
    const moved = volume(change.map(Math.abs));
    expect(moved).toBeGreaterThan(1000);
    expect(Math.abs(volume(stage.layers.cut) - volume(stage.layers.fill)) / moved).toBeLessThan(1e-6);
    expect(steepestDrop({ ...field, height: stage.height })).toBeLessThan(30.5);
  });

  it('talus over open edges loses some, and with a loose share leaves crags', async () => {
    const open = await after(field, 'talus', { repose: 20, sweeps: 300, edges: 'open' });
    expect(volume(open.layers.cut)).toBeGreaterThan(volume(open.layers.fill));
    const whole = await after(field, 'talus', { repose: 25, sweeps: 300 });
    const part = await after(field, 'talus', { repose: 25, sweeps: 300, loose: 0.4, patch: 150 });
    expect(volume(part.layers.cut)).toBeLessThan(0.8 * volume(whole.layers.cut));
    expect(steepestDrop({ ...field, height: part.height })).toBeGreaterThan(30);
  });

  it('snow to a thousandth, never under the ground, and deepest in the hollows', async () => {
    const stage = await after(field, 'settle', { amount: 3, repose: 30, sweeps: 200 });
    const depth = stage.layers.sediment;
    expect(Math.min(...depth)).toBeGreaterThanOrEqual(0);
    const laid = volume(new Float32Array(depth.length).fill(3));
    expect(Math.abs(volume(depth) - laid) / laid).toBeLessThan(2e-3);
    expect(stage.height.every((h, i) => h >= field.height[i])).toBe(true);
    expect(Math.max(...depth)).toBeGreaterThan(6);
  });
});

describe('wind', () => {
  const flat = fieldFrom(groundOf(129, 129, 4), () => 20);

  it('keeps every slab where edges come round, and its volume to the rounding of one slab', async () => {
    for (const source of ['laid', 'ground']) {
      const stage = await after(flat, 'wind', { amount: 60, scale: 20, sand: 5, source });
      const sum = stage.layers.sediment.reduce((a, b) => a + b, 0);
      expect(Math.abs(sum - 5 * 129 * 129) / (5 * 129 * 129)).toBeLessThan(1e-5);
    }
  });

  it('builds ridges across the wind (Werner 1995): heights vary more along it than across', async () => {
    const along = async (from: number) => {
      const { height } = await after(flat, 'wind', { amount: 300, scale: 20, sand: 8, from });
      let [ew, ns] = [0, 0];
      for (let row = 1; row < 128; row++) {
        for (let column = 4; column < 125; column++) {
          const i = row * 129 + column;
          ew += (height[i + 4] - height[i - 4]) ** 2;
          ns += (height[Math.min(128, row + 4) * 129 + column] - height[Math.max(0, row - 4) * 129 + column]) ** 2;
        }
      }
      return ew / ns;
    };
    expect(await along(270)).toBeGreaterThan(1.15);
    expect(await along(0)).toBeLessThan(1 / 1.15);
  });

  it('loses sand over open edges, and says how much', async () => {
    const stage = await after(flat, 'wind', { amount: 60, scale: 20, sand: 5, edges: 'open' });
    expect(stage.words[0]).toMatch(/m³ of sand went over the edge/);
  });
});

describe('shore', () => {
  it('changes nothing above the waves, keeps the water line where it was, and nears its slopes', async () => {
    const field = fieldFrom(groundOf(201, 41, 4), (e) => (e - 400) * 0.3);
    const stage = await after(field, 'shore', { amount: 1, scale: 80, height: 6, beach: 4, bench: 2 });
    for (let i = 0; i < field.height.length; i++) {
      if (field.height[i] > 6) expect(stage.height[i]).toBe(field.height[i]);
      expect(stage.height[i] >= 0).toBe(field.height[i] >= 0);
    }
    const row = 20 * 201;
    const slope = (a: number, b: number) => (Math.atan((stage.height[row + b] - stage.height[row + a]) / ((b - a) * 4)) * 180) / Math.PI;
    expect(slope(101, 103)).toBeLessThan(12);
    expect(slope(96, 99)).toBeLessThan(6);
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

describe('hollows drained', () => {
  const field = fractal(groundOf(129, 129, 8), { seed: 4, height: 150 });

  it('by cuts alone, every one: no lake is left', async () => {
    const stage = await after(field, 'drain', { amount: 2000, scale: 8 }, -900);
    const cut = { ...field, height: stage.height };
    const before = lakesOf(field, await drainageOf(kernels, field)).lakes;
    const { lakes } = lakesOf(cut, await drainageOf(kernels, cut));
    expect(before.length).toBeGreaterThan(20);
    // What rounding leaves is no lake.
    expect(lakes.filter((lake) => lake.depth > 0.01)).toEqual([]);
    expect(stage.layers.fill.every((f) => f === 0)).toBe(true);
  });

  it('by cuts as deep as allowed; the rest keeps its dam and is counted, or is filled', async () => {
    const shallow = await after(field, 'drain', { amount: 2, scale: 8 }, -900);
    expect(shallow.words[0]).toMatch(/hollows keep their dam: a deeper cut than 2 m would be needed/);
    expect(Math.max(...shallow.layers.cut)).toBeLessThan(2.01);
    const filled = await after(field, 'drain', { amount: 2, scale: 8, fill: true }, -900);
    const ground = { ...field, height: filled.height };
    expect(lakesOf(ground, await drainageOf(kernels, ground)).lakes).toEqual([]);
    expect(filled.words).toEqual([]);
  });
});

describe('river channels', () => {
  it('grow with their flow: depth by its power of 0.4 (Leopold & Maddock 1953), and fall all the way', async () => {
    const field = fractal(groundOf(193, 193, 16), { seed: 4, height: 200 });
    const stage = await after(field, 'river', { scale: 300, amount: 1 }, -900);
    const { flow, water, cut } = stage.layers;
    const drainage = await drainageOf(kernels, field);
    let channels = 0;
    for (let i = 0; i < flow.length; i++) {
      if (water[i] === 0) continue;
      channels++;
      const discharge = (flow[i] * 0.8) / 31_557_600;
      expect(water[i]).toBeCloseTo(0.3 * discharge ** 0.4, 5);
      const r = drainage.receiver[i];
      expect(stage.height[r]).toBeLessThanOrEqual(stage.height[i] + 1e-3);
      expect(cut[i]).toBeGreaterThanOrEqual(water[i] - 1e-3);
    }
    expect(channels).toBeGreaterThan(200);
  });

  it('grow wider by its power of 0.5: a river across a plane of known catchment', async () => {
    // A trough that falls to the south: its middle gathers a whole width of the ground more with every row.
    const ground = groundOf(401, 401, 2);
    const trough = fieldFrom(ground, (e, s) => 500 - 0.05 * s + 0.3 * Math.abs(e - 400));
    const stage = await after(trough, 'river', { scale: 100, amount: 20, bank: 80, widthAt1: 20, depthAt1: 0.3 }, -900);
    const widthAt = (row: number) => stage.layers.cut.slice(row * 401, (row + 1) * 401).filter((c) => c > 0.2).length * 2;
    for (const row of [150, 300, 390]) {
      const discharge = (stage.layers.flow[row * 401 + 200] * 0.8) / 31_557_600;
      const wide = 20 * 20 * discharge ** 0.5;
      expect(Math.abs(widthAt(row) - wide)).toBeLessThan(0.12 * wide + 6);
    }
    expect(widthAt(390) / widthAt(100)).toBeGreaterThan(1.5);
  });

  it('say where none begins', async () => {
    expect((await after(grounds.flat, 'river', { scale: 20_000 })).words[0]).toMatch(/no channel begins/);
  });
});
