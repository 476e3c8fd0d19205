import { hash32 } from '../field/hash';
import type { Ground } from '../field/ground';
import { gridOf, wholeOf, type Window } from '../field/window';
import { DEGREE, exactMath } from '../kernels/math';
import type { Kernels } from '../kernels/pool';
import { structureProgram } from '../kernels/programs/structure';
import { Recent } from '../recent';
import type { Rock } from './rock';

/** Folds are made of so many waves, each of its own length, so that no two are alike. */
const WAVES = [
  { length: 1, height: 0.6, askew: 0 },
  { length: 1.73, height: 0.3, askew: 14 },
  { length: 0.57, height: 0.22, askew: -19 },
];
/** Along their axis folds rise and sink over so many lengths. */
const PLUNGE = 3.1;
/** A joint is so wide, of the way to the next. */
const JOINT_WIDTH = 0.16;
/** The second set of joints stands so to the first. */
const JOINT_TURN = 78;
/** Joints leave a straight line by so much of their spacing. */
const JOINT_WANDER = 0.6;

/** sin(x · px + y · py + phase), x and y in metres from the ground's middle, east and south. */
interface Wave {
  x: number;
  y: number;
  phase: number;
}

/** A wave's sines and cosines at columns and rows, metres from the ground's middle: sin(a + b) from what each knows, so that no sample costs a sine. */
function waveTable({ x, y, phase }: Wave, columns: Float64Array, rows: Float64Array): Float64Array {
  const { sin, cos } = exactMath();
  const [across, down] = [columns.length, rows.length];
  const table = new Float64Array(2 * (across + down));
  for (let i = 0; i < across; i++) {
    table[i] = sin(x * columns[i]);
    table[across + i] = cos(x * columns[i]);
  }
  for (let i = 0; i < down; i++) {
    table[2 * across + i] = sin(y * rows[i] + phase);
    table[2 * across + down + i] = cos(y * rows[i] + phase);
  }
  return table;
}

/** The stack of beds: the plane that dips, bent by folds, broken by faults. */
function stackOf(rock: Rock, { datum }: Pick<Ground, 'datum'>) {
  const { sin, cos, tan } = exactMath();
  const sink = tan(rock.dip * DEGREE);
  const phase = (k: number) => (hash32(rock.seed + 37, k) / 2 ** 32) * 2 * Math.PI;
  const waves = WAVES.map(({ length, height, askew }, k) => {
    // Across the axis.
    const across = (rock.foldDirection + 90 + askew) * DEGREE;
    const per = (2 * Math.PI) / (length * rock.foldLength);
    return { x: per * sin(across), y: -per * cos(across), height: height * rock.foldHeight, phase: phase(k) };
  });
  const plunge = (2 * Math.PI) / (PLUNGE * rock.foldLength);
  return {
    base: rock.lift - datum,
    eastward: -sink * sin(rock.dipDirection * DEGREE),
    southward: sink * cos(rock.dipDirection * DEGREE),
    folded: rock.foldHeight > 0,
    /** Along their axis folds rise and sink. */
    plunge: { x: plunge * sin(rock.foldDirection * DEGREE), y: -plunge * cos(rock.foldDirection * DEGREE), phase: phase(9) },
    waves,
    // Right of a line that runs to (x, y) is where (y, −x) points; south counts down.
    faults: rock.faults.map(({ east, south, strike, throw: falls }) => ({ east, south, x: cos(strike * DEGREE), y: sin(strike * DEGREE), falls })),
  };
}

type Stack = ReturnType<typeof stackOf>;

/** How far faults have brought the stack down at a place. */
function fallen({ faults }: Stack, east: number, south: number): number {
  let down = 0;
  for (const fault of faults) if ((east - fault.east) * fault.x + (south - fault.south) * fault.y > 0) down += fault.falls;
  return down;
}

/** How much of their height folds have where their axis rises and sinks so. */
const swell = (plunge: number) => 1 + 0.35 * plunge;

/**
 * How high the stack of beds lies at a place, metres over the datum that heights count from, as a function of metres east and
 * south of the ground's north-west corner. At the ground's middle the plane that dips lies at 0 m.
 */
export function upliftOf(rock: Rock, ground: Pick<Ground, 'width' | 'depth' | 'datum'>): (east: number, south: number) => number {
  const { sin } = exactMath();
  const stack = stackOf(rock, ground);
  const { base, eastward, southward, folded, plunge, waves } = stack;
  return (east, south) => {
    const [x, y] = [east - ground.width / 2, south - ground.depth / 2];
    let up = base + eastward * x + southward * y;
    if (folded) {
      const along = swell(sin(plunge.x * x + plunge.y * y + plunge.phase));
      for (const wave of waves) up += along * wave.height * sin(wave.x * x + wave.y * y + wave.phase);
    }
    return up - fallen(stack, east, south);
  };
}

