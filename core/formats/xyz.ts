import { throwIfStopped, UplandError } from '../errors';
import { eastOf, MAX_SIDE, southOf } from '../field/ground';
import type { Format, Page, Reading, ReadOptions } from './format';
import { besideOfCrs, crsBeside, inMetres } from './crs';

/**
 * Points as text, `x y z` a line, parted by spaces, commas or semicolons; a line of names first
 * is passed over. Points on a lattice become its samples, those it lacks have no height. Points
 * that lie anyhow are gathered into cells as large as a point has room, their mean each, and
 * that is said. Written from the north row on, samples without a height left out.
 */
export const xyz: Format = {
  id: 'xyz',
  title: 'Point text',
  endings: ['.xyz', '.txt', '.csv'],
  mediaType: 'text/plain',
  writes: ['f64', 'f32'],
  carriesRange: true,
  sniff: (bytes) => {
    const lines = new TextDecoder('latin1').decode(bytes.subarray(0, 1024)).split(/\r?\n/);
    const whole = bytes.length > 1024 ? lines.slice(0, -1) : lines;
    const points = whole.filter((line) => line.trim() !== '').slice(0, 3);
    const isPoint = (line: string) => /^\s*[-+]?[\d.][\d.eE+-]*(\s*[,;]\s*|\s+)[-+]?[\d.][\d.eE+-]*(\s*[,;]\s*|\s+)[-+]?[\d.][\d.eE+-]*/.test(line);
    return points.length > 1 && points.slice(1).every(isPoint) && (isPoint(points[0]) || /^[\s"A-Za-z_,;#/]+$/.test(points[0]));
  },
  read: async (bytes, options) => read(bytes, options),
  write: async (page) => write(page),
  beside: ({ ground }) => besideOfCrs(ground),
};

function read(bytes: Uint8Array, options: ReadOptions = {}): Reading {
  const points = parse(bytes, options);
  const n = points.length / 3;
  if (n < 4) throw new UplandError('few-points', `There are ${n} points in this file; four at least are needed for a ground.`);
  const axis = (k: number) => Float64Array.from({ length: n }, (_, i) => points[3 * i + k]);
  const [east, north] = [axis(0), axis(1)];
  const across = latticeOf(east);
  const down = latticeOf(north);
  const odd: string[] = [];
  let grid: { x0: number; y1: number; dx: number; dy: number; width: number; height: number };
  const regular = across && down && across.count * down.count <= 16 * n + 64;
  if (regular) {
    grid = { x0: across.first, y1: down.first + down.step * (down.count - 1), dx: across.step, dy: down.step, width: across.count, height: down.count };
  } else {
    const [west, right, south, top] = [least(east), most(east), least(north), most(north)];
    const cell = Math.sqrt(((right - west) * (top - south)) / n);
    if (!(cell > 0)) throw new UplandError('points-on-a-line', 'The points of this file lie on one line. A ground needs them spread out both ways.');
    grid = { x0: west, y1: top, dx: cell, dy: cell, width: Math.floor((right - west) / cell) + 2, height: Math.floor((top - south) / cell) + 2 };
    odd.push(`Its ${n} points lie on no lattice: they were gathered into cells of ${cell.toPrecision(3)}, the mean of each.`);
  }
  const { x0, y1, dx, dy, width, height } = grid;
  if (width > MAX_SIDE || height > MAX_SIDE)
    throw new UplandError('too-large', `These points make ${width} × ${height} samples; ${MAX_SIDE} a side is the most.`);
  const samples = new Float64Array(width * height);
  const counts = new Uint32Array(width * height);
  for (let i = 0; i < n; i++) {
    const at = Math.round((y1 - north[i]) / dy) * width + Math.round((east[i] - x0) / dx);
    samples[at] += points[3 * i + 2];
    counts[at]++;
  }
  let twice = 0;
  for (let i = 0; i < samples.length; i++) {
    if (counts[i] > 1) twice++;
    samples[i] = counts[i] ? samples[i] / counts[i] : NaN;
  }
  if (regular && twice) odd.push(`${twice} places have more than one point; their mean was taken.`);
  const facts = inMetres({ x: dx, y: dy }, { west: x0, north: y1, crs: '' }, height, crsBeside(options.beside));
  return {
    format: 'xyz',
    width,
    height,
    channels: 1,
    type: 'f64',
    samples,
    unit: 'm',
    scale: 1,
    offset: 0,
    registration: 'point',
    noData: null,
    ...facts,
    odd: [...odd, ...facts.odd],
  };
}

/** The first three numbers of every line. */
function parse(bytes: Uint8Array, { signal, progress }: ReadOptions): Float64Array {
  let points = new Float64Array(3 * Math.min(1 << 20, Math.ceil(bytes.length / 6) + 1));
  let used = 0;
  let line = 1;
  const decoder = new TextDecoder('latin1');
  for (let at = 0; at < bytes.length; line++) {
    let end = bytes.indexOf(10, at);
    if (end < 0) end = bytes.length;
    if (end - at > 1000) throw new UplandError('damaged', `Line ${line} of this text is ${end - at} characters long; a point is three numbers.`);
    const words = decoder
      .decode(bytes.subarray(at, end))
      .split(/[\s,;]+/)
      .filter((w) => w !== '');
    at = end + 1;
    if ((line & 65_535) === 0) {
      throwIfStopped(signal);
      progress?.(at / bytes.length);
    }
    if (words.length === 0 || words[0][0] === '#') continue;
    const [x, y, z] = [Number(words[0]), Number(words[1]), Number(words[2])];
    if (!Number.isFinite(x) || !Number.isFinite(y) || Number.isNaN(z) || words.length < 3) {
      if (used === 0 && line === 1) continue;
      throw new UplandError('damaged', `Line ${line} of this text is "${words.join(' ').slice(0, 40)}": a point is three numbers, x y z.`);
    }
    if (used + 3 > points.length) {
      const larger = new Float64Array(points.length * 2);
      larger.set(points);
      points = larger;
    }
    points[used++] = x;
    points[used++] = y;
    points[used++] = z;
  }
  return points.subarray(0, used);
}

/** The even steps that all values lie on, within a thousandth of one; null where there are none. */
function latticeOf(values: Float64Array): { first: number; step: number; count: number } | null {
  const sorted = values.slice().sort();
  const first = sorted[0];
  const span = sorted[sorted.length - 1] - first;
  if (!(span > 0)) return null;
  let step = Infinity;
  for (let i = 1; i < sorted.length; i++) {
    const gap = sorted[i] - sorted[i - 1];
    // What printing rounds away is no step.
    if (gap > span * 1e-6 && gap < step) step = gap;
  }
  const count = Math.round(span / step) + 1;
  if (count > MAX_SIDE * 4) return null;
  step = span / (count - 1);
  for (let i = 0; i < sorted.length; i++) {
    const at = (sorted[i] - first) / step;
    if (Math.abs(at - Math.round(at)) > 0.02) return null;
  }
  return { first, step, count };
}

const least = (values: Float64Array) => values.reduce((a, b) => Math.min(a, b), Infinity);
const most = (values: Float64Array) => values.reduce((a, b) => Math.max(a, b), -Infinity);

function write({ width, height, samples, type, ground, noData }: Page): Uint8Array<ArrayBuffer> {
  const per = ground.georeference?.perMetre ?? { x: 1, y: 1 };
  const west = ground.georeference?.west ?? 0;
  const north = ground.georeference?.north ?? ground.depth;
  // Nine digits bring every float32 back; places are printed to a ten-millionth of a unit.
  const print = type === 'f32' ? (v: number) => String(Number(v.toPrecision(9))) : String;
  const place = (v: number) => String(Math.round(v * 1e7) / 1e7);
  const east = Array.from({ length: width }, (_, column) => place(west + eastOf(ground, column) * per.x));
  const parts: Uint8Array[] = [];
  const encoder = new TextEncoder();
  for (let row = 0; row < height; row++) {
    const y = place(north - southOf(ground, row) * per.y);
    let text = '';
    for (let column = 0; column < width; column++) {
      const v = samples[row * width + column];
      if (v !== noData && v - v === 0) text += `${east[column]} ${y} ${print(v)}\n`;
    }
    parts.push(encoder.encode(text));
  }
  const out = new Uint8Array(parts.reduce((sum, p) => sum + p.length, 0));
  let at = 0;
  for (const part of parts) {
    out.set(part, at);
    at += part.length;
  }
  return out;
}
