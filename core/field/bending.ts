import { cooperativeYield } from '../cooperative-yield';

/** What is made as small as it can be: bending, so that slopes carry on, or stretching, like a drum skin. */
export type Stiffness = 'bending' | 'membrane';

export interface Plate {
  across: number;
  down: number;
  /** Spacing east over spacing south. */
  aspect: number;
  stiffness: Stiffness;
}

/** A sample's part in what pulls at its neighbours: the derivative by it of half the energy. */
function pullAt(height: Float64Array, plate: Plate, wx: number, wy: number, row: number, column: number): number {
  const { across, down, stiffness } = plate;
  const i = row * across + column;
  let sum = 0;
  if (stiffness === 'membrane') {
    if (column > 0) sum += wx * (height[i] - height[i - 1]);
    if (column + 1 < across) sum += wx * (height[i] - height[i + 1]);
    if (row > 0) sum += wy * (height[i] - height[i - across]);
    if (row + 1 < down) sum += wy * (height[i] - height[i + across]);
    return sum;
  }
  // Every bend along the row, down the column and across four samples that it takes part in.
  const bend = (at: number, step: number) => height[at - step] - 2 * height[at] + height[at + step];
  const line = (place: number, count: number, step: number) => {
    let part = 0;
    if (place > 0 && place + 1 < count) part -= 2 * bend(i, step);
    if (place > 1) part += bend(i - step, step);
    if (place + 2 < count) part += bend(i + step, step);
    return part;
  };
  sum += wx * line(column, across, 1) + wy * line(row, down, across);
  for (const dy of [-1, 1]) {
    if (row + dy < 0 || row + dy >= down) continue;
    for (const dx of [-1, 1]) {
      if (column + dx < 0 || column + dx >= across) continue;
      sum += 2 * (height[i] - height[i + dx] - height[i + dy * across] + height[i + dy * across + dx]);
    }
  }
  return sum;
}

/** What a sample weighs against itself in `pullAt`. */
function ownWeight({ across, down, stiffness }: Plate, wx: number, wy: number, row: number, column: number): number {
  const [w, e] = [column, across - 1 - column];
  const [n, s] = [row, down - 1 - row];
  const one = (v: number) => Math.min(v, 1);
  if (stiffness === 'membrane') return wx * (one(w) + one(e)) + wy * (one(n) + one(s));
  const line = (a: number, b: number) => (a >= 1 && b >= 1 ? 4 : 0) + (a >= 2 ? 1 : 0) + (b >= 2 ? 1 : 0);
  return wx * line(w, e) + wy * line(n, s) + 2 * (one(w) + one(e)) * (one(n) + one(s));
}

const weightsOf = ({ aspect, stiffness }: Plate): [number, number] =>
  stiffness === 'bending' ? [1 / (aspect * aspect), aspect * aspect] : [1 / aspect, aspect];

interface Level extends Plate {
  /** The free samples in row order, whether each is two samples or more from the plate's edge, and the inverse of its own weight. */
  index: Int32Array;
  inner: Uint8Array;
  inverse: Float64Array;
  /** Which of them have a held sample near them. */
  rim: Int32Array;
  /** What the operator of this coarseness is multiplied by. */
  factor: number;
  /** By sample; 0 where nothing is free. */
  error: Float64Array;
  work: Float64Array;
  /** By free sample. */
  right: Float64Array;
  left: Float64Array;
}

/** The operator over the free samples: `out[k]` for the k-th of them. */
function apply(level: Level, height: Float64Array, out: Float64Array, only?: Int32Array): void {
  const { index, inner, across, factor, stiffness } = level;
  const [wx, wy] = weightsOf(level);
  const w = across;
  const count = only ? only.length : index.length;
  for (let m = 0; m < count; m++) {
    const k = only ? only[m] : m;
    const i = index[k];
    if (!inner[k]) out[k] = factor * pullAt(height, level, wx, wy, Math.floor(i / w), i % w);
    else if (stiffness === 'membrane') {
      out[k] = factor * (2 * (wx + wy) * height[i] - wx * (height[i - 1] + height[i + 1]) - wy * (height[i - w] + height[i + w]));
    } else {
      out[k] =
        factor *
        (wx * (height[i - 2] + height[i + 2] - 4 * (height[i - 1] + height[i + 1]) + 6 * height[i]) +
          wy * (height[i - 2 * w] + height[i + 2 * w] - 4 * (height[i - w] + height[i + w]) + 6 * height[i]) +
          8 * height[i] -
          4 * (height[i - 1] + height[i + 1] + height[i - w] + height[i + w]) +
          2 * (height[i - w - 1] + height[i - w + 1] + height[i + w - 1] + height[i + w + 1]));
    }
  }
}

