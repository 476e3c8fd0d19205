import { describe, expect, it } from 'vitest';
import { evaluate, inlineKernels, makeCourse, makeGround, stepUse } from '@upland-cast/core';
import { GLEN, iceProgram, type IceArgs } from '../../core/kernels/programs/ice';
import { groundOf } from '../helpers/grounds';

const kernels = inlineKernels();

const still: Omit<IceArgs, 'across' | 'down' | 'spacingX' | 'spacingY'> = {
  point: true,
  flow: GLEN,
  slide: 0,
  gradient: 0,
  most: 0,
  sea: -Infinity,
  calve: 0,
  wear: 0,
  fastest: 40,
  bank: Infinity,
  till: 0,
  stages: 1,
  rise: 0,
  pace: 450,
  passage: 6e5,
};

/** Halfar 1983, "On the dynamics of the ice sheets 2": a dome without snow or melt spreads as H(t, r), with n = 3. */
function halfar(top: number, radius: number) {
  const t0 = ((7 / 4) ** 3 * radius ** 4) / (18 * GLEN * top ** 7);
  const at = (t: number, r: number) => {
    const s = ((t0 / t) ** (1 / 18) * r) / radius;
    return s >= 1 ? 0 : top * (t0 / t) ** (1 / 9) * (1 - s ** (4 / 3)) ** (3 / 7);
  };
  return { t0, at };
}

