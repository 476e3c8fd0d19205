import {
  arranged,
  CODES,
  countDistinct,
  extentOf,
  findingsIn,
  laidByNames,
  laidByPlace,
  layoutByNames,
  meaningOf,
  rankRawReadings,
  saysNothing,
  readHeightmap,
  readWith,
  settledIn,
  spacingOf,
  seamsOf,
  statistics,
  toField,
  UplandError,
  type AssetReading,
  type Field,
  type Kernels,
  type Piece,
  type Reading,
  type ReadOptions,
} from '@upland-cast/core';
import { keepAsset } from '../../storage/assets';
import type { Kept, Look, LookFinding, MosaicLook, OpenedFile, RawPicture } from '../api';
import { reliefPixels } from '../../drawing/relief';

interface Opened {
  name: string;
  bytes: Uint8Array<ArrayBuffer>;
  beside: Record<string, Uint8Array>;
}

const BESIDE = ['.hdr', '.prj', '.crs.txt'];
const PICTURE = 460;

/** Files that were brought in and are being looked at, by a number. */
const opened = new Map<number, Opened>();
let next = 1;

/** Takes files in to be looked at; headers and maps that lie beside a grid of the same name go with it. */
export function openFiles(files: { name: string; bytes: Uint8Array<ArrayBuffer> }[]): OpenedFile[] {
  opened.clear();
  unpacked = undefined;
  const endingOf = (name: string) => BESIDE.find((e) => name.toLowerCase().endsWith(e));
  const besides = files.filter((f) => endingOf(f.name));
  const stem = (name: string) => name.toLowerCase().replace(/\.crs\.txt$|\.[^.]*$/, '');
  const grids = files.filter((f) => !endingOf(f.name));
  if (grids.length === 0) throw new UplandError('only-headers', 'These are headers only. Bring the files in that they belong to together with them.');
  return grids.map(({ name, bytes }) => {
    const beside = Object.fromEntries(besides.filter((b) => stem(b.name) === stem(name)).map((b) => [endingOf(b.name)!, b.bytes]));
    const id = next++;
    opened.set(id, { name, bytes, beside });
    return { id, name, bytes: bytes.length };
  });
}

function fileOf(id: number): Opened {
  const file = opened.get(id);
  if (!file) throw new UplandError('not-open', 'This file is not open any more. Bring it in again.');
  return file;
}

const needsReading = ({ bytes, beside }: Opened, settled: AssetReading) => !settled.as && saysNothing(bytes, beside);

/** The last file that was unpacked: a change of what its numbers mean does not unpack it again. */
let unpacked: { key: string; reading: Reading } | undefined;

async function read(id: number, settled: AssetReading, options: ReadOptions = {}) {
  const file = fileOf(id);
  const key = `${id}:${settled.as ?? ''}:${settled.band ?? ''}`;
  if (unpacked?.key !== key) {
    const band = settled.band ? { band: settled.band } : {};
    unpacked = { key, reading: await readHeightmap(file.bytes, settled.as, { ...options, ...band, beside: file.beside }) };
  }
  return settledIn(unpacked.reading, settled);
}

/** The lowest and the highest of a file's own numbers. */
function rangeOfSamples(reading: Pick<Reading, 'samples' | 'noData'>): { low: number; high: number } {
  let low = Infinity;
  let high = -Infinity;
  for (let i = 0; i < reading.samples.length; i++) {
    const v = reading.samples[i];
    if (v === reading.noData || !(v - v === 0)) continue;
    if (v < low) low = v;
    if (v > high) high = v;
  }
  return { low, high };
}

