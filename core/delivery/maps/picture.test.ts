import { encode as encodeJpeg } from 'jpeg-js';
import { describe, expect, it } from 'vitest';
import { encodeImage } from '../../formats/png';
import { readPicture } from './picture';

describe('a picture of the ground colour', () => {
  it('is read out of a PNG of one, three or four channels, of 8 or 16 bits', async () => {
    const grey = encodeImage({ width: 2, height: 1, channels: 1, samples: Uint8Array.of(7, 250) });
    expect(await readPicture(grey)).toEqual({ width: 2, height: 1, rgb: Uint8Array.of(7, 7, 7, 250, 250, 250) });
    const deep = encodeImage({ width: 1, height: 1, channels: 3, samples: Uint16Array.of(0x1234, 0xff00, 0x00ff) });
    expect([...(await readPicture(deep)).rgb]).toEqual([0x12, 0xff, 0]);
    const clear = encodeImage({ width: 1, height: 1, channels: 4, samples: Uint8Array.of(1, 2, 3, 90) });
    expect([...(await readPicture(clear)).rgb]).toEqual([1, 2, 3]);
  });

  it('is read out of a JPEG', async () => {
    const data = Uint8Array.from({ length: 4 * 64 }, (_, i) => [200, 120, 40, 255][i % 4]);
    const { width, height, rgb } = await readPicture(Uint8Array.from(encodeJpeg({ data, width: 8, height: 8 }, 95).data));
    expect([width, height]).toEqual([8, 8]);
    [200, 120, 40].forEach((wanted, c) => expect(Math.abs(rgb[c] - wanted)).toBeLessThan(6));
  });

  it('that is neither is refused in a sentence', async () => {
    await expect(readPicture(new TextEncoder().encode('GIF89a'))).rejects.toThrow(/neither a PNG nor a JPEG/);
  });
});
