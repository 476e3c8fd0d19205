import { grouped } from '../grouped';
import { quoted, throwIfStopped, UplandError } from '../errors';
import { eastOf, MAX_SIDE, southOf } from '../field/ground';
import { concat } from '../concat';
import type { Format, Page, Reading, ReadOptions } from './format';
import { besideOfCrs, crsBeside, inMetres } from './crs';
import { checkUnpacked } from './limits';
import { numberIn } from './no-data';
import { firstLines, isRemark, lineAt, plainText, textOf } from './text';

/**
 * Points as text, `x y z` a line, parted by spaces, commas or semicolons, also with decimal
 * commas, remarks and a column that counts the lines; a line of names says which is which. Points on a lattice become its samples, those it lacks have no height. Points
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
    const lines = firstLines(bytes, 2048).filter((line) => line.trim() !== '' && !isRemark(line));
    // Text only: bytes that are no characters, and none but a few long lines, are something else.
    if (lines.some((line) => line.length > LONGEST || /[\0-\x08\x0e-\x1f]/.test(line))) return false;
    return lines.length > 1 && columnsOf(lines.slice(0, 8)) !== null;
  },
  read: async (bytes, options) => read(bytes, options),
  write: async (page) => write(page),
  beside: ({ ground }) => besideOfCrs(ground),
};

function read(bytes: Uint8Array, options: ReadOptions = {}): Reading {
  const { points, odd } = parse(bytes, options);
  const n = points.length / 3;
  if (n < 4) throw new UplandError('few-points', `There are ${grouped(n)} points in this file; four at least are needed for a ground.`);
  const axis = (k: number) => Float64Array.from({ length: n }, (_, i) => points[3 * i + k]);
  const [east, north] = [axis(0), axis(1)];
  const across = latticeOf(east);
  const down = latticeOf(north);
  let grid: { x0: number; y1: number; dx: number; dy: number; width: number; height: number };
  const regular = across && down && across.count * down.count <= 16 * n + 64;
  if (regular) {
    grid = { x0: across.first, y1: down.first + down.step * (down.count - 1), dx: across.step, dy: down.step, width: across.count, height: down.count };
  } else {
    const [west, right, south, top] = [least(east), most(east), least(north), most(north)];
    const cell = Math.sqrt(((right - west) * (top - south)) / n);
    if (!(cell > 0)) throw new UplandError('points-on-a-line', 'The points of this file lie on one line. A ground needs them spread out both ways.');
    grid = { x0: west, y1: top, dx: cell, dy: cell, width: Math.floor((right - west) / cell) + 2, height: Math.floor((top - south) / cell) + 2 };
    odd.push(`Its ${grouped(n)} points lie on no lattice: they were gathered into cells of ${cell.toPrecision(3)}, the mean of each.`);
  }
  const { x0, y1, dx, dy, width, height } = grid;
  if (width > MAX_SIDE || height > MAX_SIDE)
    throw new UplandError('too-large', `These points make ${width} × ${height} samples; ${MAX_SIDE} a side is the most.`);
  checkUnpacked('text of points', bytes.length, 12 * width * height);
  const samples = new Float64Array(width * height);
  const counts = new Uint32Array(width * height);
  for (let i = 0; i < n; i++) {
    if (Number.isNaN(points[3 * i + 2])) continue;
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

/** How the lines of a file are parted, and which of their words are east, north and height. */
interface Columns {
  split: RegExp;
  /** A comma stands within numbers. */
  decimal: boolean;
  pick: [number, number, number];
  odd: string[];
}

