import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { firstWrong, groundOf } from '../../tests/helpers/grounds';
import { turnTakingKernels } from '../../tests/helpers/turn-taking';
import { everywhere, F32, kernels, memory, whole, worked } from '../../tests/helpers/worlds';
import { evaluate } from '../course/evaluate';
import { linesOf, makeCourse, stepUse, type Course } from '../course/schema';
import type { Kernels } from '../kernels/pool';
import { maskUse } from '../course/where';
import { encode } from '../delivery/heights/encode';
import { makeField } from '../field/field';
import { spacingOf, type Ground } from '../field/ground';
import { sha256 } from '../field/hash';
import { cropSamples, wholeOf, type Window } from '../field/window';
import { boundsOf } from '../field/statistics';
import { workBase } from './base';
import { workWorldBase } from './base-store';
import { FineStore, layersRead, squaresOf } from './fine-store';
import { begunOver, blendSquares, squaresOver, windowsOf, type FineResult } from './fine-weather';
import { finishWorld } from './finish';
import { beginWorld, openWorld } from './manifest';
import { TileWorker } from './tile-work';
import { WindowWork } from './window';
import { finerGridsOf, worldGround } from './plan';
import { stepById } from '../steps';

const ground = { ...groundOf(257, 193, 4), registration: 'point' } as Ground;
const windows = { side: 64, margin: 24 };

/** What a square's step would be if it were worked out over the whole. */
const partsOf = (values: Float32Array<ArrayBuffer>, window: Window, change: (window: Window) => Float32Array<ArrayBuffer>) =>
  squaresOver(ground, windows, window).map((square) => {
    const { kept } = windowsOf(ground, windows, square);
    const result: FineResult = { window: kept, height: change(kept), layers: { flow: cropSamples(values, ground.across, kept) } };
    return { ...result, square };
  });

describe('squares over which weather goes on', () => {
  const values = Float32Array.from({ length: ground.across * ground.down }, (_, i) => Math.sin(i * 0.7) * 100);

  it('give back what they were cut from, a sample with the same bits in whatever window it is asked', () => {
    const all = blendSquares(
      ground,
      windows,
      wholeOf(ground),
      partsOf(values, wholeOf(ground), (window) => cropSamples(values, ground.across, window)),
    );
    let worst = 0;
    for (let i = 0; i < values.length; i++) worst = Math.max(worst, Math.abs(all.height[i] - values[i]));
    expect(worst).toBeLessThan(100 * 2 ** -22);
    expect(all.layers.flow).toEqual(all.height);
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 200 }),
        fc.integer({ min: 0, max: 150 }),
        fc.integer({ min: 1, max: 57 }),
        fc.integer({ min: 1, max: 43 }),
        (left, top, across, down) => {
          const window = { left, top, across, down };
          const part = blendSquares(
            ground,
            windows,
            window,
            partsOf(values, window, (of) => cropSamples(values, ground.across, of)),
          );
          expect(part.height).toEqual(cropSamples(all.height, ground.across, window));
        },
      ),
      { numRuns: 40 },
    );
  });

  it('change over without a step where they do not agree', () => {
    // Each says its own number: as coarse a disagreement as there can be.
    const window = wholeOf(ground);
    const parts = partsOf(values, window, () => values).map((part) => {
      const own = 10 * part.square.row + part.square.column;
      return { ...part, height: new Float32Array(part.window.across * part.window.down).fill(own), layers: {} };
    });
    const { height } = blendSquares(ground, windows, window, parts);
    const row = height.subarray(32 * ground.across, 33 * ground.across);
    let steepest = 0;
    for (let x = 1; x < row.length; x++) steepest = Math.max(steepest, Math.abs(row[x] - row[x - 1]));
    // Over twice half the margin a smooth change is nowhere steeper than 1.5 times the mean.
    expect(steepest).toBeLessThan(1.6 / 24);
    expect([row[32], row[96], row[240]]).toEqual([0, 1, 3]);
  });

  it('go on from the samples of the whole ground that lie in them, to the bit', () => {
    const base = worldGround(ground, 65);
    const coarse = Float32Array.from({ length: base.across * base.down }, (_, i) => Math.cos(i) * 50);
    const window = { left: 40, top: 64, across: 129, down: 65 };
    const begun = begunOver(base, ground, window, { before: coarse, change: coarse.map((v) => v / 2), layers: { flow: coarse.map(Math.abs) } }, 0.5);
    const { grid } = begun.args;
    expect([grid.across, grid.down, grid.spacingX]).toEqual([33, 17, spacingOf(base).x]);
    expect(begun.before).toEqual(cropSamples(coarse, base.across, { left: 10, top: 16, across: 33, down: 17 }));
    // As if the step acted with all its strength.
    expect(begun.change).toEqual(begun.before);
    expect(begun.bounds).toEqual(boundsOf(coarse));
    expect(begun.args.rim).toEqual({ west: false, north: false, east: false, south: false });
    expect(finerGridsOf(base, ground)).toBe(2);
    expect(finerGridsOf(base, base)).toBe(0);
  });
});

