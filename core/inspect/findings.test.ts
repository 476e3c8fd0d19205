import { encode as encodeJpeg } from 'jpeg-js';
import { describe, expect, it } from 'vitest';
import { eroded, fractal } from '../../tests/helpers/fractal';
import { firstWrong, groundOf, random } from '../../tests/helpers/grounds';
import { evaluate } from '../course/evaluate';
import { makeCourse, stepUse } from '../course/schema';
import { encode } from '../delivery/heights/encode';
import { fieldFrom, makeField, type Field } from '../field/field';
import { flipRows, turn } from '../field/turn';
import { sha256 } from '../field/hash';
import { readWith, type AssetReading } from '../formats/asset';
import { toField } from '../formats/heights';
import { inlineKernels } from '../kernels/pool';
import { findingsIn } from './findings';
import { laidByNames, laidByPlace, layoutByNames, seamsOf } from './mosaic';
import { rankRawReadings } from './raw-readings';

const kernels = inlineKernels();
const field = fractal(groundOf(192, 160, 10, 'area'), { gain: 0.5, height: 120 });
const lookedAt = async (bytes: Uint8Array<ArrayBuffer>, settled: AssetReading = {}) => {
  const { reading, meaning } = await readWith(bytes, settled);
  return findingsIn(reading, meaning, toField(reading, meaning), kernels);
};
const written = async (of: Field, type: 'u8' | 'u16' | 'f32' = 'f32', range?: { low: number; high: number }) =>
  (await encode(of, { format: type === 'f32' ? 'tiff' : 'png', type, range })).bytes;
const map = { code0: 0, height0: 0, code1: 255, height1: 600 };

