import { describe, expect, it } from 'vitest';
import fc from 'fast-check';
import { groundOf, hills } from '../../tests/helpers/grounds';
import { aspect, slope } from '../analysis/slope';
import { encode } from '../delivery/heights/encode';
import { evaluate } from '../course/evaluate';
import { makeCourse, makeTributary, stepUse } from '../course/schema';
import { maskUse, weightsOf, type Where } from '../course/where';
import { fieldFrom, type Field } from '../field/field';
import { sha256 } from '../field/hash';
import { wholeOf } from '../field/window';
import { readAsset } from '../formats/asset';
import { boundsOf } from '../field/statistics';
import { rockHere } from '../rock/hardness';
import { rockSchema } from '../rock/rock';
import { inlineKernels } from '../kernels/pool';
import { paramsOf } from '../steps/params';
import type { StepContext } from '../steps/step';
import { maskKinds } from '.';
import { within } from '../analysis/weights';
import { equalised, gained } from './mask';

const kernels = inlineKernels();
const ground = groundOf(60, 48, 10);
const context = (field: Field, more: Partial<StepContext> = {}): StepContext => ({
  ground: field.ground,
  window: wholeOf(field.ground),
  kernels,
  progress: () => undefined,
  asset: async () => {
    throw new Error('none');
  },
  tributaryHoles: async () => undefined,
  rock: async () => undefined,
  heights: async () => {
    throw new Error('none');
  },
  tributary: async () => {
    throw new Error('none');
  },
  say: () => undefined,
  ...more,
});
const weigh = async (field: Field, kind: string, params: object, more: Partial<ReturnType<typeof maskUse>> = {}, given: Partial<StepContext> = {}) => {
  const where: Where = { masks: [{ ...maskUse(kind, params as Record<string, unknown>), ...more }], combine: 'multiply' };
  return (await weightsOf(where, { ...field, layers: {} }, context(field, given)))!;
};

