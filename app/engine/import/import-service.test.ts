import { describe, expect, it } from 'vitest';
import { fractal } from '../../../tests/helpers/fractal';
import { groundOf } from '../../../tests/helpers/grounds';
import { storedInMemory } from '../../../tests/helpers/stored-assets';

storedInMemory();
const { encode, inlineKernels } = await import('@upland-cast/core');
const { db } = await import('../../storage/db');
const { findings, keepFile, look, lookAtMosaic, openFiles } = await import('./import-service');

const kernels = inlineKernels();
const stays = () => new AbortController().signal;
const field = fractal(groundOf(97, 65, 10), { seed: 7, feature: 400, height: 120 });
const file = async (format: string, type: 'u16' | 'f32' = 'f32', of = field) =>
  (await encode(of, { format, type, ...(type === 'u16' ? { range: { low: 0, high: 600 } } : {}) } as Parameters<typeof encode>[1])).bytes;
const text = (words: string) => new TextEncoder().encode(words) as Uint8Array<ArrayBuffer>;
const opened = async (name: string, bytes: Uint8Array<ArrayBuffer>) => openFiles([{ name, bytes }])[0].id;
const heights = async (id: number, settled = {}) => {
  const seen = await look(id, settled, {});
  if (seen.kind !== 'heights') throw new Error('no heights');
  return seen;
};

describe('a file that is looked at', () => {
  it('has its facts, its ground and its relief', async () => {
    const seen = await heights(await opened('fell.tif', await file('tiff')));
    expect(seen.facts).toMatchObject({ width: 97, height: 65, channels: 1, type: 'f32', inCodes: false, spacing: { x: 10, y: 10 } });
    expect(seen.lowest).toBeCloseTo(Math.min(...field.height), 3);
    expect(seen.highest).toBeCloseTo(Math.max(...field.height), 3);
    expect(seen.holes).toBe(0);
    expect(seen.relief.width / seen.relief.height).toBeCloseTo(960 / 640, 1);
    expect(seen.relief.pixels.length).toBe(4 * seen.relief.width * seen.relief.height);
    expect(seen.steepest).toBeGreaterThan(5);
    expect(seen.steepest).toBeLessThan(60);
  });

  it('of codes says which it has, and takes a range for what they mean', async () => {
    const id = await opened('fell.png', await file('png', 'u16'));
    const codes = await heights(id);
    expect(codes.facts).toMatchObject({ type: 'u16', inCodes: true, codes: { min: 0, max: 65_535 } });
    expect(codes.facts.distinct).toBeGreaterThan(1000);
    const meant = await heights(id, { map: { code0: 0, height0: 0, code1: 65_535, height1: 600 } });
    expect(meant.facts.inCodes).toBe(false);
    expect(meant.highest).toBeCloseTo(Math.max(...field.height), 1);
  });

  it('counts its holes, and shows them level', async () => {
    const valid = Uint8Array.from(field.height, (_, i) => (i % 97 < 5 ? 0 : 1));
    const { bytes } = await encode({ ...field, valid }, { format: 'tiff', type: 'f32' });
    const seen = await heights(await opened('holed.tif', bytes));
    expect(seen.holes).toBe(5 * 65);
    expect(seen.lowest).toBeGreaterThan(100);
  });

  it('goes with the header of the same name that lies beside it, and not with another one', async () => {
    const raw = new Uint8Array(new Float32Array(field.height).buffer.slice(0));
    const header = text(['ncols 97', 'nrows 65', 'xllcorner 5000', 'yllcorner 7000', 'cellsize 10', 'NODATA_value -9999', 'byteorder LSBFIRST'].join('\n'));
    const files = openFiles([
      { name: 'Fell.FLT', bytes: raw },
      { name: 'fell.hdr', bytes: header },
      { name: 'other.hdr', bytes: text('ncols 3') },
    ]);
    expect(files.map((f) => f.name)).toEqual(['Fell.FLT']);
    const seen = await heights(files[0].id);
    expect(seen.facts).toMatchObject({ width: 97, height: 65, spacing: { x: 10, y: 10 }, place: { west: 5000 } });
    // The asset is the one file alone: what the header said goes into how it is read.
    expect(seen.settled).toMatchObject({ spacing: { x: 10, y: 10 }, noData: -9999 });
  });

  it('of bytes that say nothing comes as the ways to read them, the right one among the first', async () => {
    const raw = new Uint8Array(Uint16Array.from(field.height, (h) => h * 40).buffer);
    const seen = await look(await opened('fell.bin', raw), {}, {});
    expect(seen.kind).toBe('raw');
    if (seen.kind !== 'raw') return;
    expect(seen.bytes).toBe(raw.length);
    const best = seen.readings.slice(0, 3).map(({ as }) => JSON.stringify(as));
    expect(best.some((as) => as.includes('97') && as.includes('65'))).toBe(true);
    expect(seen.readings.every(({ width, height, pixels }) => pixels.length === 4 * width * height)).toBe(true);
  });

  it('is refused with a sentence: headers alone, a file that is not open any more, what is no heights', async () => {
    expect(() => openFiles([{ name: 'a.hdr', bytes: text('ncols 3') }])).toThrow(/headers only/);
    const before = await opened('fell.tif', await file('tiff'));
    await opened('next.tif', await file('tiff'));
    await expect(look(before, {}, {})).rejects.toMatchObject({ code: 'not-open' });
    await expect(look(await opened('no.png', text('\u0089PNG none at all')), {}, {})).rejects.toThrow();
  });
});

