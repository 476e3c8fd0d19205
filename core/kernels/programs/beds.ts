import type { KernelExports } from '../generated/exports';
import { floats, rowsOf, type Arena, type Band } from '../program';
import { pass, type Passage, type PassRoom, type Rung } from './ladder';
import { bytesOf, lay } from './levels';

/** Bedded rock under the ground that a program wears: the stack of beds as a table, and how it is felt. */
export interface BedsArgs {
  /** 0: the beds are not felt; 1: as they are. */
  strength: number;
  /** Metres over the stack's zero of the table's first entry, and from entry to entry. */
  low: number;
  step: number;
  entries: number;
  /** Whether the joints' soundness comes with the beds. */
  jointed: boolean;
}

export interface BedsInputs {
  /** How high the stack of beds lies at every sample, in the bed's own metres. */
  uplift: Float32Array;
  /** The share of its hardness that the rock has between joints, 0 to 1. */
  sound?: Float32Array;
  /** Hardness by the height in the stack, 0 to 1. */
  table: Float32Array;
}

/** Where a grid has its beds: byte offsets from the arena's start, 0: none. */
export interface BedsAt {
  uplift: number;
  sound: number;
  table: number;
}

/** What soft and hard rock make of how easily ground gives way, and of how steep it stands. */
export interface Response {
  softEase: number;
  hardEase: number;
  softBank: number;
  hardBank: number;
}

/** A sample feels the beds over this share of its spacing: so steep the ground stands on the mean. */
export const FELT = 0.25;

export const claimBeds = (claim: (bytes: number) => number, grid: Rung, args: BedsArgs | undefined): BedsAt => ({
  uplift: args ? claim(bytesOf(grid)) : 0,
  sound: args?.jointed ? claim(bytesOf(grid)) : 0,
  table: args ? claim(args.entries * 4) : 0,
});

/** The means of evenly spaced values over so many of them. */
export function meansOver(values: Float32Array, count: number): Float32Array<ArrayBuffer> {
  const half = Math.floor(count / 2);
  const { length } = values;
  const sums = new Float64Array(length + 1);
  for (let i = 0; i < length; i++) sums[i + 1] = sums[i] + values[i];
  const out = new Float32Array(length);
  for (let i = 0; i < length; i++) {
    const [a, b] = [Math.max(0, i - half), Math.min(length, i + half + 1)];
    out[i] = (sums[b] - sums[a]) / (b - a);
  }
  return out;
}

/** Copies the beds of the ground's own samples in. */
export function layBeds(arena: Arena, grid: Rung, at: BedsAt, { uplift, sound }: BedsInputs): void {
  lay(arena, at.uplift, grid, uplift);
  if (sound && at.sound) lay(arena, at.sound, grid, sound);
}

/** The table as a grid of this spacing feels it. */
export function layTable(arena: Arena, grid: Rung, at: BedsAt, args: BedsArgs, table: Float32Array): void {
  floats(arena, arena.start + at.table, args.entries).set(meansOver(table, (FELT * Math.max(grid.spacingX, grid.spacingY)) / args.step));
}

/** A coarser grid's beds from a finer one's. */
export function* passBeds(
  kernels: KernelExports,
  arena: Arena,
  passage: Passage,
  from: BedsAt,
  room: PassRoom,
  to: BedsAt,
  band: Band,
): Generator<void, void, void> {
  yield* pass(kernels, arena, passage, from.uplift, room, to.uplift, band);
  if (to.sound) yield* pass(kernels, arena, passage, from.sound, room, to.sound, band);
}

/** How easily the ground gives way, and how steep it stands, by the bed that its surface has come to. Own rows only. */
export function feelBeds(
  kernels: KernelExports,
  arena: Arena,
  { strength, low, step, entries }: BedsArgs,
  grid: Rung,
  at: BedsAt,
  ground: { height: number; change?: number; easeGiven?: number; ease: number; bankGiven?: number; bank?: number; stirred?: number; since?: number },
  { softEase, hardEase, softBank, hardBank }: Response,
  band: Band,
): void {
  const { from, to } = rowsOf(grid.down, band);
  const address = (offset: number | undefined) => (offset === undefined ? 0 : arena.start + offset);
  kernels.rockRows(
    arena.start + ground.height,
    address(ground.change),
    arena.start + at.uplift,
    at.sound ? arena.start + at.sound : 0,
    arena.start + at.table,
    address(ground.easeGiven),
    arena.start + ground.ease,
    address(ground.bankGiven),
    address(ground.bank),
    address(ground.stirred),
    ground.since ?? 0,
    grid.stride,
    grid.left,
    from,
    to,
    entries,
    low,
    1 / step,
    strength,
    softEase,
    hardEase,
    softBank,
    hardBank,
  );
}
