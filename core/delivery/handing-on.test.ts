import { unzipSync } from 'fflate';
import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../tests/helpers/grounds';
import { ambientShade } from '../analysis/ambient';
import { normalMap } from '../analysis/surface';
import { evaluate } from '../course/evaluate';
import { makeCourse, stepUse } from '../course/schema';
import { maskUse } from '../course/where';
import { fieldFrom, makeField } from '../field/field';
import { makeGround } from '../field/ground';
import { statistics } from '../field/statistics';
import { flipColumns, flipRows, turn } from '../field/turn';
import { encodeImage } from '../formats/png';
import { readHeightmap } from '../formats';
import { inlineKernels } from '../kernels/pool';
import { boundsOf } from '../mesh/mesh';
import { solidOf } from '../mesh/model/solid';
import { stl } from '../mesh/formats/stl';
import { bundle } from './bundle';
import { calibrationOn, CORNERS } from './report/calibration';
import { coverWeights, groundColour, packWeights, ranks, defaultCover } from './maps/cover';
import { coverSchema, mapSchema } from '../course/recipe';
import { deliver } from './heights/deliver';
import { encode } from './heights/encode';
import { drawMap, MAPS, proveImage, writeMap } from './maps/draw';
import { compareBorder, describeBorder, prepare, scaleToFit, type HeightChoice } from './heights/prepare';
import { receiverSchema } from '../course/receiver';
import { badName, fileNameFor, groundForReceiver, readReceiver, receivers, safeName, sizesOfReceiver, whyReceiverRefuses } from './heights/receivers';
import { extendEdges, tileName, tileSides, tilesOf } from './heights/tiles';
import { symptomsOf, symptomsOfNormals, misread, type MisreadSettings } from './report/misread';

const kernels = inlineKernels();
const field = hills(groundOf(65, 65, 8), 3);
const { lowest, highest } = statistics(field);
const receiver = (id: string) => receivers.find((r) => r.id === id)!;
const plain: HeightChoice = { format: 'png', type: 'u16', range: null, scale: null };

describe('receivers', () => {
  it('are receivers by their own schema, and read back from their own JSON', () => {
    for (const r of receivers) expect(readReceiver(JSON.stringify(r))).toEqual(receiverSchema.parse(r));
  });

  it('of patches take 2 017 = 16 × 2 × 63 + 1 (common practice) and no other count beside it', () => {
    const patches = receiver('patch-grid');
    expect(whyReceiverRefuses(patches, 2017)).toBeNull();
    expect(whyReceiverRefuses(patches, 2048)).toMatch(/flat strip of \d+ samples/);
    const offers = sizesOfReceiver(patches, groundOf(2017));
    const own = offers.find((o) => o.own)!;
    expect(own.patching!.patches * own.patching!.split * own.patching!.faces + 1).toBe(2017);
    expect(offers.map((o) => o.samples)).toEqual([...offers.map((o) => o.samples)].sort((a, b) => a - b));
  });

  it('say what the nearest sizes cost: metres from sample to sample, metres left out or added', () => {
    const offers = sizesOfReceiver(receiver('power-of-two-plus-one'), groundOf(1000, 1000, 2));
    expect(offers.map((o) => o.samples)).toEqual([129, 257, 513, 1025, 2049]);
    const smaller = offers.find((o) => o.samples === 513)!;
    expect(smaller.spacing).toBeCloseTo(1998 / 512, 9);
    expect(smaller.leavesOut).toBeCloseTo((1000 - 513) * 2, 9);
    expect(offers.find((o) => o.samples === 1025)!.leavesOut).toBeCloseTo(-50, 9);
  });

  it('keep the land’s shape where they take any: 2 : 1 stays 2 : 1', () => {
    expect(groundForReceiver(receiver('elevation-grid'), groundOf(201, 101, 10), 401)).toMatchObject({ across: 401, down: 201, width: 2000, depth: 1000 });
  });

  it.each([
    ['{', 'not JSON'],
    ['{"id":"Räuber"}', 'cannot be used: id'],
    [JSON.stringify({ ...receivers[0], formats: [{ format: 'png', types: ['f64'] }] }), 'PNG is not written with f64'],
    [JSON.stringify({ ...receivers[0], formats: [{ format: 'doc', types: ['u8'] }] }), 'no format "doc"'],
    [JSON.stringify({ ...receiver('block-world'), heights: { by: 'blocks', floor: 9, ceiling: 9, water: 9, edge: 1 } }), 'ceiling'],
    [JSON.stringify({ ...receivers[0], heights: { by: 'range', codes: { low: 9, high: 3 } } }), 'higher code'],
    [JSON.stringify({ ...receiver('patch-grid'), sizes: { kind: 'patches', faces: [900], splits: [16], most: 100 } }), 'no count of patches'],
  ])('out of nonsense are refused with a sentence: %s', (text, words) => {
    expect(() => readReceiver(text)).toThrow(words);
  });

  it('name files so that every file system takes them', () => {
    expect(safeName('CON')).toBe('con-file');
    expect(badName('a/b.png')).toMatch(/cannot hold/);
    expect(badName('x.')).toMatch(/end in a dot/);
    expect(badName('lpt1.raw')).toMatch(/keep for themselves/);
    expect(badName('')).toMatch(/needs a name/);
    expect(badName('heightmap-1.png')).toBeNull();
    expect(fileNameFor(receiver('printed-model'), 'Sallow Pit', 300, 'stl', '')).toBe('sallow-pit-1-to-50000.stl');
  });
});

