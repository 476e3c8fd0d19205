import { grouped } from '../grouped';
import { UplandError } from '../errors';
import { BYTES, makeSamples, SAMPLE_TYPES, type Format, type Page, type Reading, type SampleType, bytesOfSamples, isAsInMemory } from './format';
import { checkLength, checkSize } from './limits';

/** How to read bytes that say nothing about themselves. */
export interface RawLayout {
  type: SampleType;
  order: 'le' | 'be';
  width: number;
  height: number;
  skip: number;
  rows: 'north' | 'south';
  channels: number;
  /** 0-based. */
  channel: number;
  /** Whether channels alternate sample by sample or line by line. */
  by?: 'sample' | 'line';
}

/** `raw:TYPE:ORDER:WxH[:skip=N][:rows=north|south][:channels=N][:channel=K][:by=sample|line]`, channel counted from 1. */
export function parseRawSpec(spec: string): RawLayout {
  const wrong = (what: string) =>
    new UplandError(
      'raw-spec',
      `"${spec}" does not say how to read raw bytes: ${what}. It looks like raw:u16:le:1025x1025, then :skip=N, :rows=south, :channels=N, :channel=K.`,
    );
  const [head, type, order, size, ...rest] = spec.split(':');
  if (head !== 'raw') throw wrong('it has to begin with "raw"');
  if (!SAMPLE_TYPES.includes(type as SampleType)) throw wrong(`the type is one of ${SAMPLE_TYPES.join(', ')}`);
  if (order !== 'le' && order !== 'be') throw wrong('the order is le or be');
  const match = /^(\d{1,6})x(\d{1,6})$/.exec(size ?? '');
  if (!match) throw wrong('the size is columns x rows');
  const layout: RawLayout = {
    type: type as SampleType,
    order,
    width: Number(match[1]),
    height: Number(match[2]),
    skip: 0,
    rows: 'north',
    channels: 1,
    channel: 0,
  };
  for (const part of rest) {
    const [key, value] = part.split('=');
    if (key === 'rows' && (value === 'north' || value === 'south')) layout.rows = value;
    else if (key === 'by' && (value === 'sample' || value === 'line')) layout.by = value;
    else if ((key === 'skip' || key === 'channels') && /^\d{1,10}$/.test(value)) layout[key] = Number(value);
    else if (key === 'channel' && /^[1-9]\d{0,3}$/.test(value)) layout.channel = Number(value) - 1;
    else throw wrong(`"${part}" is not known`);
  }
  if (layout.channels < 1 || layout.channel >= layout.channels) throw wrong(`there is no channel ${layout.channel + 1} of ${layout.channels}`);
  checkSize('raw file', layout.width, layout.height);
  return layout;
}

/** Samples out of raw bytes; says which sizes would fit when the count is wrong. */
export function readRaw(bytes: Uint8Array, layout: RawLayout): Reading {
  const { type, order, width, height, skip, rows, channels, channel } = layout;
  checkSize('raw file', width, height);
  const size = BYTES[type];
  const needed = width * height * channels * size;
  const there = bytes.length - skip;
  if (there < needed) throw new UplandError('raw-length', lengthSentence(layout, bytes.length), { needed, there });
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const samples = makeSamples(type, width * height);
  const little = order === 'le';
  const get = getter(view, type, little);
  const byLine = layout.by === 'line';
  const copied = isAsInMemory(type, little) && (channels === 1 || byLine);
  const into = bytesOfSamples(samples);
  for (let row = 0; row < height; row++) {
    const from = rows === 'north' ? row : height - 1 - row;
    let at = skip + (byLine ? (from * channels + channel) * width : from * width * channels + channel) * size;
    if (copied) {
      into.set(bytes.subarray(at, at + width * size), row * width * size);
      continue;
    }
    const stride = byLine ? size : size * channels;
    for (let i = row * width; i < (row + 1) * width; i++, at += stride) samples[i] = get(at);
  }
  const odd = there > needed ? [`${grouped(there - needed)} bytes after the last sample were not read.`] : [];
  return {
    format: 'raw',
    width,
    height,
    channels,
    type,
    samples,
    unit: type[0] === 'f' ? 'm' : 'code',
    scale: 1,
    offset: 0,
    spacing: null,
    registration: null,
    noData: null,
    odd,
  };
}

