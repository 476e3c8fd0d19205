import { describe, expect, it } from 'vitest';
import { groundOf } from '../../../tests/helpers/grounds';
import { fieldFrom, makeField, type Field } from '../../field/field';
import { hash32 } from '../../field/hash';
import { relationBetween } from './relation';

const side = 160;
const ground = groundOf(side, side, 5);
/** Heights from 0 to 400 m, every one about as often. */
const land = fieldFrom(ground, (east, south) => 400 * ((Math.sin(east / 130) * Math.cos(south / 90) + 1) / 2));
const range = (t: (share: number) => number, field = land): Field =>
  makeField(ground, field.height.map((h) => 50 + 900 * t(h / 400)) as Float32Array<ArrayBuffer>);
const noise = (i: number) => hash32(5, i) / 2 ** 32 - 0.5;

describe('how the heights of one ground follow another’s', () => {
  it('is a line where one was raised and stretched', () => {
    const { scale, lift, leftOfLine, curve } = relationBetween(land, makeField(ground, land.height.map((h) => 1.7 * h - 30) as Float32Array<ArrayBuffer>));
    expect(scale).toBeCloseTo(1.7, 5);
    expect(lift).toBeCloseTo(-30, 3);
    expect(leftOfLine).toBeLessThan(1e-3);
    expect(curve).toBeNull();
  });

  it('stays one under noise, which is left of it', () => {
    const noisy = makeField(ground, land.height.map((h, i) => 0.5 * h + 8 * noise(i)) as Float32Array<ArrayBuffer>);
    const { scale, leftOfLine, curve } = relationBetween(land, noisy);
    expect(Math.abs(scale - 0.5)).toBeLessThan(0.002);
    // Evenly spread over 8 m: 8 / √12.
    expect(Math.abs(leftOfLine - 8 / Math.sqrt(12))).toBeLessThan(0.05);
    expect(curve).toBeNull();
  });

  it('is the curve of screens, which way round it was taken (IEC 61966-2-1)', () => {
    const encode = (t: number) => (t <= 0.0031308 ? 12.92 * t : 1.055 * t ** (1 / 2.4) - 0.055);
    const decode = (t: number) => (t <= 0.04045 ? t / 12.92 : ((t + 0.055) / 1.055) ** 2.4);
    expect(relationBetween(land, range(encode)).curve).toEqual({ kind: 'srgb-encoded' });
    expect(relationBetween(land, range(decode)).curve).toEqual({ kind: 'srgb-decoded' });
    // A little noise does not hide it.
    const noisy = range(encode);
    noisy.height.forEach((h, i) => (noisy.height[i] = h + 4 * noise(i)));
    expect(relationBetween(land, noisy).curve).toEqual({ kind: 'srgb-encoded' });
  });

  it.each([0.6, 1.5, 3])('is a power, %f, with both ends free', (power) => {
    const { curve } = relationBetween(
      land,
      range((t) => t ** power),
    );
    expect(curve).toMatchObject({ kind: 'power' });
    expect(Math.abs((curve as { power: number }).power - power) / power).toBeLessThan(0.06);
  });

  it('is some other curve where none of them runs through', () => {
    expect(
      relationBetween(
        land,
        range((t) => t + 0.16 * Math.sin(2 * Math.PI * t)),
      ).curve,
    ).toEqual({ kind: 'other' });
  });

  it('is no more than a lift where there is nothing to follow, and leaves out what has no height', () => {
    const level = fieldFrom(ground, () => 12);
    expect(
      relationBetween(
        level,
        fieldFrom(ground, () => 19),
      ),
    ).toEqual({ scale: 1, lift: 7, leftOfLine: 0, leftOfCurve: 0, curve: null });
    const valid = Uint8Array.from({ length: side * side }, (_, i) => (i % 3 ? 1 : 0));
    const spoilt = makeField(ground, land.height.map((h, i) => (valid[i] ? 2 * h : 1e6)) as Float32Array<ArrayBuffer>, valid);
    const { scale, lift } = relationBetween(land, spoilt);
    expect(scale).toBeCloseTo(2, 5);
    expect(Math.abs(lift)).toBeLessThan(1e-2);
    const none = makeField(ground, land.height, new Uint8Array(side * side));
    expect(relationBetween(land, none)).toMatchObject({ scale: 1, lift: 0 });
  });
});
