import { describe, expect, it } from 'vitest';
import { eastOf, groundAtSamples, makeGround, previewGround, southOf, spacingOf } from './ground';

const square = (across: number, registration: 'point' | 'area', width = 2048) => makeGround({ width, depth: width, across, down: across, registration });

describe('a ground', () => {
  it('of 2 048 m at 1 m has 2 049 points on the edge, or 2 048 cells', () => {
    expect(spacingOf(square(2049, 'point')).x).toBe(1);
    expect(spacingOf(square(2048, 'area')).x).toBe(1);
  });

  it('puts the outer points on its edge and cell centres half a cell inside', () => {
    const points = square(1025, 'point', 8192);
    expect([eastOf(points, 0), eastOf(points, 1024)]).toEqual([0, 8192]);
    const cells = square(1024, 'area', 8192);
    expect([southOf(cells, 0), southOf(cells, 1023)]).toEqual([4, 8188]);
  });

  it('has its preview on a subset of its points where counts nest', () => {
    expect(previewGround(square(1025, 'point')).across).toBe(513);
    expect(previewGround(square(2049, 'point')).across).toBe(513);
    expect(previewGround(square(4096, 'area')).across).toBe(512);
    expect(previewGround(square(513, 'point')).across).toBe(513);
    // 1 200 steps: a third of them, 401 points, is the finest that nests.
    expect(previewGround(square(1201, 'point')).across).toBe(401);
  });

  it('has a preview at most 513 a side where nothing nests', () => {
    const { across, down } = previewGround(makeGround({ width: 1009, depth: 769, across: 1010, down: 770 }));
    expect(across).toBe(513);
    expect(down).toBeLessThanOrEqual(513);
  });

  it('keeps its shape when it is asked for at other samples', () => {
    const wide = makeGround({ width: 2000, depth: 1000, across: 2001, down: 1001 });
    expect(groundAtSamples(wide, 1001)).toMatchObject({ across: 1001, down: 501, width: 2000 });
  });

  it('is refused with a sentence when it cannot be one', () => {
    expect(() => makeGround({ width: -1, depth: 1, across: 2, down: 2 })).toThrow(/not a ground: width/);
    expect(() => makeGround({ width: 1, depth: 1, across: 1e6, down: 2 })).toThrow(/across/);
    expect(() => makeGround({ width: 1, depth: 1, across: 2, down: 2, datum: 0.5 })).toThrow(/datum/);
  });
});
