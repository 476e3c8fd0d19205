import { describe, expect, it } from 'vitest';
import { groundOf, hills, largestDifference, range } from '../../../tests/helpers/grounds';
import { encode } from '../../delivery/heights/encode';
import { evaluate } from '../../course/evaluate';
import { makeCourse, stepUse } from '../../course/schema';
import { fieldFrom } from '../../field/field';
import { sha256 } from '../../field/hash';
import { inlineKernels } from '../../kernels/pool';
import { noiseProgram } from '../../kernels/programs/noise';

const kernels = inlineKernels();
const ground = groundOf(129, 129, 16);
const made = async (step: string, params: object, on = ground, bytes?: Uint8Array<ArrayBuffer>) => {
  const { stages } = await evaluate(makeCourse('t', on, [stepUse(step, params as Record<string, unknown>, { join: 'replace' })]), {
    kernels,
    asset: async () => bytes!,
  });
  expect(stages[0].fault).toBeUndefined();
  return { height: stages[0].height, words: stages[0].words };
};

const one = (basis: 0 | 1 | 2 | 3 | 4, across: number, step: number) =>
  kernels.run(
    noiseProgram,
    {
      across,
      down: across,
      firstX: 0,
      stepX: step,
      firstY: 0,
      stepY: step,
      basis,
      kind: 0,
      octaves: [{ frequency: 1, cos: 1, sin: 0, offset: 0, weight: 1, seed: 77 }],
      scale: 1,
      add: 0,
    },
    null,
  );

/** The kernel's hash of a lattice point. */
function hashed(ix: number, iy: number, seed: number): number {
  let h = (Math.imul(ix, 0x1b873593) + (Math.imul(iy, 0x2545f491) ^ seed)) | 0;
  h ^= h >>> 15;
  h = Math.imul(h, 0x2c1b3c6d);
  h ^= h >>> 12;
  h = Math.imul(h, 0x297a2d39);
  return (h ^ (h >>> 15)) >>> 0;
}

describe('bases of noise', () => {
  it('cellular distances are those to the nearest and second of all points around (Worley 1996), found by looking at every one', async () => {
    const side = 60;
    const step = 0.083;
    const [f1, f2, border] = [await one(2, side, step), await one(3, side, step), await one(4, side, step)];
    for (let row = 0; row < side; row += 3) {
      for (let c = 0; c < side; c++) {
        const [x, y] = [c * step, row * step];
        const all: number[] = [];
        for (let iy = Math.floor(y) - 4; iy <= Math.floor(y) + 4; iy++) {
          for (let ix = Math.floor(x) - 4; ix <= Math.floor(x) + 4; ix++) {
            const h = hashed(ix, iy, 77);
            all.push(Math.hypot(ix + (h & 0xffff) / 65536 - x, iy + (h >>> 16) / 65536 - y));
          }
        }
        all.sort((a, b) => a - b);
        const i = row * side + c;
        expect(f1[i] * 0.6 + 0.43).toBeCloseTo(all[0], 5);
        expect(f2[i] * 0.6 + 0.7).toBeCloseTo(all[1], 5);
        expect(border[i] * 0.45 + 0.27).toBeCloseTo(all[1] - all[0], 5);
      }
    }
  });

  it('simplex agrees with the formula of Gustavson 2005 in float64', async () => {
    const F = (Math.sqrt(3) - 1) / 2;
    const G = (3 - Math.sqrt(3)) / 6;
    const sine = (a: number) => {
      const t = (a | 0) * 2 ** -31;
      const p = 4 * t * (1 - Math.abs(t));
      return 0.225 * (p * Math.abs(p) - p) + p;
    };
    const corner = (ix: number, iy: number, x: number, y: number) => {
      const r = 0.5 - x * x - y * y;
      const h = hashed(ix, iy, 77);
      return r <= 0 ? 0 : r ** 4 * (sine(h + 0x40000000) * x + sine(h) * y);
    };
    const got = await one(1, 50, 0.13);
    for (let row = 0; row < 50; row++) {
      for (let c = 0; c < 50; c++) {
        const [x, y] = [c * 0.13, row * 0.13];
        const s = (x + y) * F;
        const [i, j] = [Math.floor(x + s), Math.floor(y + s)];
        const t = (i + j) * G;
        const [x0, y0] = [x - i + t, y - j + t];
        const [di, dj] = x0 > y0 ? [1, 0] : [0, 1];
        const want = 99.2 * (corner(i, j, x0, y0) + corner(i + di, j + dj, x0 - di + G, y0 - dj + G) + corner(i + 1, j + 1, x0 - 1 + 2 * G, y0 - 1 + 2 * G));
        // The gradient's angle is known to its upper bits.
        expect(Math.abs(got[row * 50 + c] - want)).toBeLessThan(2e-4);
      }
    }
  });
});

