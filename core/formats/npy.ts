import { unzipSync, type UnzipFileInfo } from 'fflate';
import { quoted, UplandError } from '../errors';
import { channelOf } from './bands';
import { BYTES, makeSamples, type Format, type Page, type Reading, type ReadOptions, type SampleType } from './format';
import { halfToNumber } from './half';
import { checkLength, checkSize, checkUnpacked } from './limits';
import { getter, putter } from './raw';
import { INEXACT, narrowed } from './whole';

const MAGIC = [0x93, 0x4e, 0x55, 0x4d, 0x50, 0x59];
/** How NumPy's types are read: bytes of a number, and what it becomes. */
const TYPES: Record<string, { size: number; type: SampleType }> = {
  b1: { size: 1, type: 'u8' },
  u1: { size: 1, type: 'u8' },
  i1: { size: 1, type: 's16' },
  u2: { size: 2, type: 'u16' },
  i2: { size: 2, type: 's16' },
  u4: { size: 4, type: 'u32' },
  i4: { size: 4, type: 's32' },
  u8: { size: 8, type: 'f64' },
  i8: { size: 8, type: 'f64' },
  f2: { size: 2, type: 'f32' },
  f4: { size: 4, type: 'f32' },
  f8: { size: 8, type: 'f64' },
};
const CODE: Partial<Record<SampleType, string>> = { u8: 'u1', u16: 'u2', s16: 'i2', u32: 'u4', s32: 'i4', f32: 'f4', f64: 'f8' };

/**
 * NumPy's array file, versions 1 to 3: two dimensions, beside any of 1, or three whose last is
 * channels; either byte order, either order of dimensions. Source: the NumPy manual,
 * `numpy.lib.format`.
 */
export const npy: Format = {
  id: 'npy',
  title: 'NumPy',
  endings: ['.npy'],
  mediaType: 'application/octet-stream',
  writes: ['f32', 'f64', 'u8', 'u16', 's16', 'u32', 's32'],
  carriesRange: false,
  sniff: (bytes) => MAGIC.every((b, i) => bytes[i] === b),
  read: async (bytes, options) => read(bytes, options),
  write: async (page) => write(page),
};

/** Several NumPy arrays in a ZIP, read only: the first that could be heights. Source: the NumPy manual, `numpy.savez`. */
export const npz: Format = {
  ...npy,
  id: 'npz',
  title: 'NumPy archive',
  endings: ['.npz'],
  mediaType: 'application/zip',
  writes: [],
  readOnly: true,
  sniff: (bytes) => bytes[0] === 0x50 && bytes[1] === 0x4b && bytes[2] === 3 && bytes[3] === 4 && /\.npy$/.test(firstName(bytes)),
  read: async (bytes, options) => readArchive(bytes, options),
  write: async () => {
    throw new UplandError('read-only', 'NumPy archives are read but not written. Write NumPy (.npy).');
  },
};

const firstName = (bytes: Uint8Array): string => String.fromCharCode(...bytes.subarray(30, 30 + Math.min(200, bytes[26] | (bytes[27] << 8))));

function readArchive(bytes: Uint8Array<ArrayBuffer>, options?: ReadOptions): Reading {
  const files: UnzipFileInfo[] = [];
  const entry = (name: string): Uint8Array<ArrayBuffer> => {
    try {
      return unzipSync(bytes, { filter: (file) => file.name === name })[name] as Uint8Array<ArrayBuffer>;
    } catch {
      throw new UplandError('damaged', `This NumPy archive is damaged: ${quoted(name)} in it cannot be unpacked.`);
    }
  };
  try {
    unzipSync(bytes, { filter: (file) => (files.push(file), false) });
  } catch {
    throw new UplandError('damaged', 'This NumPy archive is damaged: it does not open as a ZIP archive.');
  }
  const arrays = files.filter((file) => /\.npy$/.test(file.name)).slice(0, 100);
  let first: unknown;
  for (const { name, size, originalSize } of arrays) {
    checkUnpacked('NumPy archive', bytes.length, originalSize);
    // Deflate makes at most 1 032 bytes out of one.
    if (originalSize > 1032 * size + 64)
      throw new UplandError('damaged', `This NumPy archive is damaged: ${quoted(name)} in it cannot be as large as it says.`);
    try {
      const reading = read(entry(name), options);
      const odd = arrays.length > 1 ? [`It holds ${arrays.length} arrays; ${quoted(name.replace(/\.npy$/, ''))} is read.`] : [];
      return { ...reading, format: 'npz', odd: [...odd, ...reading.odd] };
    } catch (error) {
      if (!(error instanceof UplandError && (error.code === 'npy-shape' || error.code === 'npy-type'))) throw error;
      first ??= error;
    }
  }
  throw first ?? new UplandError('npy-shape', 'This NumPy archive holds no arrays.');
}

interface Header {
  type: string;
  little: boolean;
  dims: number[];
  columnsFirst: boolean;
  from: number;
}

