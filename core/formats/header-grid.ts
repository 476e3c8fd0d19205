import { quoted, UplandError } from '../errors';
import { spacingOf, type Georeference } from '../field/ground';
import { besideOfCrs, crsBeside, inMetres } from './crs';
import { BYTES, type Beside, type Format, type Page, type Reading, type ReadOptions, type SampleType } from './format';
import { checkSize } from './limits';
import { noDataAmong, numberIn } from './no-data';
import { plainText, textOf } from './text';
import { putter, readRaw, type RawLayout } from './raw';

/**
 * Grids of plain numbers with their header in a file beside them, `.hdr`: `.flt` (float32) and
 * `.bil` (whole numbers and floats, bands line by line). Without the header the bytes say
 * nothing, and are read as raw. Source: the ESRI descriptions of both (from memory), and what
 * GDAL's drivers EHdr reads and writes.
 */
export const flt: Format = {
  id: 'flt',
  title: 'Float grid',
  endings: ['.flt'],
  mediaType: 'application/octet-stream',
  writes: ['f32'],
  carriesRange: true,
  sniff: () => false,
  read: (bytes, options) => read(bytes, options),
  write: async (page) => write(page),
  beside: (page) => [{ ending: '.hdr', bytes: encodeText(fltHeader(page)) }, ...besideOfCrs(page.ground)],
};

export const bil: Format = {
  ...flt,
  id: 'bil',
  title: 'Band grid',
  endings: ['.bil'],
  writes: ['s16', 'u16', 'u8', 's32', 'u32', 'f32'],
  beside: (page) => [{ ending: '.hdr', bytes: encodeText(bilHeader(page)) }, ...besideOfCrs(page.ground)],
};

interface Header {
  layout: RawLayout;
  facts: Pick<Reading, 'format' | 'spacing' | 'registration' | 'noData' | 'georeference' | 'odd'>;
}

async function read(bytes: Uint8Array<ArrayBuffer>, options: ReadOptions = {}): Promise<Reading> {
  const text = options.beside?.['.hdr'];
  if (!text) {
    throw new UplandError(
      'no-header',
      'This file says nothing about itself: its header lies in a second file of the same name ending in .hdr. Bring both in together.',
    );
  }
  const { layout, facts } = parseHeader(textOf(plainText(text.subarray(0, 65_536))), options.beside);
  const { band } = options;
  if (typeof band === 'number') {
    if (band < 1 || band > layout.channels) throw new UplandError('band', `This grid has ${layout.channels} bands; there is no band ${band}.`);
    layout.channel = band - 1;
  }
  const reading = readRaw(bytes, layout);
  const { type, order, width, height, skip, channels, channel } = layout;
  const spec = `raw:${type}:${order}:${width}x${height}${skip ? `:skip=${skip}` : ''}${channels > 1 ? `:channels=${channels}:channel=${channel + 1}:by=line` : ''}`;
  const odd = channels > 1 ? [`It has ${channels} bands; band ${channel + 1} is read.`] : [];
  return {
    ...reading,
    ...facts,
    noData: facts.noData === null ? null : noDataAmong(reading.samples, type, facts.noData),
    unit: type[0] === 'f' ? 'm' : 'code',
    ...(channels > 1 ? { band: channel + 1 } : {}),
    as: spec,
    odd: [...facts.odd, ...odd, ...reading.odd],
  };
}

/** The words of a header by their keys, in small letters, and its numbers. */
class HeaderWords {
  private readonly words = new Map<string, string>();

  constructor(text: string) {
    for (const line of text.split(/\r\n|\n|\r/)) {
      const match = /^\s*([A-Za-z_]+)\s*[\s:=]\s*(\S+)/.exec(line.slice(0, 400));
      if (match) this.words.set(match[1].toLowerCase(), match[2]);
    }
  }

  has(key: string): boolean {
    return this.words.has(key);
  }

  word(key: string): string | undefined {
    return this.words.get(key);
  }

  number(key: string): number | undefined {
    const word = this.words.get(key);
    if (word === undefined) return undefined;
    const value = numberIn(word);
    if (!Number.isFinite(value)) throw new UplandError('damaged', `This header is damaged: its ${key} is ${quoted(word)}, which is not a number.`);
    return value;
  }

  whole(key: string, otherwise?: number): number {
    const value = this.number(key) ?? otherwise;
    if (value === undefined) throw new UplandError('damaged', `This header is damaged: it has no ${key}.`);
    if (!Number.isInteger(value) || value < 0) throw new UplandError('damaged', `This header says its ${key} is ${value}; it has to be a whole number.`);
    return value;
  }
}

function parseHeader(text: string, beside: ReadOptions['beside']): Header {
  if (/^\s*ENVI/.test(text))
    throw new UplandError('header-kind', 'This header is of another kind than .flt and .bil files have. Say how to read the bytes instead.');
  const header = new HeaderWords(text);
  const [width, height] = [header.whole('ncols'), header.whole('nrows')];
  checkSize('grid', width, height);
  const channels = channelsOf(header);
  const type = typeOf(header);
  const word = (header.word('byteorder') ?? 'lsbfirst').toLowerCase();
  const order = word === 'm' || word === 'msbfirst' ? 'be' : 'le';
  const sign = header.word('nodata_value') ?? header.word('nodata');
  const { spacing, place } = laidBy(header, height);
  const odd = spacing ? [] : ['It does not say how far apart its samples are.'];
  const facts = inMetres(spacing, place, height, crsBeside(beside));
  return {
    layout: { type, order, width, height, skip: header.whole('skipbytes', 0), rows: 'north', channels, channel: 0, by: channels > 1 ? 'line' : 'sample' },
    facts: {
      format: header.has('nbits') ? 'bil' : 'flt',
      registration: 'area',
      noData: sign === undefined ? null : numberIn(sign),
      ...facts,
      odd: [...odd, ...facts.odd],
    },
  };
}