describe('noise', () => {
  it('of every kind and basis keeps about the height it is asked for', async () => {
    for (const kind of ['fbm', 'ridged', 'billow', 'hybrid', 'crossed']) {
      for (const basis of ['gradient', 'simplex', 'cellular']) {
        const { height } = await made('noise', { kind, basis, feature: 260, height: 100, octaves: 6, seed: 4 });
        const [low, high] = range(height);
        expect(high - low, `${kind} ${basis}`).toBeGreaterThan(30);
        expect(high - low, `${kind} ${basis}`).toBeLessThan(260);
      }
    }
  });

  it('warped by nothing is as it was; warped is another ground of the same height', async () => {
    const plain = (await made('noise', { feature: 500, seed: 2 })).height;
    expect((await made('noise', { feature: 500, seed: 2, warp: 0, warpFeature: 77 })).height).toEqual(plain);
    const bent = (await made('noise', { feature: 500, seed: 2, warp: 120, warpFeature: 400 })).height;
    expect(largestDifference(bent, plain)).toBeGreaterThan(20);
    const [a, b] = [range(plain), range(bent)];
    expect(Math.abs(b[1] - b[0] - (a[1] - a[0]))).toBeLessThan(0.3 * (a[1] - a[0]));
  });

  it('shares its points with a coarser grid, warped and crossed too', async () => {
    for (const more of [{ warp: 90, warpFeature: 900 }, { kind: 'crossed' }, { kind: 'hybrid' }]) {
      const fine = (await made('noise', { feature: 900, octaves: 2, ...more })).height;
      const coarse = (await made('noise', { feature: 900, octaves: 2, ...more }, groundOf(65, 65, 32))).height;
      for (let r = 0; r < 65; r++) for (let c = 0; c < 65; c++) expect(fine[2 * r * 129 + 2 * c]).toBe(coarse[r * 65 + c]);
    }
  });
});

describe('landforms', () => {
  const at = (h: Float32Array, east: number, south: number) => h[Math.round((1024 + south) / 16) * 129 + Math.round((1024 + east) / 16)];

  it('stand as high as they say and end at their radius', async () => {
    for (const form of ['dome', 'cone', 'ridge', 'plateau']) {
      const { height } = await made('landform', { form, height: 200, radius: 480, length: 600 });
      expect(at(height, 0, 0), form).toBeCloseTo(200, 3);
      expect(at(height, 0, 496), form).toBeCloseTo(0, 3);
    }
    const { height: cone } = await made('landform', { form: 'cone', height: 200, radius: 480 });
    expect(at(cone, 240, 0)).toBeCloseTo(100, 3);
  });

  it('have the rims, floors, troughs and ramps they are named for', async () => {
    const { height: crater } = await made('landform', { form: 'crater', height: 100, radius: 800, rim: 0.4, depth: 1.5 });
    expect(at(crater, 320, 0)).toBeCloseTo(100, 3);
    expect(at(crater, 0, 0)).toBeCloseTo(-50, 3);
    const { height: caldera } = await made('landform', { form: 'caldera', height: 100, radius: 800, rim: 0.4, depth: 1.2 });
    expect(at(caldera, 96, 96)).toBeCloseTo(-20, 3);
    const { height: trough } = await made('landform', { form: 'trough', height: 100, radius: 400, length: 4000, turn: 90 });
    [at(trough, 0, 0), at(trough, 0, 800), at(trough, 480, 0) - 100].forEach((h) => expect(h).toBeCloseTo(0, 6));
    const { height: ramp } = await made('landform', { form: 'ramp', height: 100, length: 800 });
    expect([at(ramp, -400, 0), at(ramp, 0, 300), at(ramp, 400, 0), at(ramp, 700, 0)]).toEqual([0, 50, 100, 100]);
  });

  it('are moved, turned and stretched', async () => {
    const { height } = await made('landform', { form: 'dome', height: 50, radius: 320, east: 160, north: -320, stretch: 2 });
    expect(at(height, 160, 320)).toBeCloseTo(50, 3);
    expect(at(height, 160 + 480, 320)).toBeGreaterThan(1);
    expect(at(height, 160, 320 + 336)).toBe(0);
  });
});

