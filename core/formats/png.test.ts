import { deflateSync } from 'node:zlib';
import { describe, expect, it } from 'vitest';
import { readHeightmap } from './index';

describe('PNG', () => {
  it('reads packed greys of 1, 2 and 4 bits, alpha beside grey, and interlaced rows', async () => {
    const build = (depth: number, colour: number, interlace: number, raw: number[], width: number, height: number) => {
      const chunk = (kind: string, body: Uint8Array) => {
        const out = new Uint8Array(12 + body.length);
        const view = new DataView(out.buffer);
        view.setUint32(0, body.length);
        for (let i = 0; i < 4; i++) out[4 + i] = kind.charCodeAt(i);
        out.set(body, 8);
        let c = 0xffffffff;
        for (let i = 4; i < 8 + body.length; i++) {
          c ^= out[i];
          for (let k = 0; k < 8; k++) c = c & 1 ? 0xedb88320 ^ (c >>> 1) : c >>> 1;
        }
        view.setUint32(8 + body.length, (c ^ 0xffffffff) >>> 0);
        return out;
      };
      const header = new Uint8Array([0, 0, 0, width, 0, 0, 0, height, depth, colour, 0, 0, interlace]);
      const parts = [
        new Uint8Array([137, 80, 78, 71, 13, 10, 26, 10]),
        chunk('IHDR', header),
        chunk('IDAT', deflateSync(Uint8Array.from(raw))),
        chunk('IEND', new Uint8Array(0)),
      ];
      return Uint8Array.from(parts.flatMap((p) => [...p]));
    };
    expect([...(await readHeightmap(build(1, 0, 0, [0, 0b10110000], 4, 1))).samples]).toEqual([1, 0, 1, 1]);
    expect([...(await readHeightmap(build(4, 0, 0, [0, 0x5a, 0xf0], 3, 1))).samples]).toEqual([5, 10, 15]);
    const withAlpha = await readHeightmap(build(8, 4, 0, [0, 7, 255, 9, 0], 2, 1));
    expect([...withAlpha.samples]).toEqual([7, 9]);
    expect(withAlpha.odd.join()).toMatch(/alpha/);
    // Adam7 on 2 × 2: pass 1 has (0,0), pass 6 has (1,0), pass 7 the second row.
    expect([...(await readHeightmap(build(8, 0, 1, [0, 1, 0, 2, 0, 3, 4], 2, 2))).samples]).toEqual([1, 2, 3, 4]);
    // 0.2126 · 10 + 0.7152 · 20 + 0.0722 · 30 is 18.6: Rec. 709 luma.
    const colour = build(8, 2, 0, [0, 10, 20, 30], 1, 1);
    expect(await readHeightmap(colour)).toMatchObject({ samples: Uint8Array.of(19), channels: 3, band: 'luminance', unit: 'code' });
    expect(await readHeightmap(colour, undefined, { band: 2 })).toMatchObject({ samples: Uint8Array.of(20), band: 2 });
    expect(await readHeightmap(colour, undefined, { band: 'packed' })).toMatchObject({ samples: Uint32Array.of(10 * 65_536 + 20 * 256 + 30), type: 'u24' });
    await expect(readHeightmap(colour, undefined, { band: 4 })).rejects.toThrow(/there is no band 4/);
    await expect(readHeightmap(build(8, 0, 0, [0, 1], 1, 1), undefined, { band: 'luminance' })).rejects.toThrow(/no red, green and blue/);
  });
});
