import { rockSchema } from '../rock/rock';
import { describe, expect, it } from 'vitest';
import { groundOf, largestDifference } from '../../tests/helpers/grounds';
import { inlineKernels } from '../kernels/pool';
import { maskKinds } from '../masks';
import { steps } from '../steps';
import { evaluate } from './evaluate';
import { makeCourse, stepUse, type StepUse } from './schema';
import { maskUse } from './where';

const kernels = inlineKernels();

const noise = (over: object = {}, rest: Partial<StepUse> = {}) => stepUse('noise', { feature: 300, height: 80, seed: 3, ...over }, rest);

describe('after a change in a rectangle', () => {
  // Hand work of one tile of 256 on a larger ground, with steps of finite reach after it.
  const wide = groundOf(520, 520, 4);
  const tile = (value: number) => {
    const bytes = new Uint8Array(256 * 256 * 4);
    const view = new DataView(bytes.buffer);
    for (let i = 0; i < 256 * 256; i++) view.setFloat32(i * 4, value * Math.sin(i * 0.01), true);
    return bytes as Uint8Array<ArrayBuffer>;
  };
  const assets = new Map([
    ['a'.repeat(64), tile(4)],
    ['b'.repeat(64), tile(9)],
  ]);
  const asset = async (sha: string) => assets.get(sha)!;
  const course = (sha: string, after: StepUse[]) => ({
    ...makeCourse('t', wide, [
      noise({ feature: 900, height: 200 }, { id: 'n' }),
      stepUse('sculpt', { samples: { across: 520, down: 520, registration: 'point' }, tiles: { '1,1': sha }, strokes: 1 }, { id: 'h' }),
      ...after,
    ]),
    rock: rockSchema.parse({ thickness: 25 }),
  });

  it('gives the same bytes as working everything out, and works out less', async () => {
    const after = [
      stepUse('blur', { size: 24 }, { id: 'b', where: { masks: [maskUse('slope', { low: 5, high: 90, softness: 5 })], combine: 'multiply' } }),
      stepUse('median', { size: 20 }, { id: 'm' }),
      stepUse('roughen', {}, { id: 'r' }),
      stepUse('warp', { amount: 60, feature: 300 }, { id: 'w' }),
      stepUse('terrace', { spacing: 15 }, { id: 't', strength: 0.5 }),
    ];
    const first = await evaluate(course('a'.repeat(64), after), { kernels, asset });
    const partly = await evaluate(course('b'.repeat(64), after), { kernels, asset, previous: first });
    const whole = await evaluate(course('b'.repeat(64), after), { kernels, asset });
    for (const [i, stage] of partly.stages.entries()) {
      expect(largestDifference(stage.height, whole.stages[i].height), stage.use.step).toBe(0);
      if (i > 0) expect(stage.touched, stage.use.step).toBeDefined();
    }
    expect(largestDifference(partly.height, first.height)).toBeGreaterThan(1);
    expect(partly.stages[1].touched!.across).toBe(256);
  });

  describe('with every step whose reach is finite, and every mask', () => {
    const line = {
      points: [
        { east: 300, south: 400 },
        { east: 1900, south: 900 },
        { east: 1500, south: 1950 },
      ],
    };
    const uses = steps
      // Weathering knows the whole ground, all but the shore.
      .filter((step) => !['raster', 'mosaic', 'join', 'sculpt'].includes(step.id) && (step.family !== 'weather' || step.id === 'shore'))
      .map((step) => stepUse(step.id, step.params.shape.points && step.id !== 'curve' ? { ...line, at: 'elevation' } : {}))
      .concat(
        stepUse('blur', { size: 110 }),
        stepUse('median', { size: 60 }),
        stepUse('edge-smooth', { size: 10 }),
        stepUse('invert', { about: 'elevation', pivot: 100 }),
      )
      .concat(
        maskKinds
          .filter((kind) => !['image', 'tributary', 'painted', 'layer'].includes(kind.id))
          .map((kind) => stepUse('shift', { by: 40 }, { where: { masks: [maskUse(kind.id)], combine: 'multiply' } })),
      );
    const seen = new Set<string>();
    // The ground under each of them is worked out once.
    const before = { a: evaluate(course('a'.repeat(64), []), { kernels, asset }), b: evaluate(course('b'.repeat(64), []), { kernels, asset }) };

    it.each(uses.map((use) => [[use.step, ...use.where.masks.map((mask) => mask.kind)].join(', '), use] as const))(
      'gives the same bytes as working everything out: %s',
      async (label, use) => {
        const first = await evaluate(course('a'.repeat(64), [use]), { kernels, asset, previous: await before.a });
        const partly = await evaluate(course('b'.repeat(64), [use]), { kernels, asset, previous: first });
        const whole = await evaluate(course('b'.repeat(64), [use]), { kernels, asset, previous: await before.b });
        const last = partly.stages[2];
        expect(last.fault, label).toBeUndefined();
        expect(whole.stages[2].touched, label).toBeUndefined();
        expect(largestDifference(last.height, whole.height), label).toBe(0);
        if (last.touched) seen.add(use.step);
      },
    );

    it('really works out a part only', () => {
      expect([...seen]).toEqual(
        expect.arrayContaining([
          'noise',
          'landform',
          'flat',
          'warp',
          'terrace',
          'curve',
          'levels',
          'exposure',
          'clamp',
          'blur',
          'median',
          'edge-smooth',
          'roughen',
          'falloff',
          'shift',
          'invert',
          'level-area',
        ]),
      );
    });
  });

  it('works everything out where a step knows the whole ground, was added, or was moved', async () => {
    const after = [stepUse('equalise', {}, { id: 'e' }), stepUse('shift', { by: 3 }, { id: 's' })];
    const first = await evaluate(course('a'.repeat(64), after), { kernels, asset });
    for (const next of [after, [after[1], after[0]], [stepUse('shift', { by: 9 }, { id: 'new' }), ...after], [after[1]]]) {
      const partly = await evaluate(course('b'.repeat(64), next), { kernels, asset, previous: first });
      const whole = await evaluate(course('b'.repeat(64), next), { kernels, asset });
      expect(largestDifference(partly.height, whole.height)).toBe(0);
    }
  });
});
