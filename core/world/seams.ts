import type { Field } from '../field/field';
import type { WorldTile } from './plan';

/** Samples on each side of a border that are looked at. */
const RIM = 2;

/** How the ground goes on across the borders of tiles. */
export interface SeamProof {
  /** Pairs of samples on both sides of a border. */
  pairs: number;
  /** The mean step across borders, and beside them within the tiles, metres. */
  across: number;
  within: number;
  /** The one by the other: 1 where a border cannot be told. */
  ratio: number;
  /** Of tiles that have the samples between them both: the largest difference of what has to be one, metres. */
  apart: number;
}

/** Steps across the borders of tiles, and beside them. */
export class Seams {
  /** `step`: metres from code to code, of which half is none; 0: floats. */
  constructor(
    private readonly shared: boolean,
    private readonly step: number,
  ) {}

  /** The last columns of the tile before, and the last rows of the tiles above, by column. */
  private readonly columns = new Map<string, Float64Array[]>();
  private readonly rows = new Map<string, Float64Array[]>();
  private pairs = 0;
  private across = 0;
  private within = 0;
  private apart = 0;

  take({ row, column, window }: WorldTile, { ground, height }: Field): void {
    const { across, down } = window;
    if (across < 2 * RIM || down < 2 * RIM) return;
    const columnAt = (x: number) => Float64Array.from({ length: down }, (_, y) => height[y * across + x] + ground.datum);
    const rowAt = (y: number) => Float64Array.from({ length: across }, (_, x) => height[y * across + x] + ground.datum);
    this.compare(this.columns.get(`${row}:${column - 1}`), [0, 1, 2].map(columnAt));
    this.compare(this.rows.get(`${row - 1}:${column}`), [0, 1, 2].map(rowAt));
    this.columns.delete(`${row}:${column - 1}`);
    this.rows.delete(`${row - 1}:${column}`);
    this.columns.set(`${row}:${column}`, [columnAt(across - 2), columnAt(across - 1)]);
    this.rows.set(`${row}:${column}`, [rowAt(down - 2), rowAt(down - 1)]);
  }

  /** The two lines before a border, and those after it; of tiles that share a line the one that both have is before it. */
  private compare(before: Float64Array[] | undefined, after: Float64Array[]): void {
    if (!before) return;
    const [a, b] = before;
    const [c, d] = this.shared ? after.slice(1) : after;
    if (this.shared) this.hold(b, after[0]);
    for (let i = 0; i < c.length; i++) {
      const across = Math.abs(c[i] - b[i]);
      const within = (Math.abs(b[i] - a[i]) + Math.abs(d[i] - c[i])) / 2;
      if (!(across - across === 0) || !(within - within === 0)) continue;
      this.across += across;
      this.within += within;
      this.pairs++;
    }
  }

  /** Both sides of a border that is one line. */
  private hold(before: Float64Array, after: Float64Array): void {
    for (let i = 0; i < before.length; i++) {
      const off = Math.abs(before[i] - after[i]);
      if (off > this.step / 2 && off > this.apart) this.apart = off;
    }
  }

  proof(): SeamProof | null {
    const { pairs, apart } = this;
    if (pairs === 0) return null;
    const across = this.across / pairs;
    const within = this.within / pairs;
    return { pairs, across, within, ratio: across === within ? 1 : across / within, apart };
  }
}