describe('masks', () => {
  it('weigh within 0 and 1 at any setting', async () => {
    const field = hills(ground);
    for (const kind of maskKinds) {
      if (['image', 'tributary', 'painted', 'layer'].includes(kind.id)) continue;
      const rock = kind.id === 'rock' ? await rockHere(kernels, rockSchema.parse({ thickness: 30 }), ground, boundsOf(field.height)) : undefined;
      const numbers = paramsOf(kind.params).filter(({ meta }) => meta.max !== undefined && meta.kind !== 'seed');
      await fc.assert(
        fc.asyncProperty(fc.array(fc.double({ min: 0, max: 1, noNaN: true }), { minLength: 8, maxLength: 8 }), fc.boolean(), async (shares, invert) => {
          const params = Object.fromEntries(
            numbers.map(({ key, meta }, i) => {
              const value = meta.min! + shares[i % 8] * (meta.max! - meta.min!);
              return [key, meta.kind === 'count' ? Math.round(value) : value];
            }),
          );
          const weights = await weigh(field, kind.id, params, { invert, equalise: shares[0] > 0.5, gain: shares[1] }, { rock: async () => rock });
          return weights.every((w) => w >= 0 && w <= 1);
        }),
        { seed: 11, numRuns: 12 },
      );
    }
  });

  it('by height: whole within the bounds, fading beyond them', async () => {
    const ramp = fieldFrom(groundOf(101, 3, 1), (east) => east);
    const weights = await weigh(ramp, 'height', { low: 40, high: 60, softness: 20 });
    expect([weights[20], weights[30], weights[40], weights[50], weights[60], weights[70], weights[80]]).toEqual([0, 0.5, 1, 1, 1, 0.5, 0]);
  });

  it('by slope and aspect agree with the maps of both', async () => {
    const field = hills(ground, 5, 400);
    const [steep, faces] = [slope(field), aspect(field)];
    const bySlope = await weigh(field, 'slope', { low: 20, high: 90, softness: 0 });
    const byAspect = await weigh(field, 'aspect', { towards: 350, spread: 40, softness: 0 });
    for (let i = 0; i < steep.length; i++) {
      expect(bySlope[i]).toBe(steep[i] >= 20 ? 1 : 0);
      const off = Math.abs(((faces[i] - 350 + 540) % 360) - 180);
      if (Math.abs(off - 40) > 1e-3) expect(byAspect[i]).toBe(off <= 40 ? 1 : 0);
    }
  });

  it('by curvature pick out ridges, or hollows', async () => {
    const wave = fieldFrom(groundOf(101, 21, 10), (east) => 40 * Math.cos((east / 500) * 2 * Math.PI));
    const ridges = await weigh(wave, 'curvature', { size: 0, low: 0.5, high: 1000, softness: 0 });
    const hollows = await weigh(wave, 'curvature', { size: 0, low: -1000, high: -0.5, softness: 0 });
    const row = 10 * 101;
    expect([ridges[row + 50], ridges[row + 25], ridges[row + 75]]).toEqual([1, 0, 0]);
    expect([hollows[row + 50], hollows[row + 25], hollows[row + 75]]).toEqual([0, 1, 1]);
  });

  it('by distance from the edge count in metres', async () => {
    const field = hills(groundOf(21, 11, 10));
    const weights = await weigh(field, 'edge', { low: 0, high: 20, softness: 0 });
    for (let row = 0; row < 11; row++) for (let c = 0; c < 21; c++) expect(weights[row * 21 + c]).toBe(Math.min(row, c, 10 - row, 20 - c) <= 2 ? 1 : 0);
  });

  it('by noise cover about as much as they say, differently for another seed', async () => {
    const field = hills(groundOf(257, 257, 10));
    const half = await weigh(field, 'noise', { feature: 200, low: 0.5, high: 1, softness: 0 });
    expect(half.reduce((a, b) => a + b) / half.length).toBeGreaterThan(0.35);
    expect(half.reduce((a, b) => a + b) / half.length).toBeLessThan(0.65);
    expect(await weigh(field, 'noise', { feature: 200, low: 0.5, high: 1, softness: 0, seed: 9 })).not.toEqual(half);
  });

  it('by a picture lie over the whole ground, whatever its sample counts', async () => {
    const picture = fieldFrom(groundOf(30, 24, 1), (east) => (east > 14 ? 200 : 40));
    const { bytes } = await encode(picture, { format: 'png', type: 'u8', range: { low: 0, high: 255 } });
    const sha = await sha256(bytes);
    const weights = await weigh(hills(ground), 'image', { asset: sha, low: 0.9, high: 1, softness: 0 }, {}, { heights: () => readAsset(bytes) });
    expect(weights[24 * 60 + 5]).toBe(0);
    expect(weights[24 * 60 + 55]).toBe(1);
    await expect(weigh(hills(ground), 'image', {})).rejects.toThrow(/no picture yet/);
  });

  it('by a painted field take the tiles as they are at its own samples, and resampled at others', async () => {
    const bytes = new Uint8Array(256 * 256);
    for (let y = 0; y < 48; y++) bytes.fill(255, y * 256, y * 256 + 30);
    const params = { samples: { across: 60, down: 48, registration: 'point' }, tiles: { '0,0': 'c'.repeat(64) } };
    const weights = await weigh(hills(ground), 'painted', params, {}, { asset: async () => bytes });
    for (let i = 0; i < weights.length; i++) expect(weights[i]).toBe(i % 60 < 30 ? 1 : 0);
    const fine = await weigh(hills(groundOf(119, 95, 5)), 'painted', params, {}, { asset: async () => bytes });
    expect([fine[47 * 119 + 40], fine[47 * 119 + 80]]).toEqual([1, 0]);
    expect((await weigh(hills(ground), 'painted', {})).every((w) => w === 0)).toBe(true);
  });

  it('by a painted disc of hard edge have a round edge on finer samples, and no flight of steps', async () => {
    const [side, radius] = [65, 20.3];
    const bytes = new Uint8Array(256 * 256);
    for (let y = 0; y < side; y++) for (let x = 0; x < side; x++) if (Math.hypot(x - 32, y - 32) < radius) bytes[y * 256 + x] = 255;
    const params = { samples: { across: side, down: side, registration: 'point' }, tiles: { '0,0': 'd'.repeat(64) } };
    const n = 8 * (side - 1) + 1;
    const weights = await weigh(hills(groundOf(n, n, 1)), 'painted', params, {}, { asset: async () => bytes });
    let worst = 0;
    for (let degrees = 0; degrees < 360; degrees++) {
      const [east, south] = [Math.cos((degrees * Math.PI) / 180), Math.sin((degrees * Math.PI) / 180)];
      let at = 8 * (radius - 4);
      while (weights[Math.round(256 + at * south) * n + Math.round(256 + at * east)] > 0.5) at += 0.25;
      worst = Math.max(worst, Math.abs(at / 8 - radius));
    }
    // Samples in or out of it lie up to 0.7 of their spacing off its edge.
    expect(worst).toBeLessThan(0.7);
    // An edge of steps has corners: it is longer than the circle by up to 4/π.
    let edge = 0;
    for (let y = 0; y < n - 1; y++)
      for (let x = 0; x < n - 1; x++) edge += Math.hypot(weights[y * n + x + 1] - weights[y * n + x], weights[(y + 1) * n + x] - weights[y * n + x]);
    expect(edge / 8 / (2 * Math.PI * radius)).toBeLessThan(1.05);
  });

  it('by a tributary and by a layer read what the course has', async () => {
    const side = makeTributary('Side', [stepUse('flat', { level: 50 })], 'side');
    const use = stepUse(
      'shift',
      { by: 10 },
      { where: { masks: [maskUse('tributary', { tributary: 'side', low: 40, high: 60, softness: 0 })], combine: 'multiply' } },
    );
    expect((await evaluate(makeCourse('t', ground, [use], [side]), { kernels })).height[0]).toBe(10);
    const bySide = { ...use, where: { ...use.where, masks: [maskUse('tributary', { tributary: 'side', low: 60, high: 80, softness: 0 })] } };
    expect((await evaluate(makeCourse('t', ground, [bySide], [side]), { kernels })).height[0]).toBe(0);

    const steep = hills(ground, 3, 900);
    const talus = stepUse('talus', { repose: 20, sweeps: 40 });
    const onScree = stepUse('shift', { by: 10 }, { where: { masks: [maskUse('layer', { layer: 'fill', low: 1, softness: 0 })], combine: 'multiply' } });
    const { stages } = await evaluate(makeCourse('t', ground, [talus, onScree]), { kernels, from: steep });
    for (let i = 0; i < steep.height.length; i++) expect(stages[1].height[i] !== stages[0].height[i]).toBe(stages[0].layers.fill[i] >= 1);
    const without = await evaluate(makeCourse('t', ground, [onScree]), { kernels });
    expect(without.stages[0].fault).toMatch(/No step before this one leaves a layer "fill"/);
  });
});

