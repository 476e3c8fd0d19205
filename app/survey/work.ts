import {
  countryGround,
  countryWindow,
  encode,
  encodeRgb,
  extract,
  hillshade,
  statistics,
  UplandError,
  type Field,
  type Frame,
  type Kernels,
} from '@upland-cast/core';
import { encode as encodeJpeg } from 'jpeg-js';
import { WATER } from '../drawing/palette';
import { rampPixels, TINT } from '../drawing/ramp';
import type { ExtractFormat } from './questions';

/** The survey archive's own side: a stand-in for the elevation services that people pull from, made up and with no network. Worked out in a thread of its own (`app/server/worker.ts`). */

/** What was worked out lately, by what was asked. */
class Lately<T> {
  private readonly held = new Map<string, Promise<T>>();
  constructor(private readonly most: number) {}
  get(key: string, make: () => Promise<T>): Promise<T> {
    const known = this.held.get(key);
    if (known) {
      this.held.delete(key);
      this.held.set(key, known);
      return known;
    }
    const made = make();
    this.held.set(key, made);
    made.catch(() => this.held.delete(key));
    while (this.held.size > this.most) this.held.delete(this.held.keys().next().value!);
    return made;
  }
}

const extracts = new Lately<Field>(3);
const extractOf = ({ spacing, ...frame }: Frame & { spacing: number }, kernels: Kernels): Promise<Field> =>
  extracts.get(JSON.stringify([frame, spacing]), () => extract(frame, spacing, kernels));

/** The whole country, coarse: for ranges. */
let whole: Promise<Field> | undefined;
function coarse(kernels: Kernels): Promise<Field> {
  const ground = countryGround(180);
  whole ??= countryWindow(180, { left: 0, top: 0, across: ground.across, down: ground.down }, kernels);
  whole.catch(() => (whole = undefined));
  return whole;
}

/** Lowest and highest within a frame, from every 180 m; of land only where the sea floor is left out. */
async function rangeOf(frame: Frame, seaFloor: boolean, kernels: Kernels): Promise<{ low: number; high: number }> {
  const { ground, height } = await coarse(kernels);
  let low = Infinity;
  let high = -Infinity;
  const clamp = (v: number, most: number) => Math.max(0, Math.min(most, v));
  const [left, right] = [clamp(Math.floor(frame.east / 180), ground.across - 1), clamp(Math.ceil((frame.east + frame.width) / 180), ground.across)];
  const [top, bottom] = [clamp(Math.floor(frame.south / 180), ground.down - 1), clamp(Math.ceil((frame.south + frame.depth) / 180), ground.down)];
  for (let row = top; row < bottom; row++) {
    for (let column = left; column < right; column++) {
      const h = height[row * ground.across + column];
      if (!seaFloor && h < 0) continue;
      if (h < low) low = h;
      if (h > high) high = h;
    }
  }
  return low < high ? { low, high } : { low: 0, high: 1 };
}

const TILE = 256;
/** Metres a pixel at a zoom: 360 at 0, halved with every one. */
const metresAPixel = (zoom: number) => 360 / 2 ** zoom;

const tiles = new Lately<Field>(80);
const RAMP = rampPixels(TINT);

/** A map tile: relief tinted between two heights, with or without the sea's floor. */
async function tileOf({ z: zoom, x, y, low, high, seaFloor }: TileTask, kernels: Kernels): Promise<Uint8Array<ArrayBuffer>> {
  const spacing = metresAPixel(zoom);
  const ground = countryGround(spacing);
  const left = x * TILE;
  const top = y * TILE;
  const across = Math.min(TILE, ground.across - left);
  const down = Math.min(TILE, ground.down - top);
  if (across <= 0 || down <= 0 || x < 0 || y < 0) throw new UplandError('outside', `There is no tile ${x}, ${y} at zoom ${zoom}.`);
  // One sample more around, so that shades meet at the tiles' edges.
  const margin = { left: Math.max(0, left - 1), top: Math.max(0, top - 1) };
  const window = {
    ...margin,
    across: Math.min(ground.across, left + across + 1) - margin.left,
    down: Math.min(ground.down, top + down + 1) - margin.top,
  };
  const field = await tiles.get(`${zoom}/${x}/${y}`, () => countryWindow(spacing, window, kernels));
  const shade = hillshade(field, { azimuth: 315, altitude: 45, exaggeration: Math.max(1.5, Math.min(4, spacing / 45)) });
  const rgb = new Uint8Array(3 * TILE * TILE).fill(0xc4);
  for (let row = 0; row < down; row++) {
    for (let column = 0; column < across; column++) {
      const i = (row + top - margin.top) * window.across + column + left - margin.left;
      const h = field.height[i];
      const light = 0.45 + (0.75 * shade[i]) / 255;
      const to = 3 * (row * TILE + column);
      for (let k = 0; k < 3; k++) rgb[to + k] = Math.max(0, Math.min(255, tone(h, low, high, seaFloor, k) * (h < 0 && !seaFloor ? 1 : light)));
    }
  }
  return encodeRgb(rgb, TILE, TILE);
}

