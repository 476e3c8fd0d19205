import { floats, type Arena } from '../program';
import { lowestOf } from './drainage';
import { rimOf } from './flow';
import type { BegunArgs, Rung } from './ladder';
import { bytesOf } from './levels';

/** Water leaves an open edge in its valleys: where the rim is lowest for this part of the longer side to either hand. */
const OUTLET_REACH = 1 / 12;

export interface OutletArgs {
  open: boolean;
  sea: number;
  alone?: number;
  held?: boolean;
  /** Over a window of a larger ground: water leaves over all of its inner sides. */
  begun?: BegunArgs;
}

export interface OutletGrid extends Rung {
  bed: number;
}

/** Byte offsets from the arena's start. */
export interface OutletsAt {
  height: number;
  outlets: number;
}

/** Counts along the rim, from the north-west corner around. */
const rimIndex = (row: number, column: number, { across, down }: OutletGrid): number =>
  row === 0
    ? column
    : column === across - 1
      ? across - 1 + row
      : row === down - 1
        ? 2 * (across - 1) + (down - 1) - column
        : 2 * (across - 1) + 2 * (down - 1) - row;

/** Where water leaves over an open edge: the lowest places of the rim as it stands. In checks of laws, all of it. */
export function markOutlets(arena: Arena, args: OutletArgs, level: OutletGrid, at: OutletsAt): void {
  const { across, down, stride } = level;
  const count = Math.max(1, 2 * (across - 1) + 2 * (down - 1));
  const flags = new Uint8Array(arena.buffer, arena.start + at.outlets, 2 * (across + down)).fill(0);
  const { begun } = args;
  if (!leavesOver(args)) return;
  if (args.held || args.alone || across < 3 || down < 3) {
    flags.fill(1);
    return;
  }
  const height = floats(arena, arena.start + at.height, bytesOf(level) / 4);
  const rim = new Float32Array(count);
  const place = (row: number, column: number) => {
    rim[rimIndex(row, column, level)] = height[(row + 1) * stride + 1 + column];
  };
  for (let column = 0; column < across; column++) for (const row of [0, down - 1]) place(row, column);
  for (let row = 0; row < down; row++) for (const column of [0, across - 1]) place(row, column);
  const long = begun ? Math.max(begun.width, begun.depth) : Math.max(level.spacingX * (across - 1), level.spacingY * (down - 1));
  const reach = Math.max(1, Math.min((count >> 1) - 1, Math.round((OUTLET_REACH * long) / Math.max(level.spacingX, level.spacingY))));
  const inner = begun && innerSides(level, begun);
  // A window's inner sides say nothing of the whole ground's rim, and water leaves over all of them.
  if (inner) for (let i = 0; i < count; i++) if (inner[i]) rim[i] = Infinity;
  for (let i = 0; i < count; i++) {
    if (inner?.[i] || !args.open) {
      flags[i] = inner?.[i] ? 1 : 0;
      continue;
    }
    let lowest = true;
    for (let k = 1; k <= reach && lowest; k++) {
      // Of level places the first counts.
      if (rim[(i + k) % count] < rim[i] || rim[(i - k + count) % count] <= rim[i]) lowest = false;
    }
    flags[i] = lowest ? 1 : 0;
  }
  if (args.open && !flags.subarray(0, count).includes(1)) flags[rim.indexOf(Math.min(...[...rim]))] = 1;
}

/** Which samples of a window's rim lie within the whole ground: they stand as they are. */
function innerSides(level: OutletGrid, { rim }: BegunArgs): Uint8Array {
  const { across, down } = level;
  const inner = new Uint8Array(Math.max(1, 2 * (across - 1) + 2 * (down - 1)));
  for (let column = 0; column < across; column++) {
    if (!rim.north) inner[rimIndex(0, column, level)] = 1;
    if (!rim.south) inner[rimIndex(down - 1, column, level)] = 1;
  }
  for (let row = 0; row < down; row++) {
    if (!rim.west) inner[rimIndex(row, 0, level)] = 1;
    if (!rim.east) inner[rimIndex(row, across - 1, level)] = 1;
  }
  return inner;
}

/** Whether water leaves over the rim anywhere. */
export const leavesOver = ({ open, begun }: Pick<OutletArgs, 'open' | 'begun'>): boolean =>
  open || (begun !== undefined && !Object.values(begun.rim).every(Boolean));

/** The samples of some rows where water leaves, but for the sea: outlets on the rim; where none leads out, the lowest of all. */
export function basesOf(arena: Arena, args: OutletArgs, level: OutletGrid, at: OutletsAt, rows: { from: number; to: number }): number[] {
  if (!leavesOver(args)) return lowestOf(floats(arena, arena.start + level.bed, bytesOf(level) / 4), level, rows);
  const { across, down, stride } = level;
  const flags = new Uint8Array(arena.buffer, arena.start + at.outlets, 2 * (across + down));
  const out: number[] = [];
  for (const p of rimOf(level, rows)) {
    const row = Math.floor(p / stride) - 1;
    if (flags[rimIndex(row, p - (row + 1) * stride - 1, level)] === 1) out.push(p);
  }
  return out;
}
