import { UplandError } from '../../errors';
import type { Field } from '../../field/field';
import { spacingOf } from '../../field/ground';
import { DEGREE, exactMath } from '../../kernels/math';

/** What lies between two fields on one grid, on the samples that both have; metres. */
export interface Difference {
  /** Samples that both have a height at, and the share of A's that they are. */
  count: number;
  share: number;
  /** Of B − A. */
  mean: number;
  rmse: number;
  deviation: number;
  maxAbs: number;
  /** Where it is largest: metres from the north-west corner. */
  at: { east: number; south: number };
  /** Under these shares of the samples the difference lies within so much. */
  percentiles: { share: number; within: number }[];
  correlation: number;
  /** What A must lose and gain to be B, m³. */
  loss: number;
  gain: number;
}

/** One side by itself. */
export interface SideNumbers {
  lowest: number;
  highest: number;
  mean: number;
  deviation: number;
  underWater: number;
  /** Degrees. */
  steepest: number;
}

const SHARES = [0.5, 0.9, 0.95, 0.99];
const BINS = 65_536;

/** 1 where both have a height; undefined: everywhere. */
function bothKnown({ valid: a }: Field, { valid: b }: Field): Uint8Array | undefined {
  return a && b ? a.map((v, i) => (v && b[i] ? 1 : 0)) : (a ?? b);
}

/** Places of the sums that are gathered of a pair, and of one side. */
const PAIR = { count: 0, sum: 1, squares: 2, sa: 3, sb: 4, saa: 5, sbb: 6, sab: 7, sizes: 8, most: 9, at: 10 } as const;
const ONE = { count: 0, sum: 1, squares: 2, under: 3, lowest: 4, highest: 5 } as const;

/** Adds a run of samples to the sums of a pair. A run at a time: a loop over all of a ground would be compiled in the middle of it, for numbers of any kind. */
function addPair(
  to: Float64Array,
  ha: Float32Array,
  hb: Float32Array,
  known: Uint8Array | undefined,
  from: number,
  end: number,
  base: number,
  move: number,
): void {
  let count = 0;
  let sum = 0;
  let squares = 0;
  let sa = 0;
  let sb = 0;
  let saa = 0;
  let sbb = 0;
  let sab = 0;
  let sizes = 0;
  let most = to[PAIR.most];
  let at = to[PAIR.at];
  for (let i = from; i < end; i++) {
    if (known !== undefined && known[i] === 0) continue;
    const va = ha[i] - base;
    const vb = hb[i] - base + move;
    const d = vb - va;
    count++;
    sum += d;
    squares += d * d;
    sa += va;
    sb += vb;
    saa += va * va;
    sbb += vb * vb;
    sab += va * vb;
    const size = Math.abs(d);
    sizes += size;
    if (size > most) {
      most = size;
      at = i;
    }
  }
  to[PAIR.count] += count;
  to[PAIR.sum] += sum;
  to[PAIR.squares] += squares;
  to[PAIR.sa] += sa;
  to[PAIR.sb] += sb;
  to[PAIR.saa] += saa;
  to[PAIR.sbb] += sbb;
  to[PAIR.sab] += sab;
  to[PAIR.sizes] += sizes;
  to[PAIR.most] = most;
  to[PAIR.at] = at;
}

function addSizes(
  to: Uint32Array,
  ha: Float32Array,
  hb: Float32Array,
  known: Uint8Array | undefined,
  from: number,
  end: number,
  move: number,
  scale: number,
): void {
  for (let i = from; i < end; i++) if (known === undefined || known[i] !== 0) to[(Math.abs(hb[i] - ha[i] + move) * scale + 0.5) | 0]++;
}

function addOne(to: Float64Array, height: Float32Array, valid: Uint8Array | undefined, from: number, end: number, base: number, sea: number): void {
  let count = 0;
  let sum = 0;
  let squares = 0;
  let under = 0;
  let lowest = to[ONE.lowest];
  let highest = to[ONE.highest];
  for (let i = from; i < end; i++) {
    if (valid !== undefined && valid[i] === 0) continue;
    const h = height[i];
    const over = h - base;
    count++;
    sum += over;
    squares += over * over;
    if (h < sea) under++;
    if (h < lowest) lowest = h;
    if (h > highest) highest = h;
  }
  to[ONE.count] += count;
  to[ONE.sum] += sum;
  to[ONE.squares] += squares;
  to[ONE.under] += under;
  to[ONE.lowest] = lowest;
  to[ONE.highest] = highest;
}

