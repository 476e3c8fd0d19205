import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../../tests/helpers/grounds';
import { fieldFrom, makeField } from '../../field/field';
import { statistics } from '../../field/statistics';
import { readHeightmap } from '../../formats';
import { deliver } from './deliver';
import { encode } from './encode';
import { blockWaysOut, compareBorder, describeBorder, prepare, scaleToFit, type HeightChoice } from './prepare';
import { receiverSchema } from '../../course/receiver';
import { receivers } from './receivers';

const field = hills(groundOf(65, 65, 8), 3);

const { lowest, highest } = statistics(field);

const receiver = (id: string) => receivers.find((r) => r.id === id)!;

const plain: HeightChoice = { format: 'png', type: 'u16', range: null, scale: null };

describe('heights for a receiver', () => {
  /** What the receiver gets: its own reading of the file's codes. */
  async function got(p: ReturnType<typeof prepare>, height: (code: number) => number): Promise<number[]> {
    const { bytes } = await encode(p.field, p.encoding);
    return Array.from((await readHeightmap(bytes, undefined)).samples, height);
  }
  const worst = (a: ArrayLike<number>, b: ArrayLike<number>) => Array.from(a).reduce((m, v, i) => Math.max(m, Math.abs(v - b[i])), 0);

  it('between two codes that are not the ends of the type come back by those two', async () => {
    const widened = receiverSchema.parse({ ...receivers[0], heights: { by: 'range', codes: { low: 0, high: 65_280 } } });
    const p = prepare(field, widened, { ...plain, range: { low: lowest, high: highest } });
    const back = await got(p, (code) => lowest + (code / 65_280) * (highest - lowest));
    expect(worst(back, field.height)).toBeLessThanOrEqual(((highest - lowest) / 65_280) * 0.501);
  });

  it.each(['2^b', '2^b - 1'] as const)('counted from code 32 768 in %s steps come back by the scale that is said', async (steps) => {
    const rule = { by: 'zero' as const, code: 32_768, overAll: 512, steps };
    const p = prepare(field, receiverSchema.parse({ ...receiver('patch-grid'), heights: rule }), plain);
    const scale = Number(p.toTypeIn.find((l) => l.label === 'Vertical scale')!.value);
    const count = steps === '2^b' ? 65_536 : 65_535;
    const back = await got(p, (code) => ((code - 32_768) * 512 * scale) / count);
    expect(worst(back, field.height)).toBeLessThanOrEqual(((512 * scale) / count) * 0.501);
    // It is the smallest that fits: a hundredth less and the top is cut off.
    expect(scaleToFit(rule, 'u16', { lowest, highest })).toBe(scale);
    const less = prepare(field, receiverSchema.parse({ ...receiver('patch-grid'), heights: rule }), { ...plain, scale: scale * 0.99 });
    const { proof } = await deliver(less.field, 'x.png', less.encoding);
    expect(proof.clipped).toBeGreaterThan(0);
  });

  it('from 0 to 1 come back by strength and zero value, in floats and in 16 bits', async () => {
    for (const [format, type] of [
      ['tiff', 'f32'],
      ['exr', 'f32'],
      ['png', 'u16'],
    ] as const) {
      const p = prepare(field, receiver('displacement-plane'), { ...plain, format, type });
      const strength = Number(p.toTypeIn.find((l) => l.label === 'Strength')!.value.replace(' m', ''));
      const zero = Math.floor(lowest);
      const back = await got(p, (v) => zero + (type === 'u16' ? v / 65_535 : v) * strength);
      expect(worst(back, field.height), format).toBeLessThanOrEqual(type === 'u16' ? (strength / 65_535) * 0.501 : strength * 2 ** -22);
      const { proof } = await deliver(p.field, `x.${format}`, p.encoding);
      expect(proof.ok).toBe(true);
    }
    const ratio = prepare(field, receiver('displacement-plane'), { ...plain, format: 'tiff', type: 'f32' }).toTypeIn.find((l) => l.label.includes('width 1'))!;
    expect(Number(ratio.value)).toBeCloseTo((Math.ceil(highest) - Math.floor(lowest)) / 512, 5);
  });

  it('in blocks are the rounded ground, the sea at its row, nothing beyond floor and ceiling unsaid', async () => {
    const sea = Math.round(lowest + 20);
    const land = makeField({ ...field.ground, sea }, field.height);
    const p = prepare(land, receiver('block-world'), plain);
    const rows = await got(p, (code) => code - 64);
    expect(rows.findIndex((row, i) => row !== Math.min(319, Math.max(-64, Math.round(land.height[i] + 62 - sea))))).toBe(-1);
    const at = land.height.findIndex((h) => Math.abs(h - sea) < 0.4);
    expect(rows[at]).toBe(62);
    const tall = prepare(
      fieldFrom(groundOf(9), (east) => 9 * east),
      receiver('block-world'),
      plain,
    );
    expect(tall.cut).toBeGreaterThan(0);
    expect(tall.words.join(' ')).toMatch(/rise above the ceiling at row 319/);
    expect(() => prepare(land, receiver('block-world'), { ...plain, type: 'u8' })).toThrow(/more codes than 8 bits/);
  });

  it('that reach beyond a block world fit by larger blocks, by a shift, or by shoulders that keep their order', async () => {
    const rule = { by: 'blocks' as const, floor: -64, ceiling: 319, water: 62, edge: 1 };
    const world = (part: object) => receiverSchema.parse({ ...receiver('block-world'), heights: { ...rule, ...part } });
    // 0 to 300 m, over a sea at 0: 300 rows of which 257 lie above the water's row.
    const steep = fieldFrom(groundOf(129, 129, 4), (east) => (300 * east) / 512);
    const known = statistics(steep);
    const ways = blockWaysOut(rule, 0, known);
    expect(ways.edge).toBe(1.2);
    expect(prepare(steep, world({}), plain).cut).toBeGreaterThan(0);
    expect(prepare(steep, world({ edge: ways.edge }), plain).cut).toBe(0);
    expect(ways.shift).toBeLessThan(0);
    const shifted = prepare(steep, world({ shift: ways.shift }), plain);
    expect(shifted.cut).toBe(0);
    expect(statistics(shifted.field).highest).toBe(319);
    // What is taller than the whole world cannot be shifted into it.
    expect(blockWaysOut(rule, 0, { lowest: -10, highest: 600 }).shift).toBeNull();

    const tall = fieldFrom(groundOf(129, 129, 4), (east) => (1000 * east) / 512 - 200);
    expect(prepare(tall, world({}), plain).cut).toBeGreaterThan(5000);
    const pressed = prepare(tall, world({ shoulders: 0.25 }), plain);
    expect(pressed.cut).toBe(0);
    expect(pressed.words.join(' ')).toMatch(/Shoulders: .* samples above row 223 and under row 32 are pressed together/);
    const rows = await got(pressed, (code) => code - 64);
    const line = rows.slice(0, 129);
    // It climbs as the land does, from floor to ceiling; between the shoulders it is as it was, and at a shoulder it has no bend.
    expect(line.every((row, i) => i === 0 || row >= line[i - 1])).toBe(true);
    expect([line[0], line[128]]).toEqual([-64, 319]);
    for (const [i, row] of line.entries()) {
      const plainRow = Math.round(tall.height[i] + 62);
      if (plainRow > 32 && plainRow < 223) expect(row).toBe(plainRow);
      if (plainRow >= 223 && plainRow < 233) expect(Math.abs(row - plainRow)).toBeLessThanOrEqual(2);
    }
  });

  it('refuse a range that is upside down, with a sentence', () => {
    expect(() => prepare(field, receivers[0], { ...plain, range: { low: 9, high: 3 } })).toThrow(/upper end has to lie above/);
    expect(() => prepare(field, receiver('displacement-plane'), { ...plain, format: 'tiff', type: 'f32', range: { low: 9, high: 9 } })).toThrow(/upper end/);
  });

  it('know the cliff, the wall and the wall of water at the border', () => {
    const slope = makeField({ ...groundOf(11, 11, 10), sea: 30 }, fieldFrom(groundOf(11, 11, 10), (east) => east).height);
    const border = compareBorder(slope, 40);
    expect(border).toMatchObject({ cliff: 60, wall: 40 });
    expect(border.water).toBeCloseTo(30, 6);
    expect(describeBorder(border, 40).join(' ')).toMatch(/cliff of up to 60 m.*wall of water up to 30 m/);
    expect(
      describeBorder(
        compareBorder(
          fieldFrom(groundOf(9), () => 40),
          40,
        ),
        40,
      ),
    ).toEqual(['The border meets country at 40 m.']);
  });
});
