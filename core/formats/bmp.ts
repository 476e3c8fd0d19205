import { UplandError } from '../errors';
import { oneBand, planesFor } from './bands';
import { BARE_CODES, type Format, type Page, type Reading, type ReadOptions } from './format';
import { checkLength, checkSize } from './limits';

/**
 * BMP of 8 bits, or of 24 and 32 in colour, unpacked, rows from either side. The palette says how bright an index is: a
 * grey one is applied, of a coloured one the luminance is taken and that is said.
 * Source: the BITMAPINFOHEADER layout of the Windows documentation (from memory).
 */
export const bmp: Format = {
  id: 'bmp',
  title: 'BMP',
  endings: ['.bmp'],
  mediaType: 'image/bmp',
  writes: ['u8'],
  carriesRange: false,
  sniff: (bytes) => bytes[0] === 0x42 && bytes[1] === 0x4d && bytes.length >= 6 && (bytes[6] | bytes[7] | bytes[8] | bytes[9]) === 0,
  read: async (bytes, options) => read(bytes, options),
  write: async (page) => write(page),
};

function read(bytes: Uint8Array, options: ReadOptions = {}): Reading {
  checkLength('BMP', 'its header', 54, bytes.length);
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const start = view.getUint32(10, true);
  const headerSize = view.getUint32(14, true);
  const width = view.getInt32(18, true);
  const tall = view.getInt32(22, true);
  const height = Math.abs(tall);
  const bits = view.getUint16(28, true);
  const packing = view.getUint32(30, true);
  if (headerSize < 40 || headerSize > 256) throw new UplandError('bmp-header', `This BMP has a header of ${headerSize} bytes, which is not read here.`);
  checkSize('BMP', width, height);
  const truecolour = (bits === 24 && packing === 0) || (bits === 32 && (packing === 0 || packing === 3));
  if (!truecolour && (bits !== 8 || packing !== 0)) {
    throw new UplandError(
      'bmp-kind',
      `This is a BMP of ${bits} bits a sample${packing ? ', packed' : ''}, which is not read here; 8, 24 and 32 bits, unpacked, are. Save it as PNG.`,
    );
  }
  if (truecolour) return readColours(bytes, { start, width, height, upwards: tall > 0, size: bits / 8 }, options.band);
  const stride = (width + 3) & ~3;
  checkLength('BMP', 'its picture', stride * height, bytes.length - start);
  const colours = view.getUint32(46, true) || 256;
  const table = 14 + headerSize;
  if (colours > 256 || table + colours * 4 > start)
    throw new UplandError('damaged', `This BMP is damaged: its palette of ${colours} colours does not fit before its picture.`);
  const tone = new Uint8Array(256);
  let coloured = false;
  for (let i = 0; i < colours; i++) {
    const [b, g, r] = bytes.subarray(table + 4 * i, table + 4 * i + 3);
    if (r !== g || g !== b) coloured = true;
    // Rec. 709 luma, as for any picture in colour.
    tone[i] = r === g && g === b ? r : Math.round(0.2126 * r + 0.7152 * g + 0.0722 * b);
  }
  const samples = new Uint8Array(width * height);
  for (let row = 0; row < height; row++) {
    const from = start + (tall > 0 ? height - 1 - row : row) * stride;
    for (let x = 0; x < width; x++) samples[row * width + x] = tone[bytes[from + x]];
  }
  return {
    format: 'bmp',
    width,
    height,
    channels: 1,
    type: 'u8',
    samples,
    ...BARE_CODES,
    noData: null,
    odd: coloured ? ['Its palette is in colour; the luminance is read.'] : [],
  };
}

interface Colours {
  start: number;
  width: number;
  height: number;
  /** Rows run from the bottom. */
  upwards: boolean;
  /** Bytes a pixel: blue, green, red. */
  size: number;
}

function readColours(bytes: Uint8Array, { start, width, height, upwards, size }: Colours, band: ReadOptions['band']): Reading {
  const stride = (width * size + 3) & ~3;
  checkLength('BMP', 'its picture', stride * height, bytes.length - start);
  const wanted = planesFor('BMP', 3, true, band);
  const planes = wanted.map((channel) => {
    const plane = new Uint8Array(width * height);
    for (let row = 0, i = 0; row < height; row++) {
      let at = start + (upwards ? height - 1 - row : row) * stride + 2 - channel;
      for (let x = 0; x < width; x++, i++, at += size) plane[i] = bytes[at];
    }
    return plane;
  });
  const chosen = oneBand(planes, 'u8', 3, true, band);
  return { format: 'bmp', width, height, ...BARE_CODES, noData: null, ...chosen, channels: 3 };
}

function write({ width, height, samples }: Page): Uint8Array<ArrayBuffer> {
  const stride = (width + 3) & ~3;
  const start = 54 + 1024;
  const out = new Uint8Array(start + stride * height);
  const view = new DataView(out.buffer);
  out.set([0x42, 0x4d]);
  view.setUint32(2, out.length, true);
  view.setUint32(10, start, true);
  view.setUint32(14, 40, true);
  view.setInt32(18, width, true);
  view.setInt32(22, height, true);
  view.setUint16(26, 1, true);
  view.setUint16(28, 8, true);
  view.setUint32(34, stride * height, true);
  view.setUint32(46, 256, true);
  for (let i = 0; i < 256; i++) out.set([i, i, i, 0], 54 + 4 * i);
  for (let row = 0; row < height; row++) {
    for (let x = 0; x < width; x++) out[start + (height - 1 - row) * stride + x] = samples[row * width + x];
  }
  return out;
}
