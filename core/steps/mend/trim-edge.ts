import quickselect from 'quickselect';
import { z } from 'zod';
import { spacingOf } from '../../field/ground';
import { distance, toggle } from '../params';
import { defineStep } from '../step';

const side = (label: string) => distance(0, { min: 0, max: 100_000, step: 0.1, label, when: { find: [false] } });

/**
 * Takes strips at the border away that do not go on from the ground (white frames, blank rows,
 * seams a few samples wide) and carries the inside on over them, mirrored through its last
 * sample, so that height and slope go on. Finds the strips itself, or takes their widths.
 */
export const trimEdge = defineStep({
  id: 'trim-edge',
  title: 'Trim edge',
  family: 'mend',
  summary: 'Takes frames and blank strips off the border and carries the ground on over them.',
  finds: ['crop', 'border', 'frame', 'margin', 'edge', 'cut', 'collar'],
  params: z.object({
    find: toggle(true, { label: 'Find the strips', help: 'Off: their widths are typed.' }),
    north: side('North'),
    east: side('East'),
    south: side('South'),
    west: side('West'),
  }),
  reach: () => Infinity,
  caption: ({ find }) => (find ? 'found' : 'typed'),
  run({ height }, params, { ground, window, say }) {
    const { across, down } = window;
    const { x, y } = spacingOf(ground);
    const strips = params.find
      ? findStrips(height, across, down)
      : {
          north: Math.round(params.north / y),
          south: Math.round(params.south / y),
          west: Math.round(params.west / x),
          east: Math.round(params.east / x),
        };
    if (strips.north + strips.south >= down - 2 || strips.west + strips.east >= across - 2) {
      say('The strips cover the whole ground, so nothing was changed. Type narrower ones.');
      return { height };
    }
    if (strips.north + strips.south + strips.west + strips.east === 0) {
      say('No strip at the border breaks off from the ground.');
      return { height };
    }
    say(
      `Carried on over strips of ${strips.north} samples in the north, ${strips.east} in the east, ${strips.south} in the south, ${strips.west} in the west.`,
    );
    return { height: carriedOn(height, across, down, strips) };
  },
});

export interface Strips {
  north: number;
  east: number;
  south: number;
  west: number;
}

/** What breaks off has to jump by this many times the usual step from row to row; once it did, the next rows by less. */
const JUMP = 6;
const REST = 2.5;

/**
 * Widths of the strips along the border, samples, that do not go on from the ground: the
 * furthest row within an eighth of the side that jumps against the next one, all along it, by
 * many times what rows inside do, with the half-mixed rows beside it.
 */
export function findStrips(height: Float32Array, across: number, down: number): Strips {
  return stripsOf(steps(height, down, across, across, 1), steps(height, across, down, 1, across));
}

function stripsOf(alongRows: Float64Array, alongColumns: Float64Array): Strips {
  return {
    north: widthOf(alongRows),
    south: widthOf(alongRows.slice().reverse()),
    west: widthOf(alongColumns),
    east: widthOf(alongColumns.slice().reverse()),
  };
}

/** The median step from each line to the next, over the samples of the lines: a cliff across a part of one is none. */
function steps(height: Float32Array, lines: number, length: number, lineStride: number, stride: number): Float64Array {
  const out = new Float64Array(Math.max(0, lines - 1));
  const { first, some, count, middle } = lookedAlong(length);
  const values: number[] = Array.from({ length: count }, () => 0);
  for (let line = 0; line + 1 < lines; line++) {
    stepsOf(values, height, line * lineStride + first * stride, some * stride, lineStride);
    quickselect(values, middle);
    out[line] = values[middle] ?? 0;
  }
  return out;
}

/** Steps to the next line from samples `stride` apart. */
function stepsOf(out: number[], height: Float32Array, from: number, stride: number, lineStride: number): void {
  for (let k = 0, at = from; k < out.length; k++, at += stride) out[k] = Math.abs(height[at + lineStride] - height[at]);
}

/** The widths that {@link findStrips} finds, of a ground whose rows come in pieces from north to south. */
export class StripsInPieces {
  private readonly alongRows: Float64Array;
  /** Steps from column to column in the rows that are looked at. */
  private readonly across: Float32Array[] = [];
  private last: Float32Array | undefined;
  private row = 0;

  constructor(private readonly size: { across: number; down: number }) {
    this.alongRows = new Float64Array(Math.max(0, size.down - 1));
  }

