import { describe, expect, it } from 'vitest';
import { COUNTRY } from '@upland-cast/core';
import { CORNERS, keptFrame, query, WHOLE_COUNTRY, withCornerAt, type Frame } from './frame';

const frame: Frame = { east: 20_000, south: 30_000, width: 8_000, depth: 4_000 };
const corner = (of: Frame, name: string) => [name.endsWith('west') ? of.east : of.east + of.width, name.startsWith('north') ? of.south : of.south + of.depth];

describe('the frame of an extract', () => {
  it('lies at whole samples, inside the country, and is two of them a side at the least', () => {
    expect(keptFrame({ east: 1234, south: 567, width: 1001, depth: 998 }, 30)).toEqual({ east: 1230, south: 570, width: 990, depth: 990 });
    expect(keptFrame({ ...frame, width: 1, depth: -50 }, 90)).toMatchObject({ width: 180, depth: 180 });
    const beyond = keptFrame({ east: COUNTRY.width, south: -4_000, width: 10_000, depth: 10_000 }, 10);
    expect(beyond).toEqual({ east: COUNTRY.width - 10_000, south: 0, width: 10_000, depth: 10_000 });
    expect(keptFrame({ east: 5, south: 5, width: 1e9, depth: 1e9 }, 10)).toEqual(WHOLE_COUNTRY);
  });

  it.each(CORNERS)('is dragged by its %s corner, and the opposite one stays', (name) => {
    const opposite = CORNERS[(CORNERS.indexOf(name) + 2) % 4];
    const [x, y] = corner(frame, name);
    const dragged = withCornerAt(frame, name, x + (name.endsWith('west') ? -1_000 : 1_000), y + (name.startsWith('north') ? -300 : 300), false);
    expect(corner(dragged, opposite)).toEqual(corner(frame, opposite));
    expect([dragged.width, dragged.depth]).toEqual([9_000, 4_300]);
  });

  it('keeps its shape where that is asked for, by the side that was dragged further', () => {
    const wider = withCornerAt(frame, 'south-east', frame.east + 16_000, frame.south + 4_100, true);
    expect([wider.width, wider.depth]).toEqual([16_000, 8_000]);
    const deeper = withCornerAt(frame, 'south-east', frame.east + 8_100, frame.south + 12_000, true);
    expect([deeper.width, deeper.depth]).toEqual([24_000, 12_000]);
  });

  it('is dragged neither over the border nor through itself', () => {
    const out = withCornerAt(frame, 'north-west', -50_000, -50_000, false);
    expect([out.east, out.south]).toEqual([0, 0]);
    const shaped = withCornerAt(frame, 'north-west', -50_000, -50_000, true);
    expect(shaped.width / shaped.depth).toBeCloseTo(2, 9);
    expect(Math.min(shaped.east, shaped.south)).toBeGreaterThanOrEqual(0);
    const through = withCornerAt(frame, 'north-west', frame.east + 20_000, frame.south + 20_000, false);
    expect([through.width, through.depth]).toEqual([180, 180]);
  });

  it('is asked for in whole metres', () => {
    expect(query({ east: 10.4, south: 20.6, width: 300, depth: 400 })).toBe('east=10&south=21&width=300&depth=400');
  });
});
