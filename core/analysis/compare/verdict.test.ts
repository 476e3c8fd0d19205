import { describe, expect, it } from 'vitest';
import { srgbFromLinear } from '../../colour';
import type { Field } from '../../field/field';
import { makeGround } from '../../field/ground';
import { resample } from '../../field/resample';
import { flipColumns, flipRows, turn } from '../../field/turn';
import { octavesOf } from '../../field/octaves';
import { gridOf, wholeOf } from '../../field/window';
import { inlineKernels } from '../../kernels/pool';
import { noiseProgram } from '../../kernels/programs/noise';
import { compareFitted, type FindingKind } from './verdict';

const kernels = inlineKernels();

/** Fractal hills of 200 m, `east` and `south` metres into an endless ground. */
async function land(across: number, down: number, east = 0, south = 0, seed = 3): Promise<Field> {
  const ground = makeGround({ width: (across - 1) * 10, depth: (down - 1) * 10, across, down, registration: 'point', sea: 0 });
  const grid = gridOf(ground, wholeOf(ground));
  const octaves = octavesOf({ feature: 900, octaves: 6, gain: 0.5, lacunarity: 2.03, seed }, 10);
  const height = await kernels.run(
    noiseProgram,
    { ...grid, firstX: grid.firstX + east, firstY: grid.firstY + south, kind: 0, octaves, scale: 200, add: 300 },
    null,
  );
  return { ground, height };
}

const changed = (of: Field, change: (h: number, i: number) => number): Field => ({ ...of, height: of.height.map(change) });
const bounds = ({ height }: Field) => ({ low: Math.min(...height), high: Math.max(...height) });

interface Pair {
  name: string;
  b: (a: Field) => Field | Promise<Field>;
  first: FindingKind;
  check?: (found: Awaited<ReturnType<typeof compareFitted>>) => void;
}

const noise = (i: number) => (((Math.imul(i + 1, 2654435761) >>> 0) / 2 ** 32) * 2 - 1) * Math.sqrt(3);

const shiftedBy = (samplesEast: number, samplesSouth: number): Pair => ({
  name: `moved by ${samplesEast} and ${samplesSouth} samples`,
  b: () => land(301, 257, -samplesEast * 10, -samplesSouth * 10),
  first: 'plan-shift',
  check: ({ fit }) => {
    expect(Math.abs(fit.shift.east - samplesEast)).toBeLessThan(0.1);
    expect(Math.abs(fit.shift.south - samplesSouth)).toBeLessThan(0.1);
  },
});

const pairs: Pair[] = [
  { name: 'itself', b: (a) => a, first: 'same' },
  { name: 'rows turned over', b: flipRows, first: 'turned', check: ({ fit }) => expect(fit.placement.orientation).toBe('flip-rows') },
  {
    name: 'rows turned over and lower',
    b: (a) => changed(flipRows(a), (h) => h - 70),
    first: 'turned',
    check: ({ findings }) => expect(findings[0].sentence).toBe('B is A with its rows turned over, north for south and 70.00 m lower.'),
  },
  { name: 'columns turned over', b: flipColumns, first: 'turned', check: ({ fit }) => expect(fit.placement.orientation).toBe('flip-columns') },
  { name: 'turned by 90°', b: (a) => turn(a, 90), first: 'turned', check: ({ fit }) => expect(fit.placement.orientation).toBe('turn-90') },
  { name: 'turned by 180°', b: (a) => turn(a, 180), first: 'turned', check: ({ fit }) => expect(fit.placement.orientation).toBe('turn-180') },
  { name: 'turned by 270°', b: (a) => turn(a, 270), first: 'turned', check: ({ fit }) => expect(fit.placement.orientation).toBe('turn-270') },
  { name: 'transposed', b: (a) => turn(flipRows(a), 90), first: 'turned', check: ({ fit }) => expect(fit.placement.orientation).toBe('transpose') },
  shiftedBy(-7.3, 0),
  shiftedBy(12.6, -4.25),
  shiftedBy(0.4, 3),
  {
    name: 'half as high',
    b: (a) => changed(a, (h) => 0.504 * h),
    first: 'height-scale',
    check: ({ relation }) => expect(relation.scale).toBeCloseTo(0.504, 4),
  },
  { name: 'stretched', b: (a) => changed(a, (h) => 1.2 * h - 50), first: 'height-scale', check: ({ relation }) => expect(relation.scale).toBeCloseTo(1.2, 4) },
  { name: 'higher', b: (a) => changed(a, (h) => h + 12.5), first: 'height-shift', check: ({ laid }) => expect(laid.mean).toBeCloseTo(12.5, 3) },
  {
    name: 'through a picture’s tone curve',
    b: (a) => {
      const { low, high } = bounds(a);
      return changed(a, (h) => low + (high - low) * srgbFromLinear((h - low) / (high - low), (x, y) => x ** y));
    },
    first: 'tone-curve',
    check: ({ relation }) => expect(relation.curve?.kind).toBe('srgb-encoded'),
  },
  {
    name: 'through a gamma',
    b: (a) => {
      const { low, high } = bounds(a);
      return changed(a, (h) => low + (high - low) * ((h - low) / (high - low)) ** 1.6);
    },
    first: 'tone-curve',
    check: ({ relation }) => expect(Math.abs((relation.curve as { power: number }).power / 1.6 - 1)).toBeLessThan(0.03),
  },
  {
    name: 'a piece of it',
    b: () => land(180, 150, 400, 600),
    first: 'cut',
    check: ({ fit }) => {
      expect(Math.abs(-fit.shift.east - 40)).toBeLessThan(0.1);
      expect(Math.abs(-fit.shift.south - 60)).toBeLessThan(0.1);
    },
  },
  {
    name: 'at other samples',
    b: (a) => resample(a, { ...a.ground, across: 451, down: 385 }),
    first: 'close',
    check: ({ fit, left }) => {
      expect(fit.cut).toBe(false);
      expect(left).toBeLessThan(1.5);
    },
  },
  {
    name: 'with noise of a hundredth of its range',
    b: (a) => {
      const { low, high } = bounds(a);
      return changed(a, (h, i) => h + 0.01 * (high - low) * noise(i));
    },
    first: 'close',
    check: ({ left, laid }) => {
      expect(laid.share).toBe(1);
      expect(left).toBeGreaterThan(1);
    },
  },
  {
    // As weather leaves it: what was taken lies to one side, and the best fit is a little way off.
    name: 'worked on',
    b: (a) => {
      const { across } = a.ground;
      return changed(a, (h, i) => h - 25 - 0.5 * Math.max(0, h - (a.height[i + 9 + 9 * across] ?? h)));
    },
    first: 'height-shift',
    check: ({ fit, findings }) => {
      expect(findings.some(({ kind }) => kind === 'plan-shift')).toBe(false);
      expect(findings[0].sentence).toMatch(/lower throughout; its form is A’s\.$/);
      expect(Math.abs(fit.shift.east) + Math.abs(fit.shift.south)).toBeLessThan(0.2);
    },
  },
  {
    name: 'worked on by more than it is lower',
    b: (a) => changed(a, (h, i) => h - 8 - 16 * Math.sin(i * 0.37)),
    first: 'height-shift',
    check: ({ findings }) => expect(findings[0].sentence).toMatch(/^B lies [78]\.\d+ m lower on the mean\.$/),
  },
  {
    // As a coarse mesh of it is: its summits cut and its hollows filled. It is said as it lies, not as it would lie at best.
    name: 'with a little less relief',
    b: (a) => {
      const { low, high } = bounds(a);
      return changed(a, (h, i) => (low + high) / 2 + 0.98 * (h - (low + high) / 2) + 0.012 * (high - low) * noise(i));
    },
    first: 'close',
    check: ({ findings, left, laid }) => {
      expect(laid.rmse).toBeGreaterThan(1.02 * left);
      expect(findings[0].sentence).toContain(`but for ${laid.rmse.toFixed(2)} m root mean square`);
    },
  },
  {
    name: 'a part of it missing',
    b: (a) => ({ ...a, valid: Uint8Array.from(a.height, (_, i) => (i % a.ground.across > 250 ? 0 : 1)) }),
    first: 'part-missing',
    check: ({ laid }) => expect(laid.share).toBeCloseTo(251 / 301, 3),
  },
  { name: 'another ground', b: () => land(301, 257, 0, 0, 77), first: 'other-ground' },
];

