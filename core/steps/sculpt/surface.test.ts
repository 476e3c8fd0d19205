import { describe, expect, it } from 'vitest';
import { groundOf, hills, range } from '../../../tests/helpers/grounds';
import { discRectangle, makeBrush, mirrored } from './brush';
import { FALLOFFS, falloffAt, type Falloff } from './falloff';
import { Surface } from './surface';
import { tileKey, unrollTiles } from '../../field/tiles';
import { paintStroke, surfaceHeights } from '../../../tests/helpers/strokes';

const [ACROSS, DOWN] = [601, 401];

const ground = groundOf(ACROSS, DOWN, 2);

const beneath = hills(ground, 2, 200).height;

const laidBy = ({ tiles }: Surface) => unrollTiles(tiles, ACROSS, DOWN);

const inside = (i: number, east = 600, south = 400, radius = 100) => Math.hypot((i % ACROSS) * 2 - east, Math.floor(i / ACROSS) * 2 - south) <= radius;

describe('a dab', () => {
  it('of a flat brush raises every sample under it by its strength, to the bit, and nothing else', async () => {
    const laid = laidBy(await paintStroke({ kind: 'raise', strength: 3 }, [[600, 400]]));
    expect(laid.findIndex((d, i) => d !== (inside(i) ? 3 : 0))).toBe(-1);
  });

  it('raised and then lowered leaves zero', async () => {
    const { tiles } = await paintStroke({ kind: 'raise', strength: 1.7, softness: 0.7 }, [[300, 300]]);
    const laid = laidBy(await paintStroke({ kind: 'lower', strength: 1.7, softness: 0.7 }, [[300, 300]], { tiles }));
    expect(laid.every((d) => d === 0)).toBe(true);
  });

  it('touches only the tiles under it, across their borders, and leaves those from before it as they were', async () => {
    const first = await paintStroke({ kind: 'raise', radius: 20 }, [[512, 512]]);
    expect([...first.tiles.keys()].sort()).toEqual(['0,0', '0,1', '1,0', '1,1']);
    expect([...(await paintStroke({ kind: 'raise', radius: 20 }, [[100, 100]])).tiles.keys()]).toEqual([tileKey(0, 0)]);
    const kept = first.tiles.get('0,0')!.slice();
    const before = new Map(first.tiles);
    await paintStroke({ kind: 'raise', radius: 20 }, [[512, 512]], { tiles: new Map(first.tiles) });
    expect(before.get('0,0')!.every((d, i) => d === kept[i])).toBe(true);
  });

  it('that misses the ground does nothing; one over the edge does what lies on it', async () => {
    expect(discRectangle(100, ground, -500, 0)).toBeUndefined();
    expect((await paintStroke({ kind: 'raise' }, [[5000, 0]])).tiles.size).toBe(0);
    expect(discRectangle(100, ground, 0, 0)).toEqual({ left: 0, top: 0, right: 51, bottom: 51 });
    for (const kind of ['smooth', 'scrape', 'smear', 'sharpen', 'roughen'] as const) {
      const after = surfaceHeights(await paintStroke({ kind }, [[0, 0], [20, 0], [1200, 800]])); // prettier-ignore
      expect(after.every(Number.isFinite), kind).toBe(true);
    }
  });

  it('fades over its softness in every form, from 1 to 0 and never up again', () => {
    expect([falloffAt(0, 1, 'shoulder'), falloffAt(1, 1, 'shoulder'), falloffAt(0.5, 1, 'shoulder')]).toEqual([1, 0, 0.5]);
    expect([falloffAt(0.4, 0.5, 'peak'), falloffAt(2, 0, 'dome'), falloffAt(0.75, 0.5, 'straight')]).toEqual([1, 0, 0.5]);
    for (const form of Object.keys(FALLOFFS) as Falloff[]) {
      let last = 1;
      for (let t = 0; t <= 1; t += 0.01) {
        const w = falloffAt(t, 0.8, form);
        expect(w).toBeLessThanOrEqual(last);
        last = w;
      }
      expect(last).toBeLessThan(0.2);
    }
  });

  it('follows the pressure of a pen, in strength, in radius or in both', async () => {
    const most = async (pressure: 'none' | 'strength' | 'radius' | 'both') => {
      const laid = laidBy(await paintStroke({ kind: 'raise', strength: 4, pressure }, [[600, 400, 0.5]]));
      return [range(laid)[1], laid.filter((d) => d > 0).length];
    };
    const [full, wide] = await most('none');
    expect([full, (await most('strength'))[0]]).toEqual([4, 2]);
    expect((await most('radius'))[0]).toBe(4);
    expect((await most('radius'))[1] / wide).toBeCloseTo(0.25, 1);
    expect((await most('both'))[0]).toBe(2);
  });

  it('is made again in its mirror', async () => {
    // About the line from north to south through the middle: column c and 600 − c alike.
    const laid = laidBy(await paintStroke({ kind: 'raise', strength: 2, softness: 1, mirror: { east: 600, south: 400, angle: 0 } }, [[300, 250]]));
    expect(laid.findIndex((d, i) => Math.abs(d - laid[Math.floor(i / ACROSS) * ACROSS + 600 - (i % ACROSS)]) > 1e-5)).toBe(-1);
    expect(range(laid)[1]).toBeGreaterThan(1.9);
    const sincos = (d: number): [number, number] => [Math.sin((d * Math.PI) / 180), Math.cos((d * Math.PI) / 180)];
    const brush = makeBrush({ kind: 'raise', radius: 1, strength: 1, softness: 0, mirror: { east: 0, south: 0, angle: 45 } });
    // North-east: what lies to the east goes to the north.
    const [east, south] = mirrored(brush, [10, 0], sincos)!;
    expect([east, south].map((v) => Math.round(v * 1e6) / 1e6 + 0)).toEqual([0, -10]);
  });

  it('leaves alone what a mask leaves out and what is locked, and brings nothing across a lock', async () => {
    const mask = new Float32Array(ACROSS * DOWN).map((_, i) => (i % ACROSS < 300 ? 0 : 1));
    const masked = laidBy(await paintStroke({ kind: 'raise', strength: 5 }, [[600, 400]], { tools: { mask } }));
    expect(masked.every((d, i) => (i % ACROSS < 300 ? d === 0 : d === 0 || d === 5))).toBe(true);
    const [low, high] = range(beneath);
    const middle = (low + high) / 2;
    const after = surfaceHeights(await paintStroke({ kind: 'raise', radius: 600, strength: 50, above: middle + ground.datum }, [[600, 400]]));
    expect(after.findIndex((h, i) => (beneath[i] > middle ? h !== beneath[i] : h > middle + 1e-4))).toBe(-1);
    const under = surfaceHeights(await paintStroke({ kind: 'lower', radius: 600, strength: 50, below: middle + ground.datum }, [[600, 400]]));
    expect(under.findIndex((h, i) => (beneath[i] < middle ? h !== beneath[i] : h < middle - 1e-4))).toBe(-1);
  });
});
