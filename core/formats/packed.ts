import type { Format, Page } from './format';
import { encodeRgb, png } from './png';

/**
 * Heights packed over the colour channels of an 8-bit PNG: height = base + interval ×
 * (65536 R + 256 G + B). Both numbers are free; the range that is given sets them, its ends at
 * 0 and 16 777 215. Every reader has to be told, so the docket does. Source: common practice.
 */
export const packed: Format = {
  id: 'packed',
  title: 'PNG, packed over colour',
  endings: ['.packed.png'],
  mediaType: 'image/png',
  writes: ['u24'],
  carriesRange: false,
  sniff: () => false,
  read: (bytes, options) => png.read(bytes, { ...options, band: 'packed' }),
  write: async ({ width, height, samples }: Page) => {
    const rgb = new Uint8Array(3 * samples.length);
    for (let i = 0; i < samples.length; i++) {
      rgb[3 * i] = samples[i] >> 16;
      rgb[3 * i + 1] = samples[i] >> 8;
      rgb[3 * i + 2] = samples[i];
    }
    return encodeRgb(rgb, width, height);
  },
};