/**
 * Finds the heights of the free samples that make the energy of the plate smallest, the others
 * held, in place: of Σ xx² + 2 xy² + yy² for bending (the biharmonic equation; planes cost
 * nothing), of Σ x² + y² for a membrane. Conjugate gradients, preconditioned by one V-cycle of
 * a multigrid over the free samples (Trottenberg, Oosterlee & Schüller, *Multigrid*, 2001),
 * until the residual has fallen by `tolerance`. Returns how many rounds it took.
 */
export async function settleFree(
  height: Float64Array,
  free: Uint8Array,
  plate: Plate,
  { tolerance = 1e-6, most = 200, signal }: { tolerance?: number; most?: number; signal?: AbortSignal } = {},
): Promise<number> {
  const rest = cooperativeYield(signal);
  const levels = makeLevels(plate, free);
  const [top] = levels;
  const { index } = top;
  const n = index.length;
  const residual = new Float64Array(n);
  const measure = () => {
    apply(top, height, residual);
    for (let k = 0; k < n; k++) residual[k] = -residual[k];
    return dot(residual, residual);
  };
  for (let k = 0; k < n; k++) height[index[k]] = 0;
  const began = measure();
  if (began === 0) return 0;
  // The same problem at every other sample is a good beginning: what is wide is settled there.
  if (levels.length > 1) await beginCoarse(height, free, plate, index, signal);
  if (measure() <= tolerance * tolerance * began) return 0;
  const z = new Float64Array(n);
  const p = new Float64Array(height.length);
  const ap = new Float64Array(n);
  let rz = 0;
  for (let round = 1; round <= most; round++) {
    await rest();
    precondition(levels, residual, z);
    const next = dot(residual, z);
    const beta = round === 1 ? 0 : next / rz;
    rz = next;
    for (let k = 0; k < n; k++) p[index[k]] = z[k] + beta * p[index[k]];
    apply(top, p, ap);
    let pap = 0;
    for (let k = 0; k < n; k++) pap += p[index[k]] * ap[k];
    const step = rz / pap;
    if (!(step > 0 && step < Infinity)) return round;
    for (let k = 0; k < n; k++) {
      height[index[k]] += step * p[index[k]];
      residual[k] -= step * ap[k];
    }
    if (dot(residual, residual) <= tolerance * tolerance * began) return round;
  }
  return most;
}

async function beginCoarse(height: Float64Array, free: Uint8Array, plate: Plate, index: Int32Array, signal: AbortSignal | undefined): Promise<void> {
  const { across, down } = plate;
  const [w, h] = [(across + 1) >> 1, (down + 1) >> 1];
  const coarse = new Float64Array(w * h);
  const coarseFree = new Uint8Array(w * h);
  for (let row = 0, i = 0; row < h; row++) {
    for (let column = 0; column < w; column++, i++) {
      const from = 2 * row * across + 2 * column;
      coarse[i] = height[from];
      coarseFree[i] = free[from];
    }
  }
  await settleFree(coarse, coarseFree, { ...plate, across: w, down: h }, { tolerance: 1e-4, signal });
  // Cubic through the coarse samples; beyond the plate their slope is carried on.
  const value = (x: number, y: number): number => {
    if (x < 0) return 2 * value(0, y) - value(Math.min(w - 1, 1), y);
    if (x >= w) return 2 * value(w - 1, y) - value(Math.max(0, w - 2), y);
    if (y < 0) return 2 * value(x, 0) - value(x, Math.min(h - 1, 1));
    if (y >= h) return 2 * value(x, h - 1) - value(x, Math.max(0, h - 2));
    return coarse[y * w + x];
  };
  const along = (x: number, y: number, odd: boolean) => (odd ? (9 * (value(x, y) + value(x + 1, y)) - value(x - 1, y) - value(x + 2, y)) / 16 : value(x, y));
  for (let k = 0; k < index.length; k++) {
    const row = Math.floor(index[k] / across);
    const column = index[k] - row * across;
    const [x, y, odd] = [column >> 1, row >> 1, (column & 1) === 1];
    height[index[k]] = row & 1 ? (9 * (along(x, y, odd) + along(x, y + 1, odd)) - along(x, y - 1, odd) - along(x, y + 2, odd)) / 16 : along(x, y, odd);
  }
}

