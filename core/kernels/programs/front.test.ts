import { describe, expect, it } from 'vitest';
import { turnTakingKernels } from '../../../tests/helpers/turn-taking';
import { inlineKernels, type Kernels } from '../pool';
import { frontProgram } from './front';

const kernels = inlineKernels();

async function front(
  across: number,
  down: number,
  from: [number, number],
  speedAt: (column: number, row: number) => number,
  { x: spacingX, y: spacingY } = { x: 1, y: 1 },
  on: Kernels = kernels,
) {
  const given = new Float32Array(across * down).fill(Infinity);
  given[from[1] * across + from[0]] = 0;
  const speed = Float32Array.from(given, (_, i) => speedAt(i % across, Math.floor(i / across)));
  const time = await on.run(frontProgram, { across, down, spacingX, spacingY }, { time: given, speed });
  return (column: number, row: number) => time[row * across + column];
}

describe('a front', () => {
  it('comes to a place when it has gone the distance at its speed, on grids of any spacing', async () => {
    const at = await front(81, 61, [40, 30], () => 2, { x: 3, y: 5 });
    for (const [c, r] of [
      [60, 30],
      [40, 50],
      [70, 55],
      [5, 8],
    ]) {
      const far = Math.hypot((c - 40) * 3, (r - 30) * 5);
      // First order: late off the axes by a few cells' worth.
      expect(at(c, r)).toBeGreaterThanOrEqual(far / 2 - 1e-3);
      expect(at(c, r)).toBeLessThan(far / 2 + 6);
    }
    expect(at(60, 30)).toBeCloseTo(30, 4);
  });

  it('goes around what never gives way', async () => {
    const at = await front(41, 41, [5, 20], (c, r) => (c === 20 && r > 2 ? 0 : 1));
    expect(at(20, 30)).toBe(Infinity);
    const around = Math.hypot(15, 18) + Math.hypot(15, 18);
    expect(at(35, 20)).toBeGreaterThan(around - 2);
    expect(at(35, 20)).toBeLessThan(around + 5);
  });

  it('holds what is known, and is the same on any number of threads', async () => {
    const winding = (c: number, r: number) => 0.2 + ((c * 7 + r * 11) % 13) / 6;
    const alone = await front(64, 50, [3, 40], winding);
    expect(alone(3, 40)).toBe(0);
    for (const lastFirst of [false, true]) {
      const shared = await front(64, 50, [3, 40], winding, undefined, turnTakingKernels(3, lastFirst));
      for (let c = 0; c < 64; c += 3) for (let r = 0; r < 50; r += 2) expect(shared(c, r)).toBe(alone(c, r));
    }
    // Where it is known that the front comes late, it does so.
    const time = Float32Array.from([0, Infinity, 9, Infinity, Infinity]);
    const given = { across: 5, down: 1, spacingX: 1, spacingY: 1 };
    expect([...(await kernels.run(frontProgram, given, { time, speed: new Float32Array(5).fill(1) }))]).toEqual([0, 1, 9, 10, 11]);
  });
});
