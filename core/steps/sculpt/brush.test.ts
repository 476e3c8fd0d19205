import { describe, expect, it } from 'vitest';
import { fractal } from '../../../tests/helpers/fractal';
import { groundOf, hills, range } from '../../../tests/helpers/grounds';
import { inlineKernels } from '../../kernels/pool';
import { fieldFrom } from '../../field/field';
import { resample } from '../../field/resample';
import { discRectangle, makeBrush, mirrored, type BrushKind, type StrokePlace } from './brush';
import { FALLOFFS, falloffAt, type Falloff } from './falloff';
import { placesBetween, playStrokes, strokesFromBytes, strokesToBytes, type StrokeRecord } from './record';
import { StrokeOnSurface, type StrokeTools } from './stroke';
import { Surface } from './surface';
import { TILE, tileFromBytes, tileKey, tileToBytes, unrollTiles, type Tiles } from '../../field/tiles';
import { weatherPiece } from './weathered';

const [ACROSS, DOWN] = [601, 401];
const ground = groundOf(ACROSS, DOWN, 2);
const beneath = hills(ground, 2, 200).height;

type Parts = Partial<Parameters<typeof makeBrush>[0]> & { kind: BrushKind };

/** A stroke at places; the surface after it. */
async function stroke(
  parts: Parts,
  places: StrokePlace[],
  { under = beneath as Float32Array, tiles = new Map() as Tiles, tools = {} as StrokeTools } = {},
): Promise<Surface> {
  const surface = new Surface(ground, under, tiles);
  const on = new StrokeOnSurface(surface, makeBrush({ radius: 100, strength: 1, softness: 0, ...parts }), 7, tools);
  for (const place of places) await on.dab(place);
  return surface;
}
const laidBy = ({ tiles }: Surface) => unrollTiles(tiles, ACROSS, DOWN);
const heightsOf = (surface: Surface, under = beneath) => {
  const laid = laidBy(surface);
  return under.map((h, i) => h + laid[i]);
};
const inside = (i: number, east = 600, south = 400, radius = 100) => Math.hypot((i % ACROSS) * 2 - east, Math.floor(i / ACROSS) * 2 - south) <= radius;

