import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../../tests/helpers/grounds';
import { makeField } from '../../field/field';
import { statistics } from '../../field/statistics';
import { formats } from '../../formats';
import { BYTES, CODES, type Format, type Page } from '../../formats/format';
import { flipRows } from '../../field/turn';
import { deliver } from './deliver';
import { encode, metresPerCode, type Encoding } from './encode';
import { prove } from './proof';
import { receiverSchema } from '../../course/receiver';
import { fileNameFor, groundForReceiver, receivers, sizesOfReceiver } from './receivers';

const field = hills(groundOf(65, 65, 8), 3);
const { lowest, highest } = statistics(field);
const encodings: Encoding[] = formats
  .filter((f) => !f.sides)
  .flatMap((f) => f.writes.map((type) => ({ format: f.id, type, range: CODES[type] ? { low: lowest - 5, high: highest + 5 } : undefined })));

/** What can go wrong in a writer. */
const faults: Record<string, (page: Page) => Page> = {
  'flipped rows': (page) => ({ ...page, samples: remade(page, (row, column) => (page.height - 1 - row) * page.width + column) }),
  'flipped columns': (page) => ({ ...page, samples: remade(page, (row, column) => row * page.width + page.width - 1 - column) }),
  'half-sample shift': (page) => {
    const samples = page.samples.slice();
    for (let i = 0; i + 1 < samples.length; i++) samples[i] = (page.samples[i] + page.samples[i + 1]) / 2;
    return { ...page, samples };
  },
  'one sample altered': (page) => {
    const samples = page.samples.slice();
    samples[1234] += CODES[page.type] ? 1 : 0.01;
    return { ...page, samples };
  },
  'wrong range': (page) => ({ ...page, scale: page.scale * 1.1, samples: page.samples.map((v) => v * 0.99) as Page['samples'] }),
  'one row short': (page) => ({ ...page, height: page.height - 1, samples: page.samples.slice(0, -page.width) }),
};

function remade(page: Page, from: (row: number, column: number) => number): Page['samples'] {
  const samples = page.samples.slice();
  for (let row = 0; row < page.height; row++)
    for (let column = 0; column < page.width; column++) samples[row * page.width + column] = page.samples[from(row, column)];
  return samples;
}

const faulty = (format: Format, spoil: (page: Page) => Page): Format => ({ ...format, write: (page) => format.write(spoil(page)) });

/** Swaps the bytes of every sample after the file has been written. */
function swapped(bytes: Uint8Array, format: Format, size: number): Uint8Array<ArrayBuffer> {
  const out = bytes.slice();
  const samples = 65 * 65 * size;
  const start = format.id === 'raw' ? 0 : out.length - samples - ((out.length - samples) & 1);
  for (let i = start; i + size <= out.length; i += size) out.subarray(i, i + size).reverse();
  return out;
}

