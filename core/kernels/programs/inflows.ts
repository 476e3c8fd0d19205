import { floats, type Arena } from '../program';
import type { BegunArgs, Rung } from './ladder';
import { bytesOf } from './levels';

/** Water that comes into a window from around it: three numbers each, metres east and south of the window's corner, and the catchment outside, m². */
export type Inflows = Float32Array;

/** What an inflow takes in the arena: its three numbers, and the sample where it comes in at present. */
const WORDS = 4;

export const claimInflows = (claim: (bytes: number) => number, count: number): number => claim(4 * WORDS * Math.max(1, count));

export function layInflows(arena: Arena, offset: number, inflows: Inflows): void {
  floats(arena, arena.start + offset, inflows.length).set(inflows);
}

type Counted = BegunArgs & { inflows: number };

const samplesAt = (arena: Arena, offset: number, count: number) => new Int32Array(arena.buffer, arena.start + offset + 12 * count, count);

/** Finds the sample of a grid where each comes in: the lowest of those that the coarser grid's sample stands for, within the rim. On one band. */
export function placeInflows(arena: Arena, level: Rung, { inflows: count, grid }: Counted, { height, inflows }: { height: number; inflows: number }): void {
  const given = floats(arena, arena.start + inflows, 3 * count);
  const samples = samplesAt(arena, inflows, count);
  const heights = floats(arena, arena.start + height, bytesOf(level) / 4);
  const { across, down, spacingX, spacingY, stride } = level;
  const span = (metres: number, reach: number, spacing: number, most: number) => {
    const last = most - 2;
    const inside = (at: number) => Math.min(last, Math.max(Math.min(1, last), at));
    return [inside(Math.ceil((metres - reach) / spacing)), inside(Math.floor((metres + reach) / spacing))];
  };
  for (let i = 0; i < count; i++) {
    const [fromColumn, toColumn] = span(given[3 * i], grid.spacingX / 2, spacingX, across);
    const [fromRow, toRow] = span(given[3 * i + 1], grid.spacingY / 2, spacingY, down);
    let lowest = -1;
    for (let row = fromRow; row <= toRow; row++) {
      for (let p = (row + 1) * stride + 1 + fromColumn; p <= (row + 1) * stride + 1 + toColumn; p++) if (lowest < 0 || heights[p] < heights[lowest]) lowest = p;
    }
    samples[i] = lowest;
  }
}

/** Adds the catchments of what comes in to what the samples of some rows stand for, in cells. */
export function addInflows(
  arena: Arena,
  level: Rung,
  { inflows: count }: Counted,
  { area, inflows }: { area: number; inflows: number },
  from: number,
  to: number,
): void {
  const given = floats(arena, arena.start + inflows, 3 * count);
  const samples = samplesAt(arena, inflows, count);
  const cells = floats(arena, arena.start + area, bytesOf(level) / 4);
  const { stride, spacingX, spacingY } = level;
  const [first, end] = [(from + 1) * stride, (to + 1) * stride];
  for (let i = 0; i < count; i++) if (samples[i] >= first && samples[i] < end) cells[samples[i]] += given[3 * i + 2] / (spacingX * spacingY);
}
