import { describe, expect, it } from 'vitest';
import { asOnEdge, carriedOn, sizeWithApron, withApron, withoutApron } from './apron';

const size = { across: 4, down: 3 };
const apron = { x: 2, y: 1 };
const values = Float32Array.from([0, 1, 2, 3, 10, 11, 12, 13, 20, 21, 22, 23]);

describe('an apron', () => {
  it('carries edges on as they are, corners too, and is taken off without a trace', () => {
    const out = withApron(values, size, apron, asOnEdge);
    expect(sizeWithApron(size, apron)).toEqual({ across: 8, down: 5 });
    expect([...out.subarray(0, 8)]).toEqual([0, 0, 0, 1, 2, 3, 3, 3]);
    expect([...out.subarray(32)]).toEqual([20, 20, 20, 21, 22, 23, 23, 23]);
    expect(withoutApron(out, size, apron)).toEqual(values);
  });

  it('goes on as ground came, and nears bounds without passing them', () => {
    const far = carriedOn(-1e9, 1e9);
    const plane = withApron(values, size, apron, far);
    for (let row = 0; row < 5; row++) for (let column = 0; column < 8; column++) expect(plane[row * 8 + column]).toBeCloseTo((row - 1) * 10 + column - 2, 4);
    const near = withApron(values, size, apron, carriedOn(-1, 24));
    expect(Math.min(...near)).toBeGreaterThan(-1);
    expect(Math.max(...near)).toBeLessThan(24);
    expect(carriedOn(5, 9)(9, 3)).toBe(9);
  });

  it('of a grid narrower than itself takes what there is', () => {
    const thin = withApron(Float32Array.of(4), { across: 1, down: 1 }, { x: 3, y: 3 }, carriedOn(0, 10));
    expect(thin.every((v) => v === 4)).toBe(true);
  });
});
