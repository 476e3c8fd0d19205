import { inflateSync } from 'node:zlib';
import { pathToFileURL } from 'node:url';
import { resolve } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { nodeKernels } from '../../cli/node-kernels';
import { compress, compressOn } from '../formats/deflate';
import { PART } from './deflate-parts';

const kernels = nodeKernels(pathToFileURL(resolve('cli/dist/pool-worker.mjs')), 2);
afterAll(() => kernels.close());

/** Bytes as filtered rows of ground are: small differences, with noise in some stretches and runs in others. */
function rows(length: number): Uint8Array {
  const out = new Uint8Array(length);
  let seed = 1;
  for (let i = 0; i < length; i++) {
    seed = (Math.imul(seed, 1_664_525) + 1_013_904_223) >>> 0;
    const stretch = (i >> 15) % 4;
    out[i] = stretch === 0 ? seed >>> 24 : stretch === 1 ? (seed >>> 29) - 4 : stretch === 2 ? (i >> 9) & 255 : (seed >>> 30) * (i & 1);
  }
  return out;
}

describe('a stream packed in parts', () => {
  it.each([0, 1, 1000, PART - 1, PART, PART + 1, 2 * PART, 5 * PART + 12_345])('of %i bytes is what zlib unpacks, with threads and without', async (length) => {
    const bytes = rows(length);
    for (const level of [3, 6] as const) {
      const alone = compress(bytes, level);
      expect(Buffer.compare(inflateSync(alone), Buffer.from(bytes))).toBe(0);
      expect(Buffer.compare(Buffer.from(await compressOn(kernels, bytes, level)), Buffer.from(alone))).toBe(0);
    }
  });
});