describe('findings, each with its evidence, its place and its mend', () => {
  it('none on clean ground of any kind', async () => {
    for (const clean of [field, eroded(groundOf(129), 3), fieldFrom(groundOf(100), (e, s) => e * 0.3 + s * 0.2)]) {
      expect((await lookedAt(await written(clean))).map((f) => f.id)).toEqual([]);
    }
  });

  it('few levels, with the metres of one, eight bits widened to sixteen among them', async () => {
    const eight = await lookedAt(await written(field, 'u8', { low: 0, high: 600 }), { map });
    const levels = eight.find((f) => f.id === 'few-levels')!;
    expect(levels.mend).toMatchObject({ step: 'unstep', params: { level: 600 / 255 } });
    expect(levels.where!.reduce((a, b) => a + b, 0)).toBe(levels.count);
    const wide = { ...field, height: field.height.map((h) => Math.round((h * 255) / 600) * 257) };
    const widened = await lookedAt(await written(wide, 'u16', { low: 0, high: 65_535 }), { map: { ...map, code1: 65_535 } });
    expect(widened.find((f) => f.id === 'few-levels')!.message).toMatch(/8 bits widened to 16, 2\.353 m apart/);
  });

  it('a frame, spikes and holes, each where it is', async () => {
    const { across, down } = field.ground;
    const next = random(3);
    const height = field.height.slice();
    const spiked = new Set(Array.from({ length: 20 }, () => Math.floor((20 + next() * (down - 40)) * across) + 0));
    const placed = [...spiked].map((row) => Math.floor(row / across) * across + 15 + Math.floor(next() * (across - 30)));
    placed.forEach((i) => (height[i] += 300));
    const valid = new Uint8Array(height.length).fill(1);
    for (let y = 60; y < 66; y++) for (let x = 90; x < 99; x++) valid[y * across + x] = 0;
    for (let i = 0; i < height.length; i++) if (i < 4 * across || i % across >= across - 6) height[i] = 900;
    const found = await lookedAt(await written(makeField(field.ground, height, valid)));
    expect(found.map((f) => f.id)).toEqual(['frame', 'spikes', 'holes']);
    expect(found[0].mend).toMatchObject({ step: 'trim-edge', params: { north: 40, east: 60, south: 0, west: 0 } });
    for (const i of placed.filter((p) => p % across < across - 8)) expect(found[1].where![i], String(i)).toBe(1);
    expect(found[2]).toMatchObject({ count: 54, mend: { step: 'fill-voids' } });
    expect(found[2].message).toMatch(/in 1 hole, the widest 9 samples across/);
  });

  it('clipped tops on a slope are found, a lake that ends level is not', async () => {
    const cut = { ...field, height: field.height.map((h) => Math.min(h, 330)) };
    const tops = (await lookedAt(await written(cut))).find((f) => f.id === 'clipped-tops')!;
    expect(tops.message).toMatch(/Exposure cannot bring them back; a cap over them is an invention/);
    expect(tops.mend).toMatchObject({ step: 'dome-over', params: { what: 'tops', cut: 330 } });
    const bowl = fieldFrom(groundOf(120), (e, s) => Math.max(0, ((e - 600) / 600) ** 2 + ((s - 600) / 600) ** 2 - 0.2) ** 3);
    expect((await lookedAt(await written(bowl))).map((f) => f.id)).not.toContain('clipped-bottoms');
  });

  it('a number that stands for no height, where the file does not say so', async () => {
    const pits = { ...field, height: field.height.map((h, i) => (((i % 192) - 60) ** 2 + (Math.floor(i / 192) - 50) ** 2 < 90 ? -200 : h)) };
    const found = (
      await lookedAt(await written(pits, 'u16', { low: -200, high: 600 }), { map: { code0: 0, height0: -200, code1: 65_535, height1: 600 } })
    ).find((f) => f.id === 'no-data-number')!;
    expect(found.mend).toMatchObject({ reading: { noData: 0 } });
    const again = await lookedAt(await written(pits, 'u16', { low: -200, high: 600 }), { noData: 0 });
    expect(again.map((f) => f.id)).toContain('holes');
  });

  it('blocks and the tone curve of a JPEG, by its own findings mended to less error', async () => {
    const { across, down } = field.ground;
    const low = field.height.reduce((a, b) => Math.min(a, b), Infinity);
    const span = field.height.reduce((a, b) => Math.max(a, b), -Infinity) - low;
    const data = new Uint8Array(4 * field.height.length);
    field.height.forEach((h, i) => data.fill(Math.round((255 * (h - low)) / span), 4 * i, 4 * i + 3));
    const bytes = new Uint8Array(encodeJpeg({ data, width: across, height: down }, 45).data);
    const settled: AssetReading = { map: { code0: 0, height0: low, code1: 255, height1: low + span }, spacing: { x: 10, y: 10 }, registration: 'area' };
    const found = await lookedAt(bytes, settled);
    expect(found.map((f) => f.id)).toEqual(expect.arrayContaining(['blocks', 'few-levels', 'tone-curve']));
    const sha = await sha256(bytes);
    const mends = found.filter((f) => f.id === 'blocks' || f.id === 'few-levels').map((f) => f.mend as { step: string; params: Record<string, unknown> });
    const course = makeCourse('m', field.ground, [stepUse('raster', { asset: sha }), ...mends.map((m) => stepUse(m.step, m.params))]);
    course.assets[sha] = { name: 'a.jpg', bytes: bytes.length, reading: settled };
    const { stages } = await evaluate(course, { kernels, asset: async () => bytes });
    const error = (h: Float32Array) => Math.sqrt(h.reduce((sum, v, i) => sum + (v - field.height[i]) ** 2, 0) / h.length);
    expect(stages.map((s) => s.fault)).toEqual([undefined, undefined, undefined]);
    expect(error(stages[2].height)).toBeLessThan(error(stages[0].height));
  });

  it('cells that are not square, and numbers that look like codes', async () => {
    const long = { ...field, ground: { ...field.ground, depth: field.ground.depth * 1.5 } };
    const cells = (await lookedAt(await written(long))).find((f) => f.id === 'cells')!;
    expect(cells.message).toMatch(/10 m from east to west, 15 m from north to south/);
    const unit = { ...field, height: field.height.map((h) => h / 700) };
    expect((await lookedAt(await written(unit))).find((f) => f.id === 'like-codes')!.message).toMatch(/a share of 0 to 1 and not like metres/);
  });
});