describe('heights for a receiver', () => {
  /** What the receiver gets: its own reading of the file's codes. */
  async function got(p: ReturnType<typeof prepare>, height: (code: number) => number): Promise<number[]> {
    const { bytes } = await encode(p.field, p.encoding);
    return Array.from((await readHeightmap(bytes, undefined)).samples, height);
  }
  const worst = (a: ArrayLike<number>, b: ArrayLike<number>) => Array.from(a).reduce((m, v, i) => Math.max(m, Math.abs(v - b[i])), 0);

  it('between two codes that are not the ends of the type come back by those two', async () => {
    const widened = receiverSchema.parse({ ...receivers[0], heights: { by: 'range', codes: { low: 0, high: 65_280 } } });
    const p = prepare(field, widened, { ...plain, range: { low: lowest, high: highest } });
    const back = await got(p, (code) => lowest + (code / 65_280) * (highest - lowest));
    expect(worst(back, field.height)).toBeLessThanOrEqual(((highest - lowest) / 65_280) * 0.501);
  });

  it.each(['2^b', '2^b - 1'] as const)('counted from code 32 768 in %s steps come back by the scale that is said', async (steps) => {
    const rule = { by: 'zero' as const, code: 32_768, overAll: 512, steps };
    const p = prepare(field, receiverSchema.parse({ ...receiver('patch-grid'), heights: rule }), plain);
    const scale = Number(p.toTypeIn.find((l) => l.label === 'Vertical scale')!.value);
    const count = steps === '2^b' ? 65_536 : 65_535;
    const back = await got(p, (code) => ((code - 32_768) * 512 * scale) / count);
    expect(worst(back, field.height)).toBeLessThanOrEqual(((512 * scale) / count) * 0.501);
    // It is the smallest that fits: a hundredth less and the top is cut off.
    expect(scaleToFit(rule, 'u16', { lowest, highest })).toBe(scale);
    const less = prepare(field, receiverSchema.parse({ ...receiver('patch-grid'), heights: rule }), { ...plain, scale: scale * 0.99 });
    const { proof } = await deliver(less.field, 'x.png', less.encoding);
    expect(proof.clipped).toBeGreaterThan(0);
  });

  it('from 0 to 1 come back by strength and zero value, in floats and in 16 bits', async () => {
    for (const [format, type] of [
      ['tiff', 'f32'],
      ['exr', 'f32'],
      ['png', 'u16'],
    ] as const) {
      const p = prepare(field, receiver('displacement-plane'), { ...plain, format, type });
      const strength = Number(p.toTypeIn.find((l) => l.label === 'Strength')!.value.replace(' m', ''));
      const zero = Math.floor(lowest);
      const back = await got(p, (v) => zero + (type === 'u16' ? v / 65_535 : v) * strength);
      expect(worst(back, field.height), format).toBeLessThanOrEqual(type === 'u16' ? (strength / 65_535) * 0.501 : strength * 2 ** -22);
      const { proof } = await deliver(p.field, `x.${format}`, p.encoding);
      expect(proof.ok).toBe(true);
    }
    const ratio = prepare(field, receiver('displacement-plane'), { ...plain, format: 'tiff', type: 'f32' }).toTypeIn.find((l) => l.label.includes('width 1'))!;
    expect(Number(ratio.value)).toBeCloseTo((Math.ceil(highest) - Math.floor(lowest)) / 512, 5);
  });

  it('in blocks are the rounded ground, the sea at its row, nothing beyond floor and ceiling unsaid', async () => {
    const sea = Math.round(lowest + 20);
    const land = makeField({ ...field.ground, sea }, field.height);
    const p = prepare(land, receiver('block-world'), plain);
    const rows = await got(p, (code) => code - 64);
    expect(rows.findIndex((row, i) => row !== Math.min(319, Math.max(-64, Math.round(land.height[i] + 62 - sea))))).toBe(-1);
    const at = land.height.findIndex((h) => Math.abs(h - sea) < 0.4);
    expect(rows[at]).toBe(62);
    const tall = prepare(
      fieldFrom(groundOf(9), (east) => 9 * east),
      receiver('block-world'),
      plain,
    );
    expect(tall.cut).toBeGreaterThan(0);
    expect(tall.words.join(' ')).toMatch(/rise above the ceiling at row 319/);
    expect(() => prepare(land, receiver('block-world'), { ...plain, type: 'u8' })).toThrow(/more codes than 8 bits/);
  });

  it('refuse a range that is upside down, with a sentence', () => {
    expect(() => prepare(field, receivers[0], { ...plain, range: { low: 9, high: 3 } })).toThrow(/upper end has to lie above/);
    expect(() => prepare(field, receiver('displacement-plane'), { ...plain, format: 'tiff', type: 'f32', range: { low: 9, high: 9 } })).toThrow(/upper end/);
  });

  it('know the cliff, the wall and the wall of water at the border', () => {
    const slope = makeField({ ...groundOf(11, 11, 10), sea: 30 }, fieldFrom(groundOf(11, 11, 10), (east) => east).height);
    const border = compareBorder(slope, 40);
    expect(border).toMatchObject({ cliff: 60, wall: 40 });
    expect(border.water).toBeCloseTo(30, 6);
    expect(describeBorder(border, 40).join(' ')).toMatch(/cliff of up to 60 m.*wall of water up to 30 m/);
    expect(
      describeBorder(
        compareBorder(
          fieldFrom(groundOf(9), () => 40),
          40,
        ),
        40,
      ),
    ).toEqual(['The border meets country at 40 m.']);
  });
});

