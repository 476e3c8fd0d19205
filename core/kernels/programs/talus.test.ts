import { describe, expect, it } from 'vitest';
import { turnTakingKernels } from '../../../tests/helpers/turn-taking';
import type { KernelExports } from '../generated/exports';
import { talusProgram, type TalusArgs, type TalusInputs } from './talus';

const [ACROSS, DOWN] = [97, 65];
const over = (value: (x: number, y: number) => number, across = ACROSS, down = DOWN) =>
  Float32Array.from({ length: across * down }, (_, i) => value(i % across, Math.floor(i / across)));
const sum = (values: Iterable<number>) => [...values].reduce((total, v) => total + v, 0);

/** A plain with a steep cone, a cliff and a narrow ridge: some of it slides long, most of it lies still. */
const shape = (x: number, y: number) => Math.max(0, 60 - 4 * Math.hypot(x - 25, y - 30)) + (x > 70 ? 45 : 0) + (Math.abs(y - 50) < 2 ? 14 : 0) + 0.02 * x;
const args: TalusArgs = { across: ACROSS, down: DOWN, point: true, spacingX: 5, spacingY: 5, tanRepose: 0.6, sweeps: 60 };
const rock = { cliff: 0.9, back: 20, bulk: 1.3 };
const beds = { strength: 0.8, low: -20, step: 2, entries: 60, jointed: false };
const bedded = { uplift: over((x) => 0.2 * x), table: Float32Array.from({ length: 60 }, (_, i) => (i % 11 < 5 ? 0.9 : 0.1)) };
const loose = over((x, y) => ((x * 7 + y * 3) % 11 < 7 ? 1.5 : 0));

/** Each with what else comes with the bed. */
const CASES: [name: string, args: TalusArgs, inputs: Omit<TalusInputs, 'bed'>][] = [
  ['bare ground', args, {}],
  ['masked ground', { ...args, masked: true }, { mask: over((x) => (x % 20 < 12 ? 1 : x % 20 < 15 ? 0.4 : 0)) }],
  ['a loose cover', { ...args, covered: true }, { cover: loose }],
  ['an angle that varies', { ...args, grained: true }, { grain: over((x, y) => 0.7 + 0.6 * ((x * 13 + y * 5) % 7) * 0.1) }],
  ['rock that sheds', { ...args, covered: true, rock }, { cover: loose }],
  ['bedded rock with open edges', { ...args, covered: true, rock, beds, open: true }, { cover: loose, beds: bedded }],
  ['open edges', { ...args, open: true, point: false }, {}],
];

/** A zero has no sign that counts: nothing moved. */
const unsigned = (change: Float32Array) => change.map((v) => v + 0);

/** Where kernels take the marks of what is still; 0: all of it is looked at. */
const MARKS: Partial<Record<keyof KernelExports, number[]>> = {
  talusHeight: [3],
  talusShed: [4],
  talusRelease: [4, 5],
  talusFaces: [6],
  talusReleaseFaces: [5, 6],
  talusSettle: [5, 6],
  talusSettleFaces: [6, 7],
  talusHold: [5],
  rockRows: [9],
};
const lookingAtAll = (kernels: KernelExports): KernelExports =>
  Object.fromEntries(
    Object.entries(kernels).map(([name, kernel]) => {
      const marks = MARKS[name as keyof KernelExports];
      return [name, marks ? (...given: number[]) => (kernel as (...all: number[]) => void)(...given.map((v, i) => (marks.includes(i) ? 0 : v))) : kernel];
    }),
  ) as unknown as KernelExports;