describe('ice', () => {
  it('spreads as Halfar’s dome: within 3 % at the top after ten times its age, and none of it is lost', async () => {
    const [n, radius, top] = [121, 750_000, 3_600];
    const { t0, at } = halfar(top, radius);
    const side = 2 * 1_150_000;
    const spacing = side / (n - 1);
    const away = (i: number) => Math.hypot(((i % n) - (n - 1) / 2) * spacing, (Math.floor(i / n) - (n - 1) / 2) * spacing);
    const began = Float32Array.from({ length: n * n }, (_, i) => at(t0, away(i)));
    const flat = new Float32Array(n * n);
    // From t₀ to ten times t₀.
    const steps = 900;
    const args: IceArgs = { ...still, across: n, down: n, spacingX: spacing, spacingY: spacing, alone: { steps, years: (9 * t0) / steps } };
    const { ice } = await kernels.run(iceProgram, args, { bed: flat, snowline: flat, ice: began });
    const middle = ((n - 1) / 2) * n + (n - 1) / 2;
    const wanted = at(10 * t0, 0);
    const sum = (values: Float32Array) => values.reduce((all, v) => all + v, 0);
    let worst = 0;
    for (let i = 0; i < ice.length; i++) if (away(i) < 0.8 * radius) worst = Math.max(worst, Math.abs(ice[i] - at(10 * t0, away(i))));
    console.log(
      `measured: Halfar's dome: ${ice[middle].toFixed(1)} m at the top, ${wanted.toFixed(1)} wanted; ${worst.toFixed(0)} m off at most within 0.8 of its first radius; volume ${(sum(ice) / sum(began)).toFixed(6)}`,
    );
    expect(Math.abs(ice[middle] / wanted - 1)).toBeLessThan(0.03);
    expect(worst / wanted).toBeLessThan(0.05);
    expect(Math.abs(sum(ice) / sum(began) - 1)).toBeLessThan(1e-3);
  });

  /** Svensson 1959: a valley's cross-section goes as |x|^b, b near 1 where rivers made it, near 2 where ice did (Harbor 1992). */
  it('makes a U of a V: the exponent of a dale’s cross-section grows from 1 to over 1.6', async () => {
    const ground = makeGround({ width: 6_000, depth: 10_000, across: 151, down: 251, registration: 'point', sea: -9000 });
    const v = (east: number, south: number) => 1_500 - 0.05 * south + Math.min(700, 0.45 * Math.abs(east - 3_000));
    const n = ground.across * ground.down;
    const from = { ground, height: Float32Array.from({ length: n }, (_, i) => v((i % 151) * 40, Math.floor(i / 151) * 40)) };
    const course = makeCourse('Dale', ground, [stepUse('glacier', { amount: 3000, snowline: 0.45, favour: 0, till: 0, wall: 65 })]);
    const { height, layers } = await evaluate(course, { kernels, from });
    const row = 110;
    // The lower walls, so many samples to either side: 560 m.
    const WALL = 14;
    const exponent = (heights: Float32Array) => {
      const line = heights.slice(row * 151, (row + 1) * 151);
      const lowest = Math.min(...line.slice(60, 91));
      const at = line.indexOf(lowest);
      let [sx, sy, sxx, sxy, count] = [0, 0, 0, 0, 0];
      for (let d = 2; d <= WALL; d++) {
        const up = (line[at - d] + line[at + d]) / 2 - lowest;
        if (up <= 0) continue;
        const [x, y] = [Math.log(d), Math.log(up)];
        [sx, sy, sxx, sxy, count] = [sx + x, sy + y, sxx + x * x, sxy + x * y, count + 1];
      }
      return (count * sxy - sx * sy) / (count * sxx - sx * sx);
    };
    const [before, after] = [exponent(from.height), exponent(height)];
    console.log(
      `measured: a dale under ice: exponent ${before.toFixed(2)} before, ${after.toFixed(2)} after; ice ${Math.max(...layers.ice.slice(row * 151, (row + 1) * 151)).toFixed(0)} m`,
    );
    expect(before).toBeLessThan(1.1);
    expect(after).toBeGreaterThan(1.6);
  });

  it('lays down no more of what it wears off than was asked for, and most of that, where no ice leaves the ground', async () => {
    const ground = { ...groundOf(129, 129, 60), sea: -9000 };
    const course = makeCourse('Fells', ground, [
      stepUse('landform', { form: 'dome', height: 1_100, width: 4_600, length: 4_600, level: 200 }, { join: 'replace' }),
      stepUse('noise', { feature: 1_600, height: 160, octaves: 6, seed: 4 }, { join: 'add' }),
      stepUse('glacier', { amount: 200, till: 0.3, snowline: 0.62 }, { id: 'ice' }),
    ]);
    const { stages } = await evaluate(course, { kernels });
    const { height, before, layers } = stages[2];
    const half = (k: number) => (k === 0 || k === 128 ? 0.5 : 1);
    let [worn, till] = [0, 0];
    for (let i = 0; i < height.length; i++) {
      const weight = half(i % 129) * half(Math.floor(i / 129));
      till += weight * layers.till[i];
      worn += weight * (before[i] - height[i] + layers.till[i]);
    }
    expect(till / worn).toBeGreaterThan(0.12);
    expect(till / worn).toBeLessThan(0.301);
    expect(Math.max(...layers.ice)).toBeGreaterThan(20);
  });

  it('wears a dale alike whichever way it runs over the grid: within 5 %, though it is but two of the coarsest samples wide', async () => {
    const [n, spacing, radius] = [257, 10_000 / 256, 4_700];
    const ground = makeGround({ width: 10_000, depth: 10_000, across: n, down: n, registration: 'point', sea: -9000 });
    const placeOf = (i: number) => [((i % n) - (n - 1) / 2) * spacing, (Math.floor(i / n) - (n - 1) / 2) * spacing];
    // A round land, so that no turn has more ground to gather ice from; low ground around it takes what flows out.
    const turned = async (turn: number): Promise<number> => {
      const [c, s] = [Math.cos((turn * Math.PI) / 180), Math.sin((turn * Math.PI) / 180)];
      const height = Float32Array.from({ length: n * n }, (_, i) => {
        const [x, y] = placeOf(i);
        return Math.hypot(x, y) > radius ? 700 : 1_500 - 0.05 * (x * s + y * c) + 400 * Math.min(1, Math.abs(x * c - y * s) / 300);
      });
      const course = makeCourse('Dale', ground, [stepUse('glacier', { amount: 1500, snowline: 0.4, favour: 0, till: 0, wall: 65 })]);
      const { height: after } = await evaluate(course, { kernels, from: { ground, height } });
      return after.reduce((sum, h, i) => sum + (Math.hypot(...placeOf(i)) < 3_000 ? height[i] - h : 0), 0);
    };
    const worn = [];
    for (const turn of [0, 22.5, 45]) worn.push(await turned(turn));
    console.log(`measured: worn at 22.5° and 45° of what is worn along a column: ${(worn[1] / worn[0]).toFixed(3)}, ${(worn[2] / worn[0]).toFixed(3)}`);
    expect(Math.min(...worn)).toBeGreaterThan(0);
    expect(Math.max(...worn) / Math.min(...worn)).toBeLessThan(1.05);
  });
});
