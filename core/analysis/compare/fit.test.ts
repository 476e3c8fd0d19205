import { describe, expect, it } from 'vitest';
import { fractal } from '../../../tests/helpers/fractal';
import { groundOf } from '../../../tests/helpers/grounds';
import type { Field } from '../../field/field';
import { flipColumns, flipRows, turn } from '../../field/turn';
import { fitTo } from './fit';
import type { Orientation } from './placement';

const STEP = 10;
const land = fractal(groundOf(181, 149, STEP), { seed: 5, feature: 700, height: 220, octaves: 7 });

/** A part of a ground, as a file of its own. */
function part({ height, ground }: Field, left: number, top: number, across: number, down: number): Field {
  const rows = Array.from({ length: down }, (_, row) => [...height.subarray((top + row) * ground.across + left, (top + row) * ground.across + left + across)]);
  return { ground: groundOf(across, down, STEP), height: Float32Array.from(rows.flat()) };
}
const a = part(land, 20, 15, 129, 97);

describe('a ground brought to another', () => {
  it('lies on itself where the two are one', async () => {
    const fit = await fitTo(a, a);
    expect(fit.placement.orientation).toBe('none');
    expect(fit.correlation).toBeCloseTo(1, 6);
    expect([fit.shift.east, fit.shift.south, fit.lift].every((v) => Math.abs(v) < 0.01)).toBe(true);
    expect(fit.scale).toBeCloseTo(1, 5);
  });

  it.each([
    [4, -3],
    [-9, 6],
    [15, 11],
  ])('is found where it lies %s samples east and %s south', async (east, south) => {
    const fit = await fitTo(a, part(land, 20 - east, 15 - south, 129, 97));
    expect(fit.cut).toBe(false);
    expect(Math.abs(fit.shift.east - east)).toBeLessThan(0.1);
    expect(Math.abs(fit.shift.south - south)).toBeLessThan(0.1);
    expect(fit.correlation).toBeGreaterThan(0.999);
    expect(fit.overlap).toBeLessThan(1);
  });

  const turned: [Orientation, (field: Field) => Field][] = [
    ['flip-rows', flipRows],
    ['flip-columns', flipColumns],
    ['turn-90', (f) => turn(f, 90)],
    ['turn-180', (f) => turn(f, 180)],
    ['turn-270', (f) => turn(f, 270)],
    ['transpose', (f) => flipRows(turn(f, 270))],
    ['anti-transpose', (f) => flipRows(turn(f, 90))],
  ];
  it.each(turned)('is found turned or mirrored: %s', async (orientation, by) => {
    const fit = await fitTo(a, by(a));
    expect(fit.placement.orientation).toBe(orientation);
    expect(fit.correlation).toBeGreaterThan(0.9999);
    expect(Math.hypot(fit.shift.east, fit.shift.south)).toBeLessThan(0.05);
  });

  it('is found as a piece of the other, by its samples’ size, and the other way round', async () => {
    const piece = part(land, 20 + 30, 15 + 22, 64, 50);
    const inside = await fitTo(a, piece);
    expect(inside.cut).toBe(true);
    // Laid by its corner, what lies 30 samples into A is found at its edge.
    expect(inside.shift.east).toBeCloseTo(-30, 1);
    expect(inside.shift.south).toBeCloseTo(-22, 1);
    expect(inside.overlap).toBeGreaterThan(0.2);
    expect(inside.overlap).toBeLessThan(0.35);
    const around = await fitTo(piece, a);
    expect(around.cut).toBe(true);
    expect(around.shift.east).toBeCloseTo(30, 1);
    expect(around.overlap).toBeGreaterThan(0.85);
  });

  it('is found at another count of samples, stretched to the same extent', async () => {
    const made = { seed: 5, feature: 700, height: 220, octaves: 5 };
    const fine = fractal({ ...a.ground, across: 257, down: 193 }, made);
    const coarse = fractal(a.ground, made);
    const fit = await fitTo(coarse, fine);
    expect(fit.cut).toBe(false);
    expect(fit.placement.scaleX).toBeCloseTo(2, 6);
    expect(fit.correlation).toBeGreaterThan(0.999);
    expect(Math.hypot(fit.shift.east, fit.shift.south)).toBeLessThan(0.1);
  });

  it.each([
    [1, 250],
    [0.3048, 0],
    [-1, 1000],
    [65_535 / 900, -300],
  ])('has the line between the heights: times %s and %s more', async (scale, lift) => {
    const fit = await fitTo(a, { ...a, height: a.height.map((h) => scale * h + lift) });
    expect(fit.scale / scale).toBeCloseTo(1, 3);
    expect(fit.lift).toBeCloseTo(lift, Math.abs(scale) > 10 ? 0 : 1);
    expect(Math.abs(fit.correlation)).toBeGreaterThan(0.9999);
    expect(Math.sign(fit.correlation)).toBe(Math.sign(scale));
  });

  it('takes the datum along', async () => {
    const told: Field = { ground: { ...a.ground, datum: 400 }, height: a.height.map((h) => h - 400) };
    const fit = await fitTo(a, told);
    expect(Math.abs(fit.lift)).toBeLessThan(0.1);
    expect(fit.scale).toBeCloseTo(1, 4);
  });

  it('does not take samples without a height for ground', async () => {
    const b = part(land, 20 - 5, 15 + 4, 129, 97);
    const valid = b.height.map((_, i) => (i % 129 < 40 ? 0 : 1));
    const fit = await fitTo(a, { ...b, height: b.height.map((h, i) => (valid[i] ? h : -32_768)), valid: Uint8Array.from(valid) });
    expect(fit.shift.east).toBeCloseTo(5, 1);
    expect(fit.shift.south).toBeCloseTo(-4, 1);
    expect(fit.scale).toBeCloseTo(1, 2);
  });

  it('says so where nothing fits: flat ground, and no height at all', async () => {
    const flat: Field = { ...a, height: a.height.map(() => 7) };
    expect((await fitTo(a, flat)).correlation).toBe(0);
    const none: Field = { ...a, valid: new Uint8Array(a.height.length) };
    expect(await fitTo(a, none)).toMatchObject({ correlation: 0, overlap: 0, placement: { orientation: 'none' } });
  });

  it('takes grounds of a few samples, and stops when it is told to', async () => {
    const small = part(land, 3, 3, 5, 4);
    expect((await fitTo(small, small)).placement.orientation).toBe('none');
    const control = new AbortController();
    control.abort();
    await expect(fitTo(a, part(land, 0, 0, 129, 97), { signal: control.signal })).rejects.toThrow();
  });
});
