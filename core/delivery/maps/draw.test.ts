import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../../tests/helpers/grounds';
import { normalMap } from '../../analysis/surface';
import { evaluate } from '../../course/evaluate';
import { makeCourse, stepUse } from '../../course/schema';
import { maskUse } from '../../course/where';
import { encodeImage } from '../../formats/png';
import { readHeightmap } from '../../formats';
import { inlineKernels } from '../../kernels/pool';
import { defaultCover } from './cover';
import { mapSchema } from '../../course/recipe';
import { drawMap, MAPS, proveImage, writeMap } from './draw';

const kernels = inlineKernels();

const field = hills(groundOf(65, 65, 8), 3);

const course = makeCourse('Test', groundOf(65, 65, 8), [
  stepUse('noise', { feature: 220, octaves: 4, height: 90 }, { id: 'n' }),
  stepUse('talus', { repose: 30, sweeps: 20 }, { id: 't', where: { masks: [maskUse('slope', { low: 10, high: 90, softness: 5 })], combine: 'multiply' } }),
]);

describe('derived maps', () => {
  const options = { kernels };
  const specs = Object.keys(MAPS).map((kind) => mapSchema.parse(kind === 'mask' ? { kind, use: 't' } : { kind }));

  it.each(specs.map((s) => [s.kind, s] as const))('%s is drawn, written, read back and found right', async (_, spec) => {
    const whole = await evaluate(course, options);
    const files = await writeMap(spec, await drawMap(spec, course, whole, defaultCover(), options), 'x');
    for (const file of files) {
      expect(file.proof.ok).toBe(true);
      expect(file.name).toMatch(/^x-[a-z-]+(-\d)?\.(png|tif)$/);
      expect(file.proof.sha256).toMatch(/^[0-9a-f]{64}$/);
      expect(file.meaning).toBe(spec.kind === 'colour' ? 'colour' : 'data');
    }
  });

  it.each(['8', '16', '32f'] as const)('of slope in %s bits is the slope within half a code', async (depth) => {
    const whole = await evaluate(course, options);
    const [file] = await writeMap({ kind: 'slope', depth }, await drawMap({ kind: 'slope', depth }, course, whole, defaultCover(), options), 'x');
    const reading = await readHeightmap(file.bytes);
    const step = depth === '32f' ? 1 : 90 / (depth === '16' ? 65_535 : 255);
    const { slope } = await import('../../analysis/slope');
    const truth = slope({ ground: whole.ground, height: whole.height });
    let off = 0;
    for (let i = 0; i < truth.length; i++) off = Math.max(off, Math.abs(reading.samples[i] * step - truth[i]));
    expect(off).toBeLessThanOrEqual(depth === '32f' ? 0 : step * 0.501);
  });

  it('that are spoiled in one number fail their proof', async () => {
    const samples = await normalMap(kernels, field);
    const image = { width: 65, height: 65, channels: 3 as const, samples };
    const spoiled = samples.slice();
    spoiled[4321] ^= 1;
    const proof = await proveImage(encodeImage({ ...image, samples: spoiled }), image);
    expect(proof).toMatchObject({ ok: false, maxAbs: 1 });
    expect((await proveImage(encodeImage({ ...image, channels: 4, samples: new Uint8Array(65 * 65 * 4) }), image)).faults[0]).toMatch(/4 channels/);
    expect((await proveImage(encodeImage(image).slice(0, 90), image)).faults[0]).toMatch(/cannot be read back/);
  });

  it('of nothing say so', async () => {
    const whole = await evaluate(course, options);
    await expect(drawMap({ kind: 'mask', use: 'n', depth: '8' }, course, whole, defaultCover(), options)).rejects.toThrow(/acts everywhere/);
    await expect(drawMap({ kind: 'layer', after: '', layer: 'water', depth: '8' }, course, whole, defaultCover(), options)).rejects.toThrow(
      /No step of this course/,
    );
  });
});
