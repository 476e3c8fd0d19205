import { hash32 } from '../field/hash';
import { DEGREE, exactMath } from '../kernels/math';
import type { Rock } from './rock';

/** Over this share of a bed's thickness it passes into the next. */
const PASSAGE = 0.08;
/** So many entries of the table to a bed of mean thickness. */
const ENTRIES = 40;
const MOST_ENTRIES = 1 << 16;
/** Thinner beds count as none, metres. */
const THINNEST = 0.1;
/** Beds of one kind differ by so much of their hardness. */
const VARIES = 0.2;

/** The beds one over the other, sampled evenly. */
export interface BedTable {
  /** Metres over the stack's own zero of the first entry. */
  low: number;
  /** Metres from entry to entry. */
  step: number;
  /** Hardness, 0 to 1. */
  hardness: Float32Array<ArrayBuffer>;
  /** The number of the bed, counted up from the one that lies at zero. */
  bed: Int32Array;
}

/** How thick a bed is, measured across it. */
const thicknessOf = (rock: Rock, k: number): number => rock.thickness * (1 + rock.spread * (hash32(rock.seed, 2 * k) / 2 ** 31 - 1));

function hardnessOf(rock: Rock, k: number): number {
  const hard = hash32(rock.seed + 101, k) / 2 ** 32 < rock.hardShare;
  const varies = VARIES * (hash32(rock.seed + 211, k) / 2 ** 32);
  return 0.5 + 0.5 * rock.contrast * (hard ? 1 - varies : varies - 1);
}

/**
 * The stack of beds from `from` to `to` metres over its zero, measured straight up. Entries lie on the same places whatever
 * part is asked for. Rock without beds is as hard as half of it everywhere.
 */
export function bedTable(rock: Rock, from: number, to: number): BedTable {
  const upright = exactMath().cos(Math.min(85, rock.dip) * DEGREE);
  const mean = rock.thickness / upright;
  if (!(rock.thickness >= THINNEST)) return { low: from, step: Math.max(1, to - from), hardness: Float32Array.of(0.5, 0.5), bed: new Int32Array(2) };
  let step = mean / ENTRIES;
  while ((to - from) / step > MOST_ENTRIES) step *= 2;
  const first = Math.floor(from / step);
  const count = Math.max(2, Math.ceil(to / step) - first + 1);
  const hardness = new Float32Array(count);
  const bed = new Int32Array(count);
  // Down to the bed that the first entry lies in, then up through the stack.
  let k = 0;
  let floor = -0.5 * (thicknessOf(rock, 0) / upright);
  while (floor > first * step) floor -= thicknessOf(rock, --k) / upright;
  let roof = floor + thicknessOf(rock, k) / upright;
  for (let i = 0; i < count; i++) {
    const at = (first + i) * step;
    while (roof <= at) {
      floor = roof;
      roof += thicknessOf(rock, ++k) / upright;
    }
    const passage = PASSAGE * mean;
    const own = hardnessOf(rock, k);
    const [toFloor, toRoof] = [(at - floor) / passage, (roof - at) / passage];
    const other = toFloor < toRoof ? hardnessOf(rock, k - 1) : hardnessOf(rock, k + 1);
    const share = 0.5 + 0.5 * Math.min(1, Math.min(toFloor, toRoof));
    hardness[i] = own * share + other * (1 - share);
    bed[i] = k;
  }
  return { low: first * step, step, hardness, bed };
}
