import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { groundOf, hills, largestDifference, noiseField, range } from '../../../tests/helpers/grounds';
import { evaluate } from '../../course/evaluate';
import { makeCourse, stepUse } from '../../course/schema';
import { fieldFrom, makeField, type Field } from '../../field/field';
import { statistics } from '../../field/statistics';
import { inlineKernels } from '../../kernels/pool';
import { paramsOf, steps } from '../../index';
import { monotoneCurve } from './curve';

const kernels = inlineKernels();

/** What a step makes of a field, with what it said. */
async function apply(step: string, params: object, field: Field) {
  const { stages } = await evaluate(makeCourse('t', field.ground, [stepUse(step, params as Record<string, unknown>, { join: 'replace' })]), {
    kernels,
    from: field,
  });
  return { height: stages[0].height, words: stages[0].words, fault: stages[0].fault, layers: stages[0].layers };
}
const done = async (step: string, params: object, field: Field) => {
  const { height, fault } = await apply(step, params, field);
  expect(fault).toBeUndefined();
  return height;
};

/** A single row of heights, to look at a function of height. */
const rowOf = (heights: number[]) => makeField(groundOf(heights.length, 1, 10), Float32Array.from(heights));
const rising = fc
  .uniqueArray(fc.integer({ min: -500_000, max: 2_500_000 }), { minLength: 2, maxLength: 60 })
  .map((h) => h.map((k) => k / 1024).sort((a, b) => a - b));
const share = () => fc.double({ min: 0, max: 1, noNaN: true });

describe('steps that are functions of height rise with it', () => {
  const monotone = (step: string, params: fc.Arbitrary<object>) =>
    fc.assert(
      fc.asyncProperty(rising, params, async (heights, settings) => {
        const out = await done(step, settings, rowOf(heights));
        return out.every((h, i) => i === 0 || h >= out[i - 1]);
      }),
      { seed: 5, numRuns: 120 },
    );

  it('terrace', () =>
    monotone(
      'terrace',
      fc.record({ spacing: fc.double({ min: 0.5, max: 400, noNaN: true }), sharpness: share(), tilt: share(), variation: share(), seed: fc.nat(999) }),
    ));
  it('levels', () =>
    monotone(
      'levels',
      fc.record({
        inLow: fc.integer({ min: -600, max: 500 }),
        inHigh: fc.integer({ min: 501, max: 3000 }),
        gamma: fc.double({ min: 0.1, max: 10, noNaN: true }),
        outLow: fc.integer({ min: -100, max: 100 }),
        outHigh: fc.integer({ min: 101, max: 900 }),
      }),
    ));
  it('curve, through points that rise', () =>
    monotone(
      'curve',
      fc.uniqueArray(fc.integer({ min: -400, max: 2400 }), { minLength: 2, maxLength: 9 }).chain((from) =>
        fc.array(fc.integer({ min: -400, max: 2400 }), { minLength: from.length, maxLength: from.length }).map((to) => {
          const [a, b] = [[...from].sort((x, y) => x - y), [...to].sort((x, y) => x - y)];
          return { points: a.map((x, i) => ({ from: x, to: b[i] })) };
        }),
      ),
    ));
  it('clamp, equalise and exposure', async () => {
    await monotone(
      'clamp',
      fc.record({ low: fc.integer({ min: -600, max: 400 }), high: fc.integer({ min: 401, max: 2600 }), shoulder: fc.integer({ min: 0, max: 190 }) }),
    );
    await monotone('equalise', fc.record({ amount: share() }));
    await monotone('exposure', fc.record({ stops: fc.double({ min: -6, max: 6, noNaN: true }), pivot: fc.integer({ min: -500, max: 500 }) }));
  });
});

