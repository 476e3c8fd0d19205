import { describe, expect, it } from 'vitest';
import { enclosedHoles } from './holes';

describe('holes inside', () => {
  it('are those that no way leads out of; four ways, not over corners', () => {
    const picture = ['......', '.####.', '.#..#.', '.#.#..', '.###.#', '.....#'];
    const valid = Uint8Array.from(picture.join(''), (c) => (c === '#' ? 1 : 0));
    const found = enclosedHoles(valid, 6, 6);
    const inside = ['      ', '      ', '  xx  ', '  x   ', '      ', '      '].join('');
    expect([...found].map((v) => (v ? 'x' : ' ')).join('')).toBe(inside);
  });
  it('are none where all is covered, or nothing', () => {
    expect(enclosedHoles(new Uint8Array(20).fill(1), 5, 4).includes(1)).toBe(false);
    expect(enclosedHoles(new Uint8Array(20), 5, 4).includes(1)).toBe(false);
  });
});
