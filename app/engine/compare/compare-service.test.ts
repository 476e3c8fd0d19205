import { describe, expect, it } from 'vitest';
import { fractal } from '../../../tests/helpers/fractal';
import { groundOf } from '../../../tests/helpers/grounds';
import { storedInMemory } from '../../../tests/helpers/stored-assets';
import type { SideSource } from '../api';

storedInMemory();
const { encode, exportMesh, inlineKernels, makeCourse, meshSettings, meshSettingsFor, StageCache, stepUse } = await import('@upland-cast/core');
const { comparePicture, held, meshLaid, readSide } = await import('./compare-service');

const kernels = inlineKernels();
const tools = { kernels, cache: new StageCache(16 * 1024 * 1024) };
const stays = () => new AbortController().signal;
const ground = groundOf(81, 61, 10);
const course = makeCourse('Fell', ground, [
  stepUse('noise', { feature: 300, height: 160, level: 300, octaves: 6, seed: 4 }, { id: 'base', join: 'replace' }),
  stepUse('shift', { by: 12 }, { id: 'lifted' }),
]);
const field = fractal(ground, { seed: 9, feature: 300, height: 140 });
type Source = Extract<SideSource, { kind: 'file' }>;
const asFile = async (parts: Partial<Source> = {}, of = field, type: 'f32' | 'u16' = 'f32'): Promise<Source> => ({
  kind: 'file',
  name: 'fell.tif',
  bytes: (await encode(of, { format: 'tiff', type, ...(type === 'u16' ? { range: { low: 0, high: 600 } } : {}) })).bytes,
  reading: {},
  steps: [],
  scale: 1,
  lift: 0,
  ...parts,
});
const read = (side: SideSource) => readSide(tools, side, () => undefined, stays());

describe('a side of a comparison', () => {
  it('is the end of a course, or what it is after a step', async () => {
    const end = (await read({ kind: 'course', course })).field!;
    const after = (await read({ kind: 'step', course, id: 'base' })).field!;
    end.height.forEach((h, i) => Math.abs(h - after.height[i] - 12) > 1e-3 && expect.fail(`sample ${i}`));
    await expect(read({ kind: 'step', course, id: 'gone' })).rejects.toMatchObject({ code: 'no-step' });
  });

  it('is a file, with the codes it has and what one of them stands for', async () => {
    const floats = await read(await asFile());
    expect(floats.facts.codes).toBeUndefined();
    expect(floats.field!.height).toEqual(field.height);
    const codes = await read(await asFile({ reading: { map: { code0: 0, height0: 0, code1: 65_535, height1: 600 } } }, field, 'u16'));
    expect(codes.facts.codes!.type).toBe('u16');
    expect(codes.facts.codes!.metresACode).toBeCloseTo(600 / 65_535, 9);
    expect(codes.facts.codes!.lowest).toBeGreaterThan(0);
    // A TIFF of ours says what its codes stand for; a PNG cannot.
    const { bytes } = await encode(field, { format: 'png', type: 'u16', range: { low: 0, high: 600 } });
    expect((await read(await asFile({ bytes, name: 'fell.png' }))).facts.codes!.metresACode).toBeNull();
  });

  it('is brought back to its scale, and mended by its steps', async () => {
    const doubled = { ...field, height: field.height.map((h) => 2 * h + 50) };
    const back = (await read(await asFile({ scale: 2, lift: 50 }, doubled))).field!;
    back.height.forEach((h, i) => Math.abs(h - field.height[i]) > 1e-3 && expect.fail(`sample ${i}`));
    const raised = (await read(await asFile({ steps: [stepUse('shift', { by: -30 })] }))).field!;
    expect(raised.height[40]).toBeCloseTo(field.height[40] - 30, 3);
  });

  it('is a mesh, pressed to the other side’s samples, with its parts', async () => {
    const files = [];
    for await (const level of exportMesh(field, meshSettings.parse({ ...meshSettingsFor(ground), kind: 'grid', segments: 80, format: 'glb' }), {
      kernels,
      name: 'fell',
    }))
      files.push(...level.files);
    const side: SideSource = { kind: 'mesh', files, scale: 1, lift: 0 };
    const mesh = await read(side);
    expect(mesh.field).toBeUndefined();
    const laid = meshLaid(mesh, field, side);
    expect([laid.field!.ground.across, laid.field!.ground.down]).toEqual([81, 61]);
    laid.field!.height.forEach((h, i) => Math.abs(h + laid.field!.ground.datum - field.height[i]) > 0.01 && expect.fail(`sample ${i}`));
    expect(laid.facts.parts).toBeDefined();
  });
});

describe('two sides compared', () => {
  it('have what lies between them, drawn on the first one’s samples', async () => {
    const raised = { ...field, height: field.height.map((h, i) => h + (i % 81 > 40 ? 3 : 0)) };
    const found = await comparePicture(await read(await asFile()), await read(await asFile({}, raised)), 'usual', stays());
    expect(found.between.maxAbs).toBeCloseTo(3, 3);
    expect(found.span).toBe(5);
    expect(found.ground).toMatchObject({ across: 81, down: 61 });
    expect(found.difference[81 * 30 + 60]).toBeCloseTo(3, 3);
    expect(found.difference[81 * 30 + 20]).toBeCloseTo(0, 3);
    const sum = (shares: number[]) => shares.reduce((all, v) => all + v, 0);
    expect(sum(found.histogram.a)).toBeCloseTo(1, 9);
    expect(sum(found.histogram.b)).toBeCloseTo(1, 9);
    expect(found.histogram.high).toBeCloseTo(Math.max(...raised.height), 2);
  });

  it('are one where they are the same, and say so', async () => {
    const side = await read(await asFile());
    const found = await comparePicture(side, side, 'usual', stays());
    expect(found.between).toMatchObject({ maxAbs: 0, rmse: 0 });
    expect(found.span).toBe(1);
    expect(found.findings.length).toBeGreaterThan(0);
  });

  it('are drawn at the first one’s height where the second has none', async () => {
    const valid = Uint8Array.from(field.height, (_, i) => (i % 81 < 10 ? 0 : 1));
    const found = await comparePicture(await read(await asFile()), await read(await asFile({}, { ...field, valid })), 'usual', stays());
    expect(found.valid!.reduce((n, v) => n + v, 0)).toBe(71 * 61);
    expect(found.heightB[5]).toBe(found.heightA[5]);
    expect(found.heightB.every(Number.isFinite)).toBe(true);
  });

  it('are held until others are compared', async () => {
    const side = await read(await asFile());
    const first = await comparePicture(side, side, 'usual', stays());
    expect(held(first.id).a).toBe(side.field);
    const second = await comparePicture(side, side, 'usual', stays());
    expect(() => held(first.id)).toThrow('Others have been compared since. Compare these again.');
    expect(held(second.id).on.height.length).toBe(81 * 61);
  });
});