function readHeader(bytes: Uint8Array): Header {
  checkLength('NumPy file', 'its header', 12, bytes.length);
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const version = bytes[6];
  if (version < 1 || version > 3) throw new UplandError('npy-version', `This NumPy file says it is version ${version}; 1, 2 and 3 are read here.`);
  const start = version === 1 ? 10 : 12;
  const length = version === 1 ? view.getUint16(8, true) : view.getUint32(8, true);
  checkLength('NumPy file', 'its header', start + length, bytes.length);
  const header = new TextDecoder('latin1').decode(bytes.subarray(start, start + Math.min(length, 4096)));
  const descr = /'descr'\s{0,9}:\s{0,9}('([<>|=]?)([a-zA-Z]\d{0,3})'|\[)/.exec(header);
  const shape = /'shape'\s{0,9}:\s{0,9}\(([\d,\sL]{0,300})\)/.exec(header);
  if (!descr || !TYPES[descr[3]]) {
    const what =
      descr?.[1] === '[' ? 'records of several fields' : descr ? `numbers of the type ${quoted(descr[3])}` : 'numbers of a type that it does not name';
    throw new UplandError('npy-type', `This NumPy file holds ${what}, which are not read here. It can be ${Object.keys(TYPES).join(', ')}.`);
  }
  if (!shape) throw new UplandError('damaged', 'This NumPy file is damaged: its header has no shape.');
  const dims = shape[1]
    .split(',')
    .map((d) => d.trim().replace(/L$/, ''))
    .filter(Boolean)
    .map(Number);
  return { type: descr[3], little: descr[2] !== '>', dims, columnsFirst: /'fortran_order'\s{0,9}:\s{0,9}True/.test(header), from: start + length };
}

function read(bytes: Uint8Array, { band }: ReadOptions = {}): Reading {
  const { type: code, little, dims: given, columnsFirst, from } = readHeader(bytes);
  // Dimensions of 1 in front count nothing, as does one at the end of three or more; a short last one is channels.
  const dims = given.slice();
  while (dims.length > 2 && dims.at(-1) === 1) dims.pop();
  while (dims.length > 3 && dims[0] === 1) dims.shift();
  if (dims.length === 3 && dims[0] === 1 && dims[2] > 4) dims.shift();
  const channels = dims.length === 3 ? dims[2] : 1;
  if ((dims.length !== 2 && dims.length !== 3) || channels < 1 || channels > 64) {
    throw new UplandError('npy-shape', `This NumPy file has the shape (${given.join(', ')}). Heights have two dimensions, or a third with the channels.`);
  }
  const [height, width] = dims;
  checkSize('NumPy file', width, height);
  const count = width * height;
  const { size, type } = TYPES[code];
  checkLength('NumPy file', 'its array', count * channels * size, bytes.length - from);
  const get = numbersOf(new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength), code, type, little);
  const channel = channelOf('NumPy file', channels, band);
  checkUnpacked('NumPy file', bytes.length, count * BYTES[type]);
  const wide = makeSamples(type, count);
  for (let row = 0, i = 0; row < height; row++) {
    for (let x = 0; x < width; x++, i++) wide[i] = get(from + (columnsFirst ? (channel * width + x) * height + row : i * channels + channel) * size);
  }
  const whole = code === 'i8' || code === 'u8' ? narrowed(wide as Float64Array<ArrayBuffer>) : undefined;
  const odd: string[] = [];
  if (channels > 1) odd.push(`It has ${channels} channels; number ${channel + 1} is read.`);
  if (whole?.inexact) odd.push(INEXACT);
  if (code === 'f2') odd.push('Its numbers are halves of 16 bits: over 2 048 m they are a metre or more apart.');
  if (code === 'b1') odd.push('Its numbers are yes or no: 1 and 0.');
  return {
    format: 'npy',
    width,
    height,
    channels,
    type: whole?.type ?? type,
    samples: whole?.samples ?? wide,
    unit: code[0] === 'f' ? 'm' : 'code',
    scale: 1,
    offset: 0,
    spacing: null,
    registration: null,
    noData: null,
    ...(channels > 1 ? { band: channel + 1 } : {}),
    odd,
  };
}

function numbersOf(view: DataView, code: string, type: SampleType, little: boolean): (at: number) => number {
  switch (code) {
    case 'i1':
      return (at) => view.getInt8(at);
    case 'b1':
      return (at) => (view.getUint8(at) ? 1 : 0);
    case 'f2':
      return (at) => halfToNumber(view.getUint16(at, little));
    case 'i8':
      return (at) => Number(view.getBigInt64(at, little));
    case 'u8':
      return (at) => Number(view.getBigUint64(at, little));
    default:
      return getter(view, type, little);
  }
}

function write({ width, height, type, samples }: Page): Uint8Array<ArrayBuffer> {
  const order = type === 'u8' ? '|' : '<';
  const text = `{'descr': '${order}${CODE[type]}', 'fortran_order': False, 'shape': (${height}, ${width}), }`;
  // The header ends with a line end at a multiple of 64 bytes.
  const padded = `${text.padEnd(Math.ceil((10 + text.length + 1) / 64) * 64 - 11)}\n`;
  const size = BYTES[type];
  const out = new Uint8Array(10 + padded.length + samples.length * size);
  out.set([...MAGIC, 1, 0, padded.length & 255, padded.length >> 8]);
  out.set(new TextEncoder().encode(padded), 10);
  const view = new DataView(out.buffer, 10 + padded.length);
  const put = putter(view, type, true);
  for (let i = 0; i < samples.length; i++) put(i * size, samples[i]);
  return out;
}