describe('raw bytes without facts', () => {
  const cases = (['u8', 'u16', 's16', 'u32', 'f32', 'f64'] as const).flatMap((type, t) =>
    (type === 'u8' ? (['le'] as const) : (['le', 'be'] as const)).flatMap((order, o) =>
      (
        [
          [96, 80],
          [75, 131],
        ] as const
      ).map(([across, down], k) => ({ type, order, across, down, seed: 10 * t + 2 * o + k })),
    ),
  );

  it('there are twenty cases at least', () => expect(cases.length).toBeGreaterThanOrEqual(20));

  it.each(cases)(
    '$type $order $across × $down: the right reading comes first, on fractal ground and with noise',
    async ({ type, order, across, down, seed }) => {
      const next = random(seed + 1);
      for (const noise of [0, 4]) {
        const rough = fractal(groundOf(across, down, 10, 'area'), { seed: seed + 1, gain: 0.55, height: 200 });
        const of = { ...rough, height: rough.height.map((h) => h + noise * (next() - 0.5)) };
        const { bytes } = await encode(of, { format: 'raw', type, range: type[0] === 'f' ? undefined : { low: 0, high: 700 }, options: { order } });
        const [first] = rankRawReadings(bytes);
        // Codes under the middle read alike with and without a sign.
        const same = [type, ...(type === 'u32' ? ['s32'] : type === 'u16' ? ['s16'] : type === 's16' ? ['u16'] : [])].map(
          (t) => `raw:${t}:${order}:${across}x${down}`,
        );
        expect(same, JSON.stringify(rankRawReadings(bytes, 3))).toContain(first.as);
      }
    },
  );
});