const EAST = /^(x|east(ing)?|lon(g(itude)?)?|e)(\b|_|\()/;
const NORTH = /^(y|north(ing)?|lat(itude)?|n)(\b|_|\()/;
const HEIGHT = /^(z|h|height|elev(ation)?|alt(itude)?|value)(\b|_|\()/;

const isNumber = (word: string, decimal: boolean) => /^[-+]?(\d+\.?\d*|\.\d+)([eE][-+]?\d+)?$/.test(decimal ? word.replace(',', '.') : word);

/** Looks at the first lines of a text: which words of a line are numbers, and what a line of names says of them. */
function columnsOf(lines: string[]): Columns | null {
  const points = lines.filter((line) => line.trim() !== '' && !isRemark(line));
  const semicolons = points.slice(-3).every((line) => line.includes(';'));
  const decimal = points.slice(-3).every((line) => /\d,\d/.test(line) && line.split(semicolons ? /;/ : /\s+/).filter(Boolean).length >= 3);
  const split = decimal ? (semicolons ? /\s*;\s*/ : /\s+/) : /[\s,;]+/;
  const wordsOf = (line: string) => line.trim().split(split).filter(Boolean);
  const numbersIn = (line: string) => wordsOf(line).filter((w) => isNumber(w, decimal)).length;
  const first = points.findIndex((line) => numbersIn(line) >= 3);
  if (first < 0) return null;
  const rows = points
    .slice(first)
    .filter((line) => numbersIn(line) >= 3)
    .map(wordsOf);
  const odd: string[] = [];
  const names = first > 0 ? points[first - 1].trim().toLowerCase().replace(/["']/g, '').split(split).filter(Boolean) : [];
  const [east, north, height] = [EAST, NORTH, HEIGHT].map((kind) => names.findIndex((n) => kind.test(n)));
  if (east >= 0 && north >= 0 && height >= 0) return { split, decimal, pick: [east, north, height], odd };
  // Columns of numbers only; one that counts the lines, or that names them, is no place.
  const width = Math.min(...rows.map((r) => r.length));
  const numeric = Array.from({ length: width }, (_, k) => k).filter((k) => rows.every((r) => isNumber(r[k], decimal)));
  if (numeric.length < 3) return null;
  const counts = numeric.length > 3 && rows.length > 2 && rows.every((r, i) => Number(r[numeric[0]]) === Number(rows[0][numeric[0]]) + i);
  const own = counts ? numeric.slice(1) : numeric;
  if (counts || numeric[0] > 0) odd.push('Its first column names the points; the three numbers after it were read.');
  if (own.length > 3) odd.push(`Its lines have ${own.length} numbers; the first three were read as east, north and height.`);
  return { split, decimal, pick: [own[0], own[1], own[2]], odd };
}

/** East, north and height of every line. */
function parse(given: Uint8Array, { signal, progress }: ReadOptions): { points: Float64Array; odd: string[] } {
  const bytes = plainText(given);
  const columns = columnsOf(firstLines(bytes, 8192).slice(0, 200));
  if (!columns) throw new UplandError('no-points', 'No line of this text has three numbers: a point is x, y and z.');
  const { split, decimal, pick } = columns;
  const odd = columns.odd.slice();
  let points = new Float64Array(3 * Math.min(1 << 20, Math.ceil(bytes.length / 6) + 1));
  let used = 0;
  let strange = 0;
  let where = 0;
  for (let at = 0, line = 1; at < bytes.length; line++) {
    const { end, next } = lineAt(bytes, at);
    const text = textOf(bytes, at, Math.min(end, at + LONGEST));
    const long = end - at > LONGEST;
    at = next;
    if ((line & 65_535) === 0) {
      throwIfStopped(signal);
      progress?.(at / bytes.length);
    }
    if (text.trim() === '' || isRemark(text)) continue;
    if (long) throw new UplandError('damaged', `Line ${line} of this text is ${end - at} characters long; a point is three numbers.`);
    const words = text.trim().split(split);
    const [x, y, z] = pick.map((k) => (words[k] === undefined ? NaN : numberIn(decimal ? words[k].replace(',', '.') : words[k])));
    const known = words[pick[2]] !== undefined && (z - z === 0 || /nan|inf|#/i.test(words[pick[2]]));
    if (!Number.isFinite(x) || !Number.isFinite(y) || (!known && z !== Infinity && z !== -Infinity)) {
      // Lines of names and remarks stand before the points; a few strange ones after them are told.
      if (used === 0 && line <= 100) continue;
      if (strange++ === 0) where = line;
      if (strange > MOST_STRANGE)
        throw new UplandError('damaged', `Line ${where} of this text is ${quoted(text.trim())}, and there are more like it: a point is three numbers, x y z.`);
      continue;
    }
    if (used + 3 > points.length) {
      const larger = new Float64Array(points.length * 2);
      larger.set(points);
      points = larger;
    }
    points[used++] = x;
    points[used++] = y;
    points[used++] = z - z === 0 ? z : NaN;
  }
  if (strange) odd.push(`${strange} of its lines hold no point and ${strange === 1 ? 'was' : 'were'} left out, the first of them line ${where}.`);
  return { points: points.subarray(0, used), odd };
}

/** Characters of a line, and lines that are no points among those that are. */
const LONGEST = 1000;
const MOST_STRANGE = 10;

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
  return concat(parts);
}
