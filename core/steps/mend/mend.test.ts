import { encode as encodeJpeg } from 'jpeg-js';
import { describe, expect, it } from 'vitest';
import { eroded, fractal } from '../../../tests/helpers/fractal';
import { groundOf, random } from '../../../tests/helpers/grounds';
import { evaluate, type Evaluation } from '../../course/evaluate';
import { makeCourse, stepUse } from '../../course/schema';
import { fieldFrom, type Field } from '../../field/field';
import { cropSamples } from '../../field/window';
import { readHeightmap } from '../../formats';
import { inlineKernels } from '../../kernels/pool';
import { findBlocks } from './deblock';
import { findSpikes } from './despike';

const kernels = inlineKernels();
const run = async (step: string, field: Field, params: Record<string, unknown> = {}): Promise<Evaluation> => {
  const evaluation = await evaluate(makeCourse('mend', field.ground, [stepUse(step, params)]), { kernels, from: field });
  expect(evaluation.stages[0].fault).toBeUndefined();
  return evaluation;
};
const rmse = (a: ArrayLike<number>, b: ArrayLike<number>, where: (i: number) => boolean = () => true) => {
  let sum = 0;
  let n = 0;
  for (let i = 0; i < a.length; i++) {
    if (!where(i)) continue;
    sum += (a[i] - b[i]) ** 2;
    n++;
  }
  return Math.sqrt(sum / n);
};
const spanOf = (h: Float32Array) => h.reduce((a, b) => Math.max(a, b), -Infinity) - h.reduce((a, b) => Math.min(a, b), Infinity);
const worst = (a: ArrayLike<number>, b: ArrayLike<number>) => {
  let most = 0;
  for (let i = 0; i < a.length; i++) most = Math.max(most, Math.abs(a[i] - b[i]));
  return most;
};
/** Without its outermost samples: the outlets of worn ground stand still while it rises. */
const inner = ({ ground: { across, down }, height }: Field, by: number): Field => ({
  ground: groundOf(across - 2 * by, down - 2 * by, 10),
  height: cropSamples(height, across, { left: by, top: by, across: across - 2 * by, down: down - 2 * by }).slice() as Field['height'],
});
const ground = groundOf(201, 161, 10);
const clean: [string, Field][] = [
  ['hills', fieldFrom(ground, (e, s) => 300 + 60 * Math.sin(e / 170 + 1) * Math.cos(s / 210) + 25 * Math.sin((e + 2 * s) / 90))],
  ['fractal', fractal(ground, { seed: 3, gain: 0.55 })],
  ['eroded', inner(eroded(groundOf(193, 193, 10), 5), 16)],
  ['a plane', fieldFrom(ground, (e, s) => 100 + e * 0.4 - s * 0.2)],
];