describe('terrace', () => {
  it('has level treads at its spacing when it is sharp, and leaves the ground at full tilt', async () => {
    const ramp = rowOf(Array.from({ length: 1001 }, (_, i) => i / 10));
    const treads = await done('terrace', { spacing: 10, sharpness: 1, tilt: 0, variation: 0 }, ramp);
    expect(treads[350]).toBe(30);
    expect(treads[390]).toBe(30);
    const same = await done('terrace', { spacing: 10, sharpness: 0.5, tilt: 1 }, ramp);
    expect(largestDifference(same, ramp.height)).toBeLessThan(1e-4);
  });

  it('keeps every height within its own tread and riser', async () => {
    const field = noiseField(groundOf(50), 4, 0, 900);
    const out = await done('terrace', { spacing: 40, variation: 0.8, seed: 3 }, field);
    expect(largestDifference(out, field.height)).toBeLessThan(40 * 1.8);
  });
});

describe('curve', () => {
  // Fritsch & Carlson 1980, table 1 (RPN 14 data): a monotone interpolant of these values stays within neighbours.
  it('goes through its points, stays between neighbours, and moves what lies beyond by what its ends move', () => {
    const points = [7.99, 8.09, 8.19, 8.7, 9.2, 10, 12, 15, 20].map((from, i) => ({
      from,
      to: [0, 2.76429e-5, 4.37498e-2, 0.169183, 0.469428, 0.94374, 0.998636, 0.999919, 0.999994][i],
    }));
    const at = monotoneCurve(points);
    points.forEach((p) => expect(at(p.from)).toBeCloseTo(p.to, 12));
    let last = -Infinity;
    for (let x = 7.99; x <= 20; x += 0.003) {
      const y = at(x);
      expect(y).toBeGreaterThanOrEqual(last);
      expect(y).toBeLessThanOrEqual(0.999994);
      last = y;
    }
    expect(at(25)).toBeCloseTo(5.999994, 9);
  });

  it('of one point is refused with a sentence', async () => {
    expect((await apply('curve', { points: [{ from: 1, to: 2 }] }, rowOf([1, 2]))).fault).toMatch(/needs two points at different elevations; this one has 1/);
  });
});

describe('levels, clamp and exposure', () => {
  it('count what they clip', async () => {
    const field = rowOf([0, 10, 20, 30, 40, 50]);
    const { height, words } = await apply('levels', { inLow: 10, inHigh: 30, outLow: 100, outHigh: 200 }, field);
    expect([...height]).toEqual([100, 100, 150, 200, 200, 200]);
    expect(words[0]).toMatch(/3 samples lie beyond the input range and are clipped: 1 at its lower end, 2 at its upper/);
    const clamped = await apply('clamp', { low: 5, high: 35, shoulder: 0 }, field);
    expect([...clamped.height]).toEqual([5, 10, 20, 30, 35, 35]);
    expect(clamped.words[0]).toMatch(/3 samples lay beyond the bounds/);
  });

  it('gamma lifts the middle; a stop doubles what lies above the pivot', async () => {
    expect((await done('levels', { inLow: 0, inHigh: 1000, gamma: 2, outLow: 0, outHigh: 1000 }, rowOf([250])))[0]).toBeCloseTo(500, 3);
    expect([...(await done('exposure', { stops: 1, pivot: 100, offset: 5 }, rowOf([100, 150, 90])))]).toEqual([105, 205, 85]);
  });

  it('the shoulder of a clamp has no edge: it meets the ground and the bound at their own slopes', async () => {
    const h = await done('clamp', { low: -1000, high: 100, shoulder: 20 }, rowOf(Array.from({ length: 401 }, (_, i) => i / 2)));
    const slope = (i: number) => (h[i + 1] - h[i]) / 0.5;
    expect(slope(159)).toBeCloseTo(1, 3);
    expect(slope(160)).toBeGreaterThan(0.96);
    expect(slope(239)).toBeLessThan(0.02);
    expect(Math.max(...h)).toBe(100);
  });
});

