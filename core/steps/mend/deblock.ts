import { z } from 'zod';
import { ratio } from '../params';
import { defineStep } from '../step';

export const BLOCK = 8;
/**
 * The first guess of how much of what is too much at a break is taken from it, a half from the sample on either
 * side. Samples further in are not touched: against the truth, on ground of three kinds packed
 * at three qualities, their errors fall on the break with a slope of under 0.1, those of the
 * two at the border with one of 0.1 to 0.35.
 */
const SHARE = 0.7;
const MOST_SHARE = 1.1;

/**
 * Takes the grid of 8 × 8 blocks out that a JPEG leaves: finds where it lies by how much more
 * the ground breaks across it than elsewhere, and evens each break out between
 * the two samples beside it, as far as the breaks around it are more than what the ground does there by itself. A
 * cliff along a block's border is more than its quantisation explains, and stays.
 */
export const deblock = defineStep({
  id: 'deblock',
  title: 'De-block',
  family: 'mend',
  summary: 'Takes the grid of 8 × 8 blocks out that a JPEG leaves.',
  finds: ['jpeg', 'jpg', 'compression', 'artefacts', 'artifacts', 'blocks', '8x8'],
  params: z.object({
    amount: ratio(1, { label: 'Amount', help: '100 % leaves breaks across blocks as large as they are within.' }),
  }),
  reach: () => Infinity,
  caption: ({ amount }) => (amount < 1 ? `${Math.round(amount * 100)} %` : 'JPEG blocks'),
  run({ height }, { amount }, { window, say }) {
    const { across, down } = window;
    const found = findBlocks(height, across, down);
    if (!found) {
      say('No grid of 8 × 8 blocks shows in these heights.');
      return { height };
    }
    const rows: Direction = { length: across, lines: down, stride: 1, lineStride: across };
    const columns: Direction = { length: down, lines: across, stride: across, lineStride: 1 };
    const out = settled(settled(height, rows, found.left, amount), columns, found.top, amount);
    say(`The blocks begin at column ${found.left} and row ${found.top}; breaks across them were ${found.times.toFixed(1)} times those within.`);
    return { height: out };
  },
});

export interface Blocks {
  /** The first column and row at which a block begins, 0 to 7. */
  left: number;
  top: number;
  /** How many times larger breaks across the grid are than within. */
  times: number;
}

/** Where the grid of blocks lies; null where the ground breaks no more along one than elsewhere. */
export function findBlocks(height: Float32Array, across: number, down: number): Blocks | null {
  return bothWays(phaseOf(height, across, down, 1, across), phaseOf(height, down, across, across, 1));
}

const bothWays = (columns: Phase | null, rows: Phase | null): Blocks | null =>
  columns && rows && { left: columns.phase, top: rows.phase, times: Math.sqrt(columns.times * rows.times) };

/** The grid that {@link findBlocks} finds, of a ground whose rows come in pieces from north to south. */
export class BlocksInPieces {
  private readonly columns: Stripes;
  private readonly rows: Stripes;
  /** The last three rows. */
  private held = new Float32Array(0);
  private row = 0;

  constructor(private readonly size: { across: number; down: number }) {
    this.columns = stripesOf(size.across, size.down);
    this.rows = stripesOf(size.down, size.across);
  }

  add(height: Float32Array): void {
    const { across } = this.size;
    const { columns, held } = this;
    for (let from = 0; from < height.length; from += across) {
      const row = this.row + from / across;
      const stripe = columns.sums[Math.floor(row / columns.apart)];
      if (stripe && row % columns.apart < columns.looked) addAlong(stripe, height, from, across, 1);
    }
    // Each row from the third to the last but one, with the two before and the one after it: the first of them lie in what is held.
    const joined = new Float32Array(held.length + Math.min(height.length, 3 * across));
    joined.set(held);
    joined.set(height.subarray(0, 3 * across), held.length);
    const first = this.row - held.length / across;
    this.addRows(joined, first, Math.max(2, first + 2));
    this.addRows(height, this.row, this.row + 2);
    this.row += height.length / across;
    this.held = (height.length >= 3 * across ? height : joined).slice(-3 * across);
  }

