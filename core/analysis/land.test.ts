import { describe, expect, it } from 'vitest';
import { fractal } from '../../tests/helpers/fractal';
import { groundOf } from '../../tests/helpers/grounds';
import { fieldFrom } from '../field/field';
import { inlineKernels } from '../kernels/pool';
import { describeLand } from './land';

const kernels = inlineKernels();
const plane = (degrees: number, n = 97) => fieldFrom(groundOf(n, n, 10), (e) => e * Math.tan((degrees * Math.PI) / 180));

describe('land', () => {
  it('of a plane: all of it at one slope, facing one way, none level', async () => {
    const land = await describeLand(kernels, plane(30.5));
    expect(land.slope.q05).toBeCloseTo(30.5, 3);
    expect(land.slope.q99).toBeCloseTo(30.5, 3);
    expect(land.fullestDegree).toEqual({ share: 1, at: 30 });
    expect(land.flat).toBe(0);
    expect(land.verdict.map((v) => v.id)).toContain('fullestDegree');
    expect(land.verdict.find((v) => v.id === 'fullestDegree')!.sentence).toBe('100 % of the ground stands at 30°: something has cut it to one slope.');
  });

  it('of a round hill: it faces all ways alike; of its steeper half no harmonic of the grid', async () => {
    const hill = fieldFrom(groundOf(257, 257, 8), (e, s) => 400 * Math.exp(-((e - 1024) ** 2 + (s - 1024) ** 2) / (2 * 260 * 260)));
    const land = await describeLand(kernels, hill);
    expect(land.eightFold).toBeLessThan(0.03);
    expect(land.fourFold).toBeLessThan(0.03);
  });

  it('of a pyramid of eight sides: eight-fold, and says so', async () => {
    const pyramid = fieldFrom(groundOf(257, 257, 8), (e, s) => {
      const [x, y] = [Math.abs(e - 1024), Math.abs(s - 1024)];
      return 500 - 0.5 * Math.max(x, y, (x + y) / Math.SQRT2);
    });
    const land = await describeLand(kernels, pyramid);
    expect(land.eightFold).toBeGreaterThan(1.5);
    expect(land.verdict.map((v) => v.id)).toContain('eightFold');
  });

  it('tells hollows: their number, and their share of the area', async () => {
    const holes = fieldFrom(groundOf(101, 101, 10), (e, s) => 0.1 * e + (Math.hypot(e - 300, s - 300) < 55 || Math.hypot(e - 700, s - 500) < 55 ? -20 : 0));
    const land = await describeLand(kernels, holes);
    expect(land.hollows.count).toBe(2);
    expect(land.hollows.share).toBeGreaterThan(0.012);
    expect(land.hollows.share).toBeLessThan(0.022);
  });

  it('finds how power falls with frequency: of fractals as their gain has it, H = −log gain / log 2, slope −2H − 2', async () => {
    for (const gain of [0.45, 0.6]) {
      const field = fractal(groundOf(513, 513, 8), { seed: 3, gain, octaves: 10, height: 200 });
      const { spectrum } = await describeLand(kernels, field);
      const want = -2 * -Math.log2(gain) - 2;
      expect(Math.abs((spectrum.large + spectrum.small) / 2 - want), `gain ${gain}: ${spectrum.large} ${spectrum.small}`).toBeLessThan(0.9);
    }
  });

  it('gives relief by size that grows with the window, and none where a ground is too small for one', async () => {
    const { reliefBySize } = await describeLand(kernels, fractal(groundOf(129, 129, 8), { seed: 2 }));
    expect(reliefBySize.map((r) => r.size)).toEqual([32, 64, 128, 256, 512]);
    for (let i = 1; i < reliefBySize.length; i++) expect(reliefBySize[i].mean).toBeGreaterThan(reliefBySize[i - 1].mean);
    expect((await describeLand(kernels, plane(5, 5))).reliefBySize).toEqual([]);
  });

  it('is defined on flat ground, one sample wide and of three samples', async () => {
    for (const field of [fieldFrom(groundOf(33, 33, 10), () => 7), fieldFrom(groundOf(1, 40, 10), (_, s) => s), fieldFrom(groundOf(3, 3, 10), () => 1)]) {
      const land = await describeLand(kernels, field);
      for (const value of [land.flat, land.eightFold, land.fourFold, land.hollows.share, land.drainageDensity]) expect(Number.isFinite(value)).toBe(true);
      expect(JSON.parse(JSON.stringify(land)).verdict).toBeInstanceOf(Array);
    }
  });
});