  add(height: Float32Array): void {
    const { across, down } = this.size;
    const [inRow, inColumn] = [lookedAlong(across), lookedAlong(down)];
    const values: number[] = Array.from({ length: inRow.count }, () => 0);
    for (let from = 0; from < height.length; from += across, this.row++) {
      const line = height.subarray(from, from + across);
      if (this.last) {
        for (let k = 0, at = inRow.first; k < values.length; k++, at += inRow.some) values[k] = Math.abs(line[at] - this.last[at]);
        quickselect(values, inRow.middle);
        this.alongRows[this.row - 1] = values[inRow.middle] ?? 0;
      }
      const k = (this.row - inColumn.first) / inColumn.some;
      if (k >= 0 && k < inColumn.count && Number.isInteger(k)) {
        const steps = new Float32Array(Math.max(0, across - 1));
        for (let c = 0; c < steps.length; c++) steps[c] = Math.abs(line[c + 1] - line[c]);
        this.across.push(steps);
      }
      this.last = line;
    }
    this.last = this.last?.slice();
  }

  get strips(): Strips {
    const { middle } = lookedAlong(this.size.down);
    const values: number[] = this.across.map(() => 0);
    const alongColumns = Float64Array.from({ length: Math.max(0, this.size.across - 1) }, (_, c) => {
      for (let k = 0; k < values.length; k++) values[k] = this.across[k][c];
      quickselect(values, middle);
      return values[middle] ?? 0;
    });
    return stripsOf(this.alongRows, alongColumns);
  }
}

/** Which samples of a line of so many are looked at: the first, how far apart, how many, and which of them in order is the one that counts. Corners belong to the strips of the other sides too: the outer eighths are left out. */
function lookedAlong(length: number): { first: number; some: number; count: number; middle: number } {
  const some = Math.max(1, Math.floor(length / 512));
  const first = length >> 3;
  const count = Math.ceil((length - 2 * first) / some);
  return { first, some, count, middle: Math.floor(count * 0.35) };
}

function widthOf(steps: Float64Array): number {
  if (steps.length < 15) return 0;
  const inner = steps.slice(steps.length >> 3, steps.length - (steps.length >> 3)).sort();
  const usual = inner[inner.length >> 1];
  const high = inner[Math.floor(inner.length * 0.98)];
  const limit = Math.max(JUMP * usual, 2 * high);
  let width = 0;
  for (let line = 0; line < steps.length >> 3; line++) {
    // Against what lies just inside too: an escarpment along the edge is steep line after line.
    const inside = steps.slice(line + 1, line + 10).sort()[4];
    if (steps[line] > limit && steps[line] > 4 * inside && steps[line] > 0) width = line + 1;
  }
  // A resampled or packed frame bleeds into the rows beside it.
  if (width) for (let more = 0; more < 4 && steps[width] > Math.max(REST * usual, high); more++) width++;
  return width;
}

/** The strips made anew from the inside: mirrored through the last sample that stays, in height and place. */
export function carriedOn(height: Float32Array, across: number, down: number, { north, east, south, west }: Strips): Float32Array<ArrayBuffer> {
  const out = Float32Array.from(height);
  // Wide strips would swing far off: the mirrored part fades to the last sample's height.
  const beyond = (at: (inwards: number) => number, distance: number, room: number) => {
    const edge = at(0);
    const mirrored = 2 * edge - at(Math.min(distance, room));
    const weight = 1 / (1 + (distance / 24) * (distance / 24));
    return edge + (mirrored - edge) * weight;
  };
  for (let row = north; row < down - south; row++) {
    const start = row * across;
    const room = across - east - west - 1;
    for (let x = 0; x < west; x++) out[start + x] = beyond((k) => height[start + west + k], west - x, room);
    const last = across - east - 1;
    for (let x = last + 1; x < across; x++) out[start + x] = beyond((k) => height[start + last - k], x - last, room);
  }
  const room = down - north - south - 1;
  for (let x = 0; x < across; x++) {
    for (let row = 0; row < north; row++) out[row * across + x] = beyond((k) => out[(north + k) * across + x], north - row, room);
    const last = down - south - 1;
    for (let row = last + 1; row < down; row++) out[row * across + x] = beyond((k) => out[(last - k) * across + x], row - last, room);
  }
  return out;
}
