import { UplandError } from '../errors';
import { crc32 } from '../kernels/checksums';
import { checkLength, checkSize } from './limits';

export const SIGNATURE = [137, 80, 78, 71, 13, 10, 26, 10];
/** Channels by colour type. */
export const CHANNELS: Record<number, number> = { 0: 1, 2: 3, 3: 1, 4: 2, 6: 4 };

/** Whether bytes begin as a PNG does. */
export const isPng = (bytes: Uint8Array): boolean => SIGNATURE.every((b, i) => bytes[i] === b);

/** Chunks that say how tones are to be shown. */
export const TONES = ['gAMA', 'sRGB', 'iCCP'];
export const aboutTones = (kind: string) => `It says how its tones are to be shown (${kind}); that was not applied to the heights.`;

interface Header {
  width: number;
  height: number;
  depth: number;
  colour: number;
  interlaced: boolean;
}

/** What the chunks of a PNG say. */
interface Chunks {
  header: Header;
  palette: Uint8Array | undefined;
  /** What is transparent. */
  clear: Uint8Array | undefined;
  data: Uint8Array<ArrayBuffer>[];
  odd: string[];
}

export function chunksOf(bytes: Uint8Array<ArrayBuffer>): Chunks {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  checkLength('PNG', 'the header', 33, bytes.length);
  if (!isPng(bytes)) throw new UplandError('not-png', 'This is not a PNG: its first eight bytes are not those of one.');
  let header: Header | undefined;
  let palette: Uint8Array | undefined;
  let clear: Uint8Array | undefined;
  const data: Uint8Array<ArrayBuffer>[] = [];
  const odd: string[] = [];
  let ended = false;
  for (let at = 8; at + 12 <= bytes.length && !ended;) {
    const length = view.getUint32(at);
    const kind = String.fromCharCode(bytes[at + 4], bytes[at + 5], bytes[at + 6], bytes[at + 7]);
    checkLength('PNG', /^[A-Za-z]{4}$/.test(kind) ? `its ${kind} chunk` : `its chunk at byte ${at}`, length + 4, bytes.length - at - 8);
    const body = bytes.subarray(at + 8, at + 8 + length);
    if (kind === 'IHDR' || kind === 'IDAT' || kind === 'PLTE') {
      if (crc32(bytes.subarray(at + 4, at + 8 + length)) !== view.getUint32(at + 8 + length)) {
        throw new UplandError('damaged', `This PNG is damaged: the checksum of its ${kind} chunk at byte ${at} is wrong.`, { at });
      }
    }
    if (kind === 'IHDR') {
      checkLength('PNG', 'its IHDR chunk', 13, length);
      header = parseHeader(view, at + 8);
    } else if (kind === 'IDAT') data.push(body);
    else if (kind === 'PLTE') palette = body;
    else if (kind === 'tRNS') clear = body;
    else if (TONES.includes(kind)) odd.push(aboutTones(kind));
    else if (kind === 'IEND') ended = true;
    at += length + 12;
  }
  if (!header) throw new UplandError('damaged', 'This PNG is damaged: it has no IHDR chunk.');
  if (data.length === 0) throw new UplandError('damaged', 'This PNG is damaged: it has no samples (no IDAT chunk).');
  if (!ended) odd.push('The file ends before its last chunk.');
  return { header, palette, clear, data, odd };
}

/** The code of a grey that is transparent, and stands for no height; null: there is none. */
export const transparentOf = ({ header, clear }: Chunks): number | null =>
  header.colour === 0 && clear && clear.length >= 2 ? ((clear[0] << 8) | clear[1]) & (2 ** header.depth - 1) : null;

/** What somebody has to be told of how codes are stored. */
export function aboutCodes({ header, clear }: Chunks, tones: Uint8Array[] | undefined, transparent: number | null): string[] {
  const odd: string[] = [];
  if (transparent !== null) odd.push(`Its code ${transparent} is transparent: samples of it were taken for no data.`);
  else if (clear) odd.push('Some of its colours are transparent, which was passed over.');
  const { depth } = header;
  if (depth < 8 && !tones)
    odd.push(
      `Its codes have ${depth} ${depth === 1 ? 'bit' : 'bits'}: its largest is ${2 ** depth - 1}, not 255. Give that code its height when the range is set.`,
    );
  return odd;
}

export function parseHeader(view: DataView, at: number): Header {
  const width = view.getUint32(at);
  const height = view.getUint32(at + 4);
  const depth = view.getUint8(at + 8);
  const colour = view.getUint8(at + 9);
  const interlace = view.getUint8(at + 12);
  const depths: Record<number, number[]> = { 0: [1, 2, 4, 8, 16], 2: [8, 16], 3: [1, 2, 4, 8], 4: [8, 16], 6: [8, 16] };
  if (!depths[colour]?.includes(depth) || interlace > 1 || view.getUint8(at + 10) || view.getUint8(at + 11)) {
    throw new UplandError('damaged', `This PNG has a header that the standard does not know: colour type ${colour}, ${depth} bits, interlace ${interlace}.`);
  }
  checkSize('PNG', width, height);
  return { width, height, depth, colour, interlaced: interlace === 1 };
}

/** The whole picture, or the seven passes of Adam7. */
export function passesOf({ width, height, interlaced }: Header) {
  const grid = interlaced
    ? [
        [0, 0, 8, 8],
        [4, 0, 8, 8],
        [0, 4, 4, 8],
        [2, 0, 4, 4],
        [0, 2, 2, 4],
        [1, 0, 2, 2],
        [0, 1, 1, 2],
      ]
    : [[0, 0, 1, 1]];
  return grid.map(([left, top, stepX, stepY]) => ({
    left,
    top,
    stepX,
    stepY,
    width: Math.max(0, Math.ceil((width - left) / stepX)),
    height: Math.max(0, Math.ceil((height - top) / stepY)),
  }));
}

/** What the numbers of a palette stand for: one table where all are grey, else red, green and blue. */
export function paletteTones(palette: Uint8Array | undefined): Uint8Array[] {
  if (!palette) throw new UplandError('damaged', 'This PNG is damaged: its palette is missing.');
  const tones = [0, 1, 2].map(() => new Uint8Array(256));
  let grey = true;
  for (let i = 0; i < 256 && i * 3 + 2 < palette.length; i++) {
    for (let k = 0; k < 3; k++) tones[k][i] = palette[3 * i + k];
    if (palette[3 * i] !== palette[3 * i + 1] || palette[3 * i] !== palette[3 * i + 2]) grey = false;
  }
  return grey ? [tones[0]] : tones;
}
