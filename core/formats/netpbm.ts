import { quoted, UplandError } from '../errors';
import { channelOf, oneBand, planesFor } from './bands';
import type { Format, Page, Reading, ReadOptions } from './format';
import { checkLength, checkSize, checkUnpacked } from './limits';
import { textOf } from './text';

const isSpace = (b: number) => b === 32 || (b >= 9 && b <= 13);

/** What a text header gives word by word; `#` begins a comment to the end of its line. */
class Words {
  at: number;
  constructor(
    private readonly bytes: Uint8Array,
    from: number,
  ) {
    this.at = from;
  }

  next(): string {
    const { bytes } = this;
    for (;;) {
      while (this.at < bytes.length && isSpace(bytes[this.at])) this.at++;
      if (bytes[this.at] !== 35) break;
      while (this.at < bytes.length && bytes[this.at] !== 10) this.at++;
    }
    const from = this.at;
    while (this.at < bytes.length && !isSpace(bytes[this.at]) && this.at - from < 40) this.at++;
    return String.fromCharCode(...bytes.subarray(from, this.at));
  }

  whole(format: string, what: string): number {
    const text = this.next();
    if (!/^\d{1,9}$/.test(text)) throw new UplandError('damaged', `This ${format} is damaged: its ${what} is ${quoted(text)}, which is not a whole number.`);
    return Number(text);
  }
}

const plain: Pick<Reading, 'channels' | 'scale' | 'offset' | 'spacing' | 'registration' | 'noData'> = {
  channels: 1,
  scale: 1,
  offset: 0,
  spacing: null,
  registration: null,
  noData: null,
};

/**
 * PGM: grey of up to 16 bits, as text (P2) or bytes (P5, big-endian above 8 bits). The largest
 * code is what its header says; another than the type's own is said. Its kin are read too: PBM
 * (P1, P4: one bit, 1 is black), PPM (P3, P6: colour) and PAM (P7).
 * Source: the Netpbm manual, `pgm`, `pbm`, `ppm`, `pam`.
 */