describe('equalise and invert', () => {
  it('every elevation covers as much ground as any other', async () => {
    const field = hills(groundOf(129));
    const h = await done('equalise', {}, field);
    const [low, high] = range(field.height);
    expect(range(h)[0]).toBeCloseTo(low, 1);
    const counts = new Array(10).fill(0);
    for (const v of h) counts[Math.min(9, Math.floor(((v - low) / (high - low)) * 10))]++;
    counts.forEach((n) => expect(n / h.length).toBeCloseTo(0.1, 2));
  });

  it('twice inverted is as it was', async () => {
    const field = hills(groundOf(33));
    const once = await done('invert', {}, field);
    expect(statistics({ ...field, height: once }).lowest).toBeCloseTo(statistics(field).lowest, 3);
    expect(largestDifference(await done('invert', {}, { ...field, height: once }), field.height)).toBeLessThan(1e-3);
    expect((await done('invert', { about: 'elevation', pivot: 100 }, rowOf([130])))[0]).toBe(70);
  });
});

describe('size bands', () => {
  it('with gains of 1 give the ground back to the bit', async () => {
    const field = hills(groundOf(97, 65));
    expect(await done('bands', {}, field)).toEqual(field.height);
  });

  it('change detail of their own size and hardly any other', async () => {
    const wave = (metres: number) => fieldFrom(groundOf(257, 257, 4), (east) => 10 * Math.sin((east / metres) * 2 * Math.PI));
    const swing = (h: Float32Array) => {
      const middle = h.subarray(128 * 257 + 64, 128 * 257 + 192);
      return (Math.max(...middle) - Math.min(...middle)) / 20;
    };
    const without = { to32: 0, to64: 0 };
    expect(swing(await done('bands', without, wave(32)))).toBeLessThan(0.5);
    expect(swing(await done('bands', without, wave(400)))).toBeGreaterThan(0.9);
    const doubled = { to256: 2, to512: 2 };
    expect(swing(await done('bands', doubled, wave(256)))).toBeGreaterThan(1.4);
    expect(swing(await done('bands', doubled, wave(16)))).toBeCloseTo(1, 1);
  });

  it('are counted in metres: more samples change nothing they do to large forms', async () => {
    const form = (n: number, spacing: number) => fieldFrom(groundOf(n, n, spacing), (e, s) => 40 * Math.sin(e / 70) * Math.cos(s / 50));
    const coarse = await done('bands', { to512: 2 }, form(129, 16));
    const fine = await done('bands', { to512: 2 }, form(513, 4));
    let worst = 0;
    for (let r = 16; r < 113; r++) for (let c = 16; c < 113; c++) worst = Math.max(worst, Math.abs(coarse[r * 129 + c] - fine[4 * r * 513 + 4 * c]));
    expect(worst).toBeLessThan(0.05 * 80);
  });
});

describe('smooth faces', () => {
  it('takes roughness away, keeps a cliff, and leaves a plain slope alone', async () => {
    const ground = groundOf(129, 33, 2);
    const rough = noiseField(ground, 9, -0.5, 0.5);
    const cliff = { ground, height: rough.height.map((r, i) => r + (i % 129 > 64 ? 60 : 0)) };
    const h = await done('edge-smooth', { size: 8, edge: 2 }, cliff);
    const row = 16 * 129;
    expect(h[row + 66] - h[row + 63]).toBeGreaterThan(55);
    let before = 0;
    let after = 0;
    for (let c = 8; c < 50; c++) {
      before += rough.height[row + c] ** 2;
      after += h[row + c] ** 2;
    }
    expect(after).toBeLessThan(before / 6);
    const plane = fieldFrom(ground, (east) => 0.8 * east);
    const flat = await done('edge-smooth', { size: 8, edge: 2 }, plane);
    for (let c = 30; c < 100; c++) expect(flat[row + c]).toBeCloseTo(plane.height[row + c], 2);
  });
});