describe('tiles', () => {
  it.each([true, false])('put together are the whole, to the bit (shared edges: %s)', (shared) => {
    const whole = hills(groundOf(shared ? 65 : 64, shared ? 97 : 96, 4, shared ? 'point' : 'area'), 9);
    const tiling = { across: 4, down: 3, shared };
    const out = new Float32Array(whole.height.length).fill(NaN);
    for (const { column, row, field: tile } of tilesOf(whole, tiling)) {
      const { across, down, width } = tile.ground;
      expect(width).toBeCloseTo((shared ? across - 1 : across) * (whole.ground.width / (shared ? 64 : 64)), 9);
      for (let y = 0; y < down; y++) {
        for (let x = 0; x < across; x++) {
          const at = (row * (down - +shared) + y) * whole.ground.across + column * (across - +shared) + x;
          // A shared sample has the same bits in every tile that has it.
          if (out[at] === out[at] && out[at] !== tile.height[y * across + x]) throw new Error('edges differ');
          out[at] = tile.height[y * across + x];
        }
      }
    }
    expect(out).toEqual(whole.height);
  });

  it('that do not come out even are refused with counts that do', () => {
    expect(tileSides({ ground: groundOf(65) }, { across: 3, down: 1, shared: true })).toMatch(/Counts that do: 1, 2, 4, 8/);
    expect(() => [...tilesOf(field, { across: 3, down: 1, shared: true })]).toThrow(/do not part/);
  });

  it('are named by their place', () => {
    expect(tileName('t_x{x}_y{south}-{column}{row}', { column: 1, row: 0 }, { across: 2, down: 3, shared: true })).toBe('t_x1_y2-21');
  });
});

