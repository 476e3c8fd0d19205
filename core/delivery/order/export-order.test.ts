import { describe, expect, it } from 'vitest';
import { groundOf } from '../../../tests/helpers/grounds';
import { evaluate } from '../../course/evaluate';
import { makeCourse, makeTributary, stepUse, type Course } from '../../course/schema';
import { maskUse } from '../../course/where';
import { StoppedError } from '../../errors';
import { fieldFrom, makeField } from '../../field/field';
import { sha256 } from '../../field/hash';
import { readHeightmap } from '../../formats';
import { encodePicture } from '../../formats/picture';
import { decodePlanes, type Image } from '../../formats/png';
import { inlineKernels } from '../../kernels/pool';
import { readMesh } from '../../mesh/formats';
import { bundle } from '../bundle';
import { deliveryReportToHtml } from '../report/delivery-report';
import { encode } from '../heights/encode';
import { exportOrder } from './export-order';
import type { ExportedFile } from './files';
import { courseOfSource, orderForReceiver, planOf } from './plan';
import { orderSchema, type Order } from '../../course/recipe';
import { receivers } from '../heights/receivers';
import type { DeliveryReport } from '../report/delivery-report';
import { proveImage } from '../maps/draw';
import { buffersOfWritten, performWriteTask, remoteWriter, type Writer } from '../writer';

const kernels = inlineKernels();
const terrain: Course = {
  ...makeCourse(
    'Høst & <Fell>',
    { ...groundOf(129, 129, 8), sea: 20 },
    [
      stepUse('noise', { feature: 400, octaves: 4, height: 120 }, { id: 'base', name: 'Base' }),
      stepUse(
        'talus',
        { repose: 30, sweeps: 20 },
        { id: 'scree', name: 'Scree', where: { masks: [maskUse('slope', { low: 5, high: 90, softness: 5 })], combine: 'multiply' } },
      ),
    ],
    [makeTributary('Crags', [stepUse('landform', {}, { id: 'dome' })], 'crags')],
  ),
  spots: [{ id: 's', name: 'Cairn', east: 512, south: 256 }],
};

async function all(order: Order, course = terrain): Promise<{ files: ExportedFile[]; docket: DeliveryReport }> {
  const run = exportOrder(course, orderSchema.parse(order), { kernels });
  const files: ExportedFile[] = [];
  for (;;) {
    const next = await run.next();
    if (next.done) return { files, docket: next.value };
    files.push(next.value);
  }
}

const begun = (id: string, samples = 129) =>
  orderForReceiver(
    receivers.find((r) => r.id === id)!,
    terrain,
    samples,
  );
const whole = () => evaluate(terrain, { kernels });

