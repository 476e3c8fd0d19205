import { describe, expect, it } from 'vitest';
import { makeCourse, makeGround, stepUse } from '@upland-cast/core';
import { extraSample, formFor, orderOf } from './world-form';

const course = (registration: 'point' | 'area') =>
  makeCourse('Hill', makeGround({ width: 4096, depth: 2048, across: 129, down: registration === 'point' ? 65 : 64, registration }), [
    stepUse('noise', { height: 200 }),
  ]);

describe('a new world', () => {
  it('begins with as many samples as its ground has them laid out', () => {
    expect(formFor(course('point')).samples).toBe(8193);
    expect(formFor(course('area')).samples).toBe(8192);
    expect(extraSample(formFor(course('point')), course('point'))).toBe(1);
    expect(extraSample(formFor(course('area')), course('area'))).toBe(0);
  });

  it('comes to an order with what is chosen, and to a cost', () => {
    const from = course('point');
    const found = orderOf(from, { ...formFor(from), samples: 1025, tile: 512, maps: ['slope', 'water mask'], meshes: 4, weather: 'base' });
    if (found.fault !== undefined) throw new Error(found.fault);
    expect(found.order).toMatchObject({ fine: null, encoding: { format: 'tiff', type: 'f32' }, base: 129 });
    expect(found.order.maps!.map(({ kind }) => kind)).toEqual(['slope', 'water mask']);
    expect(found.order.meshes).toMatchObject({ every: 4 });
    expect(found.cost.across).toBe(1025);
    expect(found.cost.tiles).toBeGreaterThan(1);
    const codes = orderOf(from, { ...formFor(from), format: 'png', base: '2049', cloud: true });
    expect('order' in codes && codes.order).toMatchObject({ encoding: { format: 'png', type: 'u16', range: { low: 0, high: 1000 } }, base: 2049 });
  });

  it('says why it cannot be', () => {
    const from = course('area');
    expect(orderOf(from, { ...formFor(from), format: 'png', range: { low: 5, high: 5 } }).fault).toMatch(/highest code/);
    expect(orderOf(from, { ...formFor(from), samples: 900_000 }).fault).toMatch(/samples/);
  });
});