function channelsOf(header: HeaderWords): number {
  const channels = header.whole('nbands', 1);
  const interleave = (header.word('layout') ?? 'bil').toLowerCase();
  if (channels < 1 || channels > 64) throw new UplandError('damaged', `This header says it has ${channels} bands.`);
  if (channels > 1 && interleave !== 'bil')
    throw new UplandError('header-kind', `Its bands are laid out by ${quoted(interleave)}; line by line (bil) is read here.`);
  return channels;
}

const TYPES: Record<string, SampleType> = {
  float32: 'f32',
  float64: 'f64',
  signedint16: 's16',
  signedint32: 's32',
  unsignedint8: 'u8',
  unsignedint16: 'u16',
  unsignedint32: 'u32',
};

function typeOf(header: HeaderWords): SampleType {
  const bits = header.whole('nbits', 32);
  const usual = header.has('nbits') && !(bits === 32 && header.has('cellsize')) ? 'unsignedint' : 'float';
  const kind = (header.word('pixeltype') ?? usual).toLowerCase();
  const type = TYPES[`${kind}${bits}`];
  if (!type) throw new UplandError('header-kind', `This header describes ${quoted(kind)} numbers of ${bits} bits, which are not read here.`);
  return type;
}

/** How far apart samples are, and where their north-west corner lies. */
function laidBy(header: HeaderWords, height: number): { spacing: { x: number; y: number } | null; place?: Georeference } {
  const cell = header.number('cellsize');
  const x = header.number('xdim') ?? cell;
  const y = header.number('ydim') ?? cell;
  if (x !== undefined && !(x > 0 && y! > 0))
    throw new UplandError('damaged', `This header says its cells are ${x} × ${y} in size; that has to be more than 0.`);
  // ulxmap and xllcenter are the middle of the corner cell, xllcorner its corner.
  let place: Georeference | undefined;
  const [left, upper] = [header.number('ulxmap'), header.number('ulymap')];
  if (left !== undefined && upper !== undefined && x !== undefined) place = { west: left - x / 2, north: upper + y! / 2, crs: '' };
  const west = header.number('xllcorner') ?? shifted(header.number('xllcenter'), x);
  const south = header.number('yllcorner') ?? shifted(header.number('yllcenter'), y);
  if (west !== undefined && south !== undefined && y !== undefined) place = { west, north: south + y * height, crs: '' };
  return { spacing: x === undefined ? null : { x, y: y! }, place };
}

const shifted = (middle: number | undefined, cell: number | undefined) => (middle === undefined ? undefined : middle - (cell ?? 0) / 2);

function write({ type, samples }: Page): Uint8Array<ArrayBuffer> {
  const size = BYTES[type];
  const bytes = new Uint8Array(samples.length * size);
  const put = putter(new DataView(bytes.buffer), type, true);
  for (let i = 0; i < samples.length; i++) put(i * size, samples[i]);
  return bytes;
}

/** Cells whose middles are the samples: of a point ground they reach half a cell beyond its edge. */
function cells({ ground }: Page) {
  const { x, y } = spacingOf(ground);
  const per = ground.georeference?.perMetre ?? { x: 1, y: 1 };
  const half = ground.registration === 'point' ? 0.5 : 0;
  const [dx, dy] = [x * per.x, y * per.y];
  const west = (ground.georeference?.west ?? 0) - half * dx;
  const north = (ground.georeference?.north ?? ground.depth) + half * dy;
  return { dx, dy, west, north, south: north - dy * ground.down };
}

function fltHeader(page: Page): string {
  const { dx, dy, west, south } = cells(page);
  const size = dx === dy ? `cellsize ${dx}\n` : `xdim ${dx}\nydim ${dy}\n`;
  return `ncols ${page.width}\nnrows ${page.height}\nxllcorner ${west}\nyllcorner ${south}\n${size}NODATA_value ${page.noData ?? -9999}\nbyteorder LSBFIRST\n`;
}

function bilHeader(page: Page): string {
  const { dx, dy, west, north } = cells(page);
  const bits = BYTES[page.type] * 8;
  const kind = page.type[0] === 'f' ? 'FLOAT' : page.type[0] === 's' ? 'SIGNEDINT' : 'UNSIGNEDINT';
  const noData = page.noData === null ? '' : `NODATA ${page.noData}\n`;
  const row = page.width * BYTES[page.type];
  return `BYTEORDER I\nLAYOUT BIL\nNROWS ${page.height}\nNCOLS ${page.width}\nNBANDS 1\nNBITS ${bits}\nBANDROWBYTES ${row}\nTOTALROWBYTES ${row}\nPIXELTYPE ${kind}\nULXMAP ${west + dx / 2}\nULYMAP ${north - dy / 2}\nXDIM ${dx}\nYDIM ${dy}\n${noData}`;
}

const encodeText = (text: string): Beside['bytes'] => new TextEncoder().encode(text) as Beside['bytes'];