describe('shaping weights', () => {
  it('fades by a smooth shoulder', () => {
    expect(within(5, { low: 0, high: 10, softness: 4 })).toBe(1);
    expect(within(12, { low: 0, high: 10, softness: 4 })).toBe(0.5);
    expect(within(14, { low: 0, high: 10, softness: 4 })).toBe(0);
    expect(within(10.001, { low: 0, high: 10, softness: 0 })).toBe(0);
  });

  it('equalised weights are spread evenly, in the order they were', () => {
    const weights = Float32Array.from({ length: 4000 }, (_, i) => (i % 2 ? 0 : (i / 4000) * (i / 4000) * 0.7 + 1e-4));
    const even = equalised(weights);
    const above = [...even].filter((_, i) => i % 2 === 0);
    for (let i = 1; i < above.length; i++) expect(above[i]).toBeGreaterThanOrEqual(above[i - 1]);
    expect(above[1000]).toBeCloseTo(0.5, 2);
    expect(above[500]).toBeCloseTo(0.25, 2);
    expect(even.filter((_, i) => i % 2 === 1).every((w) => w === 0)).toBe(true);
  });

  // Schlick 1994: gain(t, g) runs through 0, ½ and 1; gain(¼, g) = g/2 in his parameter.
  it('gain keeps 0, ½ and 1 and is monotone', async () => {
    for (const gain of [0.05, 0.3, 0.5, 0.8, 0.97]) {
      const t = Float32Array.from({ length: 101 }, (_, i) => i / 100);
      const out = await gained(t, gain, { kernels });
      expect([out[0], out[50], out[100]]).toEqual([0, 0.5, 1]);
      for (let i = 1; i < out.length; i++) expect(out[i]).toBeGreaterThanOrEqual(out[i - 1]);
      if (gain > 0.5) expect(out[25]).toBeLessThan(0.25);
      if (gain < 0.5) expect(out[25]).toBeGreaterThan(0.25);
    }
  });
});