function makeLevels(plate: Plate, free: Uint8Array): Level[] {
  const levels: Level[] = [];
  let { across, down } = plate;
  let factor = 1;
  for (;;) {
    const here = { ...plate, across, down };
    const [wx, wy] = weightsOf(here);
    const n = free.reduce((sum, f) => sum + f, 0);
    const index = new Int32Array(n);
    const inner = new Uint8Array(n);
    const inverse = new Float64Array(n);
    for (let i = 0, k = 0; i < free.length; i++) {
      if (!free[i]) continue;
      const row = Math.floor(i / across);
      const column = i - row * across;
      index[k] = i;
      inner[k] = row > 1 && column > 1 && row + 2 < down && column + 2 < across ? 1 : 0;
      const own = ownWeight(here, wx, wy, row, column) * factor;
      inverse[k] = own > 0 ? 1 / own : 0;
      k++;
    }
    const all = () => new Float64Array(across * down);
    const some = () => new Float64Array(n);
    levels.push({ ...here, index, inner, rim: rimOf(free, across, down, index), inverse, factor, error: all(), work: all(), right: some(), left: some() });
    if (across < 7 || down < 7 || n < 24 || levels.length > 12) return levels;
    const [nextAcross, nextDown] = [(across + 1) >> 1, (down + 1) >> 1];
    const coarse = new Uint8Array(nextAcross * nextDown);
    for (let row = 0; row < nextDown; row++) {
      for (let column = 0; column < nextAcross; column++) coarse[row * nextAcross + column] = free[2 * row * across + 2 * column];
    }
    free = coarse;
    [across, down] = [nextAcross, nextDown];
    // Twice the spacing: a bend of the same heights is a quarter, on four times the ground.
    if (plate.stiffness === 'bending') factor /= 4;
  }
}

function precondition(levels: Level[], right: Float64Array, out: Float64Array): void {
  const [top] = levels;
  top.right.set(right);
  cycle(levels, 0);
  for (let k = 0; k < out.length; k++) out[k] = top.error[top.index[k]];
}

/** One V-cycle for the error of a level's right side, from nothing. */
function cycle(levels: Level[], at: number): void {
  const level = levels[at];
  const last = at + 1 === levels.length;
  level.error.fill(0);
  smooth(level, last ? 12 : 1);
  if (last) return;
  smoothRim(level);
  const coarse = levels[at + 1];
  leftOver(level);
  restrict(level, coarse);
  cycle(levels, at + 1);
  prolong(coarse, level);
  smoothRim(level);
  smooth(level, 1);
}

/** Chebyshev's three steps over the upper part of the spectrum. cos π/6 is written out: no transcendental function may stand on the way to a height. */
const chebyshev = (low: number, high: number) => [0.8660254037844387, 0, -0.8660254037844387].map((c) => 1 / ((high + low) / 2 + ((high - low) / 2) * c));
const STEPS = { bending: chebyshev(0.6, 3.2), membrane: chebyshev(0.5, 2) };

function smooth(level: Level, times: number): void {
  const { error, left, inverse, index } = level;
  for (let round = 0; round < times; round++) {
    for (const step of STEPS[level.stiffness]) {
      leftOver(level);
      for (let k = 0; k < index.length; k++) error[index[k]] += step * inverse[k] * left[k];
    }
  }
}