describe('fill voids', () => {
  const holed = (field: Field) => {
    const { across } = field.ground;
    const valid = new Uint8Array(field.height.length).fill(1);
    const next = random(8);
    for (let hole = 0; hole < 14; hole++) {
      const [x, y, r] = [12 + next() * (across - 24), 12 + next() * (field.ground.down - 24), 1 + next() * 9];
      for (let i = 0; i < valid.length; i++) if (((i % across) - x) ** 2 + (Math.floor(i / across) - y) ** 2 < r * r) valid[i] = 0;
    }
    return { ...field, valid, height: field.height.map((h, i) => (valid[i] ? h : -9999)) };
  };
  it('rebuilds a plane to 1e-5 of its range and a quadratic to 1e-3, and leaves every other sample its bits', async () => {
    for (const [truth, bound] of [
      [clean[3][1], 1e-5],
      [fieldFrom(ground, (e, s) => 400 + ((e - 900) ** 2 + 0.6 * e * s - (s - 500) ** 2) / 4000), 1e-3],
    ] as const) {
      const field = holed(truth);
      const { height, layers } = await run('fill-voids', field);
      expect(worst(height, truth.height) / spanOf(truth.height)).toBeLessThan(bound);
      for (let i = 0; i < height.length; i++) if (field.valid[i]) expect(height[i]).toBe(truth.height[i]);
      expect(layers.void.every((v) => v === 0)).toBe(true);
    }
  });

  it('fills a hole a third of the ground wide, one at the very edge, and ground that is nearly all hole', async () => {
    const truth = fieldFrom(groundOf(129), (e, s) => e * 0.3 + s * 0.1);
    for (const known of [
      (x: number, y: number) => (x - 64) ** 2 + (y - 64) ** 2 > 1600,
      (x: number) => x > 20,
      (x: number, y: number) => x % 16 === 0 && y % 16 === 0,
    ]) {
      const valid = Uint8Array.from(truth.height, (_, i) => (known(i % 129, Math.floor(i / 129)) ? 1 : 0));
      const { height } = await run('fill-voids', { ...truth, valid, height: truth.height.map((h, i) => (valid[i] ? h : 0)) });
      expect(worst(height, truth.height) / spanOf(truth.height)).toBeLessThan(1e-4);
    }
  });

  it('as a membrane stays between the heights of the rim', async () => {
    const truth = fieldFrom(ground, (e, s) => ((e - 900) ** 2 + (s - 800) ** 2) / 2000);
    const field = holed(truth);
    const { height } = await run('fill-voids', field, { how: 'membrane' });
    expect(Math.min(...height)).toBeGreaterThanOrEqual(Math.min(...height.filter((_, i) => field.valid[i] === 1)));
    expect(worst(height, truth.height)).toBeGreaterThan(1);
  });

  it('says so where there are none', async () => {
    const { stages, height } = await run('fill-voids', clean[0][1]);
    expect(stages[0].words.join()).toMatch(/no holes/);
    expect(height).toEqual(clean[0][1].height);
  });
});

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
    (await run('unstep', { ground: groundOf(n), height: codes as Float32Array<ArrayBuffer> }, { level })).height;

  it.each(smooth)('brings the error of %s down to a third, each sample at home in its own code', async (_, truth) => {
    const codes = levelsOf(truth);
    const out = await un(codes);
    for (let i = 0; i < out.length; i++) expect(Math.round(out[i])).toBe(codes[i]);
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
    for (let i = 0; i < out.length; i++) expect(Math.round(out[i])).toBe(codes[i]);
  });

  it('finds the level of heights in metres, and says so where there is none', async () => {
    const metres = levelsOf(smooth[5][1]).map((c) => 312 + c * 3.91);
    const { height, stages } = await run('unstep', { ground: groundOf(n), height: metres as Float32Array<ArrayBuffer> });
    expect(stages[0].words[0]).toMatch(/One level is 3\.91 m/);
    expect(worst(height, metres)).toBeLessThan(3.91 / 2);
    const none = await run('unstep', fractal(groundOf(65)));
    expect(none.stages[0].words[0]).toMatch(/no ladder of levels/);
  });
});

describe('trim edge, despike and de-block leave clean ground alone', () => {
  it.each(clean)('%s', async (_, field) => {
    for (const step of ['trim-edge', 'despike', 'deblock']) {
      const { height } = await run(step, field);
      expect(worst(height, field.height) / spanOf(field.height), step).toBeLessThan(1e-4);
    }
  });
});