describe('what lies between two grounds is found and said first', () => {
  it.each(pairs)('$name', async ({ b, first, check }) => {
    const a = await land(301, 257);
    const found = await compareFitted(a, await b(a));
    expect(found.findings.map(({ kind }) => kind)[0], found.findings.map(({ sentence }) => sentence).join(' ')).toBe(first);
    check?.(found);
  });
});

describe('odd pairs', () => {
  it('of one sample, level, or of another size have a sentence', async () => {
    const a = await land(65, 65);
    const dot: Field = { ground: makeGround({ width: 10, depth: 10, across: 1, down: 1, registration: 'area' }), height: Float32Array.of(5) };
    expect((await compareFitted(a, dot)).findings.length).toBeGreaterThan(0);
    const level = changed(a, () => 40);
    const said = async (x: Field, y: Field) => (await compareFitted(x, y)).findings.map(({ sentence }) => sentence);
    expect(await said(level, level)).toEqual(['Both are level, at the same height: B is A.']);
    const lower = changed(a, () => 25);
    expect(await said(level, lower)).toEqual(['Both are level; B lies 15.00 m lower.']);
    expect((await said(a, level))[0]).toMatch(/^B is level and A is not: .* B lies \d+\.\d+ m (higher|lower) on the mean/);
    expect((await said(level, a))[0]).toMatch(/^A is level and B is not/);
    const huge = changed(a, (h) => 1000 * h);
    const { findings } = await compareFitted(a, huge);
    expect(findings[0]).toMatchObject({ kind: 'height-scale' });
    expect(findings[0].sentence).toMatch(/times 1000\.000/);
  });

  it('without a sample in common are refused in a sentence', async () => {
    const a = await land(65, 65);
    const none = { ...a, valid: new Uint8Array(a.height.length) };
    await expect(compareFitted(a, none)).rejects.toThrow(/no sample that has a height in both/);
  });

  it('that went through a tone curve on smooth ground are not said to be moved as well', async () => {
    const ground = makeGround({ width: 1280, depth: 1280, across: 129, down: 129, registration: 'point', sea: 0 });
    const height = Float32Array.from({ length: 129 * 129 }, (_, i) => {
      const [east, south] = [10 * (i % 129), 10 * Math.floor(i / 129)];
      return 120 + 60 * Math.sin(east / 190) * Math.cos(south / 260) + 25 * Math.sin(east / 71 + south / 93) + south / 40;
    });
    const { low, high } = bounds({ ground, height });
    const a = { ground, height };
    const { findings, fit } = await compareFitted(
      a,
      changed(a, (h) => low + (high - low) * srgbFromLinear((h - low) / (high - low), (x, y) => x ** y)),
    );
    expect(findings.map(({ kind }) => kind)).toEqual(['tone-curve', 'close']);
    expect(findings[0].sentence).toContain('sRGB');
    expect(fit.shift).toEqual({ east: 0, south: 0 });
  });
});