describe('a bundle', () => {
  it('opens again with every byte, comes in pieces, and is always the same', async () => {
    const files = [
      { name: 'a.png', bytes: new Uint8Array(9_000_000).map((_, i) => i * 7) },
      { name: 'b.json', bytes: new TextEncoder().encode('{}') },
    ];
    const write = async () => {
      const pieces: Uint8Array[] = [];
      await bundle(files, (piece) => void pieces.push(piece));
      return pieces;
    };
    const [one, two] = [await write(), await write()];
    expect(one.length).toBeGreaterThan(3);
    expect(Buffer.concat(one).equals(Buffer.concat(two))).toBe(true);
    const back = unzipSync(Buffer.concat(one));
    expect(Object.keys(back)).toEqual(['a.png', 'b.json']);
    expect(Buffer.from(back['a.png']).equals(Buffer.from(files[0].bytes))).toBe(true);
  });

  it('refuses two files of one name, and stops when the disk does', async () => {
    const twice = [1, 2].map(() => ({ name: 'x.png', bytes: new Uint8Array(3) }));
    await expect(bundle(twice, () => undefined)).rejects.toThrow(/Two files/);
    await expect(bundle(twice.slice(1), () => Promise.reject(new Error('The disk is full')))).rejects.toThrow(/disk is full/);
  });
});

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
    const { slope } = await import('../analysis/slope');
    const truth = slope({ ground: whole.ground, height: whole.height });
    let off = 0;
    for (let i = 0; i < truth.length; i++) off = Math.max(off, Math.abs(reading.samples[i] * step - truth[i]));
    expect(off).toBeLessThanOrEqual(depth === '32f' ? 0 : step * 0.501);
  });

  it('that are spoiled in one number fail their proof', async () => {
    const samples = normalMap(field);
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
    await expect(drawMap({ kind: 'layer', layer: 'water', depth: '8' }, course, whole, defaultCover(), options)).rejects.toThrow(/No step of this course/);
  });
});

describe('normals', () => {
  const at = (map: ArrayLike<number>, i: number) => [map[3 * i], map[3 * i + 1], map[3 * i + 2]];

  it('of a plane that rises 45° to the east are (37, 128, 218) within 1 (arithmetic: −0.7071, 0, 0.7071)', () => {
    const plane = fieldFrom(groundOf(9), (east) => east);
    expect(at(normalMap(plane), 40)).toEqual([37, 128, 218]);
    const wide = at(normalMap(plane, { bits: 16 }), 40);
    for (const [k, v] of [-Math.SQRT1_2, 0, Math.SQRT1_2].entries()) expect(Math.abs(wide[k] - (v * 0.5 + 0.5) * 65_535)).toBeLessThanOrEqual(1);
  });

  it.each(['tangent', 'world-y', 'world-z'] as const)('of a hemisphere are its own directions within a code in 16 bits, %s', (space) => {
    const [radius, n] = [4_000, 129];
    // Gentle enough a cap that Horn's differences meet the tangent.
    const ground = groundOf(n, n, 1);
    const cap = fieldFrom(ground, (east, south) => Math.sqrt(radius * radius - (east - 64) ** 2 - (south - 64) ** 2) - radius + 10);
    const map = normalMap(cap, { bits: 16, space });
    let off = 0;
    for (let row = 2; row < n - 2; row++) {
      for (let column = 2; column < n - 2; column++) {
        const [x, north] = [(column - 64) / radius, (64 - row) / radius];
        const up = Math.sqrt(1 - x * x - north * north);
        const wanted = space === 'world-y' ? [x, up, -north] : [x, north, up];
        for (const [k, v] of wanted.entries()) off = Math.max(off, Math.abs(map[3 * (row * n + column) + k] - (v * 0.5 + 0.5) * 65_535));
      }
    }
    expect(off).toBeLessThanOrEqual(1);
  });

  it('turn green over when +Y is down', () => {
    const north = fieldFrom(groundOf(9), (_, south) => -south);
    expect(normalMap(north)[121]).toBe(37);
    expect(normalMap(north, { green: 'down' })[121]).toBe(218);
  });
});

