import { describe, expect, it } from 'vitest';
import { fieldFrom, inlineKernels, makeField } from '@upland-cast/core';
import { groundOf } from '../../tests/helpers/grounds';
import { landscapePixels, openPixels } from './landscape';

const kernels = inlineKernels();
const SIDE = 120;
const ground = { ...groundOf(SIDE, SIDE, 10), sea: -1e4 };
const bright = (pixels: Uint8ClampedArray, i: number) => 0.2126 * pixels[4 * i] + 0.7152 * pixels[4 * i + 1] + 0.0722 * pixels[4 * i + 2];
const mean = (pixels: Uint8ClampedArray, wide: number, inside: (x: number, y: number) => boolean) => {
  let [sum, n] = [0, 0];
  for (let i = 0; i < pixels.length / 4; i++)
    if (inside(i % wide, Math.floor(i / wide))) {
      sum += bright(pixels, i);
      n++;
    }
  return sum / n;
};

describe('a small picture of a ground', () => {
  it('is whole, of the size asked for, and brighter towards the sun in the north-west than away from it', async () => {
    const hill = fieldFrom(ground, (east, south) => 250 * Math.exp(-(((east - 600) / 260) ** 2) - ((south - 600) / 260) ** 2));
    for (const pixels of [await landscapePixels(kernels, hill, 80, 80), openPixels(hill, 80, 80)]) {
      expect(pixels).toHaveLength(4 * 80 * 80);
      expect(pixels.every((v, i) => i % 4 !== 3 || v === 255)).toBe(true);
      const towards = mean(pixels, 80, (x, y) => Math.hypot(x - 31, y - 31) < 6);
      const away = mean(pixels, 80, (x, y) => Math.hypot(x - 49, y - 49) < 6);
      expect(towards).toBeGreaterThan(1.25 * away);
    }
  });

  it('is drawn at once alike from four times the samples, of which it takes some, as a strip and whole', () => {
    const rolling = (east: number, south: number) => 180 * Math.sin(east / 170) * Math.cos(south / 210) + 40 * Math.sin(south / 60);
    const fine = { ...groundOf(1_001, 1_001, 1.2), sea: -40 };
    const coarse = { ...groundOf(251, 251, 4.8), sea: -40 };
    for (const tall of [90, 34]) {
      const [a, b] = [fine, coarse].map((of) => openPixels(fieldFrom(of, rolling), 90, tall));
      expect(a).toHaveLength(4 * 90 * tall);
      const off = a.reduce((sum, v, i) => sum + Math.abs(v - b[i]), 0) / a.length;
      // Slopes are lifted by how many samples there are, so that they are a little steeper in one.
      expect(off).toBeLessThan(4);
    }
  });

  it('has the shadow of a wall on the side away from the sun, which one that is drawn at once has not', async () => {
    const wall = fieldFrom(ground, (east) => (east >= 500 && east < 560 ? 150 : 0));
    const cast = await landscapePixels(kernels, wall, SIDE, SIDE);
    const open = openPixels(wall, SIDE, SIDE);
    const shaded = (x: number) => x > 60 && x < 68;
    const far = (x: number) => x > 100;
    expect(mean(cast, SIDE, shaded)).toBeLessThan(0.75 * mean(cast, SIDE, far));
    expect(Math.abs(mean(open, SIDE, shaded) - mean(open, SIDE, far))).toBeLessThan(3);
  });

  it('has water over what lies under the sea, bluer the deeper it is', async () => {
    const shelf = fieldFrom({ ...groundOf(SIDE, SIDE, 10), sea: 0 }, (east) => (east < 400 ? 30 : east < 800 ? -3 : -60));
    const pixels = await landscapePixels(kernels, shelf, SIDE, SIDE);
    const colour = (x: number) => [0, 1, 2].map((c) => pixels[4 * (60 * SIDE + x) + c]);
    const [land, shallow, deep] = [20, 60, 105].map(colour);
    expect(shallow[2] / shallow[0]).toBeGreaterThan(land[2] / land[0]);
    expect(deep[2] / deep[0]).toBeGreaterThan(Math.max(1.2, shallow[2] / shallow[0]));
  });

  it('counts the sea from the heights’ own datum', async () => {
    const at = (datum: number) =>
      makeField(
        { ...groundOf(SIDE, SIDE, 10), datum, sea: 1_000 },
        Float32Array.from({ length: SIDE * SIDE }, (_, i) => (i % SIDE < 60 ? 1_020 : 960) - datum),
      );
    expect(await landscapePixels(kernels, at(1_000), 60, 60)).toEqual(await landscapePixels(kernels, at(0), 60, 60));
  });

  it('is the middle strip of the ground where it is wider than high, and has even light on level ground', () => {
    const bands = fieldFrom(ground, (_, south) => (south < 400 || south > 800 ? 500 : 0));
    const strip = openPixels(bands, 120, 30);
    expect(strip).toHaveLength(4 * 120 * 30);
    // Neither of the high bands in the north and the south is in it.
    const level = openPixels(
      fieldFrom(ground, () => 0),
      120,
      30,
    );
    const spread = (pixels: Uint8ClampedArray) => Math.max(...pixels.filter((_, i) => i % 4 === 1)) - Math.min(...pixels.filter((_, i) => i % 4 === 1));
    expect(spread(level)).toBe(0);
    expect(spread(strip)).toBe(0);
  });

  it('is bare rock where it is steep', () => {
    const cliff = fieldFrom(ground, (east) => (east < 560 ? 0 : east < 640 ? 2 * (east - 560) : 160));
    const pixels = openPixels(cliff, SIDE, SIDE);
    const grey = (x: number) => {
      const [r, g, b] = [0, 1, 2].map((c) => pixels[4 * (60 * SIDE + x) + c]);
      return (Math.max(r, g, b) - Math.min(r, g, b)) / Math.max(r, g, b);
    };
    expect(grey(60)).toBeLessThan(grey(20));
  });
});