export const pgm: Format = {
  id: 'pgm',
  title: 'PGM',
  endings: ['.pgm'],
  mediaType: 'image/x-portable-graymap',
  writes: ['u16', 'u8'],
  carriesRange: false,
  // The letter and digit of its kind, and a number above 0, a remark, or the first word of a PAM.
  sniff: (bytes) => bytes[0] === 80 && bytes[1] >= 49 && bytes[1] <= 55 && /^\s+([1-9]\d*\s|#|[A-Z]+\s)/.test(textOf(bytes, 2, 40)),
  read: async (bytes, options) => (bytes[1] === 50 || bytes[1] === 53 ? readPgm(bytes) : readOther(bytes, options)),
  write: async ({ width, height, type, samples }: Page) => {
    const header = new TextEncoder().encode(`P5\n${width} ${height}\n${type === 'u8' ? 255 : 65_535}\n`);
    const size = type === 'u8' ? 1 : 2;
    const out = new Uint8Array(header.length + samples.length * size);
    out.set(header);
    const view = new DataView(out.buffer, header.length);
    for (let i = 0; i < samples.length; i++) {
      if (size === 1) view.setUint8(i, samples[i]);
      else view.setUint16(2 * i, samples[i]);
    }
    return out;
  },
};

function readPgm(bytes: Uint8Array): Reading {
  const words = new Words(bytes, 2);
  const width = words.whole('PGM', 'width');
  const height = words.whole('PGM', 'height');
  const most = words.whole('PGM', 'largest code');
  checkSize('PGM', width, height);
  if (most < 1 || most > 65_535) throw new UplandError('damaged', `This PGM says its largest code is ${most}; it can be 1 to 65535.`);
  const type = most < 256 ? 'u8' : 'u16';
  const count = width * height;
  const text = bytes[1] === 50;
  checkLength('PGM', 'its picture', text ? 2 * count - 1 : count * (type === 'u8' ? 1 : 2), bytes.length - words.at - (text ? 0 : 1));
  const samples = type === 'u8' ? new Uint8Array(count) : new Uint16Array(count);
  if (text) {
    for (let i = 0; i < count; i++) {
      const value = words.whole('PGM', `code in row ${Math.floor(i / width) + 1}`);
      if (value > most)
        throw new UplandError('damaged', `This PGM is damaged: a code in row ${Math.floor(i / width) + 1} is ${value}, and ${most} is its largest.`);
      samples[i] = value;
    }
  } else {
    const view = new DataView(bytes.buffer, bytes.byteOffset + words.at + 1);
    for (let i = 0; i < count; i++) samples[i] = type === 'u8' ? view.getUint8(i) : view.getUint16(2 * i);
  }
  const own = type === 'u8' ? 255 : 65_535;
  const odd = most === own ? [] : [`Its largest code is ${most}, not ${own}: give that code its height when the range is set.`];
  return { ...plain, format: 'pgm', width, height, type, samples, unit: 'code', odd };
}

/** What a header of PBM, PPM or PAM says. */
interface Kin {
  title: string;
  width: number;
  height: number;
  channels: number;
  most: number;
  text: boolean;
  /** Eight samples a byte, 1 black. */
  bits: boolean;
  colour: boolean;
  at: number;
}

function kinOf(bytes: Uint8Array): Kin {
  const kind = bytes[1] - 48;
  const words = new Words(bytes, 2);
  if (kind !== 7) {
    const title = kind === 1 || kind === 4 ? 'PBM' : 'PPM';
    const [width, height] = [words.whole(title, 'width'), words.whole(title, 'height')];
    const most = title === 'PBM' ? 1 : words.whole(title, 'largest code');
    return { title, width, height, channels: title === 'PBM' ? 1 : 3, most, text: kind < 4, bits: title === 'PBM', colour: title === 'PPM', at: words.at };
  }
  const found: Record<string, number> = {};
  let type = '';
  for (let n = 0; n < 100; n++) {
    const key = words.next();
    if (key === 'ENDHDR') break;
    if (key === '') throw new UplandError('damaged', 'This PAM is damaged: its header does not end.');
    if (key === 'TUPLTYPE') type = words.next();
    else if (['WIDTH', 'HEIGHT', 'DEPTH', 'MAXVAL'].includes(key)) found[key] = words.whole('PAM', key.toLowerCase());
    else throw new UplandError('damaged', `This PAM is damaged: ${quoted(key)} stands in its header.`);
  }
  const { WIDTH: width, HEIGHT: height, DEPTH: channels, MAXVAL: most } = found;
  if (width === undefined || height === undefined || channels === undefined || most === undefined)
    throw new UplandError('damaged', 'This PAM is damaged: its header lacks WIDTH, HEIGHT, DEPTH or MAXVAL.');
  return { title: 'PAM', width, height, channels, most, text: false, bits: false, colour: /^RGB/.test(type), at: words.at };
}

function readOther(bytes: Uint8Array, { band }: ReadOptions = {}): Reading {
  const { title, width, height, channels, most, text, bits, colour, at } = kinOf(bytes);
  checkSize(title, width, height);
  if (most < 1 || most > 65_535) throw new UplandError('damaged', `This ${title} says its largest code is ${most}; it can be 1 to 65535.`);
  if (channels < 1 || channels > 64) throw new UplandError('damaged', `This ${title} says it has ${channels} channels; 64 are the most.`);
  const type = most < 256 ? 'u8' : 'u16';
  const size = type === 'u8' ? 1 : 2;
  const count = width * height;
  const stride = bits ? Math.ceil(width / 8) : width * channels * size;
  const least = text ? (bits ? count : 2 * count * channels - 1) : stride * height;
  checkLength(title, 'its picture', least, bytes.length - at - 1);
  checkUnpacked(title, bytes.length, count * size * Math.min(3, channels));
  const wanted = planesFor(title, channels, colour, band);
  const planes = wanted.map(() => (type === 'u8' ? new Uint8Array(count) : new Uint16Array(count)));
  const words = new Words(bytes, at);
  const digit = () => {
    // Ones and noughts of a PBM may stand without spaces.
    while (words.at < bytes.length && isSpace(bytes[words.at])) words.at++;
    const bit = bytes[words.at++] - 48;
    if (bit !== 0 && bit !== 1) throw new UplandError('damaged', 'This PBM is damaged: its picture is not of ones and noughts alone.');
    return bit;
  };
  const view = new DataView(bytes.buffer, bytes.byteOffset + at + 1, Math.max(0, bytes.length - at - 1));
  for (let row = 0, i = 0; row < height; row++) {
    for (let x = 0; x < width; x++, i++) {
      if (bits) {
        const black = text ? digit() : (view.getUint8(row * stride + (x >> 3)) >> (7 - (x & 7))) & 1;
        planes[0][i] = 1 - black;
      } else if (text) {
        for (let k = 0; k < channels; k++) {
          const value = words.whole(title, `code in row ${row + 1}`);
          if (value > most) throw new UplandError('damaged', `This ${title} is damaged: a code in row ${row + 1} is ${value}, and ${most} is its largest.`);
          const to = wanted.indexOf(k);
          if (to >= 0) planes[to][i] = value;
        }
      } else {
        for (const [k, channel] of wanted.entries()) {
          const from = row * stride + (x * channels + channel) * size;
          planes[k][i] = size === 1 ? view.getUint8(from) : view.getUint16(from);
        }
      }
    }
  }
  const chosen = oneBand(planes, type, channels, colour, band);
  const own = type === 'u8' ? 255 : 65_535;
  const odd = most === own ? [] : [`Its largest code is ${most}, not ${own}: give that code its height when the range is set.`];
  return { ...plain, format: 'pgm', width, height, unit: 'code', ...chosen, channels, odd: [...odd, ...chosen.odd] };
}

/**
 * PFM: float32 in either byte order, rows from the south. A colour file's first channel is read.
 * Source: the Netpbm manual, `pfm`.
 */
export const pfm: Format = {
  id: 'pfm',
  title: 'PFM',
  endings: ['.pfm'],
  mediaType: 'image/x-portable-floatmap',
  writes: ['f32'],
  carriesRange: true,
  sniff: (bytes) => bytes[0] === 80 && (bytes[1] === 102 || bytes[1] === 70) && /\s/.test(String.fromCharCode(bytes[2] ?? 0)),
  read: async (bytes, options) => readPfm(bytes, options),
  write: async ({ width, height, samples }: Page) => {
    const header = new TextEncoder().encode(`Pf\n${width} ${height}\n-1.0\n`);
    const out = new Uint8Array(header.length + samples.length * 4);
    out.set(header);
    const view = new DataView(out.buffer, header.length);
    for (let row = 0; row < height; row++) {
      const from = (height - 1 - row) * width;
      for (let x = 0; x < width; x++) view.setFloat32((row * width + x) * 4, samples[from + x], true);
    }
    return out;
  },
};

function readPfm(bytes: Uint8Array, { band }: ReadOptions = {}): Reading {
  const channels = bytes[1] === 70 ? 3 : 1;
  const words = new Words(bytes, 2);
  const width = words.whole('PFM', 'width');
  const height = words.whole('PFM', 'height');
  const text = words.next();
  const scale = Number(text);
  if (text === '' || !Number.isFinite(scale) || scale === 0)
    throw new UplandError('damaged', `This PFM is damaged: its scale is ${quoted(text)}, which has to be a number that is not 0.`);
  checkSize('PFM', width, height);
  const count = width * height;
  checkLength('PFM', 'its picture', count * channels * 4, bytes.length - words.at - 1);
  const channel = channelOf('PFM', channels, band);
  const samples = new Float32Array(count);
  const view = new DataView(bytes.buffer, bytes.byteOffset + words.at + 1);
  for (let row = 0; row < height; row++) {
    const to = (height - 1 - row) * width;
    for (let x = 0; x < width; x++) samples[to + x] = view.getFloat32(((row * width + x) * channels + channel) * 4, scale < 0);
  }
  const odd: string[] = [];
  if (channels === 3) odd.push(`It has three channels; number ${channel + 1} is read.`);
  if (Math.abs(scale) !== 1) odd.push(`Its header names a scale of ${Math.abs(scale)}; the numbers are taken as they are.`);
  return { ...plain, format: 'pfm', width, height, channels, ...(channels > 1 ? { band: channel + 1 } : {}), type: 'f32', samples, unit: 'm', odd };
}