describe('a raster that is placed', () => {
  const picture = hills(groundOf(65, 65, 4), 8, 100);
  const file = async (field = picture) => (await encode(field, { format: 'tiff', type: 'f32' })).bytes;
  const asset = async (bytes: Uint8Array<ArrayBuffer>) => ({ asset: await sha256(bytes) });

  it('lies over the whole ground at first', async () => {
    const bytes = await file();
    const { height } = await made('raster', await asset(bytes), ground, bytes);
    for (let r = 0; r < 65; r++) for (let c = 0; c < 65; c++) expect(height[2 * r * 129 + 2 * c]).toBeCloseTo(picture.height[r * 65 + c], 3);
  });

  it('takes a size, a place, a turn and a flip of its own', async () => {
    const bytes = await file();
    const sized = { ...(await asset(bytes)), width: 1024, depth: 1024 };
    const { height: h } = await made('raster', sized, ground, bytes);
    expect(h[64 * 129 + 64]).toBeCloseTo(picture.height[32 * 65 + 32], 3);
    expect(h[32 * 129 + 32]).toBeCloseTo(picture.height[0], 3);
    const { height: turned } = await made('raster', { ...sized, turn: 90 }, ground, bytes);
    // Clockwise: the north-west corner comes to the north-east.
    expect(turned[32 * 129 + 96]).toBeCloseTo(picture.height[0], 2);
    const { height: flipped } = await made('raster', { ...sized, flip: 'rows' }, ground, bytes);
    expect(flipped[32 * 129 + 32]).toBeCloseTo(picture.height[64 * 65], 2);
    const { height: moved } = await made('raster', { ...sized, east: 160, north: 320 }, ground, bytes);
    expect(moved[44 * 129 + 74]).toBeCloseTo(picture.height[32 * 65 + 32], 3);
  });

  it('is repeated, wrapped or mirrored, and says when a repeat falls under two samples', async () => {
    const bytes = await file();
    const small = { ...(await asset(bytes)), width: 512, depth: 512 };
    const { height: wrapped } = await made('raster', { ...small, edge: 'wrap' }, ground, bytes);
    expect(wrapped[60 * 129 + 20]).toBeCloseTo(wrapped[60 * 129 + 52], 3);
    const { height: mirrored } = await made('raster', { ...small, edge: 'mirror' }, ground, bytes);
    expect(mirrored[60 * 129 + 48 - 7]).toBeCloseTo(mirrored[60 * 129 + 48 + 7], 3);
    const { words } = await made('raster', { ...small, width: 24, edge: 'wrap' }, ground, bytes);
    expect(words[0]).toMatch(/A repeat is 1\.5 samples wide: under two/);
    expect((await made('raster', { ...small, edge: 'wrap' }, ground, bytes)).words).toEqual([]);
  });

  it('is scaled from its lowest to its highest', async () => {
    const bytes = await file();
    const { height } = await made('raster', { ...(await asset(bytes)), scaled: true, fullScale: 80, level: 300 }, groundOf(65, 65, 4), bytes);
    expect(range(height)[0]).toBeCloseTo(300, 3);
    expect(range(height)[1]).toBeCloseTo(380, 3);
  });

  it('that is finer than the ground is averaged down, so that nothing of it is missed or invented', async () => {
    const bumpy = fieldFrom(groundOf(257, 257, 4, 'area'), (e, s) => ((Math.floor(e / 4) + Math.floor(s / 4)) % 2 ? 100 : 0));
    const bytes = await file(bumpy);
    const { height } = await made('raster', { ...(await asset(bytes)), width: 1028, depth: 1028, east: 1 }, groundOf(65, 65, 16, 'area'), bytes);
    const [low, high] = range(height);
    expect(low).toBeGreaterThan(40);
    expect(high).toBeLessThan(60);
  });
});