describe('an order', () => {
  it.each([
    ['power-of-two-plus-one', 129],
    ['power-of-two', 128],
    ['patch-grid', 127],
    ['displacement-plane', 129],
    ['displacement-metres', 129],
    ['block-world', 128],
    ['elevation-grid', 129],
    ['printed-model', 129],
  ])('for %s gives its file, proofed, and a docket with every number', async (id, samples) => {
    const { files, docket } = await all(begun(id, samples));
    const [first] = files;
    expect(first.proof!.ok).toBe(true);
    expect(first.toTypeIn.length).toBeGreaterThan(1);
    expect(first.name).toMatch(/^ho-st-fell|^h-st-fell/);
    const html = files.find((f) => f.name.endsWith('docket.html'))!;
    const text = new TextDecoder().decode(html.bytes);
    expect(text).toContain(first.proof!.sha256);
    for (const line of first.toTypeIn) expect(text).toContain(line.label);
    expect(text).not.toContain('<Fell>');
    expect(docket.spots[0]).toMatchObject({ name: 'Cairn', before: null });
  });

  it('says what a spot’s height was, is, and will be, to half a code', async () => {
    const order = begun('power-of-two-plus-one');
    const { docket, files } = await all({ ...order, height: { ...order.height, type: 'u8' } });
    const [spot] = docket.spots;
    const reading = await readHeightmap(files[0].bytes);
    const heights = Object.fromEntries(files[0].toTypeIn.map((l) => [l.label, Number(l.value.replace(' m', ''))]));
    const low = heights['Height of code 0'];
    const read = low + (reading.samples[32 * 129 + 64] / 255) * (heights['Height of code 255'] - low);
    expect(spot.delivered).toBeCloseTo(read, 9);
    expect(Math.abs(spot.delivered - spot.now)).toBeLessThanOrEqual((heights['Metres a code'] / 2) * 1.001);
  });

  it('at another count is worked out anew there, and never scaled up', async () => {
    const order = begun('elevation-grid', 257);
    const { files } = await all(order);
    const finer = await evaluate({ ...terrain, ground: { ...terrain.ground, across: 257, down: 257 } }, { kernels });
    expect(Float32Array.from((await readHeightmap(files[0].bytes)).samples)).toEqual(finer.height);
  });

  it('of a frame is that part of the whole, at its own place', async () => {
    const frame = { west: 256, north: 128, width: 512, depth: 512 };
    const order = { ...begun('elevation-grid', 65), frame };
    const plan = planOf(terrain, order);
    expect(plan.window).toEqual({ left: 32, top: 16, across: 65, down: 65 });
    const reading = await readHeightmap((await all(order)).files[0].bytes);
    const { height } = await whole();
    expect(reading.samples[0]).toBe(height[16 * 129 + 32]);
    expect(reading.samples[64 * 65 + 64]).toBe(height[80 * 129 + 96]);
    expect(() => planOf(terrain, { ...order, frame: { ...frame, west: 900 } })).toThrow(/beyond the ground/);
  });

  it('cut at its own spacing leaves samples as they are; carried on it has a flat strip', async () => {
    const { height } = await whole();
    const cut = await all({ ...begun('elevation-grid', 101), fit: 'crop' });
    expect((await readHeightmap(cut.files[0].bytes)).samples[0]).toBe(height[14 * 129 + 14]);
    const grown = (await readHeightmap((await all({ ...begun('elevation-grid', 140), fit: 'extend' })).files[0].bytes)).samples;
    expect([grown[139], grown[130]]).toEqual([height[128], height[128]]);
  });

  it('of several grounds has each of them: before and after weathering, and a tributary', async () => {
    const order: Order = { ...begun('elevation-grid'), grounds: [{ kind: 'end' }, { kind: 'step', id: 'base' }, { kind: 'tributary', id: 'crags' }] };
    const { files } = await all(order);
    const tiffs = files.filter((f) => f.name.endsWith('.tif'));
    expect(tiffs.map((f) => f.name.replace(/^.*?-129/, ''))).toEqual(['.tif', '-after-base.tif', '-crags.tif']);
    const { stages } = await whole();
    expect(Float32Array.from((await readHeightmap(tiffs[1].bytes)).samples)).toEqual(stages[0].height);
    expect(() => courseOfSource(terrain, { kind: 'step', id: 'gone' })).toThrow(/not there any more/);
  });

  it('of several grounds shares one range where that is asked for: equal codes are equal heights', async () => {
    const order: Order = { ...begun('power-of-two-plus-one'), grounds: [{ kind: 'end' }, { kind: 'tributary', id: 'crags' }] };
    expect(order.height.oneRange).toBe(true);
    const rangesOf = async (oneRange: boolean) => {
      const { files, docket } = await all({ ...order, height: { ...order.height, oneRange } });
      const heights = files.filter((f) => f.role === 'heights');
      return { said: heights.map((f) => f.toTypeIn.filter((l) => l.label.startsWith('Height of code')).map((l) => l.value)), words: docket.words.join(' ') };
    };
    const one = await rangesOf(true);
    expect(one.said[0]).toEqual(one.said[1]);
    expect(one.words).toMatch(/All 2 grounds are written on one range/);
    const each = await rangesOf(false);
    expect(each.said[0]).not.toEqual(each.said[1]);
    const [end, crags] = [(await whole()).height, (await evaluate(courseOfSource(terrain, { kind: 'tributary', id: 'crags' }), { kernels })).height];
    const [low, high] = [Math.min(...end, ...crags), Math.max(...end, ...crags)];
    expect(one.said[0].map((v) => parseFloat(v))).toEqual([Math.floor(low), Math.ceil(high)]);
  });

  it('carries maps on at their edges as it does heights', async () => {
    const { files } = await all({
      ...begun('power-of-two-plus-one'),
      receiver: receivers.find((r) => r.id === 'elevation-grid')!,
      height: begun('elevation-grid').height,
      samples: 140,
      fit: 'extend',
      maps: [
        { kind: 'slope', depth: '32f' },
        { kind: 'normal', space: 'tangent', green: 'up', bits: 8 },
      ],
    });
    const slope = await readHeightmap(files.find((f) => f.name.includes('-slope'))!.bytes);
    expect([slope.width, slope.height]).toEqual([140, 140]);
    expect(slope.samples[139]).toBe(slope.samples[128]);
    const normal = await decodePlanes(files.find((f) => f.role === 'normal')!.bytes);
    expect([normal.width, normal.height]).toEqual([140, 140]);
    expect(normal.planes.map((plane) => plane[139])).toEqual(normal.planes.map((plane) => plane[128]));
  });

  it('takes a layer as it was after a step', async () => {
    const twice: Course = { ...terrain, stem: [...terrain.stem, stepUse('talus', { repose: 20, sweeps: 40 }, { id: 'more' })] };
    const layer = async (after: string) => {
      const { files } = await all({ ...begun('elevation-grid'), maps: [{ kind: 'layer', layer: 'loose', after, depth: '32f' }] }, twice);
      return Float32Array.from((await readHeightmap(files.find((f) => f.name.includes('-loose'))!.bytes)).samples);
    };
    const { stages, layers } = await evaluate(twice, { kernels });
    expect(await layer('')).toEqual(layers.loose);
    expect(await layer('scree')).toEqual(stages[1].layers.loose);
    expect(await layer('scree')).not.toEqual(await layer(''));
    await expect(layer('gone')).rejects.toThrow(/not on this ground’s line/);
  });

  it('in tiles has heights and maps in tiles, whose shared edges are equal to the bit', async () => {
    const order: Order = {
      ...begun('power-of-two-plus-one'),
      tiles: { across: 2, down: 2, shared: true, pattern: '{name}_x{x}_y{y}' },
      maps: [{ kind: 'normal', space: 'tangent', green: 'up', bits: 8 }],
    };
    const { files } = await all(order);
    const heights = files.filter((f) => f.title.startsWith('Heights'));
    expect(heights.length).toBe(4);
    const [nw, ne] = await Promise.all(heights.slice(0, 2).map((f) => readHeightmap(f.bytes)));
    for (let row = 0; row < 65; row++) expect(nw.samples[row * 65 + 64]).toBe(ne.samples[row * 65]);
    const normals = files.filter((f) => f.name.includes('normal'));
    expect(normals.map((f) => f.name)).toContain(heights[3].name.replace('.png', '-normal.png'));
    const [a, b] = await Promise.all(normals.slice(0, 2).map((f) => readHeightmap(f.bytes, undefined, { band: 1 })));
    for (let row = 0; row < 65; row++) expect(a.samples[row * 65 + 64]).toBe(b.samples[row * 65]);
  });

  it('gives the same bundle every time', async () => {
    const order: Order = { ...begun('power-of-two-plus-one'), maps: [{ kind: 'slope', depth: '8' }, { kind: 'colour' }, { kind: 'weights', bits: 8 }] };
    const packed = async () => {
      const pieces: Uint8Array[] = [];
      await bundle(exportOrder(terrain, order, { kernels }), (piece) => void pieces.push(piece));
      return Buffer.concat(pieces);
    };
    expect((await packed()).equals(await packed())).toBe(true);
  });

  it('writes on another thread what it writes here', async () => {
    const order: Order = { ...begun('power-of-two-plus-one'), maps: [{ kind: 'normal' } as Order['maps'][number], { kind: 'slope', depth: '8' }] };
    const there = remoteWriter(async (task, buffers) => {
      const moved = structuredClone(task, { transfer: buffers });
      const written = await performWriteTask(moved);
      return structuredClone(written, { transfer: buffersOfWritten(written) });
    });
    const files = async (writer?: Writer) => {
      const out: string[] = [];
      for await (const { name, bytes } of exportOrder(terrain, orderSchema.parse(order), { kernels, writer })) out.push(`${name} ${await sha256(bytes)}`);
      return out;
    };
    expect(await files(there)).toEqual(await files());
  });

  it('gives the masks of several steps, and one map twice, names of their own', async () => {
    const ridge = { ...terrain.stem[1], id: 'ridge', name: 'Ridge' };
    const course = { ...terrain, stem: [...terrain.stem, ridge] };
    const maps: Order['maps'] = [
      { kind: 'mask', use: 'scree', depth: '8' },
      { kind: 'mask', use: 'ridge', depth: '8' },
      { kind: 'slope', depth: '8' },
      { kind: 'slope', depth: '16' },
    ];
    const { files } = await all({ ...begun('power-of-two-plus-one'), maps }, course);
    const names = files.map((f) => f.name).filter((n) => /mask|slope/.test(n));
    expect(names.map((n) => n.replace(/^.*?-129-/, ''))).toEqual(['mask-scree.png', 'mask-ridge.png', 'slope.png', 'slope-2.png']);
  });

  it('writes maps of values as raw with an order of their own, and says all that has to be typed in', async () => {
    const base = { ...begun('power-of-two-plus-one'), maps: [{ kind: 'slope', depth: '16' }] as Order['maps'] };
    const { files } = await all({ ...base, mapsAs: { format: 'raw', order: 'be', rows: 'south' } });
    const raw = files.find((f) => /slope\.(raw|r16)$/.test(f.name))!;
    expect(raw.bytes.length).toBe(2 * 129 * 129);
    expect(raw.toTypeIn.map((t) => t.value)).toEqual(expect.arrayContaining(['big-endian', 'the south edge', '129 × 129, 16-bit whole numbers, one channel']));
    const png = (await all(base)).files.find((f) => f.name.endsWith('slope.png'))!;
    const [{ samples }] = [(await decodePlanes(png.bytes)).planes].map(([samples]) => ({ samples }));
    const view = new DataView(raw.bytes.buffer, raw.bytes.byteOffset);
    const wrong = [...samples].findIndex((code, i) => view.getUint16(2 * ((128 - Math.floor(i / 129)) * 129 + (i % 129)), false) !== code);
    expect(wrong).toBe(-1);
    const tiff = (await all({ ...base, mapsAs: { format: 'tiff', order: 'le', rows: 'north' } })).files.find((f) => /slope\.tiff?$/.test(f.name))!;
    expect((await readHeightmap(tiff.bytes)).width).toBe(129);
  });

  it('writes pictures of several channels as TIFF or raw too; each is proofed, and a fault in it is found', async () => {
    const maps = [{ kind: 'normal', bits: 16 }, { kind: 'colour' }, { kind: 'weights', bits: 8 }] as Order['maps'];
    const order = orderSchema.parse({ ...begun('power-of-two-plus-one'), maps });
    const pngs = (await all(order)).files.filter((f) => /(normal|colour|weights)\./.test(f.name));
    expect(pngs.length).toBe(3);
    for (const as of [
      { format: 'tiff', order: 'le', rows: 'north' },
      { format: 'raw', order: 'be', rows: 'south' },
      { format: 'raw', order: 'le', rows: 'north' },
    ] as const) {
      const { files } = await all({ ...order, mapsAs: as });
      for (const png of pngs) {
        const { width, height, planes } = await decodePlanes(png.bytes);
        const wide = planes[0] instanceof Uint16Array;
        const samples = wide ? new Uint16Array(width * height * planes.length) : new Uint8Array(width * height * planes.length);
        for (let i = 0; i < samples.length; i++) samples[i] = planes[i % planes.length][Math.floor(i / planes.length)];
        const image: Image = { width, height, channels: planes.length as 3 | 4, samples };
        const own = files.find((f) => f.name.startsWith(png.name.replace(/png$/, '')))!;
        expect(own.proof?.ok).toBe(true);
        expect(own.meaning).toBe(png.meaning);
        expect(own.bytes).toEqual(encodePicture(image, as));
        if (as.format === 'raw') expect(own.toTypeIn.map((t) => t.value)).toContain(as.order === 'be' ? 'big-endian' : 'little-endian');
        // Swapped bytes, turned rows, one sample altered, cut short.
        const others = as.format === 'raw' ? [{ ...as, rows: as.rows === 'south' ? ('north' as const) : ('south' as const) }] : [];
        if (as.format === 'raw' && wide) others.push({ ...as, order: as.order === 'be' ? 'le' : 'be' } as never);
        for (const other of others) expect((await proveImage(encodePicture(image, other), image, as)).ok).toBe(false);
        const altered = samples.slice();
        altered[777] ^= 1;
        expect((await proveImage(encodePicture({ ...image, samples: altered }, as), image, as)).faults[0]).toMatch(/1 of its numbers/);
        expect((await proveImage(own.bytes.slice(0, -40), image, as)).ok).toBe(false);
      }
    }
  });

  it('with a count, a depth, a name or tiles that cannot be ends with a sentence', async () => {
    await expect(all(begun('power-of-two-plus-one', 128))).rejects.toThrow(/128 is not a power of two plus one/);
    const order = begun('power-of-two-plus-one');
    await expect(all({ ...order, height: { ...order.height, type: 'f64' } })).rejects.toThrow(/does not take PNG with f64/);
    await expect(all({ ...order, height: { ...order.height, name: 'a/b.png' } })).rejects.toThrow(/cannot hold/);
    await expect(all({ ...order, tiles: { across: 3, down: 3, shared: true, pattern: '{name}{x}{y}' } })).rejects.toThrow(/do not part/);
    await expect(all({ ...order, height: { ...order.height, range: { low: 5, high: 5 } } })).rejects.toThrow(/upper end/);
    const broken = { ...terrain, stem: [...terrain.stem, stepUse('raster', {}, { id: 'r', name: 'Survey' })] };
    await expect(all(order, broken)).rejects.toThrow(/“Survey” cannot be done/);
  });

  it('of a ground with holes writes them as no data where there is a value for it, and says so where there is none', async () => {
    const survey = fieldFrom(groundOf(129, 129, 8), (east) => east / 4);
    const holed = makeField(survey.ground, survey.height, new Uint8Array(129 * 129).fill(1).fill(0, 5000, 5040));
    const { bytes } = await encode(holed, { format: 'tiff', type: 'f32' });
    const sha = await sha256(bytes);
    const course: Course = { ...terrain, stem: [stepUse('raster', { asset: sha }, { id: 'survey' })], tributaries: [] };
    const options = { kernels, asset: async () => bytes };
    const run = async (order: Order) => {
      const next = await exportOrder(course, order, options).next();
      return next.value as ExportedFile;
    };
    const floats = await readHeightmap((await run(begun('elevation-grid'))).bytes);
    expect(floats.noData).toBe(-9999);
    expect(Array.from(floats.samples).filter((v) => v === -9999).length).toBe(40);
    const codes = begun('power-of-two-plus-one');
    await expect(run(codes)).rejects.toThrow(/Fill the holes first, or write floats or give a no-data code/);
    await expect(run({ ...codes, height: { ...codes.height, noData: 0 } })).rejects.toThrow(/come to 0, the code for no data/);
    const file = await run({ ...codes, height: { ...codes.height, noData: 0, range: { low: -10, high: 300 } } });
    expect(file.proof!.ok).toBe(true);
    expect(file.toTypeIn).toContainEqual({ label: 'No data', value: '0' });
    const filled = { ...course, stem: [...course.stem, stepUse('fill-voids', {}, { id: 'fill' })] };
    expect(((await exportOrder(filled, codes, options).next()).value as ExportedFile).proof!.ok).toBe(true);
  });

  it.each(['png', 'raw'] as const)('of a ground with holes has maps of floats that know nothing there, as %s; codes stay closed', async (format) => {
    const survey = fieldFrom(groundOf(129, 129, 8), (east) => east / 4);
    const { bytes } = await encode(makeField(survey.ground, survey.height, new Uint8Array(129 * 129).fill(1).fill(0, 5000, 5040)), {
      format: 'tiff',
      type: 'f32',
    });
    const course: Course = { ...terrain, stem: [stepUse('raster', { asset: await sha256(bytes) }, { id: 'survey' })], tributaries: [] };
    const order: Order = {
      ...begun('elevation-grid'),
      maps: [
        { kind: 'slope', depth: '32f' },
        { kind: 'slope', depth: '16' },
      ],
      mapsAs: { format, order: 'le', rows: 'north' },
    };
    const files: ExportedFile[] = [];
    for await (const file of exportOrder(course, order, { kernels, asset: async () => bytes })) files.push(file);
    const [floats, codes] = files.filter((f) => f.role === 'map');
    expect(floats.toTypeIn).toContainEqual({ label: 'No data', value: '-9999' });
    expect(codes.toTypeIn.some((t) => t.label === 'No data')).toBe(false);
    const reading = await readHeightmap(floats.bytes, format === 'raw' ? 'raw:f32:le:129x129' : undefined);
    const unknown = Array.from(reading.samples, (v, i) => (v === -9999 ? i : -1)).filter((i) => i >= 0);
    // The forty of one row, those above and below them, and one more at either end.
    expect(unknown.length).toBe(3 * 42);
    // A plane that rises a quarter of a metre a metre: its slope elsewhere is the same.
    expect(Math.max(...Array.from(reading.samples).filter((v) => v !== -9999))).toBeCloseTo((180 / Math.PI) * Math.atan(0.25), 3);
  });

  it('stops when it is told to', async () => {
    const stop = AbortSignal.abort();
    await expect(exportOrder(terrain, begun('elevation-grid'), { kernels, signal: stop }).next()).rejects.toThrow(StoppedError);
  });

  it('for printing is a closed solid in millimetres', async () => {
    const { files } = await all(begun('printed-model'));
    const mesh = readMesh(files[0].bytes);
    expect(mesh.up).toBe('z');
    expect(files[0].toTypeIn.find((l) => l.label === 'Size')!.value).toMatch(/^20\.48 × 20\.48 × /);
  });
});

describe('a docket', () => {
  it('has what stands at the border, the receiver’s note, and whether a file is data or colour', async () => {
    const { docket } = await all({ ...begun('block-world', 128), maps: [{ kind: 'colour' }] });
    expect(docket.words.join(' ')).toMatch(/sea stands at row 62/);
    expect(docket.words.join(' ')).toMatch(/country at 62 m/);
    expect(deliveryReportToHtml(docket)).toContain('colour (sRGB)');
    expect(deliveryReportToHtml(docket)).toContain('data, to be read as it is');
  });
});
