import { describe, expect, it } from 'vitest';
import { fractal } from '../../../tests/helpers/fractal';
import { groundOf } from '../../../tests/helpers/grounds';
import { turnTakingKernels } from '../../../tests/helpers/turn-taking';
import { inlineKernels } from '../pool';
import { breachProgram, type BreachArgs, type BreachInputs } from './breach';

const kernels = inlineKernels();

const square = (across: number, more: Partial<BreachArgs> = {}): BreachArgs => ({
  across,
  down: across,
  spacingX: 1,
  spacingY: 1,
  deepest: 1000,
  even: 0.1,
  ...more,
});

/** A ground of `across` squared samples; water leaves over its rim. */
function given(
  across: number,
  heightAt: (column: number, row: number) => number,
  bottoms: number[],
  weightAt: (column: number) => number = () => 1,
): BreachInputs {
  const inner = (i: number) => i % across > 0 && i % across < across - 1 && i >= across && i < across * (across - 1);
  return {
    height: Float32Array.from({ length: across * across }, (_, i) => heightAt(i % across, Math.floor(i / across))),
    leaves: Uint8Array.from({ length: across * across }, (_, i) => Number(!inner(i))),
    weight: Float32Array.from({ length: across * across }, (_, i) => weightAt(i % across)),
    bottoms: Int32Array.from(bottoms),
  };
}

/** What the least costly way from a bottom to lower ground costs, by going over all samples until nothing changes (Bellman–Ford). */
function leastCost({ across, even }: BreachArgs, { height, leaves, weight }: BreachInputs, bottom: number): number {
  const cost = new Float64Array(height.length).fill(Infinity);
  cost[bottom] = 0;
  const ends = (i: number) => i !== bottom && (leaves[i] === 1 || height[i] < height[bottom]);
  for (let changed = true; changed;) {
    changed = false;
    for (let i = 0; i < height.length; i++) {
      if (ends(i) || cost[i] === Infinity) continue;
      for (let v = -1; v <= 1; v++) {
        for (let u = -1; u <= 1; u++) {
          const [c, r] = [(i % across) + u, Math.floor(i / across) + v];
          if (c < 0 || r < 0 || c >= across || r >= across) continue;
          const n = r * across + c;
          const step = Math.hypot(u, v) * weight[n] * (weight[n] * even + Math.max(0, height[n] - height[bottom]));
          if (cost[i] + step < cost[n] - 1e-9) {
            cost[n] = cost[i] + step;
            changed = true;
          }
        }
      }
    }
  }
  return Math.min(...[...cost].filter((_, i) => ends(i)));
}

/** What the way costs that was cut from a bottom: along samples whose bed is new, by the shortest of them. */
function costOfCut(args: BreachArgs, inputs: BreachInputs, level: Float32Array, bottom: number): number {
  const closed = inputs.height.map((h, i) => (level[i] < h || i === bottom || inputs.leaves[i] || h < inputs.height[bottom] ? h : 1e6));
  return leastCost(args, { ...inputs, height: closed }, bottom);
}

describe('outlets of hollows', () => {
  it('go by the least costly way: as one finds it that looks at all samples, on twenty grounds', async () => {
    for (let seed = 1; seed <= 20; seed++) {
      const across = 21;
      const { height } = fractal(groundOf(across, across, 1), { seed, height: 40 });
      const bottom = 10 * across + 10;
      height[bottom] = Math.min(...height) + 2;
      const args = square(across);
      const inputs = {
        ...given(
          across,
          () => 0,
          [bottom],
          (c) => 0.5 + ((c * 7 + seed) % 5) / 4,
        ),
        height,
      };
      const { level, kept } = await kernels.run(breachProgram, args, inputs);
      expect(kept).toBe(0);
      expect(costOfCut(args, inputs, level, bottom)).toBeCloseTo(leastCost(args, inputs, bottom), 2);
    }
  });

  it('fall along their way, and take the gap in a wall that lies further off', async () => {
    const across = 31;
    const wall = (c: number, r: number) => (Math.max(Math.abs(c - 15), Math.abs(r - 15)) === 8 ? (c === 23 && r === 12 ? 12 : 60) : 10);
    const bottom = 15 * across + 15;
    const inputs = given(across, (c, r) => (c === 15 && r === 15 ? 9 : c > 24 ? 0 : wall(c, r)), [bottom]);
    const { level } = await kernels.run(breachProgram, square(across), inputs);
    const cut = [...level].flatMap((h, i) => (h < inputs.height[i] ? [i] : []));
    expect(cut).toContain(12 * across + 23);
    const beds = cut.sort((a, b) => (a % across) - (b % across)).map((i) => level[i]);
    expect(beds.length).toBeGreaterThan(7);
    for (let k = 1; k < beds.length; k++) expect(beds[k]).toBeLessThan(beds[k - 1]);
    expect(beds[0]).toBeLessThan(9);
    expect(beds.at(-1)).toBeGreaterThan(0);
  });

  it('cut no deeper than allowed, and what keeps its dam is counted once for a level floor', async () => {
    const across = 33;
    const basin = (c: number, r: number) => (Math.hypot(c - 16, r - 16) < 9 ? 5 : 30);
    const floor = [16 * across + 10, 12 * across + 16, 20 * across + 18];
    const kept = await kernels.run(breachProgram, square(across, { deepest: 24 }), given(across, basin, floor));
    expect(kept.kept).toBe(1);
    expect(kept.level).toEqual(given(across, basin, floor).height);
    const open = await kernels.run(breachProgram, square(across, { deepest: 25 }), given(across, basin, floor));
    expect(open.kept).toBe(0);
    expect(Math.min(...open.level)).toBe(5);
    // One way out for all three.
    expect([...open.level].filter((h, i) => h === 5 && basin(i % across, Math.floor(i / across)) === 30).length).toBeLessThan(12);
  });

  it('are the same for any number of threads', async () => {
    const across = 96;
    const { height } = fractal(groundOf(across, across, 4), { seed: 9, height: 80 });
    const bottoms: number[] = [];
    for (let i = across; i < height.length - across; i++)
      if ([-1, 1, -across, across, -across - 1, across - 1, 1 - across, across + 1].every((n) => height[i + n] >= height[i])) bottoms.push(i);
    const inputs = {
      ...given(
        across,
        () => 0,
        bottoms.sort((a, b) => height[a] - height[b]),
      ),
      height,
    };
    const alone = await kernels.run(breachProgram, square(across), inputs);
    expect(bottoms.length).toBeGreaterThan(30);
    for (const lastFirst of [false, true]) expect(await turnTakingKernels(3, lastFirst).run(breachProgram, square(across), inputs)).toEqual(alone);
  });
});
