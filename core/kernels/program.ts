import type { KernelExports } from './generated/exports';

/**
 * A piece of work for the kernels, shared out over row bands. `run` is a generator: it yields
 * wherever all bands have to meet before any may go on.
 */
export interface Program<Args, Inputs, Result> {
  readonly id: string;
  /** Bytes of memory it needs above the arena's start. */
  bytes(args: Args): number;
  /** Copies the inputs in; on the coordinating thread, before any band runs. */
  load(arena: Arena, args: Args, inputs: Inputs): void;
  run(kernels: KernelExports, arena: Arena, args: Args, band: Band): Generator<void, void, void>;
  /** Copies the result out; after every band has ended. */
  take(arena: Arena, args: Args): Result;
  /** How the work stands, read while bands run; undefined where there is nothing to see yet. */
  peek?(arena: Arena, args: Args): InterimState | undefined;
}

/** Work under way, as it would look now: a change in metres on a grid that may be coarser than the ground's. */
export interface InterimState {
  across: number;
  down: number;
  change: Float32Array<ArrayBuffer>;
}

/** The kernels' memory from the first byte that programs may use. */
export interface Arena {
  readonly buffer: ArrayBufferLike;
  /** Byte offset where the program's own layout begins. */
  readonly start: number;
}

export interface Band {
  readonly index: number;
  readonly count: number;
  /** Tells how far the work is, 0 to 1. Heard from band 0 only. */
  progress(share: number): void;
  /** Whether the person asked to end here and keep what there is. Asked by band 0 only. */
  halting(): boolean;
}

/** Too few rows to be worth sharing out go to the first band whole. */
const FEWEST_ROWS = 48;

/** The rows `from` … `to` − 1 that a band works on. */
export function rowsOf(rows: number, band: Band): { from: number; to: number } {
  if (rows < FEWEST_ROWS) return band.index === 0 ? { from: 0, to: rows } : { from: 0, to: 0 };
  const each = Math.ceil(rows / band.count);
  const from = Math.min(rows, band.index * each);
  return { from, to: Math.min(rows, from + each) };
}

/** On grids of fewer samples bands would wait for one another longer than they work. */
const FEWEST_SAMPLES = 20_000;

/** Shares `work` over a grid out to the bands; on a small grid the first band does it all, and they meet once, at its end. */
export function* overBands(grid: { across: number; down: number }, band: Band, work: (band: Band) => Generator<void, void, void>): Generator<void, void, void> {
  if (band.count === 1 || grid.across * grid.down >= FEWEST_SAMPLES) {
    yield* work(band);
    return;
  }
  if (band.index === 0) for (const _ of work({ ...band, count: 1 }));
  yield;
}

export function floats(arena: Arena, byteOffset: number, count: number): Float32Array {
  return new Float32Array(arena.buffer, byteOffset, count);
}