describe('ambient shade', () => {
  it('of level ground is 1, and of a hilltop', () => {
    const flat = ambientShade(fieldFrom(groundOf(33), () => 7));
    expect(flat.every((v) => v === 1)).toBe(true);
  });

  it('at the middle of a bowl with its rim at 45° is cos² 45° = ½ (arithmetic)', () => {
    const n = 201;
    const cone = fieldFrom(groundOf(n, n, 1), (east, south) => Math.min(80, Math.hypot(east - 100, south - 100)));
    const sky = ambientShade(cone, { directions: 32, exaggeration: 1 });
    // Lines run beside their true direction by up to half a sample, which counts most next to the middle.
    expect(Math.abs(sky[100 * n + 100] - 0.5)).toBeLessThan(0.025);
  });

  it('agrees with a horizon that is looked for sample by sample', () => {
    const small = hills(groundOf(48, 40, 5), 4);
    const { across, down } = small.ground;
    const sky = ambientShade(small, { directions: 4, exaggeration: 2 });
    // Four directions at 22.5° + 90° k… as the sweep has them: 45° and 135°, both ways.
    const truth = (column: number, row: number) => {
      let sum = 0;
      for (const [dx, dy] of [
        [1, 1],
        [-1, -1],
        [-1, 1],
        [1, -1],
      ]) {
        let horizon = 0;
        for (let k = 1; ; k++) {
          const [x, y] = [column + k * dx, row + k * dy];
          if (x < 0 || y < 0 || x >= across || y >= down) break;
          horizon = Math.max(horizon, (2 * (small.height[y * across + x] - small.height[row * across + column])) / (k * 5 * Math.SQRT2));
        }
        sum += 1 / (1 + horizon * horizon);
      }
      return sum / 4;
    };
    let off = 0;
    for (let row = 0; row < down; row++)
      for (let column = 0; column < across; column++) off = Math.max(off, Math.abs(sky[row * across + column] - truth(column, row)));
    expect(off).toBeLessThan(1e-6);
  });
});

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

describe('a trial reading', () => {
  const ground = hills(groundOf(129, 129, 8), 5);
  const stats = statistics(ground);
  const range = { low: Math.floor(stats.lowest), high: Math.ceil(stats.highest) };
  const raw = { format: 'raw', type: 'u16' as const, range };
  const seen = async (told: MisreadSettings, written: Parameters<typeof misread>[2] = raw) => {
    const { bytes } = await encode(ground, written);
    return (await misread(bytes, ground, written, told)).symptoms.map((s) => s.id);
  };

  it('told the truth shows the ground and no symptom', async () => {
    for (const format of ['raw', 'png', 'tiff']) expect(await seen({}, { ...raw, format }), format).toEqual([]);
    expect(await seen({}, { format: 'tiff', type: 'f32' })).toEqual([]);
  });

  it.each([
    ['another byte order', { order: 'be' }, 'spikes'],
    ['another width', { across: 128, down: 130 }, 'slanted'],
    ['rows from the south', { rows: 'south' }, 'mirrored'],
    ['a mirror', { mirrored: true }, 'mirrored'],
    ['a quarter turn', { turned: 90 }, 'mirrored'],
    ['twice the range', { range: { low: range.low, high: range.low + 2 * (range.high - range.low) } }, 'stretched'],
    ['another zero', { range: { low: range.low + 100, high: range.high + 100 } }, 'shifted'],
    ['a tone curve', { toneCurve: true }, 'bent'],
    ['eight bits', { bits: 8 }, 'terraces'],
    ['a larger grid', { grid: 150 }, 'strip'],
  ] as [string, MisreadSettings, string][])('with %s shows the wrong ground and names it', async (_, told, symptom) => {
    expect(await seen(told)).toContain(symptom);
  });

  it('names a normal map taken for colour, and green turned over', () => {
    const map = normalMap(ground);
    const ids = (read: Parameters<typeof symptomsOfNormals>[3]) => symptomsOfNormals(ground, map, 255, read).map((s) => s.id);
    expect(ids({})).toEqual([]);
    expect(ids({ asColour: true })).toEqual(['dull']);
    expect(ids({ greenTurned: true })).toEqual(['inside']);
  });

  it('with the calibration ground tells every mirror and turn from the others', () => {
    const calibration = makeGround({ width: 1024, depth: 1024, across: 257, down: 257, registration: 'point' });
    const sheet = makeField(calibration, calibrationOn(calibration));
    for (const wrong of [flipRows(sheet), flipColumns(sheet), turn(sheet, 90), turn(sheet, 180), turn(sheet, 270), flipRows(turn(sheet, 90))]) {
      expect(symptomsOf(sheet, wrong).map((s) => s.id)).toEqual(['mirrored']);
    }
    expect(symptomsOf(sheet, sheet)).toEqual([]);
    const at = (x: number, y: number) => sheet.height[Math.round((1 - y) * 256) * 257 + Math.round(x * 256)];
    expect([at(0.08, 0.92), at(0.92, 0.92), at(0.08, 0.08), at(0.92, 0.08)]).toEqual(Object.values(CORNERS));
  });

  it('has the strip of a ground that was carried on', () => {
    expect(symptomsOf(ground, extendEdges(ground, 140, 140))[0].detail).toMatch(/^1[01] samples/);
  });
});