/** How far tiles lie from the ground in one piece, root mean square by its range, with weather to the world's samples or the base's alone. */
async function apart(course: Course, fine: { side: number; margin: number } | null): Promise<number> {
  const { store, world } = await worked(course, { samples: 257, tile: 64, fine });
  const seen = await evaluate(course, { kernels });
  const { height } = await evaluate(course, { kernels, ground: world.ground as Ground, seen });
  const tiles = await whole(store, world);
  let sum = 0;
  for (let i = 0; i < height.length; i++) sum += (tiles[i] - height[i]) ** 2;
  const { lowest, highest } = boundsOf(height);
  return Math.sqrt(sum / height.length) / (highest - lowest);
}

describe('weather of a world', () => {
  const rough = stepUse('noise', { kind: 'ridged', feature: 900, height: 260, octaves: 8, seed: 3 }, { id: 'n' });
  const over = (...steps: ReturnType<typeof stepUse>[]) => {
    const own = { ...groundOf(129, 129, 16), registration: 'point' } as Ground;
    return makeCourse('Fell', own, [rough, ...steps]);
  };

  it.each([
    ['rivers', stepUse('fluvial', { amount: 900, scale: 60, soften: 12 }, { id: 'f' }), 0.016],
    ['rain', stepUse('runoff', { amount: 60 }, { id: 'r' }), 0.003],
    ['scree', stepUse('talus', { cliff: 38, fall: 8, repose: 34, loose: 0.8, sweeps: 60 }, { id: 't' }), 0.0008],
    ['snow', stepUse('settle', { amount: 3, repose: 36, sweeps: 60 }, { id: 's' }), 0.0013],
    [
      'rain on slopes alone, by half',
      stepUse('runoff', { amount: 60 }, { id: 'm', strength: 0.5, where: { masks: [maskUse('slope', {})], combine: 'multiply' } }),
      0.003,
    ],
  ])('is what it is over the ground in one piece: %s', async (name, step, most) => {
    const course = over(step);
    const finer = await apart(course, { side: 128, margin: 48 });
    const coarse = await apart(course, null);
    console.log(
      `measured: ${name} in squares of 128: ${(100 * finer).toFixed(3)} % of the range from the whole; from the base alone ${(100 * coarse).toFixed(3)} %`,
    );
    expect(finer).toBeLessThan(most);
    expect(finer).toBeLessThan(0.75 * coarse);
  });

  it('rivers come into a window with the water of the land around it', async () => {
    // A trough that falls to the east: what is cut out of its middle drains what lies west of it too.
    const own = { ...groundOf(129, 65, 8), registration: 'point' } as Ground;
    const bed = Float32Array.from({ length: 129 * 65 }, (_, i) => 300 - (i % 129) * 0.4 + Math.abs(Math.floor(i / 129) - 32) * 2);
    const flow = bed.map((_, i) => (Math.floor(i / 129) === 32 ? ((i % 129) + 1) * 65 * 64 : 64));
    const big = worldGround(own, 257);
    const window = { left: 128, top: 32, across: 65, down: 65 };
    const stepOf = stepUse('fluvial', { amount: 1, scale: 40, soften: 0 }, { id: 'f' });
    const { flow: out } = (
      await stepById('fluvial').run(
        {
          ground: { ...big, width: 64 * 4, depth: 64 * 4, across: 65, down: 65 },
          height: Float32Array.from({ length: 65 * 65 }, (_, i) => 300 - (64 + (i % 65) / 2) * 0.4 + Math.abs(32 + Math.floor(i / 65) - 64)),
          layers: {},
        },
        stepById('fluvial').params.parse(stepOf.params) as never,
        {
          ground: big,
          window,
          kernels,
          progress: () => undefined,
          say: () => undefined,
          rock: async () => undefined,
          begun: begunOver(own, big, window, { before: bed, change: new Float32Array(bed.length), layers: { flow } }, 1),
        } as never,
      )
    ).layers!;
    const largest = Math.max(...out);
    // West of the window lie 64 of 129 columns of the trough.
    const around = 65 * 65 * 64;
    expect(largest).toBeGreaterThan(around);
    expect(largest).toBeLessThan(around + 1.1 * 65 * 65 * 16);
  });

  it('is kept for whoever comes after, mended where it was altered, and gone when the world is done', async () => {
    const course = over(stepUse('runoff', { amount: 20 }, { id: 'r' }));
    const order = { samples: 257, tile: 128, fine: { side: 128, margin: 32 } };
    const first = await worked(course, order);
    const squares = () => [...first.files.keys()].filter((name) => name.startsWith('work/fine/'));
    expect(squares().length).toBe(4);
    const tiles = () => [...first.files].filter(([name]) => name.startsWith('tiles/'));
    const before = tiles();
    // Another process takes what lies there; of what was altered it makes its own.
    const altered = first.files.get(squares()[0])!;
    altered[altered.length - 3] ^= 1;
    for (const name of [...first.files.keys()]) if (/^work\/r\d+/.test(name)) first.files.delete(name);
    first.written.length = 0;
    await workWorldBase(first.store, { kernels });
    const worker = new TileWorker(first.store, first.world, { kernels });
    for (const tile of first.world.tiles) await worker.work(tile);
    expect(first.written.filter((name) => name.startsWith('work/fine/'))).toEqual([squares()[0]]);
    expect(tiles()).toEqual(before);
    await finishWorld(first.store, first.world);
    expect(squares()).toEqual([]);
  });

  it('keeps of layers those that somebody reads', () => {
    const plain = over(stepUse('fluvial', {}, { id: 'f' }));
    const masked = over(
      stepUse('fluvial', {}, { id: 'f' }),
      stepUse('blur', {}, { id: 'b', where: { masks: [maskUse('layer', { layer: 'flow' })], combine: 'multiply' } }),
    );
    const names = ['cut', 'fill', 'flow'];
    expect(layersRead(plain, [])).toBeUndefined();
    // Holes of files lie in a layer, and are handed on.
    const withFile = over(stepUse('raster', {}, { id: 'p' }), stepUse('fluvial', {}, { id: 'f' }));
    expect(names.filter(layersRead(withFile, [])!)).toEqual([]);
    expect(names.filter(layersRead(masked, [])!)).toEqual(['flow']);
    expect(names.filter(layersRead(plain, [{ kind: 'slope' }] as never)!)).toEqual(names);
  });

  it('is not looked for twice at once by one process, and not kept in memory beyond its room', async () => {
    const { store, written } = memory();
    const kept = new FineStore(store, 'k', 4 * 100 * 3);
    const made: string[] = [];
    const result = (n: number): FineResult => ({ window: { left: 0, top: 0, across: 10, down: 10 }, height: new Float32Array(100).fill(n), layers: {} });
    const of = (column: number) =>
      kept.of('s', { row: 0, column }, async () => {
        made.push(`${column}`);
        return result(column);
      });
    for (const column of [0, 1, 2, 0, 3, 4, 0, 1]) expect((await of(column)).height[5]).toBe(column);
    expect(made).toEqual(['0', '1', '2', '3', '4']);
    expect(written.length).toBe(5);
    const [a, b] = await Promise.all([of(7), of(7)]);
    expect(a.height).toEqual(b.height);
    expect(made.filter((n) => n === '7').length).toBe(1);
  });

  it('has the same bits with any number of threads, whichever of them is the faster', async () => {
    const steps = [
      stepUse('fluvial', { amount: 900, scale: 60, soften: 12, deposit: 0.5, uplift: 20 }, { id: 'f' }),
      stepUse('runoff', { amount: 12 }, { id: 'r' }),
      stepUse('talus', { cliff: 38, fall: 8, repose: 34, loose: 0.8, sweeps: 20 }, { id: 't' }),
      stepUse('settle', { amount: 3, repose: 36, sweeps: 20 }, { id: 's' }),
    ];
    for (const step of steps) {
      const course = over(step);
      const big = worldGround(course.ground, 385);
      const base = await workBase(course, course.ground, { world: big, maps: [], fine: true }, { kernels });
      const [line] = linesOf(course);
      const heights = async (by: Kernels) => {
        const fine = { windows: { side: 192, margin: 32 }, kept: new FineStore(memory().store, 'k') };
        return (await new WindowWork(course, base, big, { kernels: by, fine }).upTo(line, 2, { left: 100, top: 150, across: 200, down: 100 })).height;
      };
      const one = await heights(kernels);
      for (const [bands, lastFirst] of [
        [2, false],
        [2, true],
        [3, true],
      ] as const) {
        const other = await heights(turnTakingKernels(bands, lastFirst));
        expect(
          firstWrong(one.length, (i) => other[i] === one[i]),
          `${step.step}, ${bands} bands${lastFirst ? ', the last first' : ''}`,
        ).toBe(-1);
      }
    }
  });

  it('tells of every square once, as many as there are', async () => {
    const course = over(
      stepUse('runoff', { amount: 10 }, { id: 'r' }),
      stepUse('settle', { amount: 1, sweeps: 10 }, { id: 's' }),
      stepUse('blur', {}, { id: 'b' }),
    );
    const { store } = memory();
    const world = await beginWorld(store, { course, assets: new Map() }, { samples: 257, tile: 64, encoding: F32, fine: { side: 128, margin: 16 } }, false);
    await workWorldBase(store, { kernels });
    expect(squaresOf(world, course)).toEqual({ steps: 2, squares: 8 });
    expect(squaresOf({ ...world, fine: null }, course)).toEqual({ steps: 0, squares: 0 });
    const told: number[] = [];
    const worker = new TileWorker(store, world, { kernels, onSquare: () => told.push(told.length) });
    for (const [n, tile] of world.tiles.entries()) {
      await worker.work(tile);
      // Those over the first tile are there before it is.
      if (n === 0) expect(told.length).toBeGreaterThan(1);
    }
    expect(told.length).toBe(8);
  });

  it('is the base’s in a world of before there were squares, which goes on as it was begun', async () => {
    const course = over(stepUse('runoff', { amount: 10 }, { id: 'r' }));
    const { store, files } = memory();
    const order = { samples: 257, tile: 128, encoding: F32 };
    expect((await beginWorld(store, { course, assets: new Map() }, order, false)).fine).toEqual({ side: 2048, margin: 256 });
    const { fine: _, ...before } = JSON.parse(new TextDecoder().decode(files.get('world.json'))) as Record<string, unknown>;
    files.set('world.json', new TextEncoder().encode(JSON.stringify(before)));
    expect((await openWorld(store)).fine).toBeNull();
    // Margins that reach over a whole neighbour are refused.
    files.set('world.json', new TextEncoder().encode(JSON.stringify({ ...before, fine: { side: 64, margin: 65 } })));
    await expect(openWorld(store)).rejects.toThrow(/world\.json/);
  });

  it('leaves the holes of a file where they are', async () => {
    const own = { ...groundOf(65, 65, 16), registration: 'point' } as Ground;
    const height = Float32Array.from({ length: 65 * 65 }, (_, i) => 100 + 2 * (i % 65) + 20 * Math.sin(i * 0.9));
    const valid = Uint8Array.from({ length: 65 * 65 }, (_, i) => (Math.hypot((i % 65) - 30, Math.floor(i / 65) - 30) < 8 ? 0 : 1));
    const { bytes } = await encode(makeField(own, height, valid), { format: 'tiff', type: 'f32', noData: -9999 });
    const sha = await sha256(bytes);
    const course = makeCourse('Holed', own, [stepUse('raster', { asset: sha }, { id: 'p' }), stepUse('runoff', { amount: 20 }, { id: 'r' })]);
    const { store } = memory();
    const order = { samples: 129, tile: 64, encoding: { format: 'tiff', type: 'f32' } as const, fine: { side: 64, margin: 16 } };
    const world = await beginWorld(store, { course, assets: new Map([[sha, bytes]]) }, order, false);
    await workWorldBase(store, { kernels });
    const worker = new TileWorker(store, world, { kernels });
    const holes = { within: 0, beside: 0 };
    for (const { window } of world.tiles) {
      const field = await worker.field(window);
      for (let i = 0; i < field.height.length; i++) {
        if (field.valid?.[i] !== 0) continue;
        const [x, y] = [window.left + (i % window.across), window.top + Math.floor(i / window.across)];
        holes[Math.hypot(x - 60, y - 60) < 18 ? 'within' : 'beside']++;
      }
    }
    // A disc of 16 samples, whose edge is as ragged as the file's.
    expect(holes.within).toBeGreaterThan(0.8 * Math.PI * 15 * 15);
    expect(holes.beside).toBe(0);
  });

  it('is the base’s where nothing is finer', async () => {
    const course = everywhere(
      'area',
      stepUse('noise', { feature: 900, height: 200 }, { id: 'n' }),
      stepUse('fluvial', { amount: 400, scale: 60 }, { id: 'f' }),
    );
    const { files } = await worked(course, { samples: 64, tile: 64 });
    expect([...files.keys()].some((name) => name.startsWith('work/fine/'))).toBe(false);
  });
});

describe('rivers of a world whose edges are closed', () => {
  it('run to its lowest place also where one square is all of it', async () => {
    const own = { ...groundOf(65, 65, 16), registration: 'point' } as Ground;
    const bowl = makeCourse('Bowl', own, [
      stepUse('noise', { kind: 'ridged', feature: 500, height: 120, octaves: 6, seed: 5 }, { id: 'n' }),
      stepUse('fluvial', { amount: 500, scale: 60, edges: 'closed', toSea: false }, { id: 'f' }),
    ]);
    expect(await apart(bowl, { side: 2048, margin: 32 })).toBeLessThan(0.04);
    expect(await apart(bowl, { side: 128, margin: 32 })).toBeLessThan(0.04);
  });
});