/** Raw samples of any type, order and row order, after a header of zeros where one is to be skipped. */
export const raw: Format = {
  id: 'raw',
  title: 'Raw',
  endings: ['.raw', '.r16', '.r32', '.bin'],
  mediaType: 'application/octet-stream',
  writes: ['u16', 'u8', 's16', 'u24', 'u32', 's32', 'f32', 'f64'],
  carriesRange: false,
  sniff: () => false,
  read: async (bytes) => {
    checkLength('raw file', 'a sample', 1, bytes.length);
    throw new UplandError(
      'raw-needs-layout',
      `These ${grouped(bytes.length)} bytes do not say what they are. Say how to read them: type, byte order and size, such as raw:u16:le:1025x1025.`,
    );
  },
  write: async (page) => writeRaw(page),
};

function writeRaw({ width, height, type, samples, options }: Page): Uint8Array<ArrayBuffer> {
  const size = BYTES[type];
  const skip = options.skip ?? 0;
  const bytes = new Uint8Array(skip + width * height * size);
  const view = new DataView(bytes.buffer);
  const put = putter(view, type, options.order !== 'be');
  const copied = isAsInMemory(type, options.order !== 'be');
  const own = bytesOfSamples(samples);
  for (let row = 0; row < height; row++) {
    const to = options.rows === 'south' ? height - 1 - row : row;
    if (copied) {
      bytes.set(own.subarray(row * width * size, (row + 1) * width * size), skip + to * width * size);
      continue;
    }
    for (let x = 0, at = skip + to * width * size; x < width; x++, at += size) put(at, samples[row * width + x]);
  }
  return bytes;
}

/** Reads one number of a type at a byte offset. */
export function getter(view: DataView, type: SampleType, little: boolean): (at: number) => number {
  switch (type) {
    case 'u8':
      return (at) => view.getUint8(at);
    case 'u16':
      return (at) => view.getUint16(at, little);
    case 's16':
      return (at) => view.getInt16(at, little);
    case 'u24':
      return (at) => view.getUint8(at + 1) * 256 + view.getUint8(little ? at : at + 2) + view.getUint8(little ? at + 2 : at) * 65_536;
    case 'u32':
      return (at) => view.getUint32(at, little);
    case 's32':
      return (at) => view.getInt32(at, little);
    case 'f32':
      return (at) => view.getFloat32(at, little);
    case 'f64':
      return (at) => view.getFloat64(at, little);
  }
}

/** Writes one number of a type at a byte offset. */
export function putter(view: DataView, type: SampleType, little: boolean): (at: number, value: number) => void {
  switch (type) {
    case 'u8':
      return (at, v) => view.setUint8(at, v);
    case 'u16':
      return (at, v) => view.setUint16(at, v, little);
    case 's16':
      return (at, v) => view.setInt16(at, v, little);
    case 'u24':
      return (at, v) => {
        view.setUint8(at + 1, v >> 8);
        view.setUint8(little ? at : at + 2, v);
        view.setUint8(little ? at + 2 : at, v >> 16);
      };
    case 'u32':
      return (at, v) => view.setUint32(at, v, little);
    case 's32':
      return (at, v) => view.setInt32(at, v, little);
    case 'f32':
      return (at, v) => view.setFloat32(at, v, little);
    case 'f64':
      return (at, v) => view.setFloat64(at, v, little);
  }
}

function lengthSentence({ type, width, height, skip, channels }: RawLayout, length: number): string {
  const bits = BYTES[type] * 8;
  const needed = width * height * channels * BYTES[type];
  const after = skip ? ` after the ${skip} skipped` : '';
  const fits: string[] = [];
  const room = length - skip;
  for (const other of [1, 2, 4]) {
    if (other !== BYTES[type] && width * height * channels * other === room) fits.push(`${width} × ${height} of ${other * 8} bits`);
  }
  const rowBytes = width * channels * BYTES[type];
  if (room > 0 && room % rowBytes === 0) fits.push(`${width} × ${room / rowBytes} of ${bits}`);
  const side = Math.round(Math.sqrt(room / channels / BYTES[type]));
  if (side > 1 && side * side * channels * BYTES[type] === room) fits.push(`${side} × ${side} of ${bits}`);
  const fit = fits.length ? ` It fits ${[...new Set(fits)].join(', or ')}.` : ' Look for another type or size, or a header to skip.';
  const what = channels > 1 ? `${channels} channels of ${bits} bits` : `${bits} bits`;
  return `This file has ${grouped(length)} bytes; ${width} × ${height} samples of ${what} need ${grouped(needed)}${after}.${fit}`;
}
