import { describe, expect, it } from 'vitest';
import { random } from '../../tests/helpers/grounds';
import { JOIN_CODES, joinFloats, type JoinFloats } from './joins';

type Mode = JoinFloats['mode'];
const next = random(7);
/** More than are joined in one go, and an odd number. */
const COUNT = 40_001;
const heights = () => Float32Array.from({ length: COUNT }, () => 800 * next() - 200);
const [a, b] = [heights(), heights()];
// Equal heights, none, and none at all.
for (let i = 0; i < 300; i += 3) b[i] = a[i];
for (let i = 301; i < 310; i++) [a[i], b[i]] = [i % 2 ? NaN : 3, i % 3 ? -0 : Infinity];
const mask = Float32Array.from({ length: COUNT }, (_, i) => [0, 1, next(), 1.5][i % 4]);

/** How two heights join, by definition, in doubles. */
const joined: Record<Mode, (a: number, b: number, by: Required<Pick<JoinFloats, 'width' | 'zero' | 'scale' | 'datum'>>) => number> = {
  replace: (_, y) => y,
  add: (x, y) => x + y,
  subtract: (x, y) => x - y,
  multiply: (x, y, { zero, scale, datum }) => {
    const share = (y - zero) * scale;
    return (x + datum) * (share < 0 ? 0 : share > 1 ? 1 : share) - datum;
  },
  higher: (x, y) => (x > y ? x : y),
  lower: (x, y) => (x < y ? x : y),
  'smooth-higher': (x, y, { width }) => (x > y ? x : y) + corner(x - y, width),
  'smooth-lower': (x, y, { width }) => (x < y ? x : y) - corner(x - y, width),
  mean: (x, y) => (x + y) / 2,
  difference: (x, y, { datum }) => Math.abs(x - y) - datum,
};
const corner = (apart: number, width: number) => (width - Math.abs(apart) > 0 ? (width - Math.abs(apart)) ** 2 / (4 * width) : 0);

describe('heights joined by the kernel', () => {
  it.each(Object.keys(JOIN_CODES) as Mode[])('%s: what the definition gives, to the bit, whole, at a strength and within a mask', (mode) => {
    for (const by of [
      { width: 60, zero: -50, scale: 1 / 420, datum: 0 },
      { width: 0, zero: 0, scale: 0, datum: 120.5 },
    ]) {
      for (const [strength, within] of [
        [1, null],
        [0.37, null],
        [1, mask],
        [0.8, mask],
      ] as const) {
        const move = -17.3;
        const wanted = Float32Array.from(a, (before, i) => {
          const whole = Math.fround(joined[mode](before, b[i] + move, by));
          if (!within) return strength === 1 ? whole : before + (whole - before) * strength;
          const weight = within[i] * strength;
          return weight < 1 ? (weight > 0 ? before + (whole - before) * weight : before) : whole;
        });
        expect(joinFloats(a, b, { mode, move, ...by, strength, mask: within })).toEqual(wanted);
      }
    }
  });
});
