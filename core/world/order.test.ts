import { describe, expect, it } from 'vitest';
import { finite } from '../../tests/helpers/worlds';
import { receivers } from '../delivery/heights/receivers';
import { worldCost, worldOrderFor } from './order';

const receiver = (id: string) => receivers.find((r) => r.id === id)!;
const course = finite('point');

describe("a world's order", () => {
  it('takes from a receiver where samples lie, whether neighbours share them, format and type', () => {
    const shared = worldOrderFor(course, { samples: 4097, tile: 1024, receiver: receiver('power-of-two-plus-one'), range: { low: 0, high: 900 } });
    expect(shared).toMatchObject({ registration: 'point', shared: true, encoding: { format: 'png', type: 'u16', range: { low: 0, high: 900 } }, base: 2049 });
    const apart = worldOrderFor(course, { samples: 4096, tile: 1024, receiver: receiver('power-of-two'), format: 'raw', type: 'f32' });
    expect(apart).toMatchObject({ registration: 'area', shared: false, encoding: { format: 'raw', type: 'f32', options: { order: 'le' } } });
    expect(worldOrderFor(course, { samples: 4097, tile: 1000 })).toMatchObject({
      registration: 'point',
      shared: false,
      encoding: { format: 'tiff', type: 'f32' },
    });
    expect(worldOrderFor(course, { samples: 4097, tile: 1024, cloud: true }).encoding.options).toEqual({ cloud: true, compression: 'deflate' });
  });

  it('says what a receiver does not take', () => {
    const wish = (id: string, more: object = {}) => worldOrderFor(course, { samples: 4097, tile: 1024, receiver: receiver(id), ...more });
    expect(() => wish('power-of-two-plus-one', { tile: 1000 })).toThrow(/1001 is not a power of two plus one/);
    expect(() => wish('printed-model')).toThrow(/takes one ground/);
    expect(() => wish('block-world')).toThrow(/takes one ground/);
    expect(() => wish('displacement-metres', { format: 'png' })).toThrow(/does not take png/);
    expect(() => wish('power-of-two', { tile: 1024, format: 'png', type: 'f32' })).toThrow(/not written with f32/);
    expect(() => wish('power-of-two', { tile: 1024, format: 'png', cloud: true })).toThrow(/Only TIFF/);
  });

  it('is known to come to so many tiles and bytes', () => {
    const { across, tiles, bytes, spacing } = worldCost(course, worldOrderFor(course, { samples: 16_385, tile: 2048 }));
    expect([across, tiles]).toEqual([16_385, 64]);
    expect(spacing).toBeCloseTo(2048 / 16_384, 9);
    // Floats and a third of them in overviews.
    expect(bytes).toBeCloseTo(16_385 ** 2 * (16 / 3), -3);
    expect(() => worldCost(course, worldOrderFor(course, { samples: 200_000, tile: 2048 }))).toThrow(/131073/);
  });
});
