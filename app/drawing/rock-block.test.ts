import { describe, expect, it } from 'vitest';
import { fieldFrom, rockSchema } from '@upland-cast/core';
import { groundOf } from '../../tests/helpers/grounds';
import { blockExaggeration, drawRockBlock } from './rock-block';

const [WIDTH, ROWS] = [300, 200];
const level = fieldFrom(groundOf(101, 101, 20), () => 400);
const rolling = fieldFrom(groundOf(101, 101, 20), (east, south) => 400 + 120 * Math.sin(east / 300) * Math.cos(south / 250));
const beds = (of: object) => rockSchema.parse({ thickness: 40, spread: 0, hardShare: 0.5, contrast: 1, dip: 0, foldHeight: 0, joints: 0, ...of });
const at = (pixels: Uint8ClampedArray, x: number, y: number) => [...pixels.subarray(4 * (y * WIDTH + x), 4 * (y * WIDTH + x) + 4)];

describe('a block of rock, cut open', () => {
  it('has level beds on its south side, the same from west to east, and nothing around it', () => {
    const pixels = drawRockBlock(beds({}), level, WIDTH, ROWS);
    // The south side begins at the picture's left edge and ends at two thirds of it.
    const column = (x: number) => Array.from({ length: 60 }, (_, k) => at(pixels, x, 125 + k));
    expect(column(40)).toEqual(column(120));
    expect(new Set(column(40).map(String)).size).toBeGreaterThanOrEqual(2);
    for (const [x, y] of [
      [0, 0],
      [WIDTH - 1, ROWS - 1],
      [2, 20],
    ])
      expect(at(pixels, x, y)[3]).toBe(0);
  });

  it('has beds that sink to the east where they dip there', () => {
    const pixels = drawRockBlock(beds({ dip: 4, dipDirection: 90 }), level, WIDTH, ROWS);
    const changes = (x: number) =>
      Array.from({ length: 60 }, (_, k) => String(at(pixels, x, 125 + k))).findIndex((colour, k, all) => k > 0 && colour !== all[k - 1]);
    const [west, east] = [changes(60), changes(64)];
    expect(west).toBeGreaterThan(0);
    // A bed lies lower in the picture farther east, until the next one comes in above.
    expect(east).toBeGreaterThanOrEqual(west);
    expect(String(at(pixels, 40, 150))).not.toBe('0,0,0,0');
  });

  it('is of one colour without rock of its own, and darker where rock is harder', () => {
    const plain = drawRockBlock(null, level, WIDTH, ROWS);
    const side = (pixels: Uint8ClampedArray) => new Set(Array.from({ length: 60 }, (_, k) => String(at(pixels, 60, 125 + k))));
    expect(side(plain).size).toBe(1);
    const colours = [...side(drawRockBlock(beds({}), level, WIDTH, ROWS))].map((text) =>
      text
        .split(',')
        .slice(0, 3)
        .reduce((sum, c) => sum + Number(c), 0),
    );
    expect(Math.max(...colours) - Math.min(...colours)).toBeGreaterThan(120);
  });

  it('shows the form of its top in light and shade', () => {
    const colours = (pixels: Uint8ClampedArray) =>
      new Set(Array.from({ length: WIDTH * ROWS }, (_, i) => String(at(pixels, i % WIDTH, Math.floor(i / WIDTH))))).size;
    // Nothing, the top, and two sides.
    expect(colours(drawRockBlock(null, level, WIDTH, ROWS))).toBe(4);
    expect(colours(drawRockBlock(null, rolling, WIDTH, ROWS))).toBeGreaterThan(20);
  });

  it('draws heights up to four times as high, and never less than they are', () => {
    expect(blockExaggeration({ width: 8_000 }, 10)).toBe(4);
    expect(blockExaggeration({ width: 8_000 }, 640)).toBe(2);
    expect(blockExaggeration({ width: 8_000 }, 4_000)).toBe(1);
    expect(blockExaggeration({ width: 8_000 }, 0)).toBe(4);
  });
});
