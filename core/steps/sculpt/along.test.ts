import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../../tests/helpers/grounds';
import { evaluate } from '../../course/evaluate';
import { makeCourse, stepUse } from '../../course/schema';
import { fieldFrom, type Field } from '../../field/field';
import { inlineKernels } from '../../kernels/pool';

const kernels = inlineKernels();
const N = 129;
const slope = fieldFrom(groundOf(N, N, 2), (east, south) => 100 + 0.2 * east + 0.3 * south);
const straight = [
  { east: 20, south: 128 },
  { east: 236, south: 128 },
];

async function along(params: object, field: Field) {
  const { stages } = await evaluate(
    makeCourse('t', field.ground, [stepUse('path', { points: straight, soften: 0, profile: 'flat', ...params }, { join: 'replace' })]),
    { kernels, from: field },
  );
  return { h: stages[0].height, fault: stages[0].fault };
}
const column = (h: Float32Array, x = 64) => Array.from({ length: N }, (_, row) => h[row * N + x]);

describe('a path', () => {
  it('that is a level way is level across its width, follows the ground along it, and has banks at their angle', async () => {
    const { h } = await along({ kind: 'level', width: 20, bank: 30, ease: 0 }, slope);
    const way = 100 + 0.2 * 128 + 0.3 * 128;
    const across = column(h);
    for (let row = 64 - 5; row <= 64 + 5; row++) expect(across[row]).toBeCloseTo(way, 3);
    for (let i = 1; i < N; i++) expect(Math.abs(across[i] - across[i - 1]) / 2).toBeLessThanOrEqual(Math.tan(Math.PI / 6) + 1e-4);
    // Far from it the ground is as it was, to the bit.
    expect(h.findIndex((v, i) => Math.abs(Math.floor(i / N) - 64) > 30 && v !== slope.height[i])).toBe(-1);
  });

  it('that cuts only cuts, to its depth; one that heaps up only fills, to its height', async () => {
    const field = hills(groundOf(N, N, 8), 6, 200);
    const points = [{ east: 100, south: 150 }, { east: 420, south: 380 }, { east: 960, south: 900 }]; // prettier-ignore
    const cut = (await along({ kind: 'cut', points, width: 30, height: 9, ease: 0 }, field)).h;
    expect(cut.findIndex((v, i) => v > field.height[i])).toBe(-1);
    const at = Math.round(380 / 8) * N + Math.round(420 / 8);
    expect(field.height[at] - cut[at]).toBeGreaterThan(7);
    for (const kind of ['dam', 'ridge']) {
      const { h } = await along({ kind, points, width: 30, height: 9, ease: 0 }, field);
      expect(h.findIndex((v, i) => v < field.height[i])).toBe(-1);
      expect(h[at] - field.height[at]).toBeGreaterThan(7);
    }
  });

  it('takes its heights from one level, from first to last, or from point to point', async () => {
    const valley = fieldFrom(groundOf(N, N, 2), (east) => 100 + Math.abs(east - 128) * 0.4);
    const crest = (h: Float32Array) => [10, 37, 64, 91, 118].map((x) => h[64 * N + x]);
    const dam = { kind: 'dam', width: 8, height: 0, bank: 30 } as const;
    expect(crest((await along({ ...dam, heights: 'level', level: 160 }, valley)).h).map((v) => Math.round(v * 1000) / 1000)).toEqual([160, 160, 160, 160, 160]);
    // Both ends lie at 143.2 m: level from the one to the other.
    for (const v of crest((await along({ ...dam, heights: 'even' }, valley)).h)) expect(v).toBeCloseTo(143.2, 2);
    const [a, b] = straight;
    const three = [a, { east: 128, south: 128 }, b];
    const [, left, middle] = crest((await along({ ...dam, points: three, heights: 'points', kind: 'level' }, valley)).h);
    expect(middle).toBeCloseTo(100, 2);
    expect(left).toBeCloseTo(100 + 54 * 0.4, 0);
  });

  it('eases the heights of the ground over a distance', async () => {
    const bumps = fieldFrom(groundOf(N, N, 2), (east) => 100 + 3 * Math.sin(east / 4));
    const spread = (h: Float32Array) => {
      const line = Array.from({ length: 60 }, (_, k) => h[64 * N + 34 + k]);
      return Math.max(...line) - Math.min(...line);
    };
    const [rough, eased] = [(await along({ kind: 'level', width: 10, ease: 0 }, bumps)).h, (await along({ kind: 'level', width: 10, ease: 80 }, bumps)).h];
    expect(spread(rough)).toBeGreaterThan(5);
    expect(spread(eased)).toBeLessThan(1);
  });

  it('rounds a bed up to its edges and a crest down to them, and softens where banks meet the ground', async () => {
    const plain = fieldFrom(groundOf(N, N, 2), () => 100);
    const bed = column((await along({ kind: 'cut', width: 40, height: 20, profile: 'round' }, plain)).h);
    expect(bed[64]).toBeCloseTo(80, 3);
    expect(bed[64 + 9]).toBeGreaterThan(83);
    const crest = column((await along({ kind: 'ridge', width: 40, height: 20, profile: 'round' }, plain)).h);
    expect(crest[64]).toBeCloseTo(120, 3);
    expect(crest[64 + 9]).toBeLessThan(117);
    const bend = (c: number[]) => Math.max(...c.slice(1, -1).map((v, i) => Math.abs(c[i] - 2 * v + c[i + 2])));
    const [hard, soft] = [
      column((await along({ kind: 'ridge', width: 0, height: 20 }, plain)).h),
      column((await along({ kind: 'ridge', width: 0, height: 20, soften: 8 }, plain)).h),
    ];
    expect(bend(soft.slice(70))).toBeLessThan(0.5 * bend(hard.slice(70)));
  });

  it('without a line is refused with a sentence; on ground of one row it works', async () => {
    expect((await along({ points: [] }, slope)).fault).toMatch(/no points/);
    const row = fieldFrom(groundOf(N, 1, 2), (east) => 100 + Math.abs(east - 128));
    expect((await along({ points: [{ east: 20, south: 0 }, { east: 236, south: 0 }], heights: 'even' }, row)).h.every(Number.isFinite)).toBe(true); // prettier-ignore
  });
});
