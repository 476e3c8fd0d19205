import { floats, rowsOf, type Program } from '../program';
import { claimRouting, FLOW_BORDER, rimOf, route, sourcesFirst, stateRows } from './flow';
import { bytesOf, claims, halvings, lay, lift, type Grid } from './levels';

export interface DrainageArgs {
  across: number;
  down: number;
  spacingX: number;
  spacingY: number;
  /** Water leaves over the edge; closed, it gathers in the lowest sample. */
  open: boolean;
  /** Water leaves where the ground lies below this; −Infinity: there is no sea. */
  sea: number;
}

export interface Drainage {
  /** The lowest surface from which every sample drains, metres. */
  filled: Float32Array<ArrayBuffer>;
  /** The index of the sample that each one drains to: the steepest drop (D8); itself where water leaves. */
  receiver: Int32Array<ArrayBuffer>;
  /** Samples that drain through each one, itself counted. */
  accumulation: Float32Array<ArrayBuffer>;
  /** All samples, each after those that drain to it. */
  order: Int32Array<ArrayBuffer>;
}

/**
 * Depressions filled and water led down the steepest drop.
 *
 * Sources: Barnes, Lehman & Mulla 2014 (Priority-Flood, in the variant of Zhou, Sun & Fu 2016);
 * O'Callaghan & Mark 1984 (D8).
 */
export const drainageProgram: Program<DrainageArgs, Float32Array, Drainage> = {
  id: 'drainage',
  bytes: (args) => plan(args).bytes,

  load(arena, args, height) {
    const { grid, routing } = plan(args);
    lay(arena, routing.height, grid, height);
  },

  *run(kernels, arena, args, band) {
    const { grid, routing } = plan(args);
    const { down, stride } = grid;
    const rows = rowsOf(down, band);
    const height = floats(arena, arena.start + routing.height, bytesOf(grid) / 4);
    const bases = args.open ? rimOf(grid, rows) : lowestOf(height, grid, rows);
    stateRows(kernels, arena, routing, grid, { bed: routing.height, sea: args.sea }, rows, bases);
    yield;
    const a = arena.start;
    const area = floats(arena, a + routing.area, bytesOf(grid) / 4);
    yield* route(kernels, arena, routing, grid, band, {
      wander: false,
      receive: (first, end) => kernels.receiveSteepest(a + routing.filled, a + routing.receiver, stride, first, end, args.spacingX, args.spacingY),
      weigh: (first, end) => area.fill(1, (first + 1) * stride, (end + 1) * stride),
    });
    band.progress(1);
  },

  take(arena, args) {
    const { grid, routing } = plan(args);
    const { across, stride } = grid;
    const count = across * grid.down;
    const padded = new Int32Array(arena.buffer, arena.start + routing.receiver, bytesOf(grid) / 4);
    const order = sourcesFirst(arena, routing, grid);
    const receiver = new Int32Array(count);
    // Index in the padded grid → index in the field: one column of border on either side, one row above.
    const plain = (p: number) => p - stride - 1 - 2 * (((p / stride) | 0) - 1);
    for (let row = 0, i = 0; row < grid.down; row++) {
      for (let p = (row + 1) * stride + 1; p < (row + 2) * stride - 1; p++, i++) receiver[i] = plain(padded[p]);
    }
    for (let i = 0; i < count; i++) order[i] = plain(order[i]);
    return { filled: lift(arena, routing.filled, grid), receiver, accumulation: lift(arena, routing.area, grid), order };
  },
};

/** The same, and only the samples that drain through each one are taken out. */
export const accumulationProgram: Program<DrainageArgs, Float32Array, Float32Array<ArrayBuffer>> = {
  ...drainageProgram,
  id: 'accumulation',
  take(arena, args) {
    const { grid, routing } = plan(args);
    return lift(arena, routing.area, grid);
  },
};

/** Closed all around, the water gathers in the lowest sample. */
function lowestSample(height: Float32Array, { across, down, stride }: Grid): number {
  let lowest = stride + 1;
  for (let row = 0; row < down; row++) {
    for (let p = (row + 1) * stride + 1; p < (row + 1) * stride + 1 + across; p++) if (height[p] < height[lowest]) lowest = p;
  }
  return lowest;
}

/** That sample, where it lies in these rows. */
export function lowestOf(height: Float32Array, grid: Grid, { from, to }: { from: number; to: number }): number[] {
  const lowest = lowestSample(height, grid);
  const row = Math.floor(lowest / grid.stride) - 1;
  return row >= from && row < to ? [lowest] : [];
}

function plan({ across, down }: DrainageArgs) {
  const room = claims();
  const [grid] = halvings(across, down, false, Infinity, FLOW_BORDER);
  const routing = claimRouting((bytes) => room.claim(bytes), grid);
  return { grid, routing, bytes: room.bytes };
}