describe('a dab', () => {
  it('of a flat brush raises every sample under it by its strength, to the bit, and nothing else', async () => {
    const laid = laidBy(await stroke({ kind: 'raise', strength: 3 }, [[600, 400]]));
    expect(laid.findIndex((d, i) => d !== (inside(i) ? 3 : 0))).toBe(-1);
  });

  it('raised and then lowered leaves zero', async () => {
    const { tiles } = await stroke({ kind: 'raise', strength: 1.7, softness: 0.7 }, [[300, 300]]);
    const laid = laidBy(await stroke({ kind: 'lower', strength: 1.7, softness: 0.7 }, [[300, 300]], { tiles }));
    expect(laid.every((d) => d === 0)).toBe(true);
  });

  it('touches only the tiles under it, across their borders, and leaves those from before it as they were', async () => {
    const first = await stroke({ kind: 'raise', radius: 20 }, [[512, 512]]);
    expect([...first.tiles.keys()].sort()).toEqual(['0,0', '0,1', '1,0', '1,1']);
    expect([...(await stroke({ kind: 'raise', radius: 20 }, [[100, 100]])).tiles.keys()]).toEqual([tileKey(0, 0)]);
    const kept = first.tiles.get('0,0')!.slice();
    const before = new Map(first.tiles);
    await stroke({ kind: 'raise', radius: 20 }, [[512, 512]], { tiles: new Map(first.tiles) });
    expect(before.get('0,0')!.every((d, i) => d === kept[i])).toBe(true);
  });

  it('that misses the ground does nothing; one over the edge does what lies on it', async () => {
    expect(discRectangle(100, ground, -500, 0)).toBeUndefined();
    expect((await stroke({ kind: 'raise' }, [[5000, 0]])).tiles.size).toBe(0);
    expect(discRectangle(100, ground, 0, 0)).toEqual({ left: 0, top: 0, right: 51, bottom: 51 });
    for (const kind of ['smooth', 'scrape', 'smear', 'sharpen', 'roughen'] as const) {
      const after = heightsOf(await stroke({ kind }, [[0, 0], [20, 0], [1200, 800]])); // prettier-ignore
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
      const laid = laidBy(await stroke({ kind: 'raise', strength: 4, pressure }, [[600, 400, 0.5]]));
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
    const laid = laidBy(await stroke({ kind: 'raise', strength: 2, softness: 1, mirror: { east: 600, south: 400, angle: 0 } }, [[300, 250]]));
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
    const masked = laidBy(await stroke({ kind: 'raise', strength: 5 }, [[600, 400]], { tools: { mask } }));
    expect(masked.every((d, i) => (i % ACROSS < 300 ? d === 0 : d === 0 || d === 5))).toBe(true);
    const [low, high] = range(beneath);
    const middle = (low + high) / 2;
    const after = heightsOf(await stroke({ kind: 'raise', radius: 600, strength: 50, above: middle + ground.datum }, [[600, 400]]));
    expect(after.findIndex((h, i) => (beneath[i] > middle ? h !== beneath[i] : h > middle + 1e-4))).toBe(-1);
    const under = heightsOf(await stroke({ kind: 'lower', radius: 600, strength: 50, below: middle + ground.datum }, [[600, 400]]));
    expect(under.findIndex((h, i) => (beneath[i] < middle ? h !== beneath[i] : h < middle - 1e-4))).toBe(-1);
  });
});

describe('a brush', () => {
  it('that smooths never makes new extremes, however often, makes ground smoother, and leaves a plane alone', async () => {
    const soft = { kind: 'smooth', radius: 80, softness: 0.5 } as const;
    const after = heightsOf(
      await stroke(
        soft,
        Array.from({ length: 8 }, (_, n): StrokePlace => [400 + n * 20, 300]),
      ),
    );
    const [low, high] = range(beneath);
    expect(range(after)[0]).toBeGreaterThanOrEqual(low);
    expect(range(after)[1]).toBeLessThanOrEqual(high);
    const plane = beneath.map((_, i) => (i % ACROSS) * 0.5 + Math.floor(i / ACROSS) * 0.25);
    expect(range(laidBy(await stroke(soft, [[600, 400]], { under: plane })).map(Math.abs))[1]).toBeLessThan(1e-4);
    const once = heightsOf(await stroke(soft, [[600, 400]]));
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
    const flat = heightsOf(await stroke({ kind: 'flatten' }, [[600, 400], [680, 400]])); // prettier-ignore
    const level = heightsOf(await stroke({ kind: 'level', height: 500 }, [[600, 400]]));
    expect(flat.findIndex((h, i) => inside(i) && Math.abs(h - start) >= 1e-3)).toBe(-1);
    expect(level.findIndex((h, i) => inside(i) && Math.abs(h + ground.datum - 500) >= 1e-3)).toBe(-1);
  });

  it('that makes a slope leaves the one between its ends, and goes on level beyond them', async () => {
    const after = heightsOf(await stroke({ kind: 'ramp', radius: 200, ramp: [{ east: 500, south: 400, height: 100 }, { east: 700, south: 400, height: 140 }] }, [[600, 400]])); // prettier-ignore
    const at = (east: number) => after[200 * ACROSS + east / 2] + ground.datum;
    expect([at(420), at(500), at(600), at(700), at(780)].map((h) => Math.round(h * 1000) / 1000)).toEqual([100, 100, 120, 140, 140]);
    await expect(stroke({ kind: 'ramp' }, [[1, 1]])).rejects.toThrow(/no two ends/);
  });

  it('that scrapes only cuts, and leaves a plane alone; one that sharpens only lifts', async () => {
    const cut = laidBy(await stroke({ kind: 'scrape' }, [[600, 400]]));
    expect(range(cut)[0]).toBeLessThan(-1);
    expect(range(cut)[1]).toBe(0);
    const plane = beneath.map((_, i) => (i % ACROSS) * 0.5 + Math.floor(i / ACROSS) * 0.25);
    expect(range(laidBy(await stroke({ kind: 'scrape' }, [[600, 400]], { under: plane })))[0]).toBeGreaterThan(-1e-3);
    const lifted = laidBy(await stroke({ kind: 'sharpen' }, [[600, 400]]));
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
      const laid = laidBy(await stroke({ kind, strength: 2, radius: 90, bounds }, [[600, 400]], { under: ramp }));
      for (const column of [260, 300, 340]) {
        const t = (column - 250) / 100;
        expect(laid[200 * ACROSS + column], kind).toBeCloseTo(sign * 2 * (highs ? t : 1 - t), 4);
      }
    }
  });

  it('that clones brings the form of another place onto the height here, and not a copy of its own copy', async () => {
    const source = { east: 240, south: 600 };
    const after = heightsOf(await stroke({ kind: 'clone', source }, [[900, 200], [1000, 200]])); // prettier-ignore
    const lift = beneath[100 * ACROSS + 450] - beneath[300 * ACROSS + 120];
    for (const [dx, dy] of [[0, 0], [20, -10], [60, 12]]) expect(after[(100 + dy) * ACROSS + 450 + dx]).toBeCloseTo(beneath[(300 + dy) * ACROSS + 120 + dx] + lift, 3); // prettier-ignore
    const heights = heightsOf(await stroke({ kind: 'clone', source, onto: false }, [[900, 200]]));
    expect(heights[100 * ACROSS + 450]).toBeCloseTo(beneath[300 * ACROSS + 120], 3);
    await expect(stroke({ kind: 'clone' }, [[1, 1]])).rejects.toThrow(/no place to clone/);
  });

  it('that smears drags the ground the way it goes', async () => {
    // A spike moves east under a stroke to the east.
    const spike = new Float32Array(ACROSS * DOWN);
    for (let y = -3; y <= 3; y++) for (let x = -3; x <= 3; x++) spike[(200 + y) * ACROSS + 300 + x] = 100;
    const after = heightsOf(
      await stroke(
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
    const north = laidBy(await stroke(ridge, [[600, 400]], { under: flat }));
    expect(extent(north, 'y')).toBeGreaterThan(1.5 * extent(north, 'x'));
    // The second dab goes east; far from the first, so that both can be told apart.
    const two = laidBy(await stroke({ ...ridge, radius: 60 }, [[200, 400], [900, 400]], { under: flat })); // prettier-ignore
    const east = two.map((d, i) => (i % ACROSS > 350 ? d : 0));
    expect(extent(east, 'x')).toBeGreaterThan(1.5 * extent(east, 'y'));
    const form = { values: Float32Array.from([0, 0, 0, 1]), across: 2, down: 2 };
    const filed = laidBy(await stroke({ kind: 'stamp', stamp: 'a'.repeat(64), strength: 8 }, [[600, 400]], { under: flat, tools: { form } }));
    expect(filed[230 * ACROSS + 330]).toBeGreaterThan(4);
    expect(filed[170 * ACROSS + 270]).toBeLessThan(0.4);
    await expect(stroke({ kind: 'stamp', stamp: 'a'.repeat(64) }, [[1, 1]])).rejects.toThrow(/not there/);
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
    const on = async (under: Float32Array) => deviation(laidBy(await stroke({ kind: 'roughen' }, [[600, 400]], { under })));
    const [wild, mild] = [await on(rough), await on(rough.map((h) => h * 0.1))];
    expect(wild / mild).toBeGreaterThan(9);
    expect(wild / mild).toBeLessThan(11);
    expect(await on(new Float32Array(ACROSS * DOWN))).toBe(0);
    // One dab at full strength adds about as much finest detail as there is.
    const after = heightsOf(await stroke({ kind: 'roughen', radius: 200 }, [[600, 400]], { under: rough }), rough);
    expect(around(after) / around(rough)).toBeGreaterThan(1.1);
    expect(around(after) / around(rough)).toBeLessThan(2);
  });

  it('that lets rock slide or rain fall changes only what lies under it', async () => {
    const kernels = inlineKernels();
    const tools: StrokeTools = { weather: (kind, height, piece) => weatherPiece(kernels, kind, height, piece) };
    const steep = beneath.map((h, i) => h + (Math.floor((i % ACROSS) / 20) % 2 ? 60 : 0));
    for (const kind of ['talus', 'runoff'] as const) {
      const laid = laidBy(await stroke({ kind, softness: 0.5 }, [[600, 400]], { under: steep, tools }));
      expect(
        laid.every((d, i) => d === 0 || inside(i)),
        kind,
      ).toBe(true);
      expect(range(laid)[0], kind).toBeLessThan(-0.5);
      expect(laid.every(Number.isFinite)).toBe(true);
    }
  });

  it('that restores brings the exact earlier bits', async () => {
    const worked = await stroke({ kind: 'roughen', radius: 150, softness: 0.6 }, [[600, 400], [640, 430]]); // prettier-ignore
    const part = heightsOf(await stroke({ kind: 'restore', radius: 60 }, [[600, 400]], { tiles: new Map(worked.tiles) }));
    expect(part.findIndex((h, i) => inside(i, 600, 400, 60) && h !== beneath[i])).toBe(-1);
    const half = laidBy(await stroke({ kind: 'restore', radius: 300, strength: 0.5 }, [[600, 400]], { tiles: new Map(worked.tiles) }));
    const before = laidBy(worked);
    expect(half.findIndex((d, i) => Math.abs(d - before[i] / 2) > 1e-4)).toBe(-1);
  });
});

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

describe('tiles', () => {
  it('as bytes come back bit for bit, and refuse another length', () => {
    const tile = new Float32Array(TILE * TILE).map((_, i) => Math.fround(i * 0.1 - 300));
    expect(tileFromBytes(tileToBytes(tile))).toEqual(tile);
    expect(() => tileFromBytes(new Uint8Array(7))).toThrow(/needs 262144/);
  });
});
