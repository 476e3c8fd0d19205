import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../tests/helpers/grounds';
import { inlineKernels } from '../kernels/pool';
import { skyLight } from './ambient';
import { changedPart, litWindow, pieceOfField, renewed } from './touched';

const kernels = inlineKernels();
const ground = hills(groundOf(257, 257, 8), 3, 120);
/** A hill of 24 m, 20 samples across. */
const raised = {
  ...ground,
  height: ground.height.map((h, i) => {
    const r = Math.sqrt(((i % 257) - 140) ** 2 + (Math.floor(i / 257) - 90) ** 2) / 10;
    return r < 1 ? h + 24 * (1 - r * r) ** 2 : h;
  }),
};

describe('a touched part', () => {
  it('is where samples differ, with the most that they differ by', () => {
    const part = changedPart(ground.height, raised.height, 257)!;
    expect(part.window).toEqual({ left: 131, top: 81, across: 19, down: 19 });
    expect(part.most).toBeCloseTo(24, 3);
    expect(changedPart(ground.height, ground.height, 257)).toBeNull();
  });

  it('has its light renewed to what the whole has, within a step of a byte nearly everywhere, without a seam', async () => {
    const options = { directions: 16, exaggeration: 1 };
    const shares = await skyLight(kernels, ground, options);
    const meant = await skyLight(kernels, raised, options);
    const stale = shares.slice();
    const window = litWindow(changedPart(ground.height, raised.height, 257)!, ground, 1);
    expect(window.across * window.down).toBeLessThan(0.7 * 257 * 257);
    const [before, after] = await Promise.all([ground, raised].map((field) => skyLight(kernels, pieceOfField(field, window), options)));
    renewed(shares, 257, window, before, after, 1, 1);
    const off = shares.map((v, i) => Math.abs(v - meant[i])).sort();
    expect(off[Math.floor(0.995 * off.length)]).toBeLessThan(1 / 255);
    expect(off.at(-1)).toBeLessThan(0.02);
    // It was far off before.
    expect(Math.max(...stale.map((v, i) => Math.abs(v - meant[i])))).toBeGreaterThan(0.1);
    // Outside of the window nothing was touched.
    expect(shares[0]).toBe(stale[0]);
  });
});
