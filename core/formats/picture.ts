import { inBlocks } from '../blocks';
import { BYTES } from './format';
import type { Kernels } from '../kernels/pool';
import { decodeImage, decodePlanes, encodeImage, packImage, type Image } from './png';
import { parseRawSpec, putter, readRaw } from './raw';
import { tiff } from './tiff';
import { tiffOf } from './tiff/write';

/** What a picture of several channels is written as; the orders of bytes and rows are those of raw files. */
export interface PictureAs {
  format: 'png' | 'tiff' | 'raw';
  order: 'le' | 'be';
  rows: 'north' | 'south';
}

export const AS_PNG: PictureAs = { format: 'png', order: 'le', rows: 'north' };

/** A picture that may have any number of channels, side by side. */
type AnyImage = Omit<Image, 'channels'> & { channels: number };

/** A picture's bytes: PNG, TIFF packed by deflate, or its bare samples, channel by channel at every sample. */
export function encodePicture(image: Image, as: PictureAs): Uint8Array<ArrayBuffer> {
  if (as.format === 'png') return encodeImage(image);
  return as.format === 'tiff' ? tiffOf(image) : rawOf(image, as);
}

/** The bytes of {@link encodePicture}; those of a PNG packed over all threads. */
export const packPicture = async (image: Image, as: PictureAs, kernels: Kernels): Promise<Uint8Array<ArrayBuffer>> =>
  as.format === 'png' ? packImage(image, kernels) : encodePicture(image, as);

/** A picture out of its bytes, through the readers of any stranger's file; raw bytes need its size said. */
export async function decodePicture(bytes: Uint8Array<ArrayBuffer>, as: PictureAs, { width, height, channels, samples }: Image): Promise<AnyImage> {
  if (as.format === 'png') return (await decodeImage(bytes)) ?? sideBySide(await decodePlanes(bytes));
  const spec = `raw:${typeOf(samples)}:${as.order}:${width}x${height}:rows=${as.rows}:channels=${channels}`;
  const planes: Image['samples'][] = [];
  let [across, down, there] = [width, height, channels as number];
  for (let k = 1; k <= there; k++) {
    const reading = as.format === 'raw' ? readRaw(bytes, parseRawSpec(`${spec}:channel=${k}`)) : await tiff.read(bytes, { band: k });
    [across, down, there] = [reading.width, reading.height, reading.channels];
    planes.push(reading.samples as Image['samples']);
  }
  return sideBySide({ width: across, height: down, planes });
}

function sideBySide({ width, height, planes }: { width: number; height: number; planes: (Uint8Array | Uint16Array)[] }): AnyImage {
  const channels = planes.length;
  const count = width * height * channels;
  const samples = planes[0] instanceof Uint16Array ? new Uint16Array(count) : new Uint8Array(count);
  for (const [c, plane] of planes.entries()) {
    inBlocks(plane.length, (from, to) => {
      for (let i = from, at = channels * from + c; i < to; i++, at += channels) samples[at] = plane[i];
    });
  }
  return { width, height, channels, samples };
}

const typeOf = (samples: Image['samples']) => (samples instanceof Uint16Array ? 'u16' : 'u8');

function rawOf({ width, height, channels, samples }: Image, { order, rows }: PictureAs): Uint8Array<ArrayBuffer> {
  const size = BYTES[typeOf(samples)];
  const out = new Uint8Array(samples.length * size);
  const put = putter(new DataView(out.buffer), typeOf(samples), order === 'le');
  const long = width * channels;
  for (let row = 0, at = 0; row < height; row++) {
    const from = (rows === 'south' ? height - 1 - row : row) * long;
    for (let i = 0; i < long; i++, at += size) put(at, samples[from + i]);
  }
  return out;
}
