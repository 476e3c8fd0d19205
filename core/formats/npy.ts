import { UplandError } from '../errors';
import { channelOf } from './bands';
import { BYTES, makeSamples, type Format, type Page, type Reading, type ReadOptions, type SampleType } from './format';
import { checkLength, checkSize } from './limits';
import { getter, putter } from './raw';

const MAGIC = [0x93, 0x4e, 0x55, 0x4d, 0x50, 0x59];
const TYPES: Record<string, SampleType> = { u1: 'u8', u2: 'u16', i2: 's16', u4: 'u32', i4: 's32', f4: 'f32', f8: 'f64' };
const CODE = Object.fromEntries(Object.entries(TYPES).map(([code, type]) => [type, code])) as Record<SampleType, string>;

/**
 * NumPy's array file, versions 1 to 3: two dimensions, or three whose last is channels; either
 * byte order, either order of dimensions. Source: the NumPy manual, `numpy.lib.format`.
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

function read(bytes: Uint8Array, { band }: ReadOptions = {}): Reading {
  checkLength('NumPy file', 'its header', 12, bytes.length);
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const version = bytes[6];
  if (version < 1 || version > 3) throw new UplandError('npy-version', `This NumPy file says it is version ${version}; 1, 2 and 3 are read here.`);
  const start = version === 1 ? 10 : 12;
  const length = version === 1 ? view.getUint16(8, true) : view.getUint32(8, true);
  checkLength('NumPy file', 'its header', start + length, bytes.length);
  const header = new TextDecoder('latin1').decode(bytes.subarray(start, start + Math.min(length, 4096)));
  const descr = /'descr'\s*:\s*'([<>|=])([a-z]\d)'/.exec(header);
  const shape = /'shape'\s*:\s*\(([\d,\sL]*)\)/.exec(header);
  const type = descr && TYPES[descr[2]];
  if (!descr || !type)
    throw new UplandError('npy-type', `This NumPy file holds numbers of a type that is not read here. It can be ${Object.keys(TYPES).join(', ')}.`);
  if (!shape) throw new UplandError('damaged', 'This NumPy file is damaged: its header has no shape.');
  const dims = shape[1]
    .split(',')
    .map((d) => d.trim().replace(/L$/, ''))
    .filter(Boolean)
    .map(Number);
  const channels = dims.length === 3 ? dims[2] : 1;
  if ((dims.length !== 2 && dims.length !== 3) || channels < 1 || channels > 64) {
    throw new UplandError('npy-shape', `This NumPy file has the shape (${dims.join(', ')}). Heights have two dimensions, or a third with the channels.`);
  }
  const [height, width] = dims;
  checkSize('NumPy file', width, height);
  const count = width * height;
  const size = BYTES[type];
  const from = start + length;
  checkLength('NumPy file', 'its array', count * channels * size, bytes.length - from);
  const columnsFirst = /'fortran_order'\s*:\s*True/.test(header);
  const little = descr[1] !== '>';
  const get = getter(view, type, little);
  const channel = channelOf('NumPy file', channels, band);
  const samples = makeSamples(type, count);
  for (let row = 0, i = 0; row < height; row++) {
    for (let x = 0; x < width; x++, i++) samples[i] = get(from + (columnsFirst ? (channel * width + x) * height + row : i * channels + channel) * size);
  }
  return {
    format: 'npy',
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
    ...(channels > 1 ? { band: channel + 1 } : {}),
    odd: channels > 1 ? [`It has ${channels} channels; number ${channel + 1} is read.`] : [],
  };
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
