import { describe, expect, it } from 'vitest';
import { groundOf } from '../../tests/helpers/grounds';
import { evaluate, maskAt } from '../course/evaluate';
import { makeCourse, stepUse } from '../course/schema';
import { maskUse, type MaskUse } from '../course/where';
import { fieldFrom } from '../field/field';
import { inlineKernels } from '../kernels/pool';
import { reliefOf } from './terrain';

const kernels = inlineKernels();
const spacing = { x: 10, y: 10 };

async function weights(mask: MaskUse) {
  const course = makeCourse('x', groundOf(65), [
    stepUse('noise', { feature: 200, octaves: 4, height: 90 }),
    stepUse('shift', { by: 1 }, { id: 's', where: { masks: [mask], combine: 'multiply' } }),
  ]);
  const evaluation = await evaluate(course, { kernels });
  return (await maskAt(course, evaluation, 's', { kernels }))!;
}

describe('relief', () => {
  it('is ½ on a plane, high on a top, low in a hollow, and does not know how high the country lies', async () => {
    const ground = groundOf(129);
    const of = (at: (east: number, south: number) => number) => reliefOf(kernels, fieldFrom(ground, at).height, ground, spacing, 200);
    const middle = 64 * 129 + 64;
    expect((await of((e, s) => 0.3 * e + 0.1 * s))[middle]).toBeCloseTo(0.5, 1);
    const bump = (sign: number, base: number) => (e: number, s: number) => base + sign * 80 * Math.exp(-((e - 640) ** 2 + (s - 640) ** 2) / 20_000);
    expect((await of(bump(1, 0)))[middle]).toBeGreaterThan(0.75);
    expect((await of(bump(-1, 0)))[middle]).toBeLessThan(0.25);
    expect((await of(bump(1, 2000)))[middle]).toBeCloseTo((await of(bump(1, 0)))[middle], 2);
  });
});

describe('a frayed mask', () => {
  it('keeps what is whole and what is out, and breaks up what lies between', async () => {
    const plain = await weights(maskUse('height', { low: 10, high: 9000, softness: 40 }));
    const torn = await weights({ ...maskUse('height', { low: 10, high: 9000, softness: 40 }), ragged: 0.8, raggedSize: 60 });
    let [kept, moved] = [0, 0];
    for (let i = 0; i < plain.length; i++) {
      if (plain[i] === 0 || plain[i] === 1) {
        if (torn[i] !== plain[i]) throw new Error(`sample ${i} was ${plain[i]} and became ${torn[i]}`);
        kept++;
      } else if (Math.abs(torn[i] - plain[i]) > 0.02) moved++;
    }
    expect(kept).toBeGreaterThan(500);
    expect(moved).toBeGreaterThan(500);
  });
});

describe('a mask by flow', () => {
  it.each(['steepest', 'multiple'])('has its weight where land drains through, %s', async (by) => {
    const found = await weights(maskUse('flow', { by, low: 20_000, high: 1e10, softness: 0 }));
    const share = found.reduce((sum, w) => sum + w, 0) / found.length;
    expect(share).toBeGreaterThan(0.005);
    expect(share).toBeLessThan(0.4);
    // All of the land drains through somewhere: a bound of nothing has it all.
    const all = await weights(maskUse('flow', { by, low: 0, high: 1e10, softness: 0 }));
    expect(all.every((w) => w === 1)).toBe(true);
  });
});
