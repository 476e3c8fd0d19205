import { describe, expect, it } from 'vitest';
import { groundOf } from '../../tests/helpers/grounds';
import { fillForDisplay } from '../field/fill-for-display';
import { makeField } from '../field/field';
import { encode } from '../delivery/heights/encode';
import { sha256 } from '../field/hash';
import { inlineKernels } from '../kernels/pool';
import { evaluate } from './evaluate';
import { fieldOf } from './field-of';
import { makeCourse, makeTributary, stepUse, type StepUse, type Tributary } from './schema';

const kernels = inlineKernels();
const ground = { ...groundOf(9, 9, 10), sea: 3 };
/** Rising to the east, without a height in its middle. */
const holed = makeField(
  ground,
  Float32Array.from({ length: 81 }, (_, i) => 100 + (i % 9)),
  Uint8Array.from({ length: 81 }, (_, i) => (i === 40 || i === 41 ? 0 : 1)),
);
const file = encode(holed, { format: 'tiff', type: 'f32', noData: -9999 }).then(async ({ bytes }) => ({ bytes, sha: await sha256(bytes) }));
const raster = async (rest: Partial<StepUse> = {}) => stepUse('raster', { asset: (await file).sha }, rest);
const fieldAfter = async (stem: StepUse[], tributaries: Tributary[] = []) => {
  const course = makeCourse('Holed', ground, stem, tributaries);
  const evaluation = await evaluate(course, { kernels, asset: async () => (await file).bytes });
  expect(evaluation.stages.filter((s) => s.fault)).toEqual([]);
  return fieldOf(evaluation, course.ground);
};
const holesOf = ({ valid }: { valid?: Uint8Array }) => (valid ? [...valid].flatMap((v, i) => (v ? [] : [i])) : []);
const join = (mode: StepUse['join']) => stepUse('join', { tributary: 'side' }, { join: mode });
const flat = (level: number, mode: StepUse['join']) => stepUse('flat', { level }, { join: mode });

describe('holes stay holes, until something gives them a height', () => {
  it('from the file to the field, with the terrain’s sea', async () => {
    const field = await fieldAfter([await raster()]);
    expect(holesOf(field)).toEqual([40, 41]);
    expect(field.ground.sea).toBe(3);
    expect(holesOf(await fieldAfter([await raster(), stepUse('shift', { by: 5 })]))).toEqual([40, 41]);
    expect(holesOf(await fieldAfter([await raster(), stepUse('fill-voids')]))).toEqual([]);
  });

  it('through a tributary: replaced they are holes, joined otherwise the ground stays as it was', async () => {
    const side = [makeTributary('Side', [await raster()], 'side')];
    expect(holesOf(await fieldAfter([flat(50, 'replace'), join('replace')], side))).toEqual([40, 41]);
    for (const [mode, beside] of [
      ['higher', 103],
      ['add', 153],
      ['mean', 76.5],
      ['lower', 50],
    ] as const) {
      const field = await fieldAfter([flat(50, 'replace'), join(mode)], side);
      expect(holesOf(field), mode).toEqual([]);
      expect(field.height[40], mode).toBe(50);
      expect(field.height[39], mode).toBe(beside);
    }
  });

  it('a raster that is added leaves the ground as it was where it has none', async () => {
    const field = await fieldAfter([flat(50, 'replace'), await raster({ join: 'add' })]);
    expect(holesOf(field)).toEqual([]);
    expect([field.height[39], field.height[40]]).toEqual([153, 50]);
  });

  it('what stands by itself closes them; what is added does not', async () => {
    for (const mode of ['replace', 'higher', 'lower'] as const) {
      const field = await fieldAfter([await raster(), flat(20, mode)]);
      expect(holesOf(field), mode).toEqual([]);
      expect(field.height[40], mode).toBe(20);
    }
    expect(holesOf(await fieldAfter([await raster(), stepUse('noise', { height: 5 }, { join: 'add' })]))).toEqual([40, 41]);
  });

  it('only where the mask lets it', async () => {
    const masks = [
      { id: 'm', kind: 'height', params: { low: -500, high: 0, softness: 0 }, on: true, invert: false, equalise: false, gain: 0.5, ragged: 0, raggedSize: 120 },
    ];
    const field = await fieldAfter([await raster(), stepUse('flat', { level: 20 }, { join: 'replace', where: { masks, combine: 'multiply' } })]);
    expect(holesOf(field)).toEqual([40, 41]);
  });
});

describe('heights to be looked at', () => {
  it('close over holes from around them, and keep every other sample', () => {
    const seen = fillForDisplay(holed.height, 9, 9, holed.valid);
    for (let i = 0; i < 81; i++) {
      if (holed.valid![i]) expect(seen[i]).toBe(holed.height[i]);
      else expect(Math.abs(seen[i] - (100 + (i % 9)))).toBeLessThan(1.5);
    }
    expect(fillForDisplay(holed.height, 9, 9, undefined)).toBe(holed.height);
    // Nothing known but one sample.
    const one = new Uint8Array(81);
    one[7] = 1;
    expect(fillForDisplay(holed.height, 9, 9, one).every((h) => h === 107)).toBe(true);
  });
});
