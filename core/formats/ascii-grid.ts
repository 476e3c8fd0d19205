import { grouped } from '../grouped';
import { DecimalWriter } from './decimal';
import { quoted, UplandError } from '../errors';
import { spacingOf } from '../field/ground';
import { besideOfCrs, crsBeside, inMetres } from './crs';
import type { Format, Page, Reading, ReadOptions } from './format';
import { checkSize, checkUnpacked } from './limits';
import { noDataAmong, numberIn } from './no-data';
import { firstLines, isRemark, lineAt, plainText, textOf } from './text';

const KEYS = ['ncols', 'nrows', 'xllcorner', 'xllcenter', 'yllcorner', 'yllcenter', 'cellsize', 'dx', 'dy', 'nodata_value'] as const;
type Key = (typeof KEYS)[number];
/** What headers also call them. */
const ALSO: Record<string, Key> = {
  columns: 'ncols',
  cols: 'ncols',
  rows: 'nrows',
  xcellsize: 'dx',
  ycellsize: 'dy',
  nodata: 'nodata_value',
  xllcentre: 'xllcenter',
  yllcentre: 'yllcenter',
};

/** The number that stands for no height where a header names none (the ESRI description; from memory). */
const USUAL_NO_DATA = -9999;
/** Heights beyond this are taken for numbers that overflowed. */
const TOO_LARGE = 1e37;

/**
 * ASCII grid: a header of `ncols`, `nrows`, `xllcorner` or `xllcenter`, `cellsize` (or `dx`,
 * `dy`) and `NODATA_value` in any order, with or without units and remarks, then heights in
 * metres from the north row on, parted by spaces, commas or semicolons. Corner means area
 * registration, centre means point.
 */
export const asciiGrid: Format = {
  id: 'asc',
  title: 'ASCII grid',
  endings: ['.asc', '.grd'],
  mediaType: 'text/plain',
  writes: ['f64', 'f32'],
  carriesRange: true,
  sniff: (bytes) => {
    const lines = firstLines(bytes, 2048)
      .slice(0, 40)
      .filter((line) => line.trim() !== '' && !isRemark(line));
    const named = (key: RegExp) => lines.some((line) => key.test(line));
    return lines.length > 0 && headerLine(lines[0]) !== null && named(/\b(ncols|cols|columns)\b/i) && named(/\b(nrows|rows)\b/i);
  },
  read: async (bytes, options) => read(bytes, options),
  beside: ({ ground }) => besideOfCrs(ground),
  write: async (page) => write(page),
};

/** A line of the header: its key and the text of its value; what follows, such as a unit, apart. */
function headerLine(line: string): { key: Key; value: string; rest: string } | null {
  const match = /^\s*([A-Za-z_]{2,20})\s*[:=]?\s*(\S+)\s*(.{0,200})/.exec(line.slice(0, 400));
  if (!match) return null;
  const word = match[1].toLowerCase();
  const key = ALSO[word] ?? KEYS.find((k) => k === word);
  return key ? { key, value: match[2], rest: match[3].trim() } : null;
}