/** What a file holds as it would be read now, with its relief. For raw bytes without a layout, the ways to read them. */
export async function look(id: number, settled: AssetReading, options: ReadOptions): Promise<Look> {
  const file = fileOf(id);
  if (needsReading(file, settled)) return { kind: 'raw', bytes: file.bytes.length, readings: await rawPictures(file.bytes) };
  const { reading, meaning } = await read(id, settled, options);
  const field = arranged(toField(reading, meaning), settled);
  const { scale, offset } = meaningOf(reading, meaning);
  const codes = CODES[reading.type];
  const { low, high } = rangeOfSamples(reading);
  const stats = statistics(field);
  return {
    kind: 'heights',
    facts: {
      format: reading.format,
      width: reading.width,
      height: reading.height,
      channels: reading.channels,
      band: reading.band,
      type: reading.type,
      low,
      high,
      codes: codes && { min: codes.min, max: codes.max },
      inCodes: reading.unit === 'code' && !settled.map,
      distinct: countDistinct(reading.samples),
      spacing: reading.spacing,
      registration: reading.registration,
      feet: reading.feet ?? false,
      crs: reading.georeference?.crs ?? '',
      place: reading.georeference ? { west: reading.georeference.west, north: reading.georeference.north } : null,
      as: reading.as,
      odd: reading.odd,
    },
    scale,
    offset,
    ground: field.ground,
    lowest: stats.lowest,
    highest: stats.highest,
    holes: field.valid ? field.valid.reduce((sum, v) => sum + 1 - v, 0) : 0,
    steepest: steepestOf(field),
    relief: reliefOf(reading.unit === 'code' && !settled.map ? lifted(field) : field),
    // What the file beside it said goes into the asset's reading: the asset is the one file alone.
    settled: {
      ...settled,
      ...(reading.as ? { as: reading.as } : {}),
      ...(file.beside['.hdr'] || file.beside['.prj'] || file.beside['.crs.txt']
        ? {
            ...(reading.spacing ? { spacing: reading.spacing } : {}),
            ...(reading.georeference ? { georeference: reading.georeference } : {}),
            ...(reading.registration ? { registration: reading.registration } : {}),
            ...(reading.noData !== null ? { noData: reading.noData } : {}),
          }
        : {}),
    },
  };
}

function reliefOf(field: Field): { width: number; height: number; pixels: Uint8ClampedArray<ArrayBuffer> } {
  const { width: w, depth: d } = field.ground;
  const width = Math.max(40, Math.round(PICTURE * Math.min(1, w / d)));
  const height = Math.max(40, Math.round(PICTURE * Math.min(1, d / w)));
  return { width, height, pixels: reliefPixels(filledForPicture(field), width, height) };
}

/** Numbers that are no metres yet, drawn to a tenth of the width. */
function lifted(field: Field): Field {
  const { lowest, highest } = statistics(field);
  const by = (Math.max(field.ground.width, field.ground.depth) * 0.1) / Math.max(1e-9, highest - lowest);
  return { ...field, height: field.height.map((h) => h * by), ground: { ...field.ground, datum: 0 } };
}

/** Holes level at the lowest height, so that they show as what they are. */
function filledForPicture(field: Field): Field {
  if (!field.valid) return field;
  const lowest = statistics(field).lowest - field.ground.datum;
  return { ground: field.ground, height: field.height.map((h, i) => (field.valid![i] ? h : lowest)) };
}

/** The steepest slope of the ground, degrees, but for its steepest hundredth: from 200 000 samples at most, by the steps beside each. */
function steepestOf({ ground, height, valid }: Field): number {
  const { across, down } = ground;
  if (across < 3 || down < 3) return 0;
  const { x, y } = spacingOf(ground);
  const stride = Math.max(1, Math.floor((across * down) / 200_000));
  const rises: number[] = [];
  for (let i = across + 1; i < height.length - across - 1; i += stride) {
    const column = i % across;
    if (column === 0 || column === across - 1) continue;
    if (valid && !(valid[i - 1] && valid[i + 1] && valid[i - across] && valid[i + across])) continue;
    rises.push(Math.hypot((height[i + 1] - height[i - 1]) / (2 * x), (height[i + across] - height[i - across]) / (2 * y)));
  }
  rises.sort((a, b) => a - b);
  return (Math.atan(rises[Math.floor(rises.length * 0.99)] ?? 0) * 180) / Math.PI;
}

async function rawPictures(bytes: Uint8Array<ArrayBuffer>): Promise<RawPicture[]> {
  const pictures: RawPicture[] = [];
  for (const { as, score } of rankRawReadings(bytes, 9)) {
    try {
      const { reading, meaning } = await readWith(bytes, { as });
      const field = toField({ ...reading, scale: 1, offset: 0 }, meaning);
      const stats = statistics(field);
      // Scaled so that its slopes can be seen, whatever its numbers are.
      const lift = (field.ground.width * 0.12) / Math.max(1e-9, stats.highest - stats.lowest);
      const width = 132;
      const height = Math.max(20, Math.min(132, Math.round((width * reading.height) / reading.width)));
      pictures.push({ as, score, width, height, pixels: reliefPixels({ ...field, height: field.height.map((h) => h * lift) }, width, height) });
    } catch {
      // What cannot be heights at all is no candidate.
    }
  }
  return pictures;
}

/** What is wrong with it, each with where it lies as pixels of the relief's size. */
export async function findings(id: number, settled: AssetReading, kernels: Kernels, signal: AbortSignal): Promise<LookFinding[]> {
  const { reading, meaning } = await read(id, settled, { signal });
  const field = arranged(toField(reading, meaning), settled);
  const { width, height } = sizeOf(field);
  return (await findingsIn(reading, meaning, field, kernels, signal)).map(({ where, ...finding }) => ({
    ...finding,
    drape: where && { width, height, pixels: drapeOf(where, field, width, height) },
  }));
}