describe('a printed model', () => {
  const solid = solidOf(field, { scale: 5_000, base: 3 });

  it('is closed: every edge has two triangles, once each way', () => {
    const edges = new Map<number, number>();
    const { indices } = solid;
    for (let t = 0; t < indices.length; t += 3) {
      for (let k = 0; k < 3; k++) {
        const [a, b] = [indices[t + k], indices[t + ((k + 1) % 3)]];
        edges.set(a * 1e6 + b, (edges.get(a * 1e6 + b) ?? 0) + 1);
      }
    }
    let wrong = 0;
    for (const [edge, count] of edges) if (count !== 1 || edges.get((edge % 1e6) * 1e6 + Math.floor(edge / 1e6)) !== 1) wrong++;
    expect(wrong).toBe(0);
  });

  it('has the volume of its heights on their base, within 1e-4', () => {
    const { positions, indices } = solid;
    let volume = 0;
    for (let t = 0; t < indices.length; t += 3) {
      const [a, b, c] = [0, 1, 2].map((k) => positions.subarray(3 * indices[t + k], 3 * indices[t + k] + 3));
      volume += (a[0] * (b[1] * c[2] - b[2] * c[1]) - a[1] * (b[0] * c[2] - b[2] * c[0]) + a[2] * (b[0] * c[1] - b[1] * c[0])) / 6;
    }
    // The integral over the triangles of a grid: each corner of a cell by its third of the triangles it has.
    let integral = 0;
    for (let row = 0; row < 64; row++) {
      for (let column = 0; column < 64; column++) {
        const h = (x: number, y: number) => field.height[(row + y) * 65 + column + x] - Math.min(...field.height);
        integral += (8 * 8 * (h(0, 0) + 2 * h(1, 0) + 2 * h(0, 1) + h(1, 1))) / 6;
      }
    }
    const millimetres = 1000 / 5_000;
    expect(volume / (integral * millimetres ** 3 + 3 * (512 * millimetres) ** 2)).toBeCloseTo(1, 4);
  });

  it('is in millimetres, to scale, and comes back from STL', () => {
    const { min, max } = boundsOf(solid.positions);
    expect(max[0] - min[0]).toBeCloseTo((512 / 5_000) * 1000, 3);
    expect(max[2]).toBeCloseTo(3 + ((highest - lowest) / 5_000) * 1000, 3);
    expect(min[2]).toBe(0);
    const back = stl.read(stl.encode(solid, 'x'));
    expect(back.indices.length).toBe(solid.indices.length);
    expect(back.positions.length).toBe(solid.positions.length);
  });
});
