import { describe, expect, it } from 'vitest';
import { fieldFrom, inlineKernels, makeGround } from '@upland-cast/core';
import { fluvialProgram } from '../../core/kernels/programs/fluvial';
import type { FluvialArgs } from '../../core/kernels/programs/fluvial-plan';
import { talusProgram } from '../../core/kernels/programs/talus';
import { fractal } from '../helpers/fractal';
import { groundOf } from '../helpers/grounds';

const kernels = inlineKernels();

describe('hillslopes', () => {
  /**
   * Roering, Kirchner & Dietrich 1999, "Evidence for nonlinear, diffusive sediment transport on
   * hillslopes": under uplift E the steady slope from a divide at x = 0 is
   * z(x) = −(κ S_c² / 2E) [√(1+u²) − 1 − ln((1+√(1+u²))/2)], u = 2Ex / (κ S_c).
   */
  it.each([0.5, 1, 1.6])('under uplift come to Roering’s steady slope, within half a percent of its height: u = %s at the foot', async (u) => {
    const [length, critical, kappa] = [400, 1.2, 1];
    const uplift = (u * kappa * critical) / (2 * length);
    const n = 401;
    // Two feet at the west and the east edge, the divide between them, all alike from north to south.
    const ground = makeGround({ width: 2 * length, depth: 16, across: n, down: 9, registration: 'point' });
    const z = (x: number) => {
      const v = (2 * uplift * x) / (kappa * critical);
      const root = Math.sqrt(1 + v * v);
      return ((-kappa * critical * critical) / (2 * uplift)) * (root - 1 - Math.log((1 + root) / 2));
    };
    const relief = z(0) - z(length);
    const time = (6 * length * length) / kappa;
    const args: FluvialArgs = {
      across: n,
      down: 9,
      point: true,
      spacingX: (2 * length) / (n - 1),
      spacingY: 2,
      reach: 0,
      exponent: 0.45,
      head: 0,
      creep: 2 * kappa * time,
      uplift: uplift * time,
      deposit: 0,
      breach: 0,
      silt: -1,
      // Only the two feet stand still: they lie under a sea that the rest rises out of.
      open: false,
      sea: -0.5,
      seed: 1,
      steps: 2000,
      alone: 1,
    };
    const at = (i: number) => i % n;
    const height = fieldFrom(ground, () => 0).height.map((_, i) => (at(i) === 0 || at(i) === n - 1 ? -1 : 0));
    const { change } = await kernels.run(fluvialProgram, args, { bed: height, bank: critical });
    const row = 4 * n;
    let worst = 0;
    for (let i = 1; i < n - 1; i++) {
      const x = Math.abs(i - (n - 1) / 2) * args.spacingX;
      worst = Math.max(worst, Math.abs(height[row + i] + change[row + i] + 0.5 - (z(x) - z(length))));
    }
    console.log(`measured: Roering's slope, u = ${u}: ${((worst / relief) * 100).toFixed(2)} % of ${relief.toFixed(1)} m off at most`);
    expect(worst / relief).toBeLessThan(0.005);
  });
});

describe('rockfall', () => {
  const field = fractal(groundOf(257, 257, 8), { seed: 6, height: 900, gain: 0.55 });
  const args = {
    across: 257,
    down: 257,
    point: true,
    spacingX: 8,
    spacingY: 8,
    tanRepose: Math.tan((35 * Math.PI) / 180),
    sweeps: 120,
    covered: true,
  };
  const volume = (h: Float32Array) =>
    h.reduce((sum, v, i) => sum + v * ([0, 256].includes(i % 257) ? 0.5 : 1) * ([0, 256].includes(Math.floor(i / 257)) ? 0.5 : 1), 0);

  it('keeps rock + loose × bulking: what lies loose is what the rock lost times 1.3, to 1e-6 of what was moved', async () => {
    const cover = new Float32Array(field.height.length);
    const { change, loose } = await kernels.run(talusProgram, { ...args, rock: { cliff: 0.9, back: 30, bulk: 1.3 } }, { bed: field.height, cover });
    const lies = volume(loose!);
    // Rock lost = loose − change of the surface.
    const rock = lies - volume(change);
    expect(rock).toBeGreaterThan(1000);
    expect(Math.abs(lies - 1.3 * rock) / lies).toBeLessThan(2e-6);
    expect(Math.min(...loose!)).toBeGreaterThanOrEqual(0);
  });

  it('moves what was loose and nothing else where no rock sheds', async () => {
    const cover = new Float32Array(field.height.length).fill(2);
    const { change, loose } = await kernels.run(talusProgram, args, { bed: field.height, cover });
    const moved = volume(change.map(Math.abs) as Float32Array);
    expect(moved).toBeGreaterThan(1000);
    expect(Math.abs(volume(change)) / moved).toBeLessThan(1e-6);
    expect(Math.min(...change)).toBeGreaterThanOrEqual(-2 - 1e-4);
    expect(Math.abs(volume(loose!) - volume(cover)) / volume(cover)).toBeLessThan(1e-6);
  });

  it('leaves a face a face: a step of 60 m wears back and stays steeper than what lies at its foot', async () => {
    const ground = groundOf(129, 65, 4);
    const step = fieldFrom(ground, (e) => (e < 256 ? 60 : 0));
    const cover = new Float32Array(step.height.length);
    const { change, loose } = await kernels.run(
      talusProgram,
      { ...args, across: 129, down: 65, spacingX: 4, spacingY: 4, rock: { cliff: 1, back: 24, bulk: 1.3 } },
      { bed: step.height, cover },
    );
    const row = 32 * 129;
    const after = Array.from({ length: 129 }, (_, i) => step.height[row + i] + change[row + i]);
    const steepest = Math.max(...after.slice(1).map((h, i) => (after[i] - h) / 4));
    expect(steepest).toBeGreaterThan(1.2);
    // It lies at the foot, and the face stands further back than it did.
    const foot = Array.from(loose!.subarray(row + 64, row + 90)).reduce((a, b) => a + b, 0);
    expect(foot).toBeGreaterThan(20);
    expect(after[61]).toBeLessThan(59);
    expect(after[20]).toBe(60);
  });
});
