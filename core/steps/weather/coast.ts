import { cooperativeYield } from '../../cooperative-yield';
import type { Ground } from '../../field/ground';
import { DEGREE, exactMath } from '../../kernels/math';

/** Directions that the open water is looked for in. */
const DIRECTIONS = 16;
/** The exposure is worked out on a lattice of so many cells along the longer side. */
const CELLS = 200;
/** Waves grow as the root of their fetch (common practice), to this share of the longer side; beyond, the sea is open. */
const FULL_FETCH = 0.5;

/**
 * How far the waves that reach each sample have come, 0 to 1: the mean over 16 directions of the root of the open water before it, as a share of the longest. Beyond
 * the ground's edge the water goes on. `wet`: 1 where there is water.
 */
export async function exposureOf(wet: Uint8Array, { across, down, width, depth }: Ground, signal?: AbortSignal): Promise<Float32Array<ArrayBuffer>> {
  const { sin, cos } = exactMath();
  const rest = cooperativeYield(signal);
  const long = Math.max(width, depth);
  const cell = long / CELLS;
  const [cols, rows] = [Math.max(2, Math.round(width / cell) + 1), Math.max(2, Math.round(depth / cell) + 1)];
  const sampleAt = (x: number, y: number) => {
    const column = Math.min(across - 1, Math.max(0, Math.round((x / (cols - 1)) * (across - 1))));
    const row = Math.min(down - 1, Math.max(0, Math.round((y / (rows - 1)) * (down - 1))));
    return wet[row * across + column];
  };
  const water = new Uint8Array(cols * rows);
  for (let y = 0; y < rows; y++) for (let x = 0; x < cols; x++) water[y * cols + x] = sampleAt(x, y);
  const farthest = FULL_FETCH * CELLS;
  const ways = Array.from({ length: DIRECTIONS }, (_, k) => {
    const turn = (360 / DIRECTIONS) * k * DEGREE;
    return wayThrough(sin(turn), -cos(turn), farthest, cols, rows);
  });
  const open = new Float32Array(cols * rows);
  for (let y = 0; y < rows; y++) {
    const pause = rest();
    if (pause) await pause;
    for (let x = 0; x < cols; x++) {
      if (!water[y * cols + x]) continue;
      let sum = 0;
      for (const way of ways) sum += Math.sqrt(fetchOf(water, y * cols + x, Math.min(way.leavesAcross[x], way.leavesDown[y]), way) / farthest);
      open[y * cols + x] = sum / DIRECTIONS;
    }
  }
  // Land takes what the water beside it has: carried on, cell by cell, and smoothed.
  for (let pass = 0; pass < CARRIED; pass++) carryOn(open, cols, rows);
  const out = new Float32Array(across * down);
  for (let row = 0, i = 0; row < down; row++) {
    const v = down > 1 ? (row / (down - 1)) * (rows - 1) : 0;
    const [r0, fy] = [Math.min(rows - 2, Math.floor(v)), v - Math.min(rows - 2, Math.floor(v))];
    for (let column = 0; column < across; column++, i++) {
      const u = across > 1 ? (column / (across - 1)) * (cols - 1) : 0;
      const c0 = Math.min(cols - 2, Math.floor(u));
      const fx = u - c0;
      const p = r0 * cols + c0;
      const north = open[p] + fx * (open[p + 1] - open[p]);
      const south = open[p + cols] + fx * (open[p + cols + 1] - open[p + cols]);
      out[i] = north + fy * (south - north);
    }
  }
  return out;
}

/** One way over the lattice: the cells that it comes through from any cell, one after the other, and where it leaves the lattice. */
interface Way {
  /** From the cell that is begun at to the one after so many steps. */
  through: Int32Array;
  /** By the column, and by the row, that is begun at: after how many steps the way is beyond the lattice; no more than it has. */
  leavesAcross: Int32Array;
  leavesDown: Int32Array;
}

function wayThrough(east: number, south: number, farthest: number, cols: number, rows: number): Way {
  const along = (step: number) => Int32Array.from({ length: farthest }, (_, far) => Math.round(far * step));
  const [columns, lines] = [along(east), along(south)];
  const leaves = (by: Int32Array, count: number) =>
    Int32Array.from({ length: count }, (_, from) => {
      const out = by.findIndex((d) => from + d < 0 || from + d >= count);
      return out < 0 ? farthest : out;
    });
  return { through: columns.map((c, far) => lines[far] * cols + c), leavesAcross: leaves(columns, cols), leavesDown: leaves(lines, rows) };
}

/** Cells of open water before a cell one way; as many as there are where no land comes, or the ground ends. */
function fetchOf(water: Uint8Array, cell: number, leaves: number, { through }: Way): number {
  for (let far = 1; far < leaves; far++) if (!water[cell + through[far]]) return far;
  return through.length;
}

const CARRIED = 24;

/** Cells that have nothing take the mean of those around them that have something. */
function carryOn(values: Float32Array, cols: number, rows: number): void {
  const before = values.slice();
  for (let y = 0; y < rows; y++) {
    for (let x = 0; x < cols; x++) {
      const i = y * cols + x;
      if (before[i] > 0) continue;
      let [sum, count] = [0, 0];
      for (let r = Math.max(0, y - 1); r <= Math.min(rows - 1, y + 1); r++) {
        for (let c = Math.max(0, x - 1); c <= Math.min(cols - 1, x + 1); c++) {
          const value = before[r * cols + c];
          if (value > 0) [sum, count] = [sum + value, count + 1];
        }
      }
      if (count > 0) values[i] = sum / count;
    }
  }
}