describe('a raster that is set into the ground', () => {
  // A dish 400 m across with a rim at 10 m, whose corners have no height, on a moor of noise.
  const dish = fieldFrom(groundOf(51, 51, 8), (e, s) => {
    const r = Math.hypot(e - 200, s - 200);
    return 10 - 30 * Math.max(0, 1 - r / 180);
  });
  const valid = dish.height.map((_, i) => (Math.hypot((i % 51) * 8 - 200, Math.floor(i / 51) * 8 - 200) <= 200 ? 1 : 0));
  const holed = { ground: dish.ground, height: dish.height, valid: Uint8Array.from(valid) };
  const set = async (params: object) => {
    const { bytes } = await encode(holed, { format: 'tiff', type: 'f32', noData: -9999 });
    const sha = await sha256(bytes);
    const use = stepUse('raster', { asset: sha, width: 400, depth: 400, beyond: 'ground', ...params }, { id: 'dish', join: 'replace' });
    const { stages } = await evaluate(makeCourse('t', ground, [stepUse('noise', { feature: 900, height: 60, seed: 5 }, { id: 'moor' }), use]), {
      kernels,
      asset: async () => bytes,
    });
    expect(stages[1].fault).toBeUndefined();
    return stages[1];
  };
  const at = (column: number, row: number) => row * 129 + column;

  it('leaves the ground where it does not reach, and where it has no height, to the bit', async () => {
    const { height, before } = await set({});
    let [outside, changed] = [0, 0];
    for (let row = 0; row < 129; row++) {
      for (let column = 0; column < 129; column++) {
        const r = Math.hypot((column - 64) * 16, (row - 64) * 16);
        const i = at(column, row);
        if (r > 215 && height[i] !== before[i]) outside++;
        if (r < 190 && height[i] !== before[i]) changed++;
      }
    }
    expect(outside).toBe(0);
    expect(changed).toBeGreaterThan(300);
    // The tip of the dish, averaged to the ground's spacing.
    expect(height[at(64, 64)]).toBeLessThan(-17);
    expect(height[at(64, 64)]).toBeGreaterThan(-20.01);
    // Its border is its own: nothing of what stands for no height was drawn into it.
    for (let row = 55; row < 74; row++)
      if (Math.abs(height[at(64, row)] - (10 - 30 * Math.max(0, 1 - (Math.abs(row - 64) * 16) / 180))) > 2) expect(row).toBe(64);
  });

  it('sits on the ground: its border is moved to it on the mean, and says by how much', async () => {
    const { height, before, words } = await set({ sits: true });
    const [, moved] = /moved by (-?[\d.]+) m/.exec(words.join(' '))!;
    // The middle of the dish, as far as a surface through every second sample of it knows it.
    expect(Math.abs(height[at(64, 64)] - (await set({})).height[at(64, 64)] - Number(moved))).toBeLessThan(0.06);
    let [sum, count] = [0, 0];
    for (let k = 0; k < 64; k++) {
      const [column, row] = [Math.round(64 + 12 * Math.cos(k / 10.2)), Math.round(64 + 12 * Math.sin(k / 10.2))];
      sum += height[at(column, row)] - before[at(column, row)];
      count++;
    }
    expect(Math.abs(sum / count)).toBeLessThan(6);
  });

  it('fades in from its border: no step is left where it was one', async () => {
    const step = (stage: { height: Float32Array }) => {
      let most = 0;
      for (let row = 40; row < 90; row++)
        for (let column = 40; column < 90; column++) most = Math.max(most, Math.abs(stage.height[at(column, row)] - stage.height[at(column + 1, row)]));
      return most;
    };
    const [sharp, soft] = [await set({}), await set({ sits: true, fade: 120 })];
    expect(step(soft)).toBeLessThan(0.6 * step(sharp));
    expect(Math.abs(soft.height[at(64, 64)] - sharp.height[at(64, 64)])).toBeLessThan(100);
  });
});