/** A set of joints: unit vectors along and across it, and how far they stand apart. */
function jointSets(rock: Rock) {
  const { sin, cos } = exactMath();
  const base = (hash32(rock.seed, 77) / 2 ** 32) * 180;
  return [base, base + JOINT_TURN].map((turn, k) => {
    const [s, c] = [sin(turn * DEGREE), cos(turn * DEGREE)];
    const phase = (hash32(rock.seed, 79 + k) / 2 ** 32) * 2 * Math.PI;
    const spacing = rock.jointSpacing * (k === 0 ? 1 : 1.37);
    const wander = (times: number, later: number) => ({ x: (times * s) / spacing, y: (-times * c) / spacing, phase: later * phase });
    return { s, c, spacing, long: wander(0.9, 1), short: wander(2.3, 2), k };
  });
}

/** Where joints of a set lie, counted across them, and how much of the rock's hardness each takes; from the first of them on. */
function jointsBetween({ seed, joints }: Rock, set: number, first: number, last: number): { places: Float64Array; takes: Float64Array } {
  const hashes = Uint32Array.from({ length: last - first + 1 }, (_, i) => hash32(seed + 5, (first + i) * 2 + set));
  // Each joint has its own place and strength.
  return {
    places: Float64Array.from(hashes, (h, i) => first + i + 0.5 * ((h & 0xffff) / 0x10000 - 0.5)),
    takes: Float64Array.from(hashes, (h) => joints * (0.35 + (0.65 * (h >>> 16)) / 0x10000)),
  };
}

/** The joints of all sets as the kernel reads them. */
function jointTable(rock: Rock, ground: Pick<Ground, 'width' | 'depth'>, sets: ReturnType<typeof jointSets>): Float64Array {
  const listed = sets.map((set) => {
    const farthest = Math.ceil((ground.width / 2 + ground.depth / 2) / set.spacing + 1.5 * JOINT_WANDER) + 1;
    return { ...set, first: -farthest - 1, ...jointsBetween(rock, set.k, -farthest - 1, farthest + 1) };
  });
  const numbers: number[] = [];
  let begin = 6 * listed.length;
  for (const { s, c, spacing, first, places } of listed) {
    numbers.push(s, c, spacing, first, begin, places.length);
    begin += 2 * places.length;
  }
  for (const { places, takes } of listed) numbers.push(...places, ...takes);
  return Float64Array.from(numbers);
}

/** The rock at every sample of a window, for the programs that wear it. */
export interface RockStructure {
  /** How high the stack of beds lies, metres over the datum. */
  uplift: Float32Array<ArrayBuffer>;
  /** How sound the rock is between its joints, 0 to 1. */
  sound?: Float32Array<ArrayBuffer>;
}

/** Structures are kept up to so many samples, and so many of them: of the ground that is worked out and of the one it is seen on. */
const MOST_SAMPLES = 1 << 23;
const MOST_KEPT = 2;
const recent = new Recent<RockStructure>(MOST_KEPT, ({ uplift }) => uplift.length <= MOST_SAMPLES);

function joined(first: Float64Array, second: Float64Array): Float64Array {
  const out = new Float64Array(first.length + second.length);
  out.set(first);
  out.set(second, first.length);
  return out;
}

/** The rock at every sample of a window. Every weather step of a course asks for the same: the last ones are kept, and nobody writes to them. */
export const structureOf = (kernels: Kernels, rock: Rock, ground: Ground, window: Window = wholeOf(ground), signal?: AbortSignal): Promise<RockStructure> =>
  recent.of(JSON.stringify([rock, ground, window]), () => workedOut(kernels, rock, ground, window, signal));

function workedOut(kernels: Kernels, rock: Rock, ground: Ground, window: Window, signal?: AbortSignal): Promise<RockStructure> {
  const grid = gridOf(ground, window);
  const { across, down } = window;
  const easts = Float64Array.from({ length: across }, (_, column) => grid.firstX + (grid.left + column) * grid.stepX);
  const souths = Float64Array.from({ length: down }, (_, row) => grid.firstY + (grid.top + row) * grid.stepY);
  const [columns, rows] = [easts.map((east) => east - ground.width / 2), souths.map((south) => south - ground.depth / 2)];
  const stack = stackOf(rock, ground);
  const folds = stack.folded ? stack.waves : [];
  const sets = rock.joints === 0 ? [] : jointSets(rock);
  const joints = jointTable(rock, ground, sets);
  const waves = [stack.plunge, ...folds, ...sets.flatMap(({ long, short }) => [long, short])];
  const { base, eastward, southward, faults } = stack;
  return kernels.run(
    structureProgram,
    {
      across,
      down,
      folds: folds.length,
      faults: faults.length,
      sets: sets.length,
      jointNumbers: joints.length,
      base,
      eastward,
      southward,
      wander: JOINT_WANDER,
      width: JOINT_WIDTH,
    },
    {
      columns: joined(columns, easts),
      rows: joined(rows, souths),
      waves: waves.map((wave) => waveTable(wave, columns, rows)),
      heights: Float64Array.from(folds, ({ height }) => height),
      faults: Float64Array.from(faults.flatMap(({ east, south, x, y, falls }) => [east, south, x, y, falls])),
      joints,
    },
    { signal },
  );
}
