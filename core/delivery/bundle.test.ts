import { unzipSync } from 'fflate';
import { describe, expect, it } from 'vitest';
import { bundle } from './bundle';

describe('a bundle', () => {
  it('opens again with every byte, comes in pieces, and is always the same', async () => {
    const files = [
      { name: 'a.png', bytes: new Uint8Array(9_000_000).map((_, i) => i * 7) },
      { name: 'b.json', bytes: new TextEncoder().encode('{}') },
    ];
    const write = async () => {
      const pieces: Uint8Array[] = [];
      await bundle(files, (piece) => void pieces.push(piece));
      return pieces;
    };
    const [one, two] = [await write(), await write()];
    expect(one.length).toBeGreaterThan(3);
    expect(Buffer.concat(one).equals(Buffer.concat(two))).toBe(true);
    const back = unzipSync(Buffer.concat(one));
    expect(Object.keys(back)).toEqual(['a.png', 'b.json']);
    expect(Buffer.from(back['a.png']).equals(Buffer.from(files[0].bytes))).toBe(true);
  });

  it('refuses two files of one name, and stops when the disk does', async () => {
    const twice = [1, 2].map(() => ({ name: 'x.png', bytes: new Uint8Array(3) }));
    await expect(bundle(twice, () => undefined)).rejects.toThrow(/Two files/);
    await expect(bundle(twice.slice(1), () => Promise.reject(new Error('The disk is full')))).rejects.toThrow(/disk is full/);
  });
});