function sizeOf({ ground: { width: w, depth: d } }: Field) {
  return { width: Math.max(40, Math.round(PICTURE * Math.min(1, w / d))), height: Math.max(40, Math.round(PICTURE * Math.min(1, d / w))) };
}

/** The contour brown wherever one of the samples under a pixel is marked. */
function drapeOf(where: Uint8Array, { ground }: Field, width: number, height: number): Uint8ClampedArray<ArrayBuffer> {
  const pixels = new Uint8ClampedArray(width * height * 4);
  for (let row = 0, i = 0; row < ground.down; row++) {
    const y = Math.min(height - 1, Math.floor(((row + 0.5) * height) / ground.down));
    for (let column = 0; column < ground.across; column++, i++) {
      if (!where[i]) continue;
      const x = Math.min(width - 1, Math.floor(((column + 0.5) * width) / ground.across));
      pixels.set([156, 74, 35, 205], 4 * (y * width + x));
    }
  }
  return pixels;
}

/** Keeps a file as an asset. */
export async function keepFile(id: number): Promise<Kept> {
  const { name, bytes } = fileOf(id);
  return { sha: await keepAsset(bytes), name, bytes: bytes.length };
}

/** Several files laid out as one ground: by where they say they lie, by their names, or where they were put. */
export async function lookAtMosaic(
  ids: number[],
  settled: Record<number, AssetReading>,
  layout: 'place' | 'names' | 'hand',
  places: Record<number, { row: number; column: number }>,
  signal: AbortSignal,
): Promise<MosaicLook> {
  const fields: { name: string; field: Field; id: number }[] = [];
  for (const id of ids) {
    const { reading, meaning } = await read(id, settled[id] ?? {}, { signal });
    fields.push({ id, name: fileOf(id).name, field: arranged(toField(reading, meaning), settled[id] ?? {}) });
  }
  const byNames = layoutByNames(fields.map((f) => f.name));
  const byPlace = laidByPlace(fields);
  const possible = { place: byPlace !== null, names: byNames !== null };
  const used = layout === 'place' && !byPlace ? 'hand' : layout === 'names' && !byNames ? 'hand' : layout;
  const side = Math.ceil(Math.sqrt(fields.length));
  const byHand = fields.map((f, i) => places[f.id] ?? byNames?.[i] ?? { row: Math.floor(i / side), column: i % side });
  const pieces: Piece[] = used === 'place' ? byPlace! : laidByNames(fields, used === 'names' ? byNames! : byHand);
  const { width, depth, spacing } = extentOf(pieces);
  const seams = seamsOf(pieces);
  const picture = PICTURE;
  const scale = picture / Math.max(width, depth);
  const [w, h] = [Math.max(40, Math.round(width * scale)), Math.max(40, Math.round(depth * scale))];
  return {
    layout: used,
    possible,
    width,
    depth,
    spacing,
    registration: fields[0].field.ground.registration,
    lowest: Math.min(...fields.map((f) => statistics(f.field).lowest)),
    highest: Math.max(...fields.map((f) => statistics(f.field).highest)),
    seams,
    georeference: fields[0].field.ground.georeference,
    pieces: pieces.map((p, i) => ({
      id: fields[i].id,
      name: p.name,
      east: p.east,
      south: p.south,
      width: p.field.ground.width,
      depth: p.field.ground.depth,
      ...byHand[i],
    })),
    relief: { width: w, height: h, pixels: together(pieces, scale, w, h) },
  };
}

/** The pieces' reliefs at their places. */
function together(pieces: Piece[], scale: number, w: number, h: number): Uint8ClampedArray<ArrayBuffer> {
  const pixels = new Uint8ClampedArray(w * h * 4);
  for (const { field, east, south } of pieces) {
    const [pw, ph] = [Math.max(1, Math.round(field.ground.width * scale)), Math.max(1, Math.round(field.ground.depth * scale))];
    const own = reliefPixels(filledForPicture(field), pw, ph);
    const [left, top] = [Math.round(east * scale), Math.round(south * scale)];
    for (let y = 0; y < ph; y++) {
      if (top + y < 0 || top + y >= h) continue;
      for (let x = 0; x < pw; x++) {
        if (left + x < 0 || left + x >= w) continue;
        pixels.set(own.subarray(4 * (y * pw + x), 4 * (y * pw + x) + 4), 4 * ((top + y) * w + left + x));
      }
    }
  }
  return pixels;
}
