import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../tests/helpers/grounds';
import { inlineKernels } from '../kernels/pool';
import { evaluate, type EvaluateOptions } from './evaluate';
import { makeCourse, stepUse, type Course, type StepUse } from './schema';
import { maskUse } from './where';

const kernels = inlineKernels();

const ground = groundOf(65, 65, 16);

const run = (course: Course, options: Partial<EvaluateOptions> = {}) => evaluate(course, { kernels, ...options });

const noise = (over: object = {}, rest: Partial<StepUse> = {}) => stepUse('noise', { feature: 300, height: 80, seed: 3, ...over }, rest);

describe('where a step acts', () => {
  const masked = (where: StepUse['where'], rest: Partial<StepUse> = {}) => makeCourse('t', ground, [noise(), stepUse('shift', { by: 50 }, { where, ...rest })]);

  it('is blended by weight, exactly at 0 and 1', async () => {
    const base = (await run(makeCourse('t', ground, [noise()]))).height;
    const { height } = await run(masked({ masks: [maskUse('height', { low: 0, high: 9000, softness: 10 })], combine: 'multiply' }));
    for (let i = 0; i < base.length; i++) {
      if (base[i] >= 0) expect(height[i]).toBe(Math.fround(base[i] + 50));
      else if (base[i] <= -10) expect(height[i]).toBe(base[i]);
      else expect(height[i]).toBeGreaterThan(base[i]);
    }
  });

  it('is multiplied, added or the larger of several masks; one that is off does not count', async () => {
    const left = maskUse('edge', { low: 0, high: 200, softness: 0 });
    const high = maskUse('height', { low: 0, high: 9000, softness: 0 });
    const count = async (combine: 'multiply' | 'add' | 'larger', ...masks: ReturnType<typeof maskUse>[]) => {
      const base = (await run(makeCourse('t', ground, [noise()]))).height;
      const { height } = await run(masked({ masks, combine }));
      return height.reduce((n, h, i) => n + (h !== base[i] ? 1 : 0), 0);
    };
    const [a, b] = [await count('multiply', left), await count('multiply', high)];
    const both = await count('multiply', left, high);
    expect(await count('add', left, high)).toBe(a + b - both);
    expect(await count('larger', left, high)).toBe(a + b - both);
    expect(await count('multiply', left, { ...high, on: false })).toBe(a);
    expect(await count('multiply', { ...left, invert: true })).toBe(65 * 65 - a);
  });

  it('that is empty everywhere is said at the step, and changes nothing', async () => {
    const { stages, height } = await run(masked({ masks: [maskUse('height', { low: 8000, high: 9000, softness: 0 })], combine: 'multiply' }));
    expect(stages[1].words[0]).toMatch(/mask is empty everywhere/);
    expect(stages[1].fault).toBeUndefined();
    expect(height).toEqual(stages[0].height);
  });

  it('enters talus as how easily the rock gives way: its volume is kept and what is masked out stays to the bit', async () => {
    const field = hills(groundOf(129, 129, 5), 4, 900);
    const where = { masks: [maskUse('edge', { low: 150, high: 9000, softness: 60 })], combine: 'multiply' as const };
    const course = makeCourse('t', field.ground, [stepUse('talus', { soil: 10_000, fall: 0, spread: 0, repose: 25, sweeps: 60 }, { where })]);
    const { stages, height } = await evaluate(course, { kernels, from: field });
    expect(stages[0].fault).toBeUndefined();
    let [sum, moved] = [0, 0];
    for (let row = 0; row < 129; row++) {
      for (let c = 0; c < 129; c++) {
        const i = row * 129 + c;
        const weight = (row % 128 ? 1 : 0.5) * (c % 128 ? 1 : 0.5);
        sum += weight * (height[i] - field.height[i]);
        moved += weight * Math.max(0, height[i] - field.height[i]);
      }
    }
    expect(moved).toBeGreaterThan(1000);
    expect(Math.abs(sum) / moved).toBeLessThan(1e-5);
    // Nothing leaves a sample of weight 0, though scree may come to rest on it.
    for (let c = 0; c < 129; c++) expect(height[c]).toBeGreaterThanOrEqual(field.height[c]);
  });
});