describe('trim edge', () => {
  it.each(clean)('brings the error of %s in a white frame down by 70 % at least, and mends only the frame', async (_, field) => {
    const { across, down } = field.ground;
    const white = field.height.reduce((a, b) => Math.max(a, b), -Infinity) + 40;
    const [north, east, south, west] = [4, 7, 3, 5];
    const inside = (i: number) => i % across >= west && i % across < across - east && i >= north * across && i < (down - south) * across;
    const damaged = field.height.map((h, i) => (inside(i) ? h : white));
    const { height, stages } = await run('trim-edge', { ...field, height: damaged });
    expect(stages[0].words[0]).toMatch(/4 samples in the north, 7 in the east, 3 in the south, 5 in the west/);
    expect(rmse(height, field.height)).toBeLessThan(0.3 * rmse(damaged, field.height));
    for (let i = 0; i < height.length; i++) if (inside(i)) expect(height[i]).toBe(field.height[i]);
  });

  it('takes typed widths, and leaves ground that would be all strip', async () => {
    const [, field] = clean[0];
    const { height } = await run('trim-edge', field, { find: false, west: 30 });
    expect(height[3]).toBe(field.height[3]);
    expect(height[0]).not.toBe(field.height[0]);
    const { stages } = await run('trim-edge', field, { find: false, west: 1500, east: 1500 });
    expect(stages[0].words[0]).toMatch(/cover the whole ground/);
  });
});

describe('despike', () => {
  it.each(clean)('takes spikes out of %s: the error falls by 95 % at least', async (_, field) => {
    const next = random(5);
    const damaged = field.height.slice();
    const span = spanOf(field.height);
    for (let k = 0; k < 160; k++) damaged[Math.floor(next() * damaged.length)] += (next() < 0.5 ? -1 : 1) * span * (0.4 + next());
    const { height } = await run('despike', { ...field, height: damaged });
    expect(rmse(height, field.height)).toBeLessThan(0.05 * rmse(damaged, field.height));
  });

  it('on clean ground cut into benches next to nothing stands off: one sample in a thousand at the most', async () => {
    const { ground } = clean[0][1];
    for (const [seed, spacing] of [
      [4, 30],
      [5, 12],
      [9, 25],
    ]) {
      const steps = [stepUse('noise', { feature: 900, height: 300, octaves: 5, seed }), stepUse('terrace', { spacing, sharpness: 0.95 })];
      const { height } = await evaluate(makeCourse('benches', ground, steps), { kernels });
      const { count } = await findSpikes(height, ground.across, ground.down, kernels);
      expect(count / height.length).toBeLessThan(0.001);
    }
  });

  it.each([60, 80, 92])('of a JPEG of quality %i it takes what packing smeared around spikes out too', async (quality) => {
    const side = 256;
    const wide = groundOf(side, side, 10);
    const truth = (await evaluate(makeCourse('hills', wide, [stepUse('noise', { feature: 900, height: 200, octaves: 5, seed: 4 })]), { kernels })).height;
    const [low, high] = [Math.min(...truth), Math.max(...truth)];
    const code = (h: number) => Math.round((255 * (h - low)) / (high - low));
    const data = new Uint8Array(4 * side * side);
    truth.forEach((h, i) => data.set([code(h), code(h), code(h), 255], 4 * i));
    const places = Array.from({ length: 25 }, (_, k) => (12 + ((k * 37) % 230)) * side + 12 + ((k * 53) % 230));
    for (const [k, p] of places.entries()) data.set(k % 2 ? [255, 255, 255] : [0, 0, 0], 4 * p);
    const { samples } = await readHeightmap(new Uint8Array(encodeJpeg({ data, width: side, height: side }, quality).data));
    const scan: Field = { ground: wide, height: Float32Array.from(samples, (v) => low + (v * (high - low)) / 255) };
    const least = (20 * (high - low)) / 255;
    const near = (height: Float32Array) => {
      let [sum, n] = [0, 0];
      for (const p of places)
        for (let y = -8; y <= 8; y++) for (let x = -8; x <= 8; x++, n++) sum += Math.abs(height[p + y * side + x] - truth[p + y * side + x]);
      return sum / n;
    };
    const mended = async (params: object) => {
      const spikes = (await run('despike', scan, { least, ...params })).height;
      return near((await run('deblock', { ...scan, height: spikes })).height);
    };
    const [plain, packed] = [await mended({}), await mended({ packed: true })];
    expect(packed).toBeLessThan(0.75 * plain);
  });
});