  /** Rows of `part`, which begins at the ground's row `first`, from `from` to its last but one. */
  private addRows(part: Float32Array, first: number, from: number): void {
    const { across } = this.size;
    const { sums, apart, looked } = this.rows;
    for (let k = from; (k + 2 - first) * across <= part.length; k++) {
      const at = (k - first) * across;
      for (let s = 0; s < sums.length; s++) sums[s][k % BLOCK] += breaksAt(part, at + s * apart, looked, across);
    }
  }

  get found(): Blocks | null {
    const { across, down } = this.size;
    return bothWays(phaseIn(this.columns, across, down), phaseIn(this.rows, down, across));
  }
}

/** How much a line breaks at a sample: its step there against the two beside it. */
const breakAt = (h: Float32Array, i: number, stride: number) => h[i] - h[i - stride] - (h[i - stride] - h[i - 2 * stride] + (h[i + stride] - h[i])) / 2;

/** Breaks along several lines, added up by their place in a block. */
function addBreaks(sums: Float64Array, height: Float32Array, at: number, length: number, lines: number, stride: number, lineStride: number): void {
  // Along what lies together in memory.
  if (stride < lineStride) for (let line = 0; line < lines; line++) addAlong(sums, height, at + line * lineStride, length, stride);
  else for (let k = 2; k + 1 < length; k++) sums[k % BLOCK] += breaksAt(height, at + k * stride, lines, stride);
}

function addAlong(sums: Float64Array, h: Float32Array, at: number, length: number, stride: number): void {
  for (let k = 2, i = at + 2 * stride; k + 1 < length; k++, i += stride) sums[k % BLOCK] += Math.abs(breakAt(h, i, stride));
}

function breaksAt(h: Float32Array, at: number, lines: number, stride: number): number {
  let sum = 0;
  for (let i = at; i < at + lines; i++) sum += Math.abs(breakAt(h, i, stride));
  return sum;
}

/** Lines of a stripe that are looked at; there are some 32 stripes. */
const ENOUGH_LINES = 32;

interface Phase {
  phase: number;
  times: number;
}

/** Breaks of lines by their place in a block, in stripes of lines, each of which votes too: one wall in the ground is no grid. */
interface Stripes {
  sums: Float64Array[];
  /** Lines from one stripe to the next, and those of each that are looked at: a thousand in all say as much as every one. */
  apart: number;
  looked: number;
}

function stripesOf(length: number, lines: number): Stripes {
  const apart = Math.max(4, Math.floor(lines / 32));
  const tooFew = length < 4 * BLOCK || lines < BLOCK;
  const sums = Array.from({ length: tooFew ? 0 : Math.floor(lines / apart) }, () => new Float64Array(BLOCK));
  return { sums, apart, looked: Math.min(apart, ENOUGH_LINES) };
}

function phaseOf(height: Float32Array, length: number, lines: number, stride: number, lineStride: number): Phase | null {
  const stripes = stripesOf(length, lines);
  stripes.sums.forEach((stripe, s) => addBreaks(stripe, height, s * stripes.apart * lineStride, length, stripes.looked, stride, lineStride));
  return phaseIn(stripes, length, lines);
}

function phaseIn({ sums: stripes, looked }: Stripes, length: number, lines: number): Phase | null {
  if (length < 4 * BLOCK || lines < BLOCK) return null;
  const sums = new Float64Array(BLOCK);
  const wins = new Float64Array(BLOCK);
  for (const stripe of stripes) {
    let best = 0;
    for (let p = 0; p < BLOCK; p++) {
      sums[p] += stripe[p];
      if (stripe[p] > stripe[best]) best = p;
    }
    wins[best]++;
  }
  // Of the places 2 to length − 2 those at each place in a block.
  const counts = sums.map((_, p) => looked * stripes.length * Math.max(0, Math.floor((length - 2 - p) / BLOCK) - Math.floor((1 - p) / BLOCK)));
  const means = sums.map((s, p) => s / Math.max(1, counts[p]));
  let phase = 0;
  for (let p = 1; p < BLOCK; p++) if (means[p] > means[phase]) phase = p;
  // The two beside it share its step: they are no measure.
  const others = [...means].filter((_, p) => Math.min((p - phase + BLOCK) % BLOCK, (phase - p + BLOCK) % BLOCK) > 1);
  const mean = others.reduce((a, b) => a + b, 0) / others.length;
  const times = mean > 0 ? means[phase] / mean : 1;
  return means[phase] > 1.12 * Math.max(...others) && wins[phase] > 0.35 * stripes.length ? { phase, times } : null;
}