describe('several files as one ground', () => {
  const whole = fractal(groundOf(101, 101, 10), { seed: 5, height: 200 });
  const part = (left: number, top: number): Field => ({
    ground: groundOf(51, 51, 10),
    height: Float32Array.from({ length: 51 * 51 }, (_, i) => whole.height[(top + Math.floor(i / 51)) * 101 + left + (i % 51)]),
  });
  const names = ['fell_0_0.png', 'fell_0_1.png', 'fell_1_0.png', 'fell_1_1.png'];
  const parts = [part(0, 0), part(50, 0), part(0, 50), part(50, 50)];

  it('are laid out by their names', () => {
    expect(layoutByNames(names)).toEqual([
      { row: 0, column: 0 },
      { row: 0, column: 1 },
      { row: 1, column: 0 },
      { row: 1, column: 1 },
    ]);
    expect(layoutByNames(['a_x3_y7.tif', 'a_x4_y7.tif'])).toEqual([
      { row: 0, column: 0 },
      { row: 0, column: 1 },
    ]);
    expect(layoutByNames(['one.png', 'two.png'])).toBeNull();
    expect(layoutByNames(['a_1_1.png', 'b_1_1.png'])).toBeNull();
  });

  it('meet without a seam, and what lies the wrong way round is named', () => {
    const fields = parts.map((f, i) => ({ name: names[i], field: f }));
    const seams = seamsOf(laidByNames(fields, layoutByNames(names)!));
    expect(seams.length).toBeGreaterThanOrEqual(4);
    for (const seam of seams) expect(seam.rmse).toBeLessThan(1e-4);
    const wrong = fields.map((f, i) => (i === 1 ? { ...f, field: flipRows(f.field) } : f));
    const found = seamsOf(laidByNames(wrong, layoutByNames(names)!)).find((s) => s.b === names[1])!;
    expect(found.rmse).toBeGreaterThan(1);
    expect(found.better).toMatchObject({ flip: 'rows' });
    const turned = fields.map((f, i) => (i === 1 ? { ...f, field: turn(f.field, 90) } : f));
    expect(seamsOf(laidByNames(turned, layoutByNames(names)!)).find((s) => s.b === names[1])!.better).toMatchObject({ turn: 270 });
  });

  it('by their places, and put together by the step sample for sample', async () => {
    const placed = parts.map((f, i) => ({
      name: names[i],
      field: { ...f, ground: { ...f.ground, georeference: { west: 1000 + 500 * (i % 2), north: 9000 - 500 * (i >> 1), crs: '' } } },
    }));
    const pieces = laidByPlace(placed)!;
    expect(pieces.map((p) => [p.east, p.south])).toEqual([
      [0, 0],
      [500, 0],
      [0, 500],
      [500, 500],
    ]);
    const files = await Promise.all(parts.map((p) => written(p)));
    const shas = await Promise.all(files.map((f) => sha256(f)));
    const course = makeCourse('m', whole.ground, [
      stepUse('mosaic', { pieces: pieces.map((p, i) => ({ asset: shas[i], east: p.east, south: p.south, width: 500, depth: 500 })) }),
    ]);
    const load = { kernels, asset: async (sha: string) => files[shas.indexOf(sha)] };
    const { height, stages } = await evaluate(course, load);
    expect(stages[0].fault).toBeUndefined();
    expect(firstWrong(height.length, (i) => Math.abs(height[i] - whole.height[i]) < 1e-4)).toBe(-1);
    // One file less: its part has no height, is said, and can be filled.
    const three = makeCourse('m', whole.ground, [
      stepUse('mosaic', { pieces: pieces.slice(0, 3).map((p, i) => ({ asset: shas[i], east: p.east, south: p.south, width: 500, depth: 500 })) }),
      stepUse('fill-voids'),
    ]);
    const filled = await evaluate(three, load);
    expect(filled.stages[0].words[0]).toMatch(/2.500 samples are covered by none/);
    expect(filled.stages[1].words[0]).toMatch(/2.500 samples in 1 hole/);
  });
});

describe('an asset is read as it was settled', () => {
  it('two codes, feet, flips, turns and frames; and the course follows when that changes', async () => {
    const bytes = await written(field, 'u8', { low: 0, high: 600 });
    const sha = await sha256(bytes);
    const course = makeCourse('a', groundOf(64), [stepUse('raster', { asset: sha })]);
    const heightsWith = async (reading: AssetReading) => {
      const { height, stages } = await evaluate(
        { ...course, assets: { [sha]: { name: 'a.png', bytes: bytes.length, reading } } },
        { kernels, asset: async () => bytes },
      );
      expect(stages[0].fault).toBeUndefined();
      return height;
    };
    const codes = await heightsWith({});
    const metres = await heightsWith({ map: { code0: 0, height0: 100, code1: 255, height1: 610 } });
    for (let i = 0; i < codes.length; i += 37) expect(metres[i]).toBeCloseTo(100 + 2 * codes[i], 3);
    expect((await heightsWith({ feet: true }))[50]).toBeCloseTo(codes[50] * 0.3048, 3);
    const flipped = await heightsWith({ flip: 'rows' });
    for (let i = 0; i < 64; i++) expect(flipped[i]).toBeCloseTo(codes[63 * 64 + i], 3);
    const framed = await heightsWith({ crop: { left: 0, top: 0, across: 64, down: 64 } });
    expect(framed).not.toEqual(codes);
    const { stages } = await evaluate(
      { ...course, assets: { [sha]: { name: 'a.png', bytes: bytes.length, reading: { crop: { left: 190, top: 0, across: 64, down: 64 } } } } },
      { kernels, asset: async () => bytes },
    );
    expect(stages[0].fault).toMatch(/The frame reaches from column 190 to 254/);
  });
});
