import { describe, expect, it } from 'vitest';
import { carriedOn } from './carry-on';

const SIDE = 7;
const plane = (x: number, y: number) => 100 + 3 * x - 2 * y;
/** A plane, known where `there` says so. */
const known = (there: (x: number, y: number) => boolean) =>
  Float32Array.from({ length: SIDE * SIDE }, (_, i) => {
    const [x, y] = [i % SIDE, Math.floor(i / SIDE)];
    return there(x, y) ? plane(x, y) : NaN;
  });
const whole = known(() => true);

describe('heights beside what is not there', () => {
  it.each([
    ['the left', (x: number) => x > 0],
    ['the right', (x: number) => x < SIDE - 1],
    ['the top', (_: number, y: number) => y > 0],
    ['the bottom', (_: number, y: number) => y < SIDE - 1],
    ['a corner', (x: number, y: number) => x > 0 || y > 0],
    ['every side', (x: number, y: number) => x > 0 && y > 0 && x < SIDE - 1 && y < SIDE - 1],
  ])('go on with their slope at %s', (_, there) => {
    expect(carriedOn(known(there), SIDE, 0)).toEqual(whole);
  });

  it('are the same beside one that stands alone, and what is said where there is none', () => {
    const one = carriedOn(
      known((x, y) => x === 3 && y === 3),
      SIDE,
      -1,
    );
    expect([...one.slice(2 * SIDE, 3 * SIDE)]).toEqual([-1, -1, plane(3, 3), plane(3, 3), plane(3, 3), -1, -1]);
    expect([...one.slice(0, SIDE)]).toEqual(Array(SIDE).fill(-1));
  });
});