/** Holds B against A, both on A's grid. */
export function differenceBetween(a: Field, b: Field): Difference {
  const { ground } = a;
  const known = bothKnown(a, b);
  const move = b.ground.datum - ground.datum;
  const { height: ha } = a;
  const { height: hb } = b;
  const base = ha[0];
  const sums = new Float64Array(11);
  sums[PAIR.most] = -1;
  for (let row = 0; row < ground.down; row++) addPair(sums, ha, hb, known, row * ground.across, (row + 1) * ground.across, base, move);
  const [count, sum, squares, sa, sb, saa, sbb, sab, sizes, most, at] = sums;
  if (count === 0) throw new UplandError('all-no-data', 'There is no sample that has a height in both.');
  // What lies higher and lower adds up to the one, and is apart by the other.
  const [loss, gain] = [(sizes - sum) / 2, (sizes + sum) / 2];
  const bins = new Uint32Array(BINS);
  if (most > 0) {
    const scale = (BINS - 1) / most;
    for (let row = 0; row < ground.down; row++) addSizes(bins, ha, hb, known, row * ground.across, (row + 1) * ground.across, move, scale);
  } else bins[0] = count;
  const percentiles = SHARES.map((share) => {
    let [k, below] = [0, bins[0]];
    while (k < BINS - 1 && below < share * count) below += bins[++k];
    return { share, within: (k / (BINS - 1)) * most };
  });
  const { x, y } = spacingOf(ground);
  const pad = ground.registration === 'area' ? 0.5 : 0;
  const mean = sum / count;
  const [va, vb] = [saa - (sa * sa) / count, sbb - (sb * sb) / count];
  return {
    count,
    share: count / (a.valid ? a.valid.reduce((n, v) => n + (v ? 1 : 0), 0) : ha.length),
    mean,
    rmse: Math.sqrt(squares / count),
    deviation: Math.sqrt(Math.max(0, squares / count - mean * mean)),
    maxAbs: most,
    at: { east: ((at % ground.across) + pad) * x, south: (Math.floor(at / ground.across) + pad) * y },
    percentiles,
    correlation: va > 0 && vb > 0 ? (sab - (sa * sb) / count) / Math.sqrt(va * vb) : va === vb ? 1 : 0,
    loss: loss * x * y,
    gain: gain * x * y,
  };
}

/** The numbers of one side. */
export function numbersOf({ ground, height, valid }: Field): SideNumbers {
  const base = height[0];
  const sums = Float64Array.of(0, 0, 0, 0, Infinity, -Infinity);
  for (let row = 0; row < ground.down; row++) addOne(sums, height, valid, row * ground.across, (row + 1) * ground.across, base, ground.sea - ground.datum);
  const [count, sum, squares, under, lowest, highest] = sums;
  if (count === 0) throw new UplandError('all-no-data', 'No sample of it has a height.');
  const mean = sum / count;
  const { x, y } = spacingOf(ground);
  const steepest = steepestOf(height, valid, ground.across, ground.down, x, y);
  return {
    lowest: lowest + ground.datum,
    highest: highest + ground.datum,
    mean: mean + base + ground.datum,
    deviation: Math.sqrt(Math.max(0, squares / count - mean * mean)),
    underWater: under / count,
    steepest: exactMath().atan(Math.sqrt(steepest)) / DEGREE,
  };
}

/** The square of the steepest rise from a sample to its neighbours east and south. */
function steepestOf(height: Float32Array, valid: Uint8Array | undefined, across: number, down: number, x: number, y: number): number {
  let steepest = 0;
  for (let row = 0; row + 1 < down; row++) steepest = steepestInRow(height, valid, row * across, across, 1 / (x * x), 1 / (y * y), steepest);
  return steepest;
}

function steepestInRow(
  height: Float32Array,
  valid: Uint8Array | undefined,
  from: number,
  across: number,
  perX: number,
  perY: number,
  steepest: number,
): number {
  let here = height[from];
  for (let i = from; i < from + across - 1; i++) {
    const east = height[i + 1];
    const dx = east - here;
    const dy = height[i + across] - here;
    const g = dx * dx * perX + dy * dy * perY;
    here = east;
    if (g > steepest && (valid === undefined || (valid[i] && valid[i + 1] && valid[i + across]))) steepest = g;
  }
  return steepest;
}

/** B less A as a field of its own, metres; without a height where either has none. */
export function differenceField(a: Field, b: Field): Field {
  const move = b.ground.datum - a.ground.datum;
  const height = new Float32Array(a.height.length);
  const valid = a.valid || b.valid ? new Uint8Array(height.length) : undefined;
  for (let i = 0; i < height.length; i++) {
    if (valid && ((a.valid && !a.valid[i]) || (b.valid && !b.valid[i]))) continue;
    height[i] = b.height[i] - a.height[i] + move;
    if (valid) valid[i] = 1;
  }
  const ground = { ...a.ground, datum: 0, sea: 0 };
  return valid ? { ground, height, valid } : { ground, height };
}
