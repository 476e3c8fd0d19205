import { describe, expect, it } from 'vitest';
import { groundOf, hills, range } from '../../../tests/helpers/grounds';
import { fieldFrom } from '../../field/field';
import { resample } from '../../field/resample';
import { discRectangle, makeBrush, type BrushKind, type StrokePlace } from './brush';
import { placesBetween, playStrokes, strokesFromBytes, strokesToBytes, type StrokeRecord } from './record';
import { StrokeOnSurface } from './stroke';
import { Surface } from './surface';
import { TILE, tileKey, unrollTiles } from '../../field/tiles';

const [ACROSS, DOWN] = [601, 401];

const ground = groundOf(ACROSS, DOWN, 2);

const beneath = hills(ground, 2, 200).height;

type Parts = Partial<Parameters<typeof makeBrush>[0]> & { kind: BrushKind };

describe('strokes', () => {
  const record = (parts: Parts, path: StrokePlace[]): StrokeRecord => {
    const brush = makeBrush({ radius: 100, strength: 1, softness: 0.8, ...parts });
    const places = path.slice(1).flatMap((to, i) => placesBetween(path[i], to, brush.radius * brush.spacing));
    return { brush, seed: 11, places: places.map(([e, s, p = 1]) => [e, s, p]) };
  };
  const strokes = [
    record({ kind: 'raise', strength: 6 }, [[300, 300], [700, 420]]), // prettier-ignore
    record({ kind: 'smooth', strength: 0.4 }, [[500, 200], [500, 600]]), // prettier-ignore
    record({ kind: 'flatten', strength: 0.5, radius: 60 }, [[800, 400], [900, 500]]), // prettier-ignore
    record({ kind: 'smear', strength: 0.5 }, [[250, 500], [420, 560]]), // prettier-ignore
  ];

  it('as bytes come back as they were; bytes that are none are refused', () => {
    expect(strokesFromBytes(strokesToBytes(strokes))).toEqual(strokes);
    for (const bad of ['', '{}', '{"strokes":[{"brush":{"kind":"cut"}}]}', '[1]'])
      expect(() => strokesFromBytes(new TextEncoder().encode(bad))).toThrow(/cannot be read/);
  });

  it('played again give the same bits', async () => {
    const [one, other] = [await playStrokes(strokes, beneath, ground), await playStrokes(strokes, beneath, ground)];
    expect([...one.keys()].sort()).toEqual([...other.keys()].sort());
    for (const [key, tile] of one) expect(tile.findIndex((d, i) => d !== other.get(key)![i])).toBe(-1);
  });

  it('played on twice the samples agree, reduced, within 1 % of their height', async () => {
    const fine = { ...ground, across: 2 * ACROSS - 1, down: 2 * DOWN - 1 };
    const finer = fieldFrom(fine, (e, s) => 90 * Math.sin(e / 95) * Math.cos(s / 120) + 12 * Math.sin(e / 31 + s / 44)).height;
    const coarse = finer.filter((_, i) => (i % fine.across) % 2 === 0 && Math.floor(i / fine.across) % 2 === 0);
    const small = unrollTiles(await playStrokes(strokes, coarse, ground), ACROSS, DOWN);
    const large = unrollTiles(await playStrokes(strokes, finer, fine), fine.across, fine.down);
    const most = Math.max(...range(small).map(Math.abs));
    let worst = 0;
    const reduced = resample({ ground: fine, height: large }, ground).height;
    for (let i = 0; i < small.length; i++) worst = Math.max(worst, Math.abs(small[i] - reduced[i]));
    console.log(`measured: strokes on twice the samples differ by ${((100 * worst) / most).toFixed(2)} % of their height`);
    expect(worst / most).toBeLessThan(0.01);
  });

  it('are laid as far apart as the spacing says, the pressure between', () => {
    expect(placesBetween([0, 0, 0], [10, 0, 1], 2.5)).toEqual([[2.5, 0, 0.25], [5, 0, 0.5], [7.5, 0, 0.75], [10, 0, 1]]); // prettier-ignore
    expect(placesBetween([0, 0], [1, 0], 2)).toEqual([]);
  });
});

describe('after ten thousand dabs', () => {
  it('the live tiles take no more than what was touched', async () => {
    const surface = new Surface(ground, beneath, new Map());
    const on = new StrokeOnSurface(surface, makeBrush({ kind: 'raise', radius: 12, strength: 0.1, softness: 1 }), 1);
    const touched = new Set<string>();
    for (let n = 0; n < 10_000; n++) {
      const [east, south] = [(n * 37) % 500, (n * 91) % 300];
      await on.dab([east, south]);
      const r = discRectangle(12, ground, east, south)!;
      for (const x of [r.left, r.right - 1]) for (const y of [r.top, r.bottom - 1]) touched.add(tileKey(Math.floor(x / TILE), Math.floor(y / TILE)));
    }
    expect(surface.tiles.size).toBeLessThanOrEqual(1.2 * touched.size);
  });
});
