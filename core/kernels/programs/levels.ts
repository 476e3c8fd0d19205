import type { KernelExports } from '../generated/exports';
import { floats, rowsOf, type Arena, type Band } from '../program';

/** A grid in the arena: its samples stand in rows of `stride` floats, `left` before the first and `above` rows over it. */
export interface Grid {
  across: number;
  down: number;
  stride: number;
  left: number;
  above: number;
}

export interface Halving extends Grid {
  /** Samples of the finest grid along one step of this one. */
  factor: number;
}

/** Bytes of a grid of floats with its border. */
export const bytesOf = ({ stride, down, above }: Grid): number => stride * (down + 2 * above) * 4;

export interface Border {
  left: number;
  above: number;
  /** Floats a row comes in multiples of this. */
  aligned: number;
}

/**
 * A grid and its halves, the finest first, down to `coarsest` samples a side or to the first that
 * cannot be halved: point registration keeps every second sample and both edges, area
 * registration joins four cells into one.
 */
export function halvings(across: number, down: number, point: boolean, coarsest: number, { left, above, aligned }: Border): Halving[] {
  const extra = point ? 1 : 0;
  const levels: Halving[] = [];
  for (let factor = 1; ; factor *= 2) {
    const stride = Math.ceil((across + 2 * left) / aligned) * aligned;
    levels.push({ across, down, stride, left, above, factor });
    const halves = (across - extra) % 2 === 0 && (down - extra) % 2 === 0;
    const next = { across: (across - extra) / 2 + extra, down: (down - extra) / 2 + extra };
    if (!halves || next.across < coarsest || next.down < coarsest) return levels;
    ({ across, down } = next);
  }
}

/** A preview's grid has at most so many samples a side. */
const PREVIEW = 513;

/**
 * Of the halvings those to work on, from the one whose spacing comes nearest to `coarsest`; but
 * always from one that a preview has too, so that a preview shows what the whole ground begins with.
 */
export function halvingsFrom(all: Halving[], spacing: number, coarsest: number): Halving[] {
  const wished = all.filter((level) => level.factor * spacing <= coarsest * Math.SQRT2).length;
  const shared = all.findIndex((level) => Math.max(level.across, level.down) <= PREVIEW) + 1;
  return all.slice(0, Math.max(1, wished, shared));
}

const firstOf = (grid: Grid, row: number) => (row + grid.above) * grid.stride + grid.left;

/** Copies a field into a grid. */
export function lay(arena: Arena, offset: number, grid: Grid, field: Float32Array): void {
  const to = floats(arena, arena.start + offset, bytesOf(grid) / 4);
  for (let row = 0; row < grid.down; row++) to.set(field.subarray(row * grid.across, (row + 1) * grid.across), firstOf(grid, row));
}

/** Copies a grid out. */
export function lift(arena: Arena, offset: number, grid: Grid): Float32Array<ArrayBuffer> {
  const from = floats(arena, arena.start + offset, bytesOf(grid) / 4);
  const out = new Float32Array(grid.across * grid.down);
  for (let row = 0; row < grid.down; row++) {
    const start = firstOf(grid, row);
    out.set(from.subarray(start, start + grid.across), row * grid.across);
  }
  return out;
}

/** Where one grid's floats are: byte offsets from the arena's start. */
export interface Placed<G extends Grid = Grid> {
  grid: G;
  at: number;
}

/** A grid at half the samples: every second sample (point registration) or the mean of four (area). */
export function coarsen(arena: Arena, fine: Placed, coarse: Placed, point: boolean, band: Band): void {
  const a = floats(arena, arena.start + fine.at, bytesOf(fine.grid) / 4);
  const b = floats(arena, arena.start + coarse.at, bytesOf(coarse.grid) / 4);
  const { from, to } = rowsOf(coarse.grid.down, band);
  for (let row = from; row < to; row++) {
    const out = firstOf(coarse.grid, row);
    const north = firstOf(fine.grid, 2 * row);
    const { stride } = fine.grid;
    for (let x = 0; x < coarse.grid.across; x++) {
      const at = north + 2 * x;
      b[out + x] = point ? a[at] : (a[at] + a[at + 1] + (a[at + stride] + a[at + stride + 1])) * 0.25;
    }
  }
}

/**
 * A coarse grid laid over a finer one, straight between its samples. This keeps volumes: the
 * integral of the bilinear surface is the trapezoid sum on either grid. `base`, where given, is
 * added.
 */
export function refine(arena: Arena, coarse: Placed, fine: Placed, point: boolean, band: Band, base?: number): void {
  const c = floats(arena, arena.start + coarse.at, bytesOf(coarse.grid) / 4);
  const f = floats(arena, arena.start + fine.at, bytesOf(fine.grid) / 4);
  const under = base === undefined ? undefined : floats(arena, arena.start + base, bytesOf(fine.grid) / 4);
  const { across, down } = coarse.grid;
  const { from, to } = rowsOf(fine.grid.down, band);
  for (let row = from; row < to; row++) {
    // The two coarse rows that a fine row lies between, and its place between them.
    const near = row >> 1;
    const other = point ? Math.min(down - 1, near + (row & 1)) : Math.min(down - 1, Math.max(0, row & 1 ? near + 1 : near - 1));
    const wy = point ? (row & 1 ? 0.5 : 0) : 0.25;
    const a = firstOf(coarse.grid, near);
    const b = firstOf(coarse.grid, other);
    const out = firstOf(fine.grid, row);
    for (let x = 0; x < fine.grid.across; x++) {
      const nx = x >> 1;
      const ox = point ? Math.min(across - 1, nx + (x & 1)) : Math.min(across - 1, Math.max(0, x & 1 ? nx + 1 : nx - 1));
      const wx = point ? (x & 1 ? 0.5 : 0) : 0.25;
      const north = c[a + nx] + wx * (c[a + ox] - c[a + nx]);
      const south = c[b + nx] + wx * (c[b + ox] - c[b + nx]);
      const value = north + wy * (south - north);
      f[out + x] = under ? under[out + x] + value : value;
    }
  }
}

/**
 * Takes the finest detail of a grid away: the binomial 1 4 6 4 1 along both axes, from `source`
 * to `out` by way of `between`; the edge is carried on. Yields where bands meet.
 */
export function* smooth(
  kernels: KernelExports,
  arena: Arena,
  grid: Grid,
  source: number,
  between: number,
  out: number,
  band: Band,
): Generator<void, void, void> {
  const { across, down, stride, left, above } = grid;
  const { from, to } = rowsOf(down, band);
  const a = arena.start;
  kernels.smoothAlong(a + source, a + between, stride, left, above, across, from, to);
  yield;
  kernels.smoothDown(a + between, a + out, stride, left, above, across, down, from, to);
  yield;
}

/** Hands out room in an arena, from its start. */
export function claims(): { claim(bytes: number): number; readonly bytes: number } {
  let offset = 0;
  return {
    claim(bytes) {
      const at = offset;
      offset += (bytes + 63) & ~63;
      return at;
    },
    get bytes() {
      return offset;
    },
  };
}