function readHeader(bytes: Uint8Array) {
  const header: Partial<Record<Key, number>> = {};
  const odd: string[] = [];
  let at = 0;
  while (at < bytes.length) {
    const { end, next } = lineAt(bytes, at);
    const line = textOf(bytes, at, Math.min(end, at + 1000));
    if (line.trim() === '' || isRemark(line)) {
      at = next;
      continue;
    }
    const found = headerLine(line);
    if (!found) break;
    const { key, value, rest } = found;
    const number = numberIn(value);
    if (!Number.isFinite(number) && key !== 'nodata_value') {
      throw new UplandError('damaged', `This ASCII grid is damaged: its ${key} is ${quoted(value)}, which is not a number.`);
    }
    if (!Number.isNaN(number)) header[key] = number;
    // A whole header on one line goes on with another key.
    if (rest && headerLine(rest)) {
      const tail = line.length - line.trimEnd().length;
      at += line.length - tail - rest.length;
      continue;
    }
    const unit = /^\(?\s*([A-Za-z]{1,12})/.exec(rest)?.[1];
    if (unit && !isRemark(rest)) {
      if (/^(ft|feet|foot)$/i.test(unit)) odd.push(`Its header gives ${key} in feet (${quoted(rest)}); the number was taken as it stands.`);
      else if (!/^(m|metres?|meters?)$/i.test(unit)) odd.push(`Its header has ${quoted(rest)} after its ${key}, which was passed over.`);
    }
    at = next;
  }
  return { header, at, odd };
}

/** How the numbers are written: whether a comma stands within them or between them. */
function commaIsDecimal(bytes: Uint8Array, at: number, width: number): boolean {
  const sample = textOf(bytes, at, Math.min(bytes.length, at + 65_536));
  if (!/\d,\d/.test(sample)) return false;
  const words = sample.split(/[\s;]+/).filter(Boolean);
  // A comma between numbers parts more than two of them, or stands beside a space.
  const whole = words.slice(0, -1).every((w) => /^[-+]?\d*(,\d+)?([eE][-+]?\d+)?$/.test(w));
  if (!whole) return false;
  const line = lineAt(bytes, at);
  const own = textOf(bytes, at, Math.min(line.end, at + 65_536))
    .split(/[\s;]+/)
    .filter(Boolean).length;
  // One word of "12,5" a line could be two numbers: it is where so many columns ask for it.
  return own > 1 || width === 1;
}

function read(given: Uint8Array, { beside }: ReadOptions = {}): Reading {
  const bytes = plainText(given);
  const { header, at: start, odd } = readHeader(bytes);
  for (const key of ['ncols', 'nrows'] as const) {
    if (header[key] === undefined) throw new UplandError('damaged', `This ASCII grid is damaged: its header has no ${key}.`);
  }
  const [width, height] = [header.ncols!, header.nrows!];
  if (!Number.isInteger(width) || !Number.isInteger(height)) {
    throw new UplandError('damaged', `This ASCII grid says it has ${width} columns and ${height} rows; these have to be whole numbers.`);
  }
  checkSize('ASCII grid', width, height);
  const count = width * height;
  // Two characters are the least that a number takes: what cannot fit is refused before room is made for it.
  if (count > (bytes.length - start) / 2 + 1) {
    throw new UplandError(
      'cut-short',
      `This ASCII grid is cut short: ${width} × ${height} samples cannot fit into the ${grouped(bytes.length - start)} bytes after its header.`,
    );
  }
  checkUnpacked('ASCII grid', given.length, 8 * count);
  const { samples, overflowed, rest } = readNumbers(bytes, start, width, count);
  if (overflowed) odd.push(`${overflowed} of its numbers are too large to be heights; they were taken for no data.`);
  if (rest) odd.push(`After the last height there is more, which was not read: ${rest}.`);

  const [x, y] = [header.dx ?? header.dy ?? header.cellsize, header.dy ?? header.dx ?? header.cellsize];
  if (x !== undefined && !(x > 0 && y! > 0))
    throw new UplandError('damaged', `This ASCII grid says its cells are ${x} × ${y} in size; that has to be more than 0.`);
  if (x === undefined) odd.push('It does not say how far apart its samples are.');
  else if (header.cellsize === undefined && (header.dx === undefined) !== (header.dy === undefined))
    odd.push(`It gives its spacing one way only; ${x} was taken for both.`);
  const point = header.xllcenter !== undefined || header.yllcenter !== undefined;
  const west = header.xllcenter ?? header.xllcorner ?? 0;
  const south = header.yllcenter ?? header.yllcorner ?? 0;
  const north = south + (y ?? 1) * (point ? height - 1 : height);
  const facts = inMetres(x === undefined ? null : { x, y: y! }, { west, north, crs: '' }, height, crsBeside(beside));
  return {
    format: 'asc',
    width,
    height,
    channels: 1,
    type: 'f64',
    samples,
    unit: 'm',
    scale: 1,
    offset: 0,
    registration: point ? 'point' : 'area',
    noData: noDataOf(samples, header.nodata_value, odd),
    ...facts,
    odd: [...odd, ...facts.odd],
  };
}

/** By the header, or the usual one where it names none and it is there. */
function noDataOf(samples: Float64Array, said: number | undefined, odd: string[]): number | null {
  if (said !== undefined) return noDataAmong(samples, 'f64', said);
  let count = 0;
  for (let i = 0; i < samples.length; i++) if (samples[i] === USUAL_NO_DATA) count++;
  if (count === 0) return null;
  odd.push(`It does not name a number for no data; ${grouped(count)} samples of ${USUAL_NO_DATA}, the usual one, were taken for that.`);
  return USUAL_NO_DATA;
}

function readNumbers(bytes: Uint8Array, start: number, width: number, count: number) {
  const decimal = commaIsDecimal(bytes, start, width);
  const parts = (b: number) => b === 32 || (b >= 9 && b <= 13) || b === 59 || (b === 44 && !decimal);
  let at = start;
  const skip = () => {
    for (;;) {
      while (at < bytes.length && parts(bytes[at])) at++;
      // A remark to the end of its line.
      if (bytes[at] !== 35) return;
      at = lineAt(bytes, at).next;
    }
  };
  const samples = new Float64Array(count);
  let overflowed = 0;
  for (let i = 0; i < count; i++) {
    skip();
    const from = at;
    while (at < bytes.length && !parts(bytes[at]) && at - from < 64) at++;
    const row = Math.floor(i / width) + 1;
    if (at === from) {
      throw new UplandError('cut-short', `This ASCII grid is cut short: it holds ${i} of the ${count} heights it should (row ${row}).`, { have: i });
    }
    let text = String.fromCharCode(...bytes.subarray(from, at));
    if (decimal) text = text.replace(',', '.');
    let value = Number(text);
    if (Number.isNaN(value)) {
      value = numberIn(text);
      if (Number.isNaN(value) && !/nan|#ind/i.test(text))
        throw new UplandError('damaged', `This ASCII grid is damaged: ${quoted(text, 20)} in row ${row} is not a number.`);
    }
    if (!(value < TOO_LARGE && value > -TOO_LARGE) && !/nan|inf|#/i.test(text) && !Number.isFinite(value)) {
      overflowed++;
      value = NaN;
    }
    samples[i] = value;
  }
  skip();
  const rest = at < bytes.length ? quoted(textOf(bytes, at, Math.min(bytes.length, at + 60)).trim()) : '';
  return { samples, overflowed, rest };
}

function write({ width, height, samples, type, ground, noData }: Page): Uint8Array<ArrayBuffer> {
  const per = ground.georeference?.perMetre ?? { x: 1, y: 1 };
  const spacing = spacingOf(ground);
  const [x, y] = [spacing.x * per.x, spacing.y * per.y];
  const point = ground.registration === 'point';
  const west = ground.georeference?.west ?? 0;
  const south = (ground.georeference?.north ?? ground.depth) - ground.depth * per.y;
  const where = point ? 'center' : 'corner';
  const cells = x === y ? `cellsize ${x}\n` : `dx ${x}\ndy ${y}\n`;
  const header = `ncols ${width}\nnrows ${height}\nxll${where} ${west}\nyll${where} ${south}\n${cells}NODATA_value ${noData ?? USUAL_NO_DATA}\n`;
  const out = new DecimalWriter(header.length + 11 * width * height);
  out.text(header);
  for (let row = 0, i = 0; row < height; row++) {
    for (let column = 0; column < width; column++, i++) {
      if (column > 0) out.code(SPACE);
      // Nine digits bring every float32 back; float64 pages, float32 heights on a datum, are printed in full.
      if (type === 'f32') out.number(samples[i]);
      else out.text(String(samples[i]));
    }
    out.code(NEWLINE);
  }
  return out.done();
}

const SPACE = 32;
const NEWLINE = 10;
