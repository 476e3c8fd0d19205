import { describe, expect, it } from 'vitest';
import { groundOf, hills, noiseField } from '../../tests/helpers/grounds';
import { compareFields } from '../analysis/compare/exact';
import { curvature, normalMap } from '../analysis/surface';
import { encode, type Encoding } from '../delivery/heights/encode';
import { fieldFrom } from '../field/field';
import { flipColumns, flipRows, turn } from '../field/turn';
import { readHeightmap } from '../formats';
import { inlineKernels } from '../kernels/pool';
import { inspect } from './inspect';
import { rankRawReadings } from './raw-readings';

const field = hills(groundOf(81, 65, 5), 4);
const write = async (encoding: Encoding, f = field) => (await encode(f, encoding)).bytes;

describe('inspection', () => {
  it('finds eight bits, and eight bits widened to sixteen', async () => {
    const eight = inspect(await readHeightmap(await write({ format: 'png', type: 'u8', range: { low: 0, high: 1000 } })));
    expect(eight.findings.map((f) => f.id)).toContain('few-levels');
    const codes = { ...field, height: field.height.map((h) => Math.round(h / 4) * 257) };
    const widened = inspect(await readHeightmap(await write({ format: 'png', type: 'u16', range: { low: 0, high: 65_535 } }, codes)));
    expect(widened.findings.find((f) => f.id === 'few-levels')!.message).toMatch(/8 bits widened to 16/);
    const sixteen = inspect(await readHeightmap(await write({ format: 'png', type: 'u16', range: { low: 0, high: 1200 } })));
    expect(sixteen.findings.map((f) => f.id)).toEqual(['codes']);
  });

  it('finds holes, level ground and clipped tops', async () => {
    const valid = new Uint8Array(field.height.length).fill(1);
    valid.fill(0, 100, 140);
    const holes = inspect(await readHeightmap(await write({ format: 'tiff', type: 'f32' }, { ...field, valid })));
    expect(holes.noData).toEqual({ value: -9999, count: 40 });
    expect(holes.findings).toEqual([expect.objectContaining({ id: 'holes', count: 40 })]);
    const level = inspect(await readHeightmap(await write({ format: 'tiff', type: 'f32' }, { ...field, height: new Float32Array(field.height.length) })));
    expect(level.findings.map((f) => f.id)).toEqual(['level']);
    const clipped = inspect(await readHeightmap(await write({ format: 'png', type: 'u16', range: { low: 300, high: 520 } })));
    expect(clipped.findings.map((f) => f.id)).toContain('clipped-tops');
  });
});

describe('readings of raw bytes', () => {
  it('have the right one first, over types, orders and sizes that are not square', async () => {
    for (const [across, down] of [
      [81, 65],
      [96, 96],
      [50, 120],
    ]) {
      const ground = hills(groundOf(across, down, 5), across, 400);
      for (const type of ['u16', 's16', 'f32', 'u8', 'f64'] as const) {
        for (const order of type === 'u8' ? (['le'] as const) : (['le', 'be'] as const)) {
          const bytes = await write({ format: 'raw', type, range: type[0] === 'f' ? undefined : { low: 0, high: 1200 }, options: { order } }, ground);
          const [first] = rankRawReadings(bytes);
          const same = [
            `raw:${type}:${order}:${across}x${down}`,
            ...(type === 'u16' ? [`raw:s16:${order}:${across}x${down}`] : []),
            ...(type === 's16' ? [`raw:u16:${order}:${across}x${down}`] : []),
          ];
          expect(same, `${type} ${order} ${across}x${down}: ${JSON.stringify(rankRawReadings(bytes, 3))}`).toContain(first.as);
        }
      }
    }
  });
});

describe('comparing', () => {
  const square = hills(groundOf(49, 49, 5), 3);
  it('finds the shift, and that the form is the same', () => {
    const c = compareFields(square, { ...square, height: square.height.map((h) => h - 70) });
    expect(c.bestShift).toBeCloseTo(-70, 4);
    expect(c).toMatchObject({ sameForm: true, flippedRows: false, turned: 0 });
    expect(c.correlation).toBeCloseTo(1, 9);
  });

  it('finds flips and turns, of squares and of what is not square', () => {
    expect(compareFields(square, flipRows(square))).toMatchObject({ flippedRows: true, flippedColumns: false, sameForm: false });
    expect(compareFields(square, flipColumns(square))).toMatchObject({ flippedColumns: true, flippedRows: false });
    for (const degrees of [90, 180, 270] as const) {
      expect(compareFields(square, turn(square, degrees)).turned).toBe(degrees);
      expect(compareFields(field, turn(field, degrees)).turned).toBe(degrees);
    }
  });

  it('finds nothing alike between unrelated grounds, and refuses other sizes', () => {
    const c = compareFields(noiseField(square.ground, 1), noiseField(square.ground, 2));
    expect(Math.abs(c.correlation)).toBeLessThan(0.1);
    expect(c).toMatchObject({ sameForm: false, turned: 0 });
    expect(() => compareFields(square, field)).toThrow(/Bring both to one size/);
  });
});

describe('surfaces', () => {
  it('a plane rising 45° to the east has the normal (37, 128, 218) within one code', async () => {
    const kernels = inlineKernels();
    const map = await normalMap(
      kernels,
      fieldFrom(groundOf(9), (east) => east),
    );
    [37, 128, 218].forEach((want, k) => expect(Math.abs(map[3 * 40 + k] - want)).toBeLessThanOrEqual(1));
    const north = fieldFrom(groundOf(9), (_, south) => -south);
    expect((await normalMap(kernels, north, { green: 'up' }))[121]).toBeLessThan(60);
    expect((await normalMap(kernels, north, { green: 'down' }))[121]).toBeGreaterThan(195);
  });

  it('curvature of a bowl is one over its radius along both ways, and none of a plane', () => {
    const bowl = fieldFrom(groundOf(41, 41, 1), (e, s) => ((e - 5) ** 2 + (s - 5) ** 2) / 200);
    expect(Math.abs(curvature(bowl, 'profile')[20 * 41 + 20])).toBeCloseTo(1 / 100, 5);
    expect(Math.abs(curvature(bowl, 'plan')[20 * 41 + 20])).toBeCloseTo(1 / 100, 5);
    const plane = fieldFrom(groundOf(9), (e, s) => e + 2 * s);
    expect(curvature(plane, 'profile')[40]).toBeCloseTo(0, 9);
  });
});
