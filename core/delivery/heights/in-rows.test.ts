import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../../tests/helpers/grounds';
import { countDistinct } from '../../analysis/distinct';
import type { Field } from '../../field/field';
import { sha256 } from '../../field/hash';
import { statistics } from '../../field/statistics';
import type { SampleType } from '../../formats/format';
import { deliver } from './deliver';
import type { Encoding } from './encode';
import { deliverInRows, writingOf, type MadeRows, type RowFile, type Tally } from './in-rows';

/** More rows than are made at a time. */
const land = hills(groundOf(4096, 1100, 2), 5);

const rowsOf = ({ ground, height }: Field): MadeRows => ({
  ground,
  rows: (from, to) => Promise.resolve(height.slice(from * ground.across, to * ground.across)),
});

/** A file in memory; `spoil` may change what is written. */
function file(spoil: (at: number, bytes: Uint8Array) => Uint8Array = (_, bytes) => bytes): RowFile & { all(): Uint8Array<ArrayBuffer> } {
  let bytes = new Uint8Array(0);
  return {
    get length() {
      return bytes.length;
    },
    lengthen(length) {
      const longer = new Uint8Array(length);
      longer.set(bytes);
      bytes = longer;
    },
    write: (at, part) => bytes.set(spoil(at, part), at),
    bytes: (from, to) => bytes.slice(from, to),
    fill: (from, target) => target.set(bytes.subarray(from, from + target.length)),
    all: () => bytes,
  };
}

function tally(): Tally {
  const samples: Float32Array[] = [];
  const bytes: Uint8Array[] = [];
  const joined = (parts: Uint8Array[]) => Uint8Array.from({ length: parts.reduce((n, p) => n + p.length, 0) }) as Uint8Array<ArrayBuffer>;
  return {
    count: async (some) => void samples.push(some as Float32Array),
    hash: async (some) => void bytes.push(some),
    async end() {
      const all = joined(bytes);
      let at = 0;
      for (const part of bytes) {
        all.set(part, at);
        at += part.length;
      }
      const floats = new Float32Array(samples.reduce((n, s) => n + s.length, 0));
      at = 0;
      for (const part of samples) {
        floats.set(part, at);
        at += part.length;
      }
      return { distinct: countDistinct(floats), sha256: await sha256(all) };
    },
  };
}

const { lowest, highest } = statistics(land);
const encodings: Encoding[] = [
  { format: 'tiff', type: 'f32' },
  ...(['u8', 'u16', 's16'] as SampleType[]).map((type) => ({ format: 'tiff', type, range: { low: lowest - 3, high: highest + 3 } })),
  ...(['f32', 'u16'] as SampleType[]).map((type) => ({
    format: 'tiff',
    type,
    options: { compression: 'deflate' as const },
    ...(type === 'u16' ? { range: { low: lowest, high: highest } } : {}),
  })),
  ...(['u8', 'u16'] as SampleType[]).map((type) => ({ format: 'png', type, range: { low: lowest - 3, high: highest + 3 } })),
  // Some of it clipped.
  { format: 'tiff', type: 'u16', range: { low: lowest + 20, high: highest } },
];

describe('delivering by rows', () => {
  it.each(encodings)('writes the bytes and the proof of delivering whole: $format $type $options', async (encoding) => {
    const whole = await deliver(land, 'g.tif', encoding);
    const written = file();
    const told: number[] = [];
    const { proof, ...found } = await deliverInRows(rowsOf(land), 'g.tif', encoding, writingOf(land.ground, encoding)!, written, tally(), {
      progress: (share) => told.push(share),
    });
    expect(Buffer.compare(written.all(), whole.bytes)).toBe(0);
    expect(proof).toEqual(whole.proof);
    expect(found).toEqual({ ground: land.ground, lowest, highest });
    expect(told.length).toBeGreaterThan(1);
    expect(told.at(-1)).toBe(1);
  });

  it('writes rows of an odd length, whose parts do not touch', async () => {
    const odd = hills(groundOf(255, 1031, 2), 2);
    const encoding: Encoding = { format: 'tiff', type: 'u8', range: { low: 0, high: 1000 } };
    const written = file();
    await deliverInRows(rowsOf(odd), 'g.tif', encoding, writingOf(odd.ground, encoding)!, written, tally());
    expect(written.all()).toEqual((await deliver(odd, 'g.tif', encoding)).bytes);
  });

  it('hands nothing on where a byte on the disk is not the one that was written', async () => {
    const encoding: Encoding = { format: 'tiff', type: 'f32' };
    const laid = writingOf(land.ground, encoding)!;
    const spoilt = file((at, bytes) => {
      if (at < 1_000_000) return bytes;
      const other = bytes.slice();
      other[40] ^= 1;
      return other;
    });
    await expect(deliverInRows(rowsOf(land), 'g.tif', encoding, laid, spoilt, tally())).rejects.toThrow(/was not handed on: its proof failed/);
  });

  it('stops when it is told to', async () => {
    const encoding: Encoding = { format: 'tiff', type: 'f32' };
    const stopping = new AbortController();
    const work = deliverInRows(rowsOf(land), 'g.tif', encoding, writingOf(land.ground, encoding)!, file(), tally(), {
      signal: stopping.signal,
      progress: () => stopping.abort(),
    });
    await expect(work).rejects.toThrow();
  });

  it('hands nothing on where a packed part on the disk is not the one that was written', async () => {
    for (const encoding of [
      { format: 'png', type: 'u16', range: { low: lowest, high: highest } },
      { format: 'tiff', type: 'f32', options: { compression: 'deflate' } },
    ] as Encoding[]) {
      const spoilt = file((at, bytes) => {
        if (at < 100_000) return bytes;
        const other = bytes.slice();
        other[other.length >> 1] ^= 4;
        return other;
      });
      await expect(deliverInRows(rowsOf(land), 'g', encoding, writingOf(land.ground, encoding)!, spoilt, tally()), encoding.format).rejects.toThrow();
    }
  });

  it('leaves overviews, other formats and doubles to delivering whole', () => {
    expect(writingOf(land.ground, { format: 'tiff', type: 'f32', options: { compression: 'deflate', cloud: true } })).toBeNull();
    expect(writingOf(land.ground, { format: 'asc', type: 'f32' })).toBeNull();
    expect(writingOf(land.ground, { format: 'tiff', type: 'f64' })).toBeNull();
  });
});
