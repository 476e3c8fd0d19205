import { decode } from 'jpeg-js';
import { throwIfStopped, UplandError } from '../errors';
import { oneBand, planesFor } from './bands';
import type { Format, Reading, ReadOptions } from './format';
import { checkLength, checkSize, checkUnpacked, quoted } from './limits';

/**
 * JPEG (ITU-T T.81), baseline and progressive, read only: 8 bits and blocks of 8 × 8 samples
 * that were thinned out apart from each other. That it is no file for heights is said.
 */
export const jpeg: Format = {
  id: 'jpeg',
  title: 'JPEG',
  endings: ['.jpg', '.jpeg'],
  mediaType: 'image/jpeg',
  writes: [],
  readOnly: true,
  carriesRange: false,
  sniff: (bytes) => bytes[0] === 0xff && bytes[1] === 0xd8 && bytes[2] === 0xff,
  read,
  write: async () => {
    throw new UplandError('read-only', 'JPEG loses heights, so it is not written. Write PNG of 16 bits or TIFF.');
  },
};

/** What unpacking a JPEG may take, as a multiple of its bytes: scans of 24 million samples come in 3 MB, and take 96 times as much here. */
const MOST_RATIO = 96;

async function read(bytes: Uint8Array<ArrayBuffer>, options: ReadOptions = {}): Promise<Reading> {
  const frame = frameOf(bytes);
  checkSize('JPEG', frame.width, frame.height);
  // A block of 64 samples takes two bits at the least; runs of empty ones in a progressive file somewhat less.
  if (frame.width * frame.height > 1024 * bytes.length) {
    throw new UplandError('cut-short', `This JPEG is cut short: ${bytes.length} bytes cannot hold the ${frame.width} × ${frame.height} samples it promises.`);
  }
  throwIfStopped(options.signal);
  // The library keeps every block as 32-bit numbers, and unpacks all channels before it joins them.
  checkUnpacked('JPEG', bytes.length, frame.width * frame.height * (frame.channels === 1 ? 1 : 1.5) * 8, MOST_RATIO);
  const { width, height, data } = decodeJpeg(bytes);
  const count = width * height;
  checkLength('JPEG', 'its picture', count * 3, data.length);
  const colour = frame.channels === 3;
  const wanted = planesFor('JPEG', colour ? 3 : 1, colour, options.band);
  const planes = wanted.map((channel) => {
    const plane = new Uint8Array(count);
    for (let i = 0, at = channel; i < count; i++, at += 3) plane[i] = data[at];
    return plane;
  });
  // Heights packed over channels do not survive a JPEG: they are not looked for.
  const chosen = oneBand(planes, 'u8', colour ? 3 : 1, colour, options.band ?? (colour && !sameGrey(planes) ? 'luminance' : undefined));
  return {
    format: 'jpeg',
    width,
    height,
    channels: colour ? 3 : 1,
    unit: 'code',
    scale: 1,
    offset: 0,
    spacing: null,
    registration: null,
    noData: null,
    lossy: true,
    ...chosen,
    odd: ['It is a JPEG: 256 levels, and fine forms were thrown away in blocks of 8 × 8 samples.', ...chosen.odd],
  };
}

/**
 * A JPEG's picture, three bytes a sample whatever it holds. `colour`: whether its three channels
 * are brightness and two of colour; left out, as the file itself has it.
 */
export function decodeJpeg(bytes: Uint8Array<ArrayBuffer>, colour?: boolean): { width: number; height: number; data: Uint8Array; stride: 3 } {
  try {
    const { width, height, data } = decode(bytes, {
      useTArray: true,
      formatAsRGBA: false,
      tolerantDecoding: false,
      maxResolutionInMP: 300,
      maxMemoryUsageInMB: 4096,
      ...(colour === undefined ? {} : { colorTransform: colour }),
    });
    return { width, height, data, stride: 3 };
  } catch (error) {
    // Slips of the library over damaged parts have no words for a person.
    const reason =
      error instanceof Error && !(error instanceof TypeError) && !(error instanceof RangeError) ? quoted(error.message, 80) : 'its parts do not go together';
    throw new UplandError('damaged', `This JPEG is damaged, or of a kind that is not read here: ${reason}.`, { reason: String(error) });
  }
}

const sameGrey = (planes: Uint8Array[]) => planes[0].every((v, i) => v === planes[1][i] && v === planes[2][i]);

/** Size and channels as the frame header has them (T.81, B.2.2). */
export function frameOf(bytes: Uint8Array): { width: number; height: number; channels: number } {
  for (let at = 2; at + 10 <= bytes.length;) {
    if (bytes[at] !== 0xff) break;
    const marker = bytes[at + 1];
    if (marker === 0xff) {
      at++;
      continue;
    }
    const isFrame = marker >= 0xc0 && marker <= 0xcf && marker !== 0xc4 && marker !== 0xc8 && marker !== 0xcc;
    if (isFrame) {
      const channels = bytes[at + 9];
      if (marker > 0xc2) throw new UplandError('jpeg-kind', 'This JPEG is of a kind that is not read here (lossless or arithmetic). Save it as PNG.');
      if (bytes[at + 4] !== 8) throw new UplandError('jpeg-kind', `This JPEG has ${bytes[at + 4]} bits a sample; 8 are read here.`);
      if (channels !== 1 && channels !== 3) throw new UplandError('jpeg-kind', `This JPEG has ${channels} channels; 1 and 3 are read here. Save it as PNG.`);
      return { height: (bytes[at + 5] << 8) | bytes[at + 6], width: (bytes[at + 7] << 8) | bytes[at + 8], channels };
    }
    at += 2 + ((bytes[at + 2] << 8) | bytes[at + 3]);
  }
  throw new UplandError('damaged', 'This JPEG is damaged: it does not say how large its picture is.');
}