describe('de-block', () => {
  const jpegOf = async (truth: Float32Array, across: number, down: number, quality: number) => {
    const data = new Uint8Array(4 * truth.length);
    truth.forEach((v, i) => data.set([Math.round(v), Math.round(v), Math.round(v), 255], 4 * i));
    const bytes = new Uint8Array(encodeJpeg({ data, width: across, height: down }, quality).data);
    return Float32Array.from((await readHeightmap(bytes)).samples);
  };
  /** How much larger steps across the grid are than the others, in all. */
  const excess = (h: Float32Array, across: number, down: number) => {
    const sums = [0, 0];
    const counts = [0, 0];
    for (let y = 1; y < down; y++) {
      for (let x = 1; x < across; x++) {
        const i = y * across + x;
        sums[x % 8 === 0 ? 1 : 0] += Math.abs(h[i] - h[i - 1]);
        counts[x % 8 === 0 ? 1 : 0]++;
        sums[y % 8 === 0 ? 1 : 0] += Math.abs(h[i] - h[i - across]);
        counts[y % 8 === 0 ? 1 : 0]++;
      }
    }
    return sums[1] / counts[1] - sums[0] / counts[0];
  };
  const grounds: [string, Field][] = [clean[0], clean[1], ['eroded', clean[2][1]]];
  for (const quality of [30, 50, 75]) {
    it.each(grounds)(`brings the excess across the grid of %s at quality ${quality} down by 80 %, no worse in error`, async (_, field) => {
      const { across, down } = field.ground;
      const low = field.height.reduce((a, b) => Math.min(a, b), Infinity);
      const span = spanOf(field.height);
      const truth = field.height.map((h) => (250 * (h - low)) / span);
      const packed = await jpegOf(truth, across, down, quality);
      const before = excess(packed, across, down) - excess(truth, across, down);
      const { height } = await run('deblock', { ground: field.ground, height: packed as Float32Array<ArrayBuffer> });
      if (!findBlocks(packed, across, down)) {
        expect(before).toBeLessThan(0.05);
        return;
      }
      expect(Math.abs(excess(height, across, down) - excess(truth, across, down))).toBeLessThan(0.2 * before);
      expect(rmse(height, truth)).toBeLessThanOrEqual(rmse(packed, truth));
    });
  }
});

describe('linearise', () => {
  it('undoes the sRGB curve: 0.5 becomes 0.21404, and 0.5 linear comes from 0.73536 (IEC 61966-2-1)', async () => {
    const field = { ground: groundOf(3, 1), height: Float32Array.of(0, 127.5, 255) };
    const { height } = await run('linearise', field);
    expect(height[0]).toBe(0);
    expect(height[1] / 255).toBeCloseTo(0.21404, 5);
    expect(height[2]).toBe(255);
    const back = await run('linearise', { ...field, height: Float32Array.of(0, 127.5, 255) }, { way: 'apply' });
    expect(back.height[1] / 255).toBeCloseTo(0.73536, 5);
    const power = await run('linearise', field, { curve: 'power', gamma: 2 });
    expect(power.height[1] / 255).toBeCloseTo(0.25, 5);
  });
});

describe('dome over', () => {
  it('builds a cap over a top that was cut off, says that it is invented, and leaves the rest its bits', async () => {
    const truth = fieldFrom(ground, (e, s) => 400 - ((e - 1000) ** 2 + (s - 800) ** 2) / 2500);
    const cut = truth.height.map((h) => Math.min(h, 330));
    const { height, stages } = await run('dome-over', { ...truth, height: cut });
    // A paraboloid's cap is nearly what the rim's slope makes of it.
    expect(rmse(height, truth.height)).toBeLessThan(0.1 * rmse(cut, truth.height));
    for (let i = 0; i < height.length; i++) if (truth.height[i] < 330) expect(height[i]).toBe(cut[i]);
    expect(stages[0].words[0]).toMatch(/invented.*Nothing in the file/);
    const limited = await run('dome-over', { ...truth, height: cut }, { most: 10 });
    expect(Math.max(...limited.height)).toBeLessThanOrEqual(340);
  });
});
