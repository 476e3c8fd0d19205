import { describe, expect, it } from 'vitest';
import { inlineKernels } from '../../kernels/pool';
import { drainageOf, lakesOf } from '../../analysis/drainage';
import { fractal } from '../../../tests/helpers/fractal';
import { groundOf } from '../../../tests/helpers/grounds';
import { weathered } from '../../../tests/helpers/weather-steps';

const kernels = inlineKernels();

describe('hollows drained', () => {
  const field = fractal(groundOf(129, 129, 8), { seed: 4, height: 150 });

  it('by cuts alone, every one: no lake is left', async () => {
    const stage = await weathered(field, 'drain', { amount: 2000, scale: 8 }, -900);
    const cut = { ...field, height: stage.height };
    const before = lakesOf(field, await drainageOf(kernels, field)).lakes;
    const { lakes } = lakesOf(cut, await drainageOf(kernels, cut));
    expect(before.length).toBeGreaterThan(20);
    // What rounding leaves is no lake.
    expect(lakes.filter((lake) => lake.depth > 0.01)).toEqual([]);
    expect(stage.layers.fill.every((f) => f === 0)).toBe(true);
  });

  it('by cuts as deep as allowed; the rest keeps its dam and is counted, or is filled', async () => {
    const shallow = await weathered(field, 'drain', { amount: 2, scale: 8 }, -900);
    expect(shallow.words[0]).toMatch(/hollows keep their dam: a deeper cut than 2 m would be needed/);
    expect(Math.max(...shallow.layers.cut)).toBeLessThan(2.01);
    const filled = await weathered(field, 'drain', { amount: 2, scale: 8, fill: true }, -900);
    const ground = { ...field, height: filled.height };
    expect(lakesOf(ground, await drainageOf(kernels, ground)).lakes).toEqual([]);
    expect(filled.words).toEqual([]);
  });
});