/**
 * The rim holds both height and slope, which the coarser levels know only roughly: it is
 * smoothed some more by itself, which halves the rounds.
 */
function smoothRim(level: Level): void {
  const { error, right, left, inverse, index, rim } = level;
  for (let round = 0; round < RIM_ROUNDS; round++) {
    apply(level, error, left, rim);
    for (let m = 0; m < rim.length; m++) {
      const k = rim[m];
      error[index[k]] += 0.55 * inverse[k] * (right[k] - left[k]);
    }
  }
}
const RIM_ROUNDS = 16;
const RIM_WIDTH = 4;

function rimOf(free: Uint8Array, across: number, down: number, index: Int32Array): Int32Array {
  const rim: number[] = [];
  for (let k = 0; k < index.length; k++) {
    const row = Math.floor(index[k] / across);
    const column = index[k] - row * across;
    let held = false;
    for (let y = Math.max(0, row - RIM_WIDTH); y <= Math.min(down - 1, row + RIM_WIDTH) && !held; y++) {
      for (let x = Math.max(0, column - RIM_WIDTH); x <= Math.min(across - 1, column + RIM_WIDTH); x++) if (!free[y * across + x]) held = true;
    }
    if (held) rim.push(k);
  }
  return Int32Array.from(rim);
}

/** What is left of the right side. */
function leftOver(level: Level): void {
  const { error, right, left } = level;
  apply(level, error, left);
  for (let k = 0; k < left.length; k++) left[k] = right[k] - left[k];
}

/** Cubic between the coarse samples: their places beside a fine one, and the weights. */
const TAPS = [-3, -1, 0, 1, 3];
const WEIGHT = [-1 / 16, 9 / 16, 1, 9 / 16, -1 / 16];

/** The transpose of `prolong`. */
function restrict(fine: Level, coarse: Level): void {
  const { work, left, index, across, down } = fine;
  for (let k = 0; k < index.length; k++) work[index[k]] = left[k];
  for (let k = 0; k < coarse.index.length; k++) {
    const row = 2 * Math.floor(coarse.index[k] / coarse.across);
    const column = 2 * (coarse.index[k] % coarse.across);
    let sum = 0;
    for (let a = 0; a < 5; a++) {
      const y = row + TAPS[a];
      if (y < 0 || y >= down) continue;
      let along = 0;
      for (let b = 0; b < 5; b++) {
        const x = column + TAPS[b];
        if (x >= 0 && x < across) along += WEIGHT[b] * work[y * across + x];
      }
      sum += WEIGHT[a] * along;
    }
    coarse.right[k] = sum;
  }
}

/** Adds the coarse error to the fine one, cubic between its samples; beyond its edge and where nothing is free it is 0. */
function prolong(coarse: Level, fine: Level): void {
  const { error: from, across: w, down: h } = coarse;
  const at = (x: number, y: number) => (x >= 0 && x < w && y >= 0 && y < h ? from[y * w + x] : 0);
  const along = (x: number, y: number, odd: boolean) => (odd ? (9 * (at(x, y) + at(x + 1, y)) - at(x - 1, y) - at(x + 2, y)) / 16 : at(x, y));
  for (let k = 0; k < fine.index.length; k++) {
    const i = fine.index[k];
    const row = Math.floor(i / fine.across);
    const column = i - row * fine.across;
    const [x, y, odd] = [column >> 1, row >> 1, (column & 1) === 1];
    fine.error[i] += row & 1 ? (9 * (along(x, y, odd) + along(x, y + 1, odd)) - along(x, y - 1, odd) - along(x, y + 2, odd)) / 16 : along(x, y, odd);
  }
}

function dot(a: Float64Array, b: Float64Array): number {
  // In fixed blocks, so that sums of any length lose little.
  let sum = 0;
  for (let from = 0; from < a.length; from += 4096) {
    let part = 0;
    const to = Math.min(a.length, from + 4096);
    for (let i = from; i < to; i++) part += a[i] * b[i];
    sum += part;
  }
  return sum;
}
