import { UplandError } from '../../errors';
import { decodeJpeg } from '../../formats/jpeg-decoder';
import { decodePlanes } from '../../formats/png';
import type { Picture } from './cover';

/** A picture of the ground colour, a PNG or a JPEG, as eight bits of red, green and blue. Throws `picture` where it is neither. */
export async function readPicture(bytes: Uint8Array<ArrayBuffer>): Promise<Picture> {
  if (bytes[0] === 0xff && bytes[1] === 0xd8) {
    return decodeJpeg(bytes, ({ width, height, channels, samples }) => {
      const rgb = new Uint8Array(3 * width * height);
      for (let i = 0; i < width * height; i++) for (let c = 0; c < 3; c++) rgb[3 * i + c] = samples[channels * i + (channels === 3 ? c : 0)];
      return { width, height, rgb };
    });
  }
  const { width, height, planes } = await decodePlanes(bytes).catch(() => {
    throw new UplandError('picture', 'One of the pictures of the ground colour is neither a PNG nor a JPEG. Only those two are read here.');
  });
  const shift = planes[0] instanceof Uint16Array ? 8 : 0;
  const rgb = new Uint8Array(3 * width * height);
  for (let i = 0; i < width * height; i++) for (let c = 0; c < 3; c++) rgb[3 * i + c] = (planes[planes.length < 3 ? 0 : c][i] as number) >> shift;
  return { width, height, rgb };
}
