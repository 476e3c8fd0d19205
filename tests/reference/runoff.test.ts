import { describe, expect, it } from 'vitest';
import { evaluate, fieldFrom, inlineKernels, makeCourse, stepUse, type Field } from '@upland-cast/core';
import { runoffProgram, type RunoffArgs } from '../../core/kernels/programs/runoff';
import { fractal } from '../helpers/fractal';
import { groundOf, largestDifference } from '../helpers/grounds';

const kernels = inlineKernels();
const plain = (field: Field, over: Partial<RunoffArgs> = {}): RunoffArgs => {
  const { across, down, width, registration } = field.ground;
  const spacing = registration === 'point' ? width / (across - 1) : width / across;
  return {
    across,
    down,
    point: registration === 'point',
    spacingX: spacing,
    spacingY: spacing,
    steps: 100,
    coarsest: spacing,
    rain: 4,
    evaporation: 0.01,
    carry: 0.5,
    wear: 0.04,
    settle: 0.04,
    bank: 0.9,
    open: false,
    ...over,
  };
};

// What must hold of rain as shallow water in virtual pipes (Mei, Decaudin & Hu 2007).
describe('runoff', () => {
  it('leaves a still lake flat to 1 mm over 1 000 steps, and its bed alone', async () => {
    for (const registration of ['point', 'area'] as const) {
      const field = fractal(groundOf(65, 65, 4, registration), { seed: 3, height: 40 });
      const level = 330;
      const water = field.height.map((h) => Math.max(0, level - h));
      const args = plain(field, { steps: 1000, rain: 0, evaporation: 0, bank: Infinity });
      const out = await kernels.run(runoffProgram, args, { bed: field.height, water });
      let worst = 0;
      field.height.forEach((h, i) => {
        if (level - h > 0.01) worst = Math.max(worst, Math.abs(h + out.change[i] + out.water[i] - level));
      });
      expect(worst).toBeLessThan(1e-3);
      expect(largestDifference(out.change, new Float32Array(out.change.length))).toBeLessThan(1e-3);
    }
  });

  it('keeps all material while the edges are closed: bed and water together drift by less than 1e-5 of what was moved', async () => {
    for (const registration of ['point', 'area'] as const) {
      const field = fractal(groundOf(129, 97, 4, registration), { seed: 5, height: 160 });
      const { across, down } = field.ground;
      const share = (i: number) => {
        const half = (at: number, last: number) => (registration === 'point' && (at === 0 || at === last) ? 0.5 : 1);
        return half(i % across, across - 1) * half(Math.floor(i / across), down - 1);
      };
      const out = await kernels.run(runoffProgram, plain(field, { steps: 1000, keepAfloat: true, carry: 1 }), { bed: field.height });
      let [sum, moved] = [0, 0];
      for (let i = 0; i < out.change.length; i++) {
        sum += share(i) * (out.change[i] + out.sediment[i]);
        moved += share(i) * Math.abs(out.change[i]);
      }
      expect(moved).toBeGreaterThan(1000);
      expect(Math.abs(sum) / moved).toBeLessThan(1e-5);
    }
  });

  it('keeps symmetric ground symmetric to 0.1 mm: mirrored either way and across the diagonal', async () => {
    const n = 65;
    const ground = groundOf(n, n, 4);
    const round = (e: number, s: number) => 40 * Math.exp(-((e - 128) ** 2 + (s - 128) ** 2) / 4000) + 6 * Math.cos((e - 128) / 15) * Math.cos((s - 128) / 15);
    const field = fieldFrom(ground, round);
    const h = field.height;
    // Rounding of the cosine aside.
    for (let row = 0; row < n; row++) {
      for (let column = 0; column < n; column++) {
        const [r, c] = [Math.min(row, n - 1 - row), Math.min(column, n - 1 - column)];
        h[row * n + column] = h[Math.min(r, c) * n + Math.max(r, c)];
      }
    }
    const { change } = await kernels.run(runoffProgram, plain(field, { steps: 400, carry: 1, open: true }), { bed: h });
    for (let row = 0; row < n; row++) {
      for (let column = 0; column < n; column++) {
        const value = change[row * n + column];
        expect(Math.abs(change[row * n + (n - 1 - column)] - value)).toBeLessThan(1e-4);
        expect(Math.abs(change[(n - 1 - row) * n + column] - value)).toBeLessThan(1e-4);
        expect(Math.abs(change[column * n + row] - value)).toBeLessThan(1e-4);
      }
    }
  });

  it('wears a cone alike in all directions: the eight-fold and four-fold parts of the wear are under 10 % of its mean', async () => {
    const n = 257;
    const ground = groundOf(n, n, 4);
    const cone = fieldFrom(ground, (e, s) => Math.max(0, 180 - 0.4 * Math.hypot(e - 512, s - 512)));
    const { stages } = await evaluate(makeCourse('cone', { ...ground, sea: -100 }, [stepUse('runoff', { amount: 200, scale: 16 })]), { kernels, from: cone });
    const { cut } = stages[0].layers;
    let [even, cos4, sin4, cos8, sin8] = [0, 0, 0, 0, 0];
    for (let row = 0; row < n; row++) {
      for (let column = 0; column < n; column++) {
        const [x, y] = [column - 128, row - 128];
        const r = Math.hypot(x, y);
        if (r < 20 || r > 100) continue;
        const a = Math.atan2(y, x);
        const c = cut[row * n + column] / r;
        even += c;
        cos4 += 2 * c * Math.cos(4 * a);
        sin4 += 2 * c * Math.sin(4 * a);
        cos8 += 2 * c * Math.cos(8 * a);
        sin8 += 2 * c * Math.sin(8 * a);
      }
    }
    expect(even).toBeGreaterThan(0);
    expect(Math.hypot(cos8, sin8) / even).toBeLessThan(0.1);
    expect(Math.hypot(cos4, sin4) / even).toBeLessThan(0.1);
  });
});