/** One direction of a ground: `length` samples a line, `stride` apart in memory; so many lines, `lineStride` apart. */
interface Direction {
  length: number;
  lines: number;
  stride: number;
  lineStride: number;
}

/** One direction, by the share of the breaks after which steps across the grid are as large as the others. */
function settled(height: Float32Array, along: Direction, phase: number, amount: number): Float32Array<ArrayBuffer> {
  const before = excess(height, along, phase);
  const first = evened(height, along, phase, SHARE);
  const after = excess(first, along, phase);
  const share = before > after ? Math.min(MOST_SHARE, Math.max(0, (SHARE * before) / (before - after))) : SHARE;
  return evened(height, along, phase, share * amount);
}

/** By how much steps across the grid are larger than the others, on average. */
function excess(height: Float32Array, { length, lines, stride, lineStride }: Direction, phase: number): number {
  let on = 0;
  let onCount = 0;
  let off = 0;
  let offCount = 0;
  for (let line = 0; line < lines; line++) {
    for (let k = 1; k < length; k++) {
      const i = line * lineStride + k * stride;
      const step = Math.abs(height[i] - height[i - stride]);
      if (k % BLOCK === phase) {
        on += step;
        onCount++;
      } else {
        off += step;
        offCount++;
      }
    }
  }
  return on / Math.max(1, onCount) - off / Math.max(1, offCount);
}

/** Mean squares of the breaks on each border and about it, for every eight lines. */
function breaksOf(
  height: Float32Array,
  borders: readonly number[],
  { length, lines, stride, lineStride }: Direction,
): { on: Float64Array; about: Float64Array } {
  const segments = Math.ceil(lines / BLOCK);
  const on = new Float64Array(borders.length * segments);
  const about = new Float64Array(borders.length * segments);
  borders.forEach((border, b) => {
    for (let s = 0; s < segments; s++) {
      let n = 0;
      let m = 0;
      for (let line = s * BLOCK; line < Math.min(lines, (s + 1) * BLOCK); line++) {
        const base = line * lineStride;
        for (let k = Math.max(2, border - 4); k < Math.min(length - 1, border + 4); k++) {
          const e = breakAt(height, base + k * stride, stride);
          // Breaks beside the border share a step with it.
          if (k === border) on[b * segments + s] += e * e;
          else if (Math.abs(k - border) > 1) {
            about[b * segments + s] += e * e;
            m++;
          }
          if (k === border) n++;
        }
      }
      on[b * segments + s] /= Math.max(1, n);
      about[b * segments + s] /= Math.max(1, m);
    }
  });
  return { on, about };
}

/** One direction, with so much of its breaks on the borders taken out. */
function evened(height: Float32Array, along: Direction, phase: number, amount: number): Float32Array<ArrayBuffer> {
  const { length, lines, stride, lineStride } = along;
  const out = Float32Array.from(height);
  const borders: number[] = [];
  for (let k = phase || BLOCK; k + 2 < length; k += BLOCK) borders.push(k);
  const segments = Math.ceil(lines / BLOCK);
  const { on, about } = breaksOf(height, borders, along);
  const around = (values: Float64Array, b: number, s: number) => {
    let sum = 0;
    let n = 0;
    for (let i = Math.max(0, b - 1); i <= Math.min(borders.length - 1, b + 1); i++) {
      for (let j = Math.max(0, s - 1); j <= Math.min(segments - 1, s + 1); j++, n++) sum += values[i * segments + j];
    }
    return sum / n;
  };
  borders.forEach((border, b) => {
    for (let s = 0; s < segments; s++) {
      const across = around(on, b, s);
      const within = around(about, b, s);
      if (across <= within) continue;
      const share = amount * (1 - Math.sqrt(within / across));
      // More than three deviations is more than quantisation does: it is the ground's own.
      const most = 3 * Math.sqrt(across);
      for (let line = s * BLOCK; line < Math.min(lines, (s + 1) * BLOCK); line++) {
        const at = line * lineStride + border * stride;
        const e = breakAt(height, at, stride);
        if (Math.abs(e) > most) continue;
        out[at] -= (share * e) / 2;
        out[at - stride] += (share * e) / 2;
      }
    }
  });
  return out;
}
