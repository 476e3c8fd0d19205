import type { Rung } from './ladder';

/** Ice on a grid and what it carries, metres. */
export interface Conveyed {
  surface: Float32Array;
  ice: Float32Array;
  /** What is worn off the bed, in any measure. */
  worn: Float32Array;
  /** Added to. */
  till: Float32Array;
}

/** Till is spread so often by the binomial 1 2 1: moraines have flanks. */
const SPREAD = 5;
/** No place takes more than all but this share of those that take some: the rest of it is washed away. */
const HIGHEST = 0.08;

/**
 * Where steady ice lays down what it wears off: from the highest surface down every sample hands on what came to it, but for the share of its
 * ice that melts there; at the margin all of it. `melts`: metres of ice that melt at a sample while the faces pass theirs.
 * What comes within `margin` samples of the edge goes over it and is gone. Added to the till is the part of all that was worn off that lies at each
 * sample, times `amount`; given back is the share that was laid down anywhere.
 */
export function conveyTill(
  { across, down, stride }: Rung,
  { surface, ice, worn, till }: Conveyed,
  { east, south }: { east: Float32Array; south: Float32Array },
  melts: (p: number) => number,
  amount: number,
  margin: number,
): number {
  const order: number[] = [];
  for (let row = 0; row < down; row++) {
    for (let x = 0; x < across; x++) {
      const p = (row + 1) * stride + 1 + x;
      if (ice[p] > 0) order.push(p);
    }
  }
  order.sort((a, b) => surface[b] - surface[a] || a - b);
  const carried = new Float64Array(surface.length);
  const laid = new Float32Array(surface.length);
  const pass = (q: number, share: number) => {
    if (ice[q] > 0) carried[q] += share;
    else laid[q] += share;
  };
  for (const p of order) {
    const load = carried[p] + worn[p];
    if (load <= 0) continue;
    const row = Math.floor(p / stride) - 1;
    const x = (p % stride) - 1;
    const over = surface[p];
    const toEast = x < across - 1 ? east[p] * Math.max(0, over - surface[p + 1]) : 0;
    const toSouth = row < down - 1 ? south[p] * Math.max(0, over - surface[p + stride]) : 0;
    const toWest = x > 0 ? east[p - 1] * Math.max(0, over - surface[p - 1]) : 0;
    const toNorth = row > 0 ? south[p - stride] * Math.max(0, over - surface[p - stride]) : 0;
    const goes = toEast + toSouth + toWest + toNorth;
    const melted = 2 * melts(p);
    const rim = row < margin || row >= down - margin || x < margin || x >= across - margin;
    // A hollow of the surface: its water takes it.
    if (goes + melted <= 0) continue;
    // At the rim what would melt goes on beyond it.
    if (!rim) laid[p] += (load * melted) / (goes + melted);
    if (toEast > 0) pass(p + 1, (load * toEast) / (goes + melted));
    if (toSouth > 0) pass(p + stride, (load * toSouth) / (goes + melted));
    if (toWest > 0) pass(p - 1, (load * toWest) / (goes + melted));
    if (toNorth > 0) pass(p - stride, (load * toNorth) / (goes + melted));
  }
  let all = 0;
  const some: number[] = [];
  for (let p = 0; p < laid.length; p++) {
    if (laid[p] > 0) some.push(laid[p]);
    if (ice[p] > 0) all += worn[p];
  }
  if (some.length === 0 || all <= 0) return 0;
  some.sort((a, b) => a - b);
  const most = some[Math.floor((1 - HIGHEST) * (some.length - 1))];
  for (let p = 0; p < laid.length; p++) laid[p] = Math.min(most, laid[p]);
  for (let pass = 0; pass < SPREAD; pass++) spread(laid, across, down, stride);
  let sum = 0;
  for (let p = 0; p < laid.length; p++) {
    sum += laid[p];
    till[p] += (amount * laid[p]) / all;
  }
  return Math.min(1, sum / all);
}

/** The binomial 1 2 1 along both axes, edges carried on. */
function spread(values: Float32Array, across: number, down: number, stride: number): void {
  const line = new Float32Array(Math.max(across, down));
  const along = (start: number, step: number, count: number) => {
    for (let i = 0; i < count; i++) line[i] = values[start + i * step];
    for (let i = 0; i < count; i++) values[start + i * step] = (2 * line[i] + line[Math.max(0, i - 1)] + line[Math.min(count - 1, i + 1)]) / 4;
  };
  for (let row = 0; row < down; row++) along((row + 1) * stride + 1, 1, across);
  for (let x = 0; x < across; x++) along(stride + 1 + x, stride, down);
}
