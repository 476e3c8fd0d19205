import type { KernelExports } from '../generated/exports';
import { rowsOf, type Arena, type Band } from '../program';
import type { Rung } from './ladder';

/** More bands than this share the scratch of the last; nobody has so many. */
const SCRATCH_BANDS = 64;

const scratchOf = ({ down, stride }: Rung): number => 64 * (Math.max(down, stride) + 8);

/** Bytes of scratch that `passImplicit` needs on a grid. */
export const scratchBytes = (grid: Rung): number => SCRATCH_BANDS * scratchOf(grid);

export interface ImplicitAt {
  /** Byte offsets from the arena's start: what passes between samples, how readily it does eastward and southward, and which samples stand still. */
  values: number;
  east: number;
  south: number;
  state: number;
  scratch: number;
}

/**
 * One implicit step along rows and one along columns, by the faces that were written. `held`: this share of a passage goes against the drop as it is. `columnsFirst`: taken in turn,
 * neither way of the grid comes last. Ends at a meeting of the bands.
 */
export function* passImplicit(
  kernels: KernelExports,
  arena: Arena,
  grid: Rung,
  at: ImplicitAt,
  band: Band,
  { held = 0, columnsFirst = false } = {},
): Generator<void, void, void> {
  const a = arena.start;
  const { stride, down, across } = grid;
  const { from, to } = rowsOf(down, band);
  const each = Math.ceil(across / 8 / band.count) * 8;
  const columns = { from: each * band.index, to: Math.min(across, each * (band.index + 1)) };
  const c = a + at.scratch + Math.min(band.index, SCRATCH_BANDS - 1) * scratchOf(grid);
  const d = c + scratchOf(grid) / 2;
  const half = grid.point ? 1 : 0;
  const alongRows = () => kernels.hillslopeRows(a + at.values, a + at.east, a + at.state, c, d, stride, from, to, half, held);
  const alongColumns = () => kernels.hillslopeColumns(a + at.values, a + at.south, a + at.state, c, d, stride, down, columns.from, columns.to, half, held);
  for (const pass of columnsFirst ? [alongColumns, alongRows] : [alongRows, alongColumns]) {
    pass();
    yield;
  }
}
