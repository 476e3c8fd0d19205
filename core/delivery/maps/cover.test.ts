import { describe, expect, it } from 'vitest';
import { groundOf } from '../../../tests/helpers/grounds';
import { evaluate } from '../../course/evaluate';
import { makeCourse, stepUse } from '../../course/schema';
import { maskUse } from '../../course/where';
import { inlineKernels } from '../../kernels/pool';
import { coverWeights, grainOfLayer, groundColour, groundColourAndGrain, packWeights, ranks, defaultCover } from './cover';
import { coverSchema, GRAINS } from '../../course/recipe';

const kernels = inlineKernels();

const course = makeCourse('Test', groundOf(65, 65, 8), [
  stepUse('noise', { feature: 220, octaves: 4, height: 90 }, { id: 'n' }),
  stepUse('talus', { repose: 30, sweeps: 20 }, { id: 't', where: { masks: [maskUse('slope', { low: 10, high: 90, softness: 5 })], combine: 'multiply' } }),
]);

describe('the ground’s cover', () => {
  const whole = () => evaluate(course, { kernels });

  it('adds up to 1 everywhere, and its packed weights to exactly full scale', async () => {
    const parts = await coverWeights(course, await whole(), defaultCover(), { kernels });
    for (let i = 0; i < parts[0].length; i += 97) expect(parts.reduce((sum, p) => sum + p[i], 0)).toBeCloseTo(1, 5);
    for (const bits of [8, 16] as const) {
      const [picture] = packWeights(parts, bits);
      const full = bits === 8 ? 255 : 65_535;
      let wrong = 0;
      for (let i = 0; i < picture.length; i += 4) if (picture[i] + picture[i + 1] + picture[i + 2] + picture[i + 3] !== full) wrong++;
      expect(wrong).toBe(0);
    }
  });

  it('knows what each part is like from near: by its name, or as it was given, where it covers most', async () => {
    expect(['Crag', 'Scree', 'Blown sand', 'Old snow', 'Peat and rushes'].map((name) => grainOfLayer({ name }))).toEqual([
      'rock',
      'scree',
      'sand',
      'snow',
      'turf',
    ]);
    expect(grainOfLayer({ name: 'Crag', grain: 'none' })).toBe('none');
    const cover = defaultCover();
    const [evaluation, parts] = [await whole(), await coverWeights(course, await whole(), cover, { kernels })];
    const { rgb, grain } = await groundColourAndGrain(course, evaluation, cover, { kernels });
    expect(rgb).toEqual(await groundColour(course, evaluation, cover, { kernels }));
    const kinds = Object.keys(GRAINS);
    const scree = 1 + cover.layers.findIndex(({ id }) => id === 'scree');
    let counted = 0;
    for (let i = 0; i < grain.length; i++) {
      if (!(parts[scree][i] > 0.5)) continue;
      counted++;
      expect(kinds[grain[i]]).toBe('scree');
    }
    expect(counted).toBeGreaterThan(10);
    expect(kinds[grain[parts[0].indexOf(Math.max(...parts[0]))]]).toBe('turf');
  });

  it('packs two to eight channels, whatever the shares', () => {
    for (let count = 2; count <= 8; count++) {
      const parts = Array.from({ length: count }, (_, k) => Float32Array.from({ length: 500 }, (_, i) => Math.abs(Math.sin(i * 12.9 + k * 78.2)) ** 3));
      parts.forEach((p) => (p[0] = 0));
      const pictures = packWeights(parts, 8);
      expect(pictures.length).toBe(count > 4 ? 2 : 1);
      for (let i = 0; i < 500; i++) {
        let sum = 0;
        for (let k = 0; k < count; k++) sum += pictures[k >> 2][4 * i + (k & 3)];
        if (sum !== 255) throw new Error(`sample ${i} of ${count} channels adds up to ${sum}`);
      }
    }
    expect(() => packWeights([new Float32Array(3)], 8)).toThrow(/two to eight/);
  });

  it('is the layer’s colour where it lies whole, mixed in linear light where it lies half', async () => {
    const cover = coverSchema.parse({
      ramp: 'height',
      stops: [{ at: 0, colour: [0, 0, 0] }],
      layers: [{ id: 'all', name: 'All', colour: [255, 255, 255], strength: 0.5 }],
    });
    const rgb = await groundColour(course, await whole(), cover, { kernels });
    // Half of white light is code 188 (IEC 61966-2-1: 0.5 linear is 0.73536).
    expect([...rgb.slice(0, 3)]).toEqual([188, 188, 188]);
  });

  it('repeats a picture sized in metres', async () => {
    const rgb = Uint8Array.from({ length: 2 * 2 * 3 }, (_, i) => (i < 3 || i >= 9 ? 255 : 0));
    const cover = coverSchema.parse({
      ramp: 'height',
      stops: [{ at: 0, colour: [0, 0, 0] }],
      layers: [{ id: 'p', name: 'Chequers', colour: [0, 0, 0], picture: 'a'.repeat(64), pictureSize: 64 }],
    });
    const out = await groundColour(course, await whole(), cover, { kernels, picture: async () => ({ width: 2, height: 2, rgb }) });
    // 8 m from sample to sample: four samples to half of the picture.
    expect([0, 3, 4, 7, 8].map((x) => out[3 * x])).toEqual([255, 255, 0, 0, 255]);
    await expect(groundColour(course, await whole(), cover, { kernels })).rejects.toThrow(/picture of “Chequers” is not here/);
  });

  it('says which layer cannot be laid, and why', async () => {
    const cover = coverSchema.parse({
      stops: [{ at: 0, colour: [0, 0, 0] }],
      layers: [{ id: 'w', name: 'Wet', colour: [1, 2, 3], where: { masks: [{ id: 'm', kind: 'layer', params: { layer: 'water' } }] } }],
    });
    await expect(coverWeights(course, await whole(), cover, { kernels })).rejects.toThrow(/“Wet” of the ground colour: No step before/);
  });

  it('ranks every height by the share that lies lower', () => {
    const r = ranks(Float32Array.from([5, 1, 9, 3]));
    expect([r[1] < r[3], r[3] < r[0], r[0] < r[2]]).toEqual([true, true, true]);
    expect([...ranks(new Float32Array(3).fill(4))]).toEqual([0, 0, 0]);
  });
});
