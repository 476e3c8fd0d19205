import { describe, expect, it } from 'vitest';
import { LINEAR_OF_CODE } from '@upland-cast/core';
import { Accumulation } from './accumulation';

const WIDTH = 9;
const HEIGHT = 7;

/** A pass of which every pixel is one grey, but for those that `other` says something of. */
function passOf(grey: number, other: (x: number, y: number) => number | undefined = () => undefined): Uint8Array {
  return Uint8Array.from({ length: 4 * WIDTH * HEIGHT }, (_, i) => {
    const p = Math.floor(i / 4);
    return i % 4 === 3 ? 255 : (other(p % WIDTH, Math.floor(p / WIDTH)) ?? grey);
  });
}

const at = (x: number, y: number) => y * WIDTH + x;

describe('passes laid over each other', () => {
  it('come to the mean of linear light, and not of codes: black and white in turn are grey of code 188 (IEC 61966-2-1)', () => {
    const sum = new Accumulation(WIDTH, HEIGHT);
    for (let k = 0; k < 8; k++) sum.add(passOf(k % 2 ? 255 : 0));
    expect(sum.mean(at(4, 3), 1)).toBeCloseTo(0.5, 6);
    expect(LINEAR_OF_CODE[188]).toBeCloseTo(0.5, 2);
  });

  it('leave out what every pass shows alike, after eight of them and not before', () => {
    const sum = new Accumulation(WIDTH, HEIGHT);
    for (let k = 0; k < 7; k++) sum.add(passOf(90));
    expect(sum.open).toBe(1);
    sum.add(passOf(90));
    expect(sum.open).toBe(0);
    expect(sum.settled.every((s) => s === 255)).toBe(true);
  });

  it('go on at a pixel that differs and at its eight neighbours, at no other', () => {
    const sum = new Accumulation(WIDTH, HEIGHT);
    for (let k = 0; k < 8; k++) sum.add(passOf(90, (x, y) => (x === 4 && y === 3 && k % 2 ? 240 : undefined)));
    const open = Array.from({ length: WIDTH * HEIGHT }, (_, p) => p).filter((p) => sum.settled[p] === 0);
    expect(open).toEqual([2, 3, 4].flatMap((y) => [3, 4, 5].map((x) => at(x, y))));
    expect(sum.open).toBeCloseTo(9 / 63, 9);
  });

  it('read nothing of settled pixels: what stands there in later passes changes no mean', () => {
    const sum = new Accumulation(WIDTH, HEIGHT);
    const edge = (k: number) => (x: number) => (x === 8 && k % 2 ? 200 : undefined);
    for (let k = 0; k < 8; k++) sum.add(passOf(90, edge(k)));
    const before = sum.mean(at(0, 0), 0);
    // A pass that drew the edge alone.
    sum.add(passOf(0, (x) => (x >= 7 ? 120 : undefined)));
    expect(sum.mean(at(0, 0), 0)).toBe(before);
    expect(sum.mean(at(8, 2), 0)).toBeCloseTo((4 * LINEAR_OF_CODE[90] + 4 * LINEAR_OF_CODE[200] + LINEAR_OF_CODE[120]) / 9, 6);
  });

  it('settle where the standard error of the mean is half a code, whatever the spread: the more passes the wider it may be', () => {
    const passesUntilSettled = (spread: number) => {
      const sum = new Accumulation(WIDTH, HEIGHT);
      for (let k = 0; k < 256; k++) {
        sum.add(passOf(100 + (k % 2 ? spread : -spread)));
        if (sum.open === 0) return k + 1;
      }
      return Infinity;
    };
    expect(passesUntilSettled(1)).toBe(8);
    // A spread of s on either side has a variance of about s²: s² / n is a quarter at n = 4 s².
    expect(passesUntilSettled(2)).toBe(20);
    expect(passesUntilSettled(4)).toBe(68);
    expect(passesUntilSettled(20)).toBe(Infinity);
  });

  it('take linear light as floats, brighter than white too', () => {
    const sum = new Accumulation(1, 1);
    sum.add(Float32Array.of(4, 0.5, 0.25, 1));
    sum.add(Float32Array.of(2, 0.5, 0.75, 1));
    expect([0, 1, 2].map((c) => sum.mean(0, c))).toEqual([3, 0.5, 0.5]);
  });
});
