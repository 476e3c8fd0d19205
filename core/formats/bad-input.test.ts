import fc from 'fast-check';
import { encode as encodeJpeg } from 'jpeg-js';
import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../tests/helpers/grounds';
import { encode, type Encoding } from '../delivery/heights/encode';
import { UplandError } from '../errors';
import { makeField } from '../field/field';
import { type Beside } from './format';
import { readHeights, toField } from './heights';
import { formatByName, readHeightmap } from './index';
import { rawSpecOf, encodingCases } from '../../tests/helpers/encodings';

const field = hills(groundOf(37, 29, 8));

const besideOf = (files: Beside[]) => Object.fromEntries(files.map((f) => [f.ending, f.bytes]));

describe('bad input', () => {
  const isSentence = (error: unknown) => error instanceof UplandError && error.message.length > 10 && /[.]$/.test(error.message) && error.code.length > 0;

  it('of every kind is refused with a sentence and a code, cut short at any byte', async () => {
    // A line of text that is cut off is a shorter number: nobody can see that.
    for (const encoding of encodingCases.filter((c) => c.format !== 'asc' && c.format !== 'xyz' && !c.options?.rows)) {
      const { bytes, beside } = await encode(field, encoding);
      const as = rawSpecOf(encoding);
      for (const length of [
        0,
        1,
        7,
        8,
        20,
        33,
        60,
        Math.floor(bytes.length / 2),
        bytes.length - 40,
        bytes.length - (['png', 'tiff', 'packed'].includes(encoding.format) ? 40 : 1),
      ]) {
        // The last bytes of a TIFF or PNG may be padding or the end marker; what is shorter than that has to fail.
        await expect(
          readHeightmap(bytes.slice(0, Math.max(0, length)), as, { beside: besideOf(beside) }).then(
            () => `${encoding.format} ${encoding.type} ${length} was read`,
            (e) => (isSentence(e) ? 'refused' : e),
          ),
          `${encoding.format} ${length}`,
        ).resolves.toBe('refused');
      }
    }
  });

  const mutated: [string, Encoding][] = [
    ...['png', 'asc', 'exr', 'npy', 'pgm', 'pfm', 'bmp', 'xyz', 'packed', 'flt', 'bil'].map((id): [string, Encoding] => [
      id,
      encodingCases.find((c) => c.format === id)!,
    ]),
    ['tiff', encodingCases.find((c) => c.format === 'tiff' && c.type === 'f32')!],
    ['tiff, packed', encodingCases.find((c) => c.format === 'tiff' && c.options?.compression)!],
  ];
  it.each(mutated)('%s that is mutated at random, two thousand times, is read or refused, never anything else, and quickly', async (_, encoding) => {
    const { bytes, beside } = await encode(hills(groundOf(9, 7)), encoding);
    await mutations(bytes, besideOf(beside), encoding.format === 'packed' ? 'packed' : undefined);
  });

  it.each(['grey', 'colour'] as const)('a %s JPEG that is mutated at random is read or refused, and quickly', async (kind) => {
    const data = new Uint8Array(4 * 24 * 17).map((_, i) => (i % 4 === 3 ? 255 : kind === 'grey' ? (i >> 2) % 251 : (i * 7) % 253));
    await mutations(new Uint8Array(encodeJpeg({ data, width: 24, height: 17 }, 80).data), {}, undefined);
  });

  async function mutations(bytes: Uint8Array<ArrayBuffer>, beside: Record<string, Uint8Array>, as: string | undefined): Promise<void> {
    let slowest = 0;
    const spoil = (from: Uint8Array, changes: [number, number][]) => {
      const out = from.slice();
      for (const [at, value] of changes) if (out.length) out[at % Math.min(out.length, at % 2 ? 400 : out.length)] = value;
      return out;
    };
    await fc.assert(
      fc.asyncProperty(fc.array(fc.tuple(fc.nat(), fc.nat(255)), { minLength: 1, maxLength: 6 }), fc.nat(), async (changes, cut) => {
        const damaged = spoil(bytes.slice(0, cut % 3 === 0 ? cut % bytes.length : bytes.length), changes) as Uint8Array<ArrayBuffer>;
        const besides = Object.fromEntries(Object.entries(beside).map(([ending, file]) => [ending, spoil(file, changes)]));
        const began = performance.now();
        try {
          const reading = await readHeightmap(damaged, as, { beside: besides });
          expect(reading.samples.length).toBe(reading.width * reading.height);
          // And what it means is a ground, or refused with a sentence too.
          toField(reading);
        } catch (error) {
          if (!isSentence(error)) throw error;
        }
        slowest = Math.max(slowest, performance.now() - began);
      }),
      { seed: 42, numRuns: 2000 },
    );
    expect(slowest).toBeLessThan(2000);
  }

  it('in a header: a million columns, a size of nothing, a bomb', async () => {
    const text = (s: string) => new TextEncoder().encode(s) as Uint8Array<ArrayBuffer>;
    await expect(readHeightmap(text('ncols 1000000\nnrows 1000000\ncellsize 1\n1 2 3'))).rejects.toThrow(/a side is the most/);
    await expect(readHeightmap(text('ncols 16000\nnrows 16000\ncellsize 1\n1 2 3'))).rejects.toThrow(/cut short/);
    await expect(readHeightmap(text('ncols 0\nnrows 4\ncellsize 1\n'))).rejects.toThrow(/nothing in it/);
    await expect(readHeightmap(text('ncols 2\nnrows 2\ncellsize 1\n1 2 three 4'))).rejects.toThrow(/"three"/);
    await expect(readHeightmap(text('ncols 2\nnrows 2\ncellsize 0\n1 2 3 4'))).rejects.toThrow(/more than 0/);
    await expect(readHeightmap(text('just some words'))).rejects.toThrow(/It begins with "just some words"/);
    const { bytes } = await encode(hills(groundOf(9)), { format: 'png', type: 'u8', range: { low: 0, high: 1000 } });
    const huge = bytes.slice();
    new DataView(huge.buffer).setUint32(16, 1_000_000);
    await expect(readHeightmap(huge)).rejects.toThrow(/checksum/);
  });

  it('of samples that are no heights', async () => {
    const nan = (v: number) => makeField(groundOf(4), new Float32Array(16).fill(v));
    const write = async (v: number) => (await encode(nan(v), { format: 'tiff', type: 'f32' })).bytes;
    await expect(readHeights(await write(NaN))).rejects.toThrow(/No sample/);
    await expect(readHeights(await write(Infinity))).rejects.toThrow(/No sample/);
    await expect(readHeights(await write(3e30))).rejects.toThrow(/wrong type or byte order/);
  });

  it('of endings that say nothing', () => {
    expect(() => formatByName('ground.xyz123')).toThrow(/has no ending/);
  });
});