describe('what is wrong with a file', () => {
  it('is said with where it lies, marked on the relief', async () => {
    const spoiled = { ...field, height: field.height.slice() };
    for (const i of [97 * 20 + 30, 97 * 44 + 71]) spoiled.height[i] += 400;
    const id = await opened('spiked.tif', await file('tiff', 'f32', spoiled));
    const found = await findings(id, {}, kernels, stays());
    const spikes = found.find((f) => f.id.includes('spike'))!;
    expect(spikes.count).toBe(2);
    const { width, height, pixels } = spikes.drape!;
    const marked = Array.from({ length: width * height }, (_, i) => i).filter((i) => pixels[4 * i + 3] > 0);
    expect(marked.length).toBeGreaterThanOrEqual(2);
    const at = marked.map((i) => [((i % width) / width) * 97, (Math.floor(i / width) / height) * 65]);
    expect(at.some(([x, y]) => Math.hypot(x - 30, y - 20) < 2)).toBe(true);
    expect(at.some(([x, y]) => Math.hypot(x - 71, y - 44) < 2)).toBe(true);
  });

  it('is nothing for clean ground', async () => {
    const found = await findings(await opened('fell.tif', await file('tiff')), {}, kernels, stays());
    expect(found.filter((f) => f.severity === 'fault')).toEqual([]);
  });
});

describe('several files as one ground', () => {
  const part = (left: number, top: number, across: number, down: number) => {
    const ground = groundOf(across, down, 10);
    const rows = Array.from({ length: down }, (_, row) => [...field.height.subarray((top + row) * 97 + left, (top + row) * 97 + left + across)]);
    return { ground, height: Float32Array.from(rows.flat()) };
  };
  const quarters = async () => {
    const parts = [part(0, 0, 49, 33), part(48, 0, 49, 33), part(0, 32, 49, 33), part(48, 32, 49, 33)];
    const names = ['fell_r0_c0.tif', 'fell_r0_c1.tif', 'fell_r1_c0.tif', 'fell_r1_c1.tif'];
    return openFiles(await Promise.all(parts.map(async (of, i) => ({ name: names[i], bytes: await file('tiff', 'f32', of) })))).map(({ id }) => id);
  };

  it('lie by their names, and meet without a step', async () => {
    const ids = await quarters();
    const seen = await lookAtMosaic(ids, {}, 'names', {}, stays());
    expect(seen.layout).toBe('names');
    expect(seen.possible).toMatchObject({ names: true });
    expect([seen.width, seen.depth]).toEqual([960, 640]);
    expect(seen.seams.length).toBeGreaterThanOrEqual(4);
    expect(seen.pieces.map(({ east, south }) => [east, south])).toEqual([
      [0, 0],
      [480, 0],
      [0, 320],
      [480, 320],
    ]);
    expect(seen.relief.pixels.length).toBe(4 * seen.relief.width * seen.relief.height);
    expect(seen.lowest).toBeCloseTo(Math.min(...field.height), 3);
  });

  it('lie where they were put by hand, whatever their names say', async () => {
    const ids = await quarters();
    const places = { [ids[0]]: { row: 0, column: 1 }, [ids[1]]: { row: 0, column: 0 }, [ids[2]]: { row: 1, column: 0 }, [ids[3]]: { row: 1, column: 1 } };
    const seen = await lookAtMosaic(ids, {}, 'hand', places, stays());
    expect(seen.layout).toBe('hand');
    expect(seen.pieces[0]).toMatchObject({ east: 480, south: 0, row: 0, column: 1 });
    // Two of its parts do not belong beside each other: the seam says so.
    const rougher = JSON.stringify(seen.seams) !== JSON.stringify((await lookAtMosaic(ids, {}, 'names', {}, stays())).seams);
    expect(rougher).toBe(true);
  });
});

describe('a file that is kept', () => {
  it('lies in the store under its hash, once', async () => {
    const bytes = await file('tiff');
    const first = await keepFile(await opened('fell.tif', bytes));
    const again = await keepFile(await opened('copy.tif', bytes));
    expect(first.sha).toMatch(/^[0-9a-f]{64}$/);
    expect(again.sha).toBe(first.sha);
    expect(first.bytes).toBe(bytes.length);
    expect(await db.assets.count()).toBe(1);
  });
});
