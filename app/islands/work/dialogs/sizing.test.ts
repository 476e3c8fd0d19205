import { describe, expect, it } from 'vitest';
import { makeGround, spacingOf } from '@upland-cast/core';
import { sampled, sized, spaced } from './sizing';

const points = makeGround({ width: 4096, depth: 2048, across: 1025, down: 513, registration: 'point' });
const cells = makeGround({ width: 4096, depth: 2048, across: 1024, down: 512, registration: 'area' });

describe('the ground’s size, samples and spacing', () => {
  it('with the spacing held, a larger size has more samples, and more samples are a larger ground', () => {
    const wider = sized(points, 'width', 8192, 'spacing');
    expect([wider.width, wider.across, wider.down]).toEqual([8192, 2049, 513]);
    expect(spacingOf(wider)).toEqual({ x: 4, y: 4 });
    const more = sampled(cells, 2048, 512, 'spacing');
    expect([more.width, more.depth]).toEqual([8192, 2048]);
    // No size that the spacing does not go into.
    expect(sized(points, 'width', 4099, 'spacing').width).toBe(4100);
  });

  it('with the samples held, size and spacing go together', () => {
    expect(spacingOf(sized(points, 'width', 8192, 'samples')).x).toBe(8);
    const coarse = spaced(points, 8, 'samples');
    expect([coarse.width, coarse.depth, coarse.across, coarse.down]).toEqual([8192, 4096, 1025, 513]);
  });

  it('with the size held, samples and spacing go together', () => {
    const fine = spaced(points, 2, 'size');
    expect([fine.width, fine.depth, fine.across, fine.down]).toEqual([4096, 2048, 2049, 1025]);
    expect(spacingOf(sampled(cells, 512, 256, 'size'))).toEqual({ x: 8, y: 8 });
    const odd = spaced(points, 3, 'size');
    expect([odd.width, odd.across]).toEqual([4095, 1366]);
    expect(spacingOf(odd)).toEqual({ x: 3, y: 3 });
  });

  it('are never fewer than two samples', () => {
    expect(spaced(points, 1e6, 'size').across).toBe(2);
    expect(sized(points, 'depth', 0.5, 'spacing').down).toBe(2);
  });
});
