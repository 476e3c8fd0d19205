import { describe, expect, it } from 'vitest';
import { groundOf, largestDifference, range } from '../../../tests/helpers/grounds';
import { inlineKernels } from '../../kernels/pool';
import { noiseProgram } from '../../kernels/programs/noise';
import { sourceHeights } from '../../../tests/helpers/source-steps';

const kernels = inlineKernels();

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
        const { height } = await sourceHeights('noise', { kind, basis, feature: 260, height: 100, octaves: 6, seed: 4 });
        const [low, high] = range(height);
        expect(high - low, `${kind} ${basis}`).toBeGreaterThan(30);
        expect(high - low, `${kind} ${basis}`).toBeLessThan(260);
      }
    }
  });

  it('warped by nothing is as it was; warped is another ground of the same height', async () => {
    const plain = (await sourceHeights('noise', { feature: 500, seed: 2 })).height;
    expect((await sourceHeights('noise', { feature: 500, seed: 2, warp: 0, warpFeature: 77 })).height).toEqual(plain);
    const bent = (await sourceHeights('noise', { feature: 500, seed: 2, warp: 120, warpFeature: 400 })).height;
    expect(largestDifference(bent, plain)).toBeGreaterThan(20);
    const [a, b] = [range(plain), range(bent)];
    expect(Math.abs(b[1] - b[0] - (a[1] - a[0]))).toBeLessThan(0.3 * (a[1] - a[0]));
  });

  it('shares its points with a coarser grid, warped and crossed too', async () => {
    for (const more of [{ warp: 90, warpFeature: 900 }, { kind: 'crossed' }, { kind: 'hybrid' }]) {
      const fine = (await sourceHeights('noise', { feature: 900, octaves: 2, ...more })).height;
      const coarse = (await sourceHeights('noise', { feature: 900, octaves: 2, ...more }, groundOf(65, 65, 32))).height;
      for (let r = 0; r < 65; r++) for (let c = 0; c < 65; c++) expect(fine[2 * r * 129 + 2 * c]).toBe(coarse[r * 65 + c]);
    }
  });
});
