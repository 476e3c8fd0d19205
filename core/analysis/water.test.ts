import { describe, expect, it } from 'vitest';
import { fieldFrom } from '../field/field';
import { inlineKernels } from '../kernels/pool';
import { groundOf } from '../../tests/helpers/grounds';
import { usualWater, waterDepth, waterOf, waterSchema, waterWeights } from './water';

const kernels = inlineKernels();
const rules = waterSchema.parse({});

describe('water', () => {
  // A slope to the south with a bowl in its middle whose rim is lowest at 100 m, and the sea at its foot.
  const ground = { ...groundOf(101, 101, 20), sea: 10 };
  const field = fieldFrom(ground, (e, s) => {
    const away = Math.hypot(e - 1000, s - 900);
    return Math.max(-20, 200 - 0.1 * s) - (away < 300 ? 40 * (1 - (away / 300) ** 2) : 0);
  });

  it('is the sea where the ground lies under its level', async () => {
    const low = fieldFrom({ ...ground, sea: 60 }, (_, s) => 100 - 0.1 * s);
    const { depth, standing } = await waterOf(kernels, low, { ...rules, lakes: false, streams: false });
    for (let i = 0; i < depth.length; i++) {
      expect(standing[i]).toBe(low.height[i] < 60 ? 1 : 0);
      expect(depth[i]).toBeCloseTo(Math.max(0, 60 - low.height[i]), 4);
    }
  });

  it('stands in a hollow at the level of its way out', async () => {
    const { depth, standing } = await waterOf(kernels, field, { ...rules, streams: false });
    const levels = new Set<number>();
    for (let i = 0; i < depth.length; i++) if (standing[i] === 2) levels.add(Math.round((field.height[i] + depth[i]) * 1000));
    expect(levels.size).toBe(1);
    expect(standing.filter((kind) => kind === 2).length).toBeGreaterThan(100);
  });

  it('is no lake where the hollow is shallower or smaller than asked', async () => {
    for (const more of [{ leastDepth: 100 }, { leastArea: 1e8 }]) {
      const { standing } = await waterOf(kernels, field, { ...rules, streams: false, ...more });
      expect(standing.includes(2)).toBe(false);
    }
  });

  it('runs where enough has gathered, wider the more it is: twice the width for four times the water', async () => {
    // A valley that opens to the south: all of it drains down its middle.
    const valley = fieldFrom({ ...groundOf(121, 121, 5), sea: -100 }, (e, s) => 300 - 0.2 * s + 0.5 * Math.abs(e - 300));
    const wet = async (size: number) => {
      const { stream } = await waterOf(kernels, valley, { ...rules, lakes: false, from: 60, size });
      return stream.reduce((sum, share, i) => (Math.floor(i / 121) === 110 ? sum + share : sum), 0);
    };
    expect(await wet(2)).toBeGreaterThan(0);
    // Width goes with the size, whether it is a part of a sample or many.
    expect((await wet(4)) / (await wet(2))).toBeCloseTo(2, 0);
    const { stream } = await waterOf(kernels, valley, { ...rules, lakes: false, from: 60 });
    const upper = stream[40 * 121 + 60];
    const lower = stream[115 * 121 + 60];
    expect(lower).toBeGreaterThan(upper);
    expect(stream[20 * 121 + 10]).toBe(0);
  });

  it('is told apart by kind, as weights and as depth', async () => {
    const water = await waterOf(kernels, field, rules);
    const [all, sea, lakes, streams] = (['all', 'sea', 'lakes', 'streams'] as const).map((of) => waterWeights(water, of));
    for (let i = 0; i < all.length; i++) expect(all[i]).toBe(Math.max(sea[i], lakes[i], streams[i]));
    const [deepAll, deepSea, deepLakes] = (['all', 'sea', 'lakes'] as const).map((of) => waterDepth(water, of));
    for (let i = 0; i < all.length; i++) expect(deepAll[i]).toBeGreaterThanOrEqual(Math.max(deepSea[i], deepLakes[i]));
    expect(Math.max(...lakes)).toBe(1);
  });

  it('of a small ground begins at smaller streams', () => {
    expect(usualWater({ width: 8192, depth: 8192 }).from).toBe(600);
    expect(usualWater({ width: 600, depth: 900 }).from).toBe(50);
  });

  it('on a ground of one sample, or level, is none', async () => {
    for (const n of [1, 5]) {
      const { depth, stream } = await waterOf(
        kernels,
        fieldFrom({ ...groundOf(n, n, 10), sea: 0 }, () => 5),
        rules,
      );
      expect(Math.max(...depth, ...stream)).toBe(0);
    }
  });
});