const SHALLOW = [143, 178, 194];
const DEEP = [38, 74, 104];

function tone(h: number, low: number, high: number, seaFloor: boolean, k: number): number {
  if (h < 0) {
    if (!seaFloor) return WATER.pale[k];
    const t = Math.min(1, Math.max(0, h / Math.min(-1, low)));
    return SHALLOW[k] + t * (DEEP[k] - SHALLOW[k]);
  }
  const from = Math.max(0, low);
  const t = Math.min(1, Math.max(0, (h - from) / Math.max(1, high - from)));
  return RAMP[4 * Math.round(255 * t) + k];
}

export interface SurveyFacts {
  lowest: number;
  mean: number;
  highest: number;
  rows: number;
  columns: number;
  spacing: number;
  holes: number;
  west: number;
  north: number;
  crs: string;
  /** What the ends of a 16-bit file's codes stand for, metres. */
  codes: { low: number; high: number };
}

function factsOf(field: Field, spacing: number): SurveyFacts {
  const { lowest, highest, mean } = statistics(field);
  const { across, down, georeference } = field.ground;
  const holes = field.valid ? field.valid.reduce((sum, v) => sum + 1 - v, 0) : 0;
  return {
    lowest,
    mean,
    highest,
    rows: down,
    columns: across,
    spacing,
    holes,
    west: georeference!.west,
    north: georeference!.north,
    crs: georeference!.crs,
    codes: codesOf(field),
  };
}

/** Whole metres around the field's range. */
function codesOf(field: Field): { low: number; high: number } {
  const { lowest, highest } = statistics(field);
  return { low: Math.floor(lowest), high: Math.ceil(highest) };
}

/** An extract as a file, with what its reader has to be told beside it. */
async function fileOf(
  field: Field,
  format: ExtractFormat,
): Promise<{ bytes: Uint8Array<ArrayBuffer>; type: string; ending: string; range?: { low: number; high: number } }> {
  if (format === 'tiff')
    return { bytes: (await encode(field, { format: 'tiff', type: 'f32', options: { compression: 'none' } })).bytes, type: 'image/tiff', ending: '.tif' };
  if (format === 'asc') return { bytes: (await encode(field, { format: 'asc', type: 'f32' })).bytes, type: 'text/plain', ending: '.asc' };
  // Codes have no place for holes: there they stand at the lowest, which is what surveys do and inspection finds.
  const range = codesOf(field);
  const plain: Field = { ground: field.ground, height: field.height.map((h, i) => (field.valid && !field.valid[i] ? range.low : h)) };
  if (format === 'png') return { bytes: (await encode(plain, { format: 'png', type: 'u16', range })).bytes, type: 'image/png', ending: '.png', range };
  const { across, down } = field.ground;
  const data = new Uint8Array(4 * across * down);
  for (let i = 0; i < across * down; i++) {
    const v = Math.round((255 * (plain.height[i] - range.low)) / (range.high - range.low));
    data.set([v, v, v, 255], 4 * i);
  }
  return { bytes: new Uint8Array(encodeJpeg({ data, width: across, height: down }, 82).data), type: 'image/jpeg', ending: '.jpg', range };
}

interface TileTask {
  z: number;
  x: number;
  y: number;
  low: number;
  high: number;
  seaFloor: boolean;
}

/** What the survey is asked for, once it has been checked. */
export type SurveyTask =
  | { kind: 'extract'; frame: Frame & { spacing: number }; format: ExtractFormat }
  | { kind: 'facts'; frame: Frame & { spacing: number } }
  | { kind: 'range'; frame: Frame; seaFloor: boolean }
  | ({ kind: 'tile' } & TileTask);

/** What it answers: bytes of a type, or JSON. */
export interface SurveyAnswer {
  bytes?: Uint8Array<ArrayBuffer>;
  type: string;
  json?: unknown;
  ending?: string;
  range?: { low: number; high: number };
}

/** Works out what was asked. */
export async function survey(task: SurveyTask, kernels: Kernels): Promise<SurveyAnswer> {
  switch (task.kind) {
    case 'extract':
      return fileOf(await extractOf(task.frame, kernels), task.format);
    case 'facts':
      return { type: 'application/json', json: factsOf(await extractOf(task.frame, kernels), task.frame.spacing) };
    case 'range':
      return { type: 'application/json', json: await rangeOf(task.frame, task.seaFloor, kernels) };
    case 'tile':
      return { type: 'image/png', bytes: await tileOf(task, kernels) };
  }
}