describe('sliding scree', () => {
  it.each(CASES)('passes over what lies still and gives the same bits: %s', async (_, given, inputs) => {
    const whole = await turnTakingKernels(1, false, lookingAtAll).run(talusProgram, given, { bed: over(shape), ...inputs });
    expect(Math.max(...whole.change)).toBeGreaterThan(1);
    for (const [bands, lastFirst] of [
      [1, false],
      [2, false],
      [3, true],
    ] as const) {
      const some = await turnTakingKernels(bands, lastFirst).run(talusProgram, given, { bed: over(shape), ...inputs });
      expect(unsigned(some.change)).toEqual(unsigned(whole.change));
      expect(some.loose).toEqual(whole.loose);
    }
  });

  it.each([1, 5, 12, 13, 16, 17, 61])('passes over what lies still on a ground of %s columns', async (across) => {
    const narrow = { ...args, across, down: 70 };
    const bed = over((x, y) => 40 * Math.abs(Math.sin(0.2 * y)) + (x % 9 === 0 ? 12 : 0), across, 70);
    const whole = await turnTakingKernels(1, false, lookingAtAll).run(talusProgram, narrow, { bed });
    const some = await turnTakingKernels(2, true).run(talusProgram, narrow, { bed });
    expect(unsigned(some.change)).toEqual(unsigned(whole.change));
  });

  it('lets nothing go where all of it lies still', async () => {
    let released = 0;
    const counting = (kernels: KernelExports): KernelExports => ({
      ...kernels,
      talusHold: (...given) => {
        kernels.talusHold(...given);
        const [, , , , , marks, sweep, stride, , to] = given;
        const perRow = Math.ceil((stride - 8) / 16) + 2;
        const entries = new Int32Array((kernels as unknown as { memory: WebAssembly.Memory }).memory.buffer, marks, perRow * (to + 2));
        released += entries.filter((last) => last === sweep).length;
      },
    });
    await turnTakingKernels(1, false, counting).run(talusProgram, { ...args, masked: true }, { bed: over(() => 12), mask: over(() => 1) });
    expect(released).toBe(0);
  });

  it('moves nothing to or from what a mask holds, and makes and loses none', async () => {
    const mask = over((x) => (x < 60 ? 1 : 0));
    const { change } = await turnTakingKernels(1, false).run(talusProgram, { ...args, masked: true, point: false }, { bed: over(shape), mask });
    const moved = sum(change.map(Math.abs));
    expect(moved).toBeGreaterThan(500);
    expect(Math.abs(sum(change))).toBeLessThan(2e-5 * moved);
    // Scree may come to lie on what is held; what lay there stays.
    change.forEach((dh, i) => i % ACROSS >= 62 && expect(dh).toBeGreaterThanOrEqual(-1e-5));
  });

  it('brings a heap to its angle and leaves what is no steeper', async () => {
    const heap = over((x, y) => Math.max(0, 100 - 9 * Math.hypot(x - 48, y - 32)));
    const { change } = await turnTakingKernels(1, false).run(talusProgram, { ...args, sweeps: 800 }, { bed: heap });
    let steepest = 0;
    for (let y = 0; y < DOWN; y++)
      for (let x = 0; x < ACROSS - 1; x++) {
        const i = y * ACROSS + x;
        steepest = Math.max(steepest, Math.abs(heap[i] + change[i] - heap[i + 1] - change[i + 1]) / 5);
      }
    expect(steepest).toBeLessThan(0.6 * 1.03);
    const gentle = over((x) => 2.9 * x);
    expect((await turnTakingKernels(1, false).run(talusProgram, args, { bed: gentle })).change.every((v) => v === 0)).toBe(true);
  });

  it('takes from rock what it lays down, as much more as it is looser', async () => {
    const cover = new Float32Array(ACROSS * DOWN);
    const { change, loose: lies } = await turnTakingKernels(1, false).run(
      talusProgram,
      { ...args, point: false, covered: true, rock: { ...rock, bulk: 1.5 } },
      { bed: over(shape), cover },
    );
    const [grown, fell] = [sum(change), sum(lies!)];
    // Rock that was worth 1 lies as 1.5: the ground has gained half of it.
    expect(fell).toBeGreaterThan(100);
    expect(grown / fell).toBeCloseTo(0.5 / 1.5, 2);
  });

  it('lets what slides over an open edge go, and nothing over a closed one', async () => {
    const slope = over((x) => 6 * x);
    const [closed, open] = await Promise.all(
      [false, true].map((o) => turnTakingKernels(1, false).run(talusProgram, { ...args, point: false, open: o }, { bed: slope })),
    );
    expect(Math.abs(sum(closed.change))).toBeLessThan(1);
    expect(sum(open.change)).toBeLessThan(-500);
  });
});
