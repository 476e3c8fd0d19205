import { describe, expect, it } from 'vitest';
import { fractal } from '../../../tests/helpers/fractal';
import { groundOf, hills, range } from '../../../tests/helpers/grounds';
import { inlineKernels } from '../../kernels/pool';
import { type StrokePlace } from './brush';
import { type StrokeTools } from './stroke';
import { Surface } from './surface';
import { unrollTiles } from '../../field/tiles';
import { weatherPiece } from './weathered';
import { paintStroke, surfaceHeights } from '../../../tests/helpers/strokes';

const [ACROSS, DOWN] = [601, 401];

const ground = groundOf(ACROSS, DOWN, 2);

const beneath = hills(ground, 2, 200).height;

const laidBy = ({ tiles }: Surface) => unrollTiles(tiles, ACROSS, DOWN);

const inside = (i: number, east = 600, south = 400, radius = 100) => Math.hypot((i % ACROSS) * 2 - east, Math.floor(i / ACROSS) * 2 - south) <= radius;

describe('a brush', () => {
  it('that smooths never makes new extremes, however often, makes ground smoother, and leaves a plane alone', async () => {
    const soft = { kind: 'smooth', radius: 80, softness: 0.5 } as const;
    const after = surfaceHeights(
      await paintStroke(
        soft,
        Array.from({ length: 8 }, (_, n): StrokePlace => [400 + n * 20, 300]),
      ),
    );
    const [low, high] = range(beneath);
    expect(range(after)[0]).toBeGreaterThanOrEqual(low);
    expect(range(after)[1]).toBeLessThanOrEqual(high);
    const plane = beneath.map((_, i) => (i % ACROSS) * 0.5 + Math.floor(i / ACROSS) * 0.25);
    expect(range(laidBy(await paintStroke(soft, [[600, 400]], { under: plane })).map(Math.abs))[1]).toBeLessThan(1e-4);
    const once = surfaceHeights(await paintStroke(soft, [[600, 400]]));
    const roughness = (h: Float32Array) => {
      let sum = 0;
      for (let row = 185; row < 215; row++)
        for (let c = 285; c < 315; c++) sum += (h[row * ACROSS + c] * 2 - h[row * ACROSS + c - 1] - h[row * ACROSS + c + 1]) ** 2;
      return sum;
    };
    expect(roughness(once)).toBeLessThan(0.2 * roughness(beneath));
  });

  it('that flattens leaves the height where it began, and one with a height that one, within a millimetre', async () => {
    const start = beneath[200 * ACROSS + 300];
    const flat = surfaceHeights(await paintStroke({ kind: 'flatten' }, [[600, 400], [680, 400]])); // prettier-ignore
    const level = surfaceHeights(await paintStroke({ kind: 'level', height: 500 }, [[600, 400]]));
    expect(flat.findIndex((h, i) => inside(i) && Math.abs(h - start) >= 1e-3)).toBe(-1);
    expect(level.findIndex((h, i) => inside(i) && Math.abs(h + ground.datum - 500) >= 1e-3)).toBe(-1);
  });

  it('that makes a slope leaves the one between its ends, and goes on level beyond them', async () => {
    const after = surfaceHeights(await paintStroke({ kind: 'ramp', radius: 200, ramp: [{ east: 500, south: 400, height: 100 }, { east: 700, south: 400, height: 140 }] }, [[600, 400]])); // prettier-ignore
    const at = (east: number) => after[200 * ACROSS + east / 2] + ground.datum;
    expect([at(420), at(500), at(600), at(700), at(780)].map((h) => Math.round(h * 1000) / 1000)).toEqual([100, 100, 120, 140, 140]);
    await expect(paintStroke({ kind: 'ramp' }, [[1, 1]])).rejects.toThrow(/no two ends/);
  });

  it('that scrapes only cuts, and leaves a plane alone; one that sharpens only lifts', async () => {
    const cut = laidBy(await paintStroke({ kind: 'scrape' }, [[600, 400]]));
    expect(range(cut)[0]).toBeLessThan(-1);
    expect(range(cut)[1]).toBe(0);
    const plane = beneath.map((_, i) => (i % ACROSS) * 0.5 + Math.floor(i / ACROSS) * 0.25);
    expect(range(laidBy(await paintStroke({ kind: 'scrape' }, [[600, 400]], { under: plane })))[0]).toBeGreaterThan(-1e-3);
    const lifted = laidBy(await paintStroke({ kind: 'sharpen' }, [[600, 400]]));
    expect(range(lifted)[0]).toBe(0);
    expect(range(lifted)[1]).toBeGreaterThan(0.01);
  });

  it('of highs and lows weighs by height between its bounds', async () => {
    const bounds: [number, number] = [ground.datum, ground.datum + 100];
    const ramp = beneath.map((_, i) => (i % ACROSS) - 250); // 0 to 100 m from column 250 to 350
    for (const [kind, sign, highs] of [
      ['lift-highs', 1, true],
      ['lift-lows', 1, false],
      ['sink-highs', -1, true],
      ['sink-lows', -1, false],
    ] as const) {
      // prettier-ignore
      const laid = laidBy(await paintStroke({ kind, strength: 2, radius: 90, bounds }, [[600, 400]], { under: ramp }));
      for (const column of [260, 300, 340]) {
        const t = (column - 250) / 100;
        expect(laid[200 * ACROSS + column], kind).toBeCloseTo(sign * 2 * (highs ? t : 1 - t), 4);
      }
    }
  });

  it('that clones brings the form of another place onto the height here, and not a copy of its own copy', async () => {
    const source = { east: 240, south: 600 };
    const after = surfaceHeights(await paintStroke({ kind: 'clone', source }, [[900, 200], [1000, 200]])); // prettier-ignore
    const lift = beneath[100 * ACROSS + 450] - beneath[300 * ACROSS + 120];
    for (const [dx, dy] of [[0, 0], [20, -10], [60, 12]]) expect(after[(100 + dy) * ACROSS + 450 + dx]).toBeCloseTo(beneath[(300 + dy) * ACROSS + 120 + dx] + lift, 3); // prettier-ignore
    const heights = surfaceHeights(await paintStroke({ kind: 'clone', source, onto: false }, [[900, 200]]));
    expect(heights[100 * ACROSS + 450]).toBeCloseTo(beneath[300 * ACROSS + 120], 3);
    await expect(paintStroke({ kind: 'clone' }, [[1, 1]])).rejects.toThrow(/no place to clone/);
  });

  it('that smears drags the ground the way it goes', async () => {
    // A spike moves east under a stroke to the east.
    const spike = new Float32Array(ACROSS * DOWN);
    for (let y = -3; y <= 3; y++) for (let x = -3; x <= 3; x++) spike[(200 + y) * ACROSS + 300 + x] = 100;
    const after = surfaceHeights(
      await paintStroke(
        { kind: 'smear', radius: 60, softness: 0 },
        Array.from({ length: 11 }, (_, n): StrokePlace => [600 + 4 * n, 400]),
        { under: spike },
      ),
      spike,
    );
    expect(after[200 * ACROSS + 300]).toBeLessThan(20);
    expect(after[200 * ACROSS + 320]).toBeGreaterThan(80);
  });

  it('that stamps turns its form along the stroke, and takes one from a file', async () => {
    const flat = new Float32Array(ACROSS * DOWN);
    const extent = (laid: Float32Array, along: 'x' | 'y') => {
      const seen = new Set<number>();
      laid.forEach((d, i) => d > 1 && seen.add(along === 'x' ? i % ACROSS : Math.floor(i / ACROSS)));
      return seen.size;
    };
    const ridge = { kind: 'stamp', stamp: 'ridge', strength: 20 } as const;
    const north = laidBy(await paintStroke(ridge, [[600, 400]], { under: flat }));
    expect(extent(north, 'y')).toBeGreaterThan(1.5 * extent(north, 'x'));
    // The second dab goes east; far from the first, so that both can be told apart.
    const two = laidBy(await paintStroke({ ...ridge, radius: 60 }, [[200, 400], [900, 400]], { under: flat })); // prettier-ignore
    const east = two.map((d, i) => (i % ACROSS > 350 ? d : 0));
    expect(extent(east, 'x')).toBeGreaterThan(1.5 * extent(east, 'y'));
    const form = { values: Float32Array.from([0, 0, 0, 1]), across: 2, down: 2 };
    const filed = laidBy(await paintStroke({ kind: 'stamp', stamp: 'a'.repeat(64), strength: 8 }, [[600, 400]], { under: flat, tools: { form } }));
    expect(filed[230 * ACROSS + 330]).toBeGreaterThan(4);
    expect(filed[170 * ACROSS + 270]).toBeLessThan(0.4);
    await expect(paintStroke({ kind: 'stamp', stamp: 'a'.repeat(64) }, [[1, 1]])).rejects.toThrow(/not there/);
  });

  it('that roughens adds detail like that around it: more on rough ground than on smooth, none on level', async () => {
    const rough = fractal(ground, { seed: 3, gain: 0.6, height: 120 }).height;
    const deviation = (laid: Float32Array) => Math.sqrt(laid.reduce((s, d, i) => s + (inside(i) ? d * d : 0), 0) / laid.filter((_, i) => inside(i)).length);
    const around = (h: Float32Array) => {
      let sum = 0;
      let n = 0;
      for (let row = 160; row < 240; row++)
        for (let c = 260; c < 340; c++, n++) sum += (h[row * ACROSS + c] - 0.5 * (h[row * ACROSS + c - 1] + h[row * ACROSS + c + 1])) ** 2;
      return Math.sqrt(sum / n);
    };
    const on = async (under: Float32Array) => deviation(laidBy(await paintStroke({ kind: 'roughen' }, [[600, 400]], { under })));
    const [wild, mild] = [await on(rough), await on(rough.map((h) => h * 0.1))];
    expect(wild / mild).toBeGreaterThan(9);
    expect(wild / mild).toBeLessThan(11);
    expect(await on(new Float32Array(ACROSS * DOWN))).toBe(0);
    // One dab at full strength adds about as much finest detail as there is.
    const after = surfaceHeights(await paintStroke({ kind: 'roughen', radius: 200 }, [[600, 400]], { under: rough }), rough);
    expect(around(after) / around(rough)).toBeGreaterThan(1.1);
    expect(around(after) / around(rough)).toBeLessThan(2);
  });

  it('that lets rock slide or rain fall changes only what lies under it', async () => {
    const kernels = inlineKernels();
    const tools: StrokeTools = { weather: (kind, height, piece) => weatherPiece(kernels, kind, height, piece) };
    const steep = beneath.map((h, i) => h + (Math.floor((i % ACROSS) / 20) % 2 ? 60 : 0));
    for (const kind of ['talus', 'runoff'] as const) {
      const laid = laidBy(await paintStroke({ kind, softness: 0.5 }, [[600, 400]], { under: steep, tools }));
      expect(
        laid.every((d, i) => d === 0 || inside(i)),
        kind,
      ).toBe(true);
      expect(range(laid)[0], kind).toBeLessThan(-0.5);
      expect(laid.every(Number.isFinite)).toBe(true);
    }
  });

  it('that restores brings the exact earlier bits', async () => {
    const worked = await paintStroke({ kind: 'roughen', radius: 150, softness: 0.6 }, [[600, 400], [640, 430]]); // prettier-ignore
    const part = surfaceHeights(await paintStroke({ kind: 'restore', radius: 60 }, [[600, 400]], { tiles: new Map(worked.tiles) }));
    expect(part.findIndex((h, i) => inside(i, 600, 400, 60) && h !== beneath[i])).toBe(-1);
    const half = laidBy(await paintStroke({ kind: 'restore', radius: 300, strength: 0.5 }, [[600, 400]], { tiles: new Map(worked.tiles) }));
    const before = laidBy(worked);
    expect(half.findIndex((d, i) => Math.abs(d - before[i] / 2) > 1e-4)).toBe(-1);
  });
});