describe('a delivery', () => {
  it.each(encodings.map((e) => [`${e.format} ${e.type}`, e] as const))('%s is proofed and found right', async (_, encoding) => {
    const { proof } = await deliver(field, 'x', encoding);
    expect(proof.faults).toEqual([]);
    expect(proof.ok).toBe(true);
    expect(proof.maxAbs).toBeLessThanOrEqual(encoding.range ? proof.step * 0.500001 : 0);
    expect(proof.sha256).toMatch(/^[0-9a-f]{64}$/);
  });

  for (const [name, spoil] of Object.entries(faults)) {
    it.each(encodings.map((e) => [`${e.format} ${e.type}`, e] as const))(`%s with ${name} is stopped`, async (_, encoding) => {
      const list = formats.map((f) => (f.id === encoding.format ? faulty(f, spoil) : f));
      await expect(deliver(field, 'ground.x', encoding, { formats: list })).rejects.toThrow(/was not handed on: its proof failed/);
    });
  }

  it('with swapped bytes is stopped', async () => {
    for (const encoding of encodings.filter((e) => BYTES[e.type] > 1 && (e.format === 'raw' || e.format === 'tiff'))) {
      const list = formats.map((f) => (f.id === encoding.format ? { ...f, write: async (p: Page) => swapped(await f.write(p), f, BYTES[p.type]) } : f));
      await expect(deliver(field, 'ground.x', encoding, { formats: list }), `${encoding.format} ${encoding.type}`).rejects.toThrow(/proof failed/);
    }
    // In PNG the bytes of a 16-bit sample are swapped before they are packed.
    const png = formats.find((f) => f.id === 'png')!;
    const spoiled = faulty(png, (p) => ({ ...p, samples: Uint16Array.from(p.samples, (v) => ((v & 255) << 8) | (v >> 8)) }));
    await expect(
      deliver(
        field,
        'ground.png',
        encodings.find((e) => e.format === 'png' && e.type === 'u16')!,
        { formats: [spoiled] },
      ),
    ).rejects.toThrow(/off by/);
  });

  it('that says another registration or spacing is stopped', async () => {
    for (const format of ['tiff', 'asc']) {
      const own = formats.find((f) => f.id === format)!;
      const moved = faulty(own, (p) => ({ ...p, ground: { ...p.ground, registration: 'area', width: 520, depth: 520 } }));
      await expect(deliver(field, 'x', { format, type: 'f32' }, { formats: [moved] })).rejects.toThrow(/points/);
      const wide = faulty(own, (p) => ({ ...p, ground: { ...p.ground, width: p.ground.width * 2 } }));
      await expect(deliver(field, 'x', { format, type: 'f32' }, { formats: [wide] })).rejects.toThrow(/does not span/);
    }
  });

  it('that nobody can read is stopped with the reader’s own sentence', async () => {
    const { bytes } = await encode(field, encodings[0]);
    const proof = await prove(bytes.slice(0, 200), field, encodings[0]);
    expect(proof.ok).toBe(false);
    expect(proof.faults[0]).toMatch(/cannot be read back: .*cut short/);
  });

  it('counts what it clips, and does not call that a fault', async () => {
    const { proof } = await deliver(field, 'x', { format: 'png', type: 'u16', range: { low: lowest + 40, high: highest } });
    const under = field.height.filter((h) => h < lowest + 40).length;
    expect(Math.abs(proof.clipped - under)).toBeLessThanOrEqual(2);
    expect(proof.clipped).toBeGreaterThan(0);
  });

  it('of a flipped ground is not the ground', async () => {
    const { bytes } = await encode(flipRows(field), encodings[0]);
    expect((await prove(bytes, field, encodings[0])).ok).toBe(false);
  });
});

describe('encoding', () => {
  it('costs 15.26 mm a code in 16 bits over 1 000 m, and 3.92 m in 8 (arithmetic)', () => {
    expect(metresPerCode('u16', { low: 0, high: 1000 })).toBeCloseTo(0.01526, 5);
    expect(metresPerCode('u8', { low: 0, high: 1000 })).toBeCloseTo(3.92, 2);
  });

  it('puts the ends of the range on the ends of the codes', async () => {
    const two = makeField(groundOf(2, 1), Float32Array.from([100, 200]));
    for (const type of ['u8', 'u16', 's16', 'u32', 's32'] as const) {
      const { quantised } = await encode(two, { format: 'raw', type, range: { low: 100, high: 200 } });
      expect([...quantised.page.samples]).toEqual([CODES[type]!.min, CODES[type]!.max]);
    }
  });

  it('refuses a range that is upside down, or none, or a type the format has not', async () => {
    await expect(encode(field, { format: 'png', type: 'u16', range: { low: 5, high: 5 } })).rejects.toThrow(/upper end has to lie above/);
    await expect(encode(field, { format: 'png', type: 'u16' })).rejects.toThrow(/need a range/);
    await expect(encode(field, { format: 'png', type: 'f32' })).rejects.toThrow(/not written with f32/);
  });
});

describe('the receiver of a power of two plus one', () => {
  const [receiver] = receivers;

  it('is a receiver by its own schema', () => expect(() => receiverSchema.parse(receiver)).not.toThrow());

  it('offers the sizes around the ground’s own', () => {
    const counts = (samples: number) => sizesOfReceiver(receiver, groundOf(samples)).map((o) => o.samples);
    expect(counts(1025)).toEqual([257, 513, 1025, 2049, 4097]);
    expect(counts(1000)).toContain(1025);
  });

  it('takes points on the edge', () => {
    expect(groundForReceiver(receiver, groundOf(512, 512, 8, 'area'), 513)).toMatchObject({ across: 513, down: 513, registration: 'point', width: 4096 });
  });

  it('names files so that every file system takes them', () => {
    expect(fileNameFor(receiver, 'Dunmorrow', 1025, 'png', 'u16')).toBe('dunmorrow-1025.png');
    expect(fileNameFor(receiver, '../..\\Höhe: "1"?', 513, 'raw', 'u16')).toBe('ho-he-1-513.raw');
    expect(fileNameFor(receiver, '???', 513, 'tiff', 'f32')).toBe('terrain-513.tif');
  });
});