describe('warp and place', () => {
  it('warp moves nothing farther than its amount, and nothing at all at none', async () => {
    const slope = fieldFrom(groundOf(129, 129, 5), (east) => east);
    const h = await done('warp', { amount: 30, feature: 150 }, slope);
    for (let row = 0; row < 129; row++) for (let c = 8; c < 121; c++) expect(Math.abs(h[row * 129 + c] - c * 5)).toBeLessThanOrEqual(30.001);
    expect(largestDifference(await done('warp', { amount: 0 }, slope), slope.height)).toBe(0);
  });

  it('place turned four times by 90°, flipped twice or moved there and back gives the ground again', async () => {
    const field = hills(groundOf(65, 65, 8));
    let h = field.height;
    for (let i = 0; i < 4; i++) h = await done('place', { turn: 90 }, { ...field, height: h });
    expect(largestDifference(h, field.height)).toBeLessThan(1e-3);
    const flipped = await done('place', { flip: 'columns' }, field);
    expect(flipped[10]).toBe(field.height[54]);
    const moved = await done('place', { east: 40, north: -24, edge: 'wrap' }, field);
    // Five samples to the east, three to the south.
    expect(moved[40 * 65 + 40]).toBeCloseTo(field.height[37 * 65 + 35], 3);
    const twice = await done('place', { across: 2, down: 2 }, field);
    expect(twice[32 * 65 + 42]).toBeCloseTo(field.height[32 * 65 + 37], 3);
  });

  it('both move along what earlier steps left behind', async () => {
    const steep = hills(groundOf(65, 65, 8), 3, 900);
    const course = makeCourse('t', steep.ground, [stepUse('talus', { repose: 20 }), stepUse('place', { flip: 'rows' })]);
    const { stages } = await evaluate(course, { kernels, from: steep });
    for (let c = 0; c < 65; c++) expect(stages[1].layers.cut[c]).toBeCloseTo(stages[0].layers.cut[64 * 65 + c], 4);
  });
});

describe('falloff, roughen and level areas', () => {
  it('an isle lies at its level all around; a rim stands up all around; the middle stays', async () => {
    const field = hills(groundOf(65, 65, 16));
    for (const outline of ['round', 'square']) {
      const isle = await done('falloff', { outline, width: 250, level: -30, ragged: 0 }, field);
      for (let c = 0; c < 65; c++) expect(isle[c]).toBe(-30);
      expect(isle[32 * 65 + 32]).toBe(field.height[32 * 65 + 32]);
    }
    const rim = await done('falloff', { kind: 'rim', outline: 'square', width: 250, rise: 90, ragged: 0 }, field);
    expect(rim[5]).toBeCloseTo(field.height[5] + 90, 3);
  });

  it('roughens what is steep and leaves what is not', async () => {
    const field = fieldFrom(groundOf(65, 65, 8), (east) => (east > 256 ? (east - 256) * 1.2 : 0));
    const h = await done('roughen', { steepFrom: 40, steepFade: 10, height: 10 }, field);
    const spread = (from: number, to: number) => {
      let worst = 0;
      for (let r = 0; r < 65; r++) for (let c = from; c < to; c++) worst = Math.max(worst, Math.abs(h[r * 65 + c] - field.height[r * 65 + c]));
      return worst;
    };
    expect(spread(0, 30)).toBe(0);
    expect(spread(36, 65)).toBeGreaterThan(2);
  });

  it('levels what lies within an outline, comes back over its bank, and leaves the rest to the bit', async () => {
    const field = hills(groundOf(65, 65, 10));
    const points = [
      { east: 200, south: 200 },
      { east: 400, south: 210 },
      { east: 300, south: 400 },
    ];
    const h = await done('level-area', { points, at: 'elevation', level: 480, bank: 50 }, field);
    expect(h[26 * 65 + 30]).toBe(480);
    expect(h[5 * 65 + 5]).toBe(field.height[5 * 65 + 5]);
    const mean = await done('level-area', { points, bank: 0 }, field);
    let [sum, count] = [0, 0];
    for (let i = 0; i < mean.length; i++) {
      if (mean[i] !== mean[26 * 65 + 30]) continue;
      sum += field.height[i];
      count++;
    }
    expect(count).toBeGreaterThan(100);
    expect(sum / count).toBeCloseTo(mean[26 * 65 + 30], 2);
    expect((await apply('level-area', { points: points.slice(0, 2) }, field)).fault).toMatch(/2 corners; it needs three/);
  });
});

