import { UplandError } from '../errors';
import { spacingOf } from '../field/ground';
import { besideOfCrs, crsBeside, inMetres } from './crs';
import type { Format, Page, Reading, ReadOptions } from './format';
import { checkSize } from './limits';

const KEYS = ['ncols', 'nrows', 'xllcorner', 'xllcenter', 'yllcorner', 'yllcenter', 'cellsize', 'dx', 'dy', 'nodata_value'];

/**
 * ASCII grid: a header of `ncols`, `nrows`, `xllcorner` or `xllcenter`, `cellsize` (or `dx`,
 * `dy`) and `NODATA_value`, then heights in metres from the north row on. Corner means area
 * registration, centre means point.
 */
export const asciiGrid: Format = {
  id: 'asc',
  title: 'ASCII grid',
  endings: ['.asc', '.grd'],
  mediaType: 'text/plain',
  writes: ['f64', 'f32'],
  carriesRange: true,
  sniff: (bytes) => /^\s*ncols\s+\d/i.test(new TextDecoder('latin1').decode(bytes.subarray(0, 64))),
  read: async (bytes, options) => read(bytes, options),
  beside: ({ ground }) => besideOfCrs(ground),
  write: async (page) => write(page),
};

function read(bytes: Uint8Array, { beside }: ReadOptions = {}): Reading {
  const header: Record<string, number> = {};
  let at = 0;
  const isSpace = (b: number) => b === 32 || (b >= 9 && b <= 13) || b === 44;
  const word = () => {
    while (at < bytes.length && isSpace(bytes[at])) at++;
    const from = at;
    while (at < bytes.length && !isSpace(bytes[at]) && at - from < 64) at++;
    return String.fromCharCode(...bytes.subarray(from, at));
  };
  for (;;) {
    const before = at;
    const key = word().toLowerCase();
    if (!KEYS.includes(key)) {
      at = before;
      break;
    }
    const text = word();
    const value = Number(text);
    if (text === '' || !Number.isFinite(value)) {
      if (key === 'nodata_value' && /^-?(nan|inf)/i.test(text)) continue;
      throw new UplandError('damaged', `This ASCII grid is damaged: its ${key} is "${text}", which is not a number.`);
    }
    header[key] = value;
  }
  for (const key of ['ncols', 'nrows']) {
    if (!(key in header)) throw new UplandError('damaged', `This ASCII grid is damaged: its header has no ${key}.`);
  }
  const width = header.ncols;
  const height = header.nrows;
  if (!Number.isInteger(width) || !Number.isInteger(height)) {
    throw new UplandError('damaged', `This ASCII grid says it has ${width} columns and ${height} rows; these have to be whole numbers.`);
  }
  checkSize('ASCII grid', width, height);
  const count = width * height;
  // Two characters are the least that a number takes: what cannot fit is refused before room is made for it.
  if (count > (bytes.length - at) / 2 + 1) {
    throw new UplandError(
      'cut-short',
      `This ASCII grid is cut short: ${width} × ${height} samples cannot fit into the ${bytes.length - at} bytes after its header.`,
    );
  }
  const samples = new Float64Array(count);
  for (let i = 0; i < count; i++) {
    const text = word();
    if (text === '') {
      throw new UplandError('cut-short', `This ASCII grid is cut short: it holds ${i} of the ${count} heights it should (row ${Math.floor(i / width) + 1}).`, {
        have: i,
      });
    }
    const value = Number(text);
    if (Number.isNaN(value) && !/^[+-]?nan$/i.test(text)) {
      throw new UplandError('damaged', `This ASCII grid is damaged: "${text.slice(0, 20)}" in row ${Math.floor(i / width) + 1} is not a number.`);
    }
    samples[i] = value;
  }
  const x = header.dx ?? header.cellsize;
  const y = header.dy ?? header.cellsize;
  const point = 'xllcenter' in header || 'yllcenter' in header;
  const odd: string[] = [];
  if (x !== undefined && !(x > 0 && y > 0)) {
    throw new UplandError('damaged', `This ASCII grid says its cells are ${x} × ${y} in size; that has to be more than 0.`);
  }
  if (x === undefined) odd.push('It does not say how far apart its samples are.');
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
    noData: header.nodata_value ?? null,
    ...facts,
    odd: [...odd, ...facts.odd],
  };
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
  const header = `ncols ${width}\nnrows ${height}\nxll${where} ${west}\nyll${where} ${south}\n${cells}NODATA_value ${noData ?? -9999}\n`;
  // Nine digits bring every float32 back; float64 pages, float32 heights on a datum, are printed in full.
  const print = type === 'f32' ? (v: number) => String(Number(v.toPrecision(9))) : String;
  const rows: string[] = [];
  const encoder = new TextEncoder();
  for (let row = 0; row < height; row++) {
    const words: string[] = new Array(width);
    for (let column = 0; column < width; column++) words[column] = print(samples[row * width + column]);
    rows.push(words.join(' '));
  }
  return encoder.encode(`${header}${rows.join('\n')}\n`) as Uint8Array<ArrayBuffer>;
}
