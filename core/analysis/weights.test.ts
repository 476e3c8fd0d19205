import { pathToFileURL } from 'node:url';
import { resolve } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { nodeKernels } from '../../cli/node-kernels';
import { groundOf, hills } from '../../tests/helpers/grounds';
import { spacingOf } from '../field/ground';
import { slope } from './slope';
import { boundedBy, curvatureWeights, slopeWeights, within } from './weights';

const kernels = nodeKernels(pathToFileURL(resolve('cli/dist/pool-worker.mjs')), 2);
afterAll(() => kernels.close());
const land = hills(groundOf(301, 257, 6), 9);
const of = { height: land.height, across: 301, down: 257, spacing: spacingOf(land.ground) };

describe('weights between bounds', () => {
  const bounds = { low: 10, high: 20, softness: 4 };

  it('are 1 between them, 0 beyond the softness, and half in the middle of it', () => {
    for (const inside of [10, 15, 20]) expect(within(inside, bounds)).toBe(1);
    for (const outside of [6, -100, 24, 1e9]) expect(within(outside, bounds)).toBe(0);
    expect(within(8, bounds)).toBeCloseTo(0.5, 12);
    expect(within(22, bounds)).toBeCloseTo(0.5, 12);
  });

  it('fade without an edge: the smoothstep 3t² − 2t³, whose slope is 0 at both ends', () => {
    const step = 1e-4;
    for (const end of [6, 10, 20, 24]) expect(Math.abs(within(end + step, bounds) - within(end - step, bounds))).toBeLessThan(1e-7);
    let last = 0;
    for (let v = 6; v <= 10; v += 0.1) {
      expect(within(v, bounds)).toBeGreaterThanOrEqual(last);
      last = within(v, bounds);
    }
  });

  it('are hard where there is no softness, and each sample’s own over more than a block', async () => {
    const hard = { low: 10, high: 20, softness: 0 };
    expect([9.999, 10, 20, 20.001].map((v) => within(v, hard))).toEqual([0, 1, 1, 0]);
    const values = Float32Array.from({ length: 140_000 }, (_, i) => (i % 31) + i / 1e6);
    expect(await boundedBy(values, bounds, { kernels })).toEqual(values.map((v) => within(v, bounds)));
  });
});

describe('weights by slope', () => {
  it.each([
    { low: 5, high: 12, softness: 3 },
    { low: 0, high: 8, softness: 2 },
    { low: 10, high: 90, softness: 6 },
    { low: 0, high: 90, softness: 0 },
  ])('are those of the slope in degrees: %o', async (bounds) => {
    const found = await slopeWeights(of, bounds, { kernels });
    const degrees = slope(land);
    let most = 0;
    for (let i = 0; i < found.length; i++) most = Math.max(most, Math.abs(found[i] - within(degrees[i], bounds)));
    expect(most).toBeLessThan(2e-4);
  });
});

describe('weights by curvature', () => {
  it('take what stands out and leave its mirror image, smoothed or not', async () => {
    const bounds = { low: 0.5, high: 1000, softness: 0.5, way: 'mean' as const };
    for (const size of [0, 40]) {
      const out = await curvatureWeights(of, { ...bounds, size }, { kernels });
      const turned = await curvatureWeights({ ...of, height: land.height.map((h) => -h) }, { ...bounds, low: -1000, high: -0.5, size }, { kernels });
      expect(out.some((w) => w === 1)).toBe(true);
      expect(out.some((w) => w === 0)).toBe(true);
      expect(turned).toEqual(out);
    }
  });
});