describe('channel', () => {
  const field = hills(groundOf(129, 129, 8), 6, 200);
  const points = [
    { east: 100, south: 150 },
    { east: 420, south: 380 },
    { east: 700, south: 600 },
    { east: 960, south: 960 },
  ];

  it('only cuts, reaches its depth, and its bed falls all the way', async () => {
    const h = await done('channel', { points, width: 40, depth: 15, bed: 'flat', soften: 0 }, field);
    expect(h.every((v, i) => v <= field.height[i])).toBe(true);
    // Along the line at its points, first to last.
    const along = points.map(({ east, south }) => h[Math.round(south / 8) * 129 + Math.round(east / 8)]);
    for (let i = 1; i < along.length; i++) expect(along[i]).toBeLessThanOrEqual(along[i - 1] + 1e-3);
    expect(field.height[19 * 129 + 13] - h[19 * 129 + 13]).toBeGreaterThan(12);
  });

  it('has banks no steeper than their angle where it cut into a plain', async () => {
    const plain = fieldFrom(groundOf(129, 129, 2), () => 100);
    const straight = [
      { east: 20, south: 128 },
      { east: 236, south: 128 },
    ];
    const h = await done('channel', { points: straight, width: 20, depth: 12, bank: 30, bed: 'flat', soften: 0 }, plain);
    const column = Array.from({ length: 129 }, (_, row) => h[row * 129 + 64]);
    expect(Math.min(...column)).toBeCloseTo(88, 4);
    for (let i = 1; i < 129; i++) expect(Math.abs(column[i] - column[i - 1]) / 2).toBeLessThanOrEqual(Math.tan(Math.PI / 6) + 1e-5);
    expect(column[64 - 5]).toBeCloseTo(88, 4);
    expect(column[64 - 17]).toBe(100);
  });

  it('along a line of one point, or of none, is refused with a sentence', async () => {
    expect((await apply('channel', { points: points.slice(0, 1) }, field)).fault).toMatch(/This line has one point; it needs two/);
    expect((await apply('channel', {}, field)).fault).toMatch(/no points/);
  });
});

describe('every step', () => {
  // Weathering has its own tests; these stay within their bounds whatever is set.
  const calm = steps.filter((s) => !['talus', 'sculpt', 'raster', 'join'].includes(s.id));
  it('makes no height that is not a number, at any setting, on any ground', async () => {
    const grounds = [hills(groundOf(33)), fieldFrom(groundOf(16), () => 0), fieldFrom(groundOf(17, 9, 3, 'area'), (e) => (e > 20 ? 5000 : 0)), rowOf([5])];
    for (const step of calm) {
      const numbers = paramsOf(step.params);
      await fc.assert(
        fc.asyncProperty(fc.array(share(), { minLength: 12, maxLength: 12 }), fc.nat(grounds.length - 1), async (shares, which) => {
          const params: Record<string, unknown> = {};
          numbers.forEach(({ key, meta }, i) => {
            const s = shares[i % 12];
            if (meta.choices) params[key] = Object.keys(meta.choices)[Math.floor(s * 0.999 * Object.keys(meta.choices).length)];
            else if (meta.kind === 'line') params[key] = Array.from({ length: 4 }, (_, k) => ({ east: shares[k] * 300, south: shares[k + 4] * 300 }));
            else if (meta.max !== undefined) {
              const value = meta.min! + s * s * s * (meta.max - meta.min!);
              params[key] = meta.kind === 'count' || meta.kind === 'seed' ? Math.round(value) : value;
            }
          });
          const { height, fault } = await apply(step.id, params, grounds[which]);
          return (fault === undefined || /\.$/.test(fault)) && height.every((h) => Number.isFinite(h));
        }),
        { seed: 3, numRuns: 10 },
      );
    }
  });

  it('has presets whose settings it takes', () => {
    for (const step of steps) for (const { params } of step.presets) expect(step.params.safeParse(params).success, step.id).toBe(true);
    expect(steps.find((s) => s.id === 'noise')!.presets.length).toBeGreaterThanOrEqual(12);
  });
});
