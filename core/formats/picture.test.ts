import { describe, expect, it } from 'vitest';
import { hash32 } from '../field/hash';
import { decodePicture, encodePicture, type PictureAs } from './picture';
import { decodeImage, decodePlanes, encodeImage, type Image } from './png';

const image = (width: number, height: number, channels: Image['channels'], bits: 8 | 16): Image => {
  const samples = bits === 16 ? new Uint16Array(width * height * channels) : new Uint8Array(width * height * channels);
  // Slopes with noise on them: every filter has its turn.
  for (let i = 0; i < samples.length; i++) samples[i] = 40 * Math.floor(i / width) + (i % 97) + (hash32(5, i) & 15);
  return { width, height, channels, samples };
};

const ways: PictureAs[] = [
  { format: 'png', order: 'le', rows: 'north' },
  { format: 'tiff', order: 'le', rows: 'north' },
  { format: 'raw', order: 'le', rows: 'north' },
  { format: 'raw', order: 'be', rows: 'south' },
];

describe('pictures of several channels', () => {
  for (const as of ways)
    it.each([
      [1, 8],
      [1, 16],
      [3, 8],
      [3, 16],
      [4, 8],
      [4, 16],
    ] as const)(`come back as they were from ${as.format} ${as.order} ${as.rows}: %i channels of %i bits`, async (channels, bits) => {
      const given = image(67, 41, channels, bits);
      const back = await decodePicture(encodePicture(given, as), as, given);
      expect(back).toEqual(given);
    });

  it('are the same read as they lie and channel by channel', async () => {
    const given = image(1100, 9, 4, 16);
    const bytes = encodeImage(given);
    const { planes } = await decodePlanes(bytes);
    const { samples } = (await decodeImage(bytes))!;
    for (let c = 0; c < 4; c++) expect(planes[c]).toEqual(samples.filter((_, i) => i % 4 === c));
  });

  it('leave palettes, fewer bits and rows that are interlaced to the reader of any picture', async () => {
    const bytes = encodeImage(image(8, 8, 1, 8));
    // The header's depth, colour type and interlacing (PNG, 11.2.1), each as it says that of another kind.
    for (const [at, value] of [
      [24, 4],
      [25, 3],
      [25, 4],
      [28, 1],
    ]) {
      const other = bytes.slice();
      other[at] = value;
      // Its depth has to fit the colour type for the header to be one.
      if (value === 4 && at === 25) other[24] = 8;
      expect(await decodeImage(other), `byte ${at} as ${value}`).toBeNull();
    }
    expect(await decodeImage(new Uint8Array(10))).toBeNull();
  });

  it('are refused where they are damaged or cut short', async () => {
    const bytes = encodeImage(image(300, 200, 3, 8));
    const spoilt = bytes.slice();
    spoilt[bytes.length >> 1] ^= 8;
    await expect(decodeImage(spoilt)).rejects.toThrow(/damaged/);
    await expect(decodeImage(bytes.slice(0, bytes.length >> 1))).rejects.toThrow(/cut short/);
  });
});
