import { describe, expect, it } from 'vitest';
import { eroded, fractal } from '../../../tests/helpers/fractal';
import { firstWrong, groundOf } from '../../../tests/helpers/grounds';
import { runMend, rmse } from '../../../tests/helpers/mend-steps';

const worst = (a: ArrayLike<number>, b: ArrayLike<number>) => {
  let most = 0;
  for (let i = 0; i < a.length; i++) most = Math.max(most, Math.abs(a[i] - b[i]));
  return most;
};

describe('un-step', () => {
  const n = 193;
  const levelsOf = (truth: Float32Array) => truth.map((h) => Math.round(h));
  const at = (f: (x: number, y: number) => number) => Float32Array.from({ length: n * n }, (_, i) => f(i % n, Math.floor(i / n)));
  const smooth: [string, Float32Array][] = [
    ...[0.02, 0.05, 0.1, 0.2, 0.3].map((s): [string, Float32Array] => [
      `a plane rising ${s} of a level a sample`,
      at((x, y) => 20.3 + x * s * 0.9 + y * s * 0.43),
    ]),
    ['a dome', at((x, y) => 60 - ((x - 90) ** 2 + (y - 100) ** 2) / 900)],
    ['hills', at((x, y) => 40 + 4 * Math.sin(x / 22) * Math.cos(y / 31))],
    ['hills, steeper', at((x, y) => 90 + 9 * Math.sin(x / 33) * Math.cos(y / 40))],
  ];
  const un = async (codes: Float32Array, level = 0) =>
    (await runMend('unstep', { ground: groundOf(n), height: codes as Float32Array<ArrayBuffer> }, { level })).height;

  it.each(smooth)('brings the error of %s down to a third, each sample at home in its own code', async (_, truth) => {
    const codes = levelsOf(truth);
    const out = await un(codes);
    expect(firstWrong(out.length, (i) => Math.round(out[i]) === codes[i])).toBe(-1);
    expect(rmse(out, truth) / rmse(codes, truth)).toBeLessThan(1 / 3);
  });

  const rough: [string, Float32Array, number][] = [];
  for (const gain of [0.45, 0.5, 0.6])
    for (const level of [20, 5, 1.5]) rough.push([`fractal ground, gain ${gain}`, fractal(groundOf(n), { gain }).height, level]);
  for (const level of [5, 1.5, 0.5]) rough.push(['eroded ground', eroded(groundOf(n), 2).height, level]);
  it.each(rough)('on %s in levels of %d (m) makes no class of gentleness worse than 1.02, and gentle ones better', async (_, metres, level) => {
    const truth = metres.map((h) => h / level);
    const codes = levelsOf(truth);
    const out = await un(codes);
    const edges = [0, 0.05, 0.15, 0.3, 0.6, 1.2, Infinity];
    const slope = (i: number) => Math.hypot(truth[i + 1] - truth[i - 1], truth[i + n] - truth[i - n]) / 2;
    const inner = (i: number) => i % n > 0 && i % n < n - 1 && i > n && i < n * n - n;
    for (let k = 0; k + 1 < edges.length; k++) {
      const inClass = (i: number) => inner(i) && slope(i) >= edges[k] && slope(i) < edges[k + 1];
      const count = truth.reduce((sum, _h, i) => sum + (inClass(i) ? 1 : 0), 0);
      if (count < 300) continue;
      expect(rmse(out, truth, inClass) / rmse(codes, truth, inClass), `slopes of ${edges[k]} to ${edges[k + 1]} levels`).toBeLessThan(1.02);
    }
    expect(firstWrong(out.length, (i) => Math.round(out[i]) === codes[i])).toBe(-1);
  });

  it('finds the level of heights in metres, and says so where there is none', async () => {
    const metres = levelsOf(smooth[5][1]).map((c) => 312 + c * 3.91);
    const { height, stages } = await runMend('unstep', { ground: groundOf(n), height: metres as Float32Array<ArrayBuffer> });
    expect(stages[0].words[0]).toMatch(/One level is 3\.91 m/);
    expect(worst(height, metres)).toBeLessThan(3.91 / 2);
    const none = await runMend('unstep', fractal(groundOf(65)));
    expect(none.stages[0].words[0]).toMatch(/no ladder of levels/);
  });
});
