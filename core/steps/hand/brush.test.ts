import { describe, expect, it } from 'vitest';
import { groundOf, hills, range } from '../../../tests/helpers/grounds';
import { dab, dabRectangle, falloff, type Brush } from './brush';
import { TILE, tileFromBytes, tileKey, tileLiesOn, tileToBytes, unrollTiles, type Tiles } from './tiles';

const ground = groundOf(601, 401, 2);
const flatBrush: Brush = { kind: 'raise', radius: 100, strength: 3, softness: 0 };
const beneath = hills(ground, 2, 200).height;

describe('a dab', () => {
  it('of a flat brush raises every sample under it by its strength, to the bit, and nothing else', () => {
    const tiles: Tiles = new Map();
    const rectangle = dab(tiles, beneath, ground, flatBrush, 600, 400)!;
    const laid = unrollTiles(tiles, 601, 401);
    for (let row = 0; row < 401; row++) {
      for (let column = 0; column < 601; column++) {
        const inside = Math.hypot(column * 2 - 600, row * 2 - 400) <= 100;
        expect(laid[row * 601 + column]).toBe(inside ? 3 : 0);
        if (inside) expect(row >= rectangle.top && row < rectangle.bottom && column >= rectangle.left && column < rectangle.right).toBe(true);
      }
    }
  });

  it('raised and then lowered leaves zero', () => {
    const tiles: Tiles = new Map();
    dab(tiles, beneath, ground, { ...flatBrush, softness: 0.7 }, 300, 300);
    dab(tiles, beneath, ground, { ...flatBrush, softness: 0.7, kind: 'lower' }, 300, 300);
    expect(unrollTiles(tiles, 601, 401).every((d) => d === 0)).toBe(true);
  });

  it('touches only the tiles under it, across their borders', () => {
    const tiles: Tiles = new Map();
    dab(tiles, beneath, ground, { ...flatBrush, radius: 20 }, 512, 512);
    expect([...tiles.keys()].sort()).toEqual(['0,0', '0,1', '1,0', '1,1']);
    const one: Tiles = new Map();
    dab(one, beneath, ground, { ...flatBrush, radius: 20 }, 100, 100);
    expect([...one.keys()]).toEqual([tileKey(0, 0)]);
  });

  it('that misses the ground does nothing; one over the edge does what lies on it', () => {
    expect(dabRectangle(flatBrush, ground, -500, 0)).toBeUndefined();
    expect(dab(new Map(), beneath, ground, flatBrush, 5000, 0)).toBeUndefined();
    expect(dabRectangle(flatBrush, ground, 0, 0)).toEqual({ left: 0, top: 0, right: 51, bottom: 51 });
  });

  it('fades by a smooth shoulder over the softness', () => {
    expect([falloff(0, 1), falloff(1, 1), falloff(0.5, 1), falloff(0.4, 0.5), falloff(2, 0)]).toEqual([1, 0, 0.5, 1, 0]);
  });
});

describe('smoothing', () => {
  const smooth: Brush = { kind: 'smooth', radius: 80, strength: 1, softness: 0.5 };

  it('never makes new extremes, however often', () => {
    const tiles: Tiles = new Map();
    for (let n = 0; n < 8; n++) dab(tiles, beneath, ground, smooth, 400 + n * 20, 300);
    const laid = unrollTiles(tiles, 601, 401);
    const after = beneath.map((h, i) => h + laid[i]);
    const [low, high] = range(beneath);
    const [lowAfter, highAfter] = range(after);
    expect(lowAfter).toBeGreaterThanOrEqual(low - 1e-4);
    expect(highAfter).toBeLessThanOrEqual(high + 1e-4);
  });

  it('makes ground smoother and leaves a plane alone', () => {
    const plane = beneath.map((_, i) => (i % 601) * 0.5 + Math.floor(i / 601) * 0.25);
    const tiles: Tiles = new Map();
    dab(tiles, plane, ground, smooth, 600, 400);
    expect(range(unrollTiles(tiles, 601, 401).map(Math.abs))[1]).toBeLessThan(1e-4);
    const rough: Tiles = new Map();
    dab(rough, beneath, ground, smooth, 600, 400);
    const laid = unrollTiles(rough, 601, 401);
    const roughness = (h: (i: number) => number) => {
      let sum = 0;
      for (let row = 185; row < 215; row++) for (let c = 285; c < 315; c++) sum += (h(row * 601 + c) * 2 - h(row * 601 + c - 1) - h(row * 601 + c + 1)) ** 2;
      return sum;
    };
    expect(roughness((i) => beneath[i] + laid[i])).toBeLessThan(0.2 * roughness((i) => beneath[i]));
  });
});

describe('tiles', () => {
  it('as bytes come back bit for bit, and refuse another length', () => {
    const tile = new Float32Array(TILE * TILE).map((_, i) => Math.fround(i * 0.1 - 300));
    expect(tileFromBytes(tileToBytes(tile))).toEqual(tile);
    expect(() => tileFromBytes(new Uint8Array(7))).toThrow(/needs 262144/);
  });

  it('know whether they lie on a ground', () => {
    expect([tileLiesOn('2,1', ground), tileLiesOn('3,0', ground), tileLiesOn('-1,0', ground)]).toEqual([true, false, false]);
  });
});
