import type { KernelExports } from '../generated/exports';
import { floats, type Program } from '../program';

/** A function of the height alone, or of any other value of a sample. */
export type Remap =
  | { kind: 'levels'; inLow: number; scale: number; exponent: number; outLow: number; outRange: number }
  /** x, y and slope of every point, rising in x. */
  | { kind: 'curve'; points: readonly number[] }
  | { kind: 'clamp'; low: number; high: number; shoulder: number }
  | { kind: 'bounds'; low: number; high: number; softness: number }
  | { kind: 'gain'; k: number }
  | { kind: 'terrace'; spacing: number; start: number; riser: number; tilt: number; spread: number; seed: number };

export interface RemapArgs {
  count: number;
  by: Remap;
}

export interface Remapped {
  height: Float32Array<ArrayBuffer>;
  /** How many lay under and over what the function takes; clamped: both together. */
  below: number;
  above: number;
}

/** Heights between two looks whether to stop. */
const AT_ONCE = 1 << 19;
const MOST_BANDS = 64;
const COUNTS = 8;

/** Every height by itself, shared out to all bands. */
export const remapProgram: Program<RemapArgs, Float32Array, Remapped> = {
  id: 'remap',
  bytes: (args) => plan(args).bytes,

  load(arena, args, height) {
    const at = plan(args);
    new Int32Array(arena.buffer, arena.start + at.counts, (COUNTS / 4) * at.stretches).fill(0);
    new Float64Array(arena.buffer, arena.start + at.points, pointsOf(args).length).set(pointsOf(args));
    floats(arena, arena.start, args.count).set(height);
  },

  *run(kernels, arena, args, band) {
    const at = plan(args);
    const bands = Math.min(MOST_BANDS, band.count);
    for (let k = band.index; k < at.stretches && band.index < bands; k += bands) {
      const from = k * at.each;
      const counts = arena.start + at.counts + k * COUNTS;
      remap(kernels, args.by, arena.start + 4 * from, Math.min(at.each, args.count - from), arena.start + at.points, new Int32Array(arena.buffer, counts, 2));
      band.progress((k + 1) / at.stretches);
    }
    yield;
  },

  take(arena, args) {
    const at = plan(args);
    const counts = new Int32Array(arena.buffer, arena.start + at.counts, (COUNTS / 4) * at.stretches);
    const sum = (of: number) => counts.reduce((all, count, i) => (i % 2 === of ? all + count : all), 0);
    return { height: floats(arena, arena.start, args.count).slice() as Float32Array<ArrayBuffer>, below: sum(0), above: sum(1) };
  },
};

function remap(kernels: KernelExports, by: Remap, heights: number, count: number, points: number, counts: Int32Array): void {
  switch (by.kind) {
    case 'levels':
      return kernels.levelsOf(heights, count, by.inLow, by.scale, by.exponent, by.outLow, by.outRange, counts.byteOffset);
    case 'curve':
      return kernels.curveOf(heights, count, points, by.points.length / 3);
    case 'clamp':
      counts[0] = kernels.clampOf(heights, count, by.low, by.high, by.shoulder);
      return;
    case 'bounds':
      return kernels.boundWeightsOf(heights, count, by.low, by.high, by.softness);
    case 'gain':
      return kernels.gainOf(heights, count, by.k);
    case 'terrace':
      return kernels.terraceOf(heights, count, by.spacing, by.start, by.riser, by.tilt, by.spread, by.seed);
  }
}

const pointsOf = ({ by }: RemapArgs): readonly number[] => (by.kind === 'curve' ? by.points : []);

function plan(args: RemapArgs) {
  const { count } = args;
  // As many stretches as many bands share evenly, of whole quarters.
  const each = Math.min(AT_ONCE, Math.max(4096, (Math.ceil(count / MOST_BANDS) + 3) & ~3));
  const stretches = Math.max(1, Math.ceil(count / each));
  const points = (4 * count + 63) & ~63;
  const counts = points + 8 * pointsOf(args).length;
  return { each, stretches, points, counts, bytes: counts + COUNTS * stretches + 64 };
}
