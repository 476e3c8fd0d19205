import { cooperativeYield } from '../cooperative-yield';
import { hash32 } from '../field/hash';
import type { Ground } from '../field/ground';
import { gridOf, wholeOf, type Window } from '../field/window';
import { DEGREE, exactMath } from '../kernels/math';
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

/** A wave over the columns of a grid, row by row: sin(a + b) from what its column and its row know, so that no sample costs a sine. */
function waveOver({ x, y, phase }: Wave, columns: Float64Array): (south: number, row: Float64Array) => void {
  const { sin, cos } = exactMath();
  const [sines, cosines] = [columns.map((east) => sin(x * east)), columns.map((east) => cos(x * east))];
  return (south, row) => {
    const [s, c] = [sin(y * south + phase), cos(y * south + phase)];
    for (let i = 0; i < row.length; i++) row[i] = sines[i] * c + cosines[i] * s;
  };
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

/** How sound the rock is so far from a joint's middle, 0 to 1. */
function soundIn(away: number, takes: number): number {
  const far = away / JOINT_WIDTH;
  return 1 - takes * (1 - far * far) * (1 - far * far);
}

/** Writes how sound the rock is between its joints, 0 to 1, over the columns of a grid, row by row; undefined: everywhere. */
function soundnessOver(rock: Rock, ground: Pick<Ground, 'width' | 'depth'>, easts: Float64Array): ((south: number, out: Float32Array) => void) | undefined {
  if (rock.joints === 0) return undefined;
  const columns = easts.map((east) => east - ground.width / 2);
  const [long, short] = [new Float64Array(columns.length), new Float64Array(columns.length)];
  const sets = jointSets(rock).map((set) => {
    const farthest = Math.ceil((ground.width / 2 + ground.depth / 2) / set.spacing + 1.5 * JOINT_WANDER) + 1;
    const far = { first: -farthest - 1, ...jointsBetween(rock, set.k, -farthest - 1, farthest + 1) };
    return { ...set, ...far, waves: { long: waveOver(set.long, columns), short: waveOver(set.short, columns) } };
  });
  return (south, out) => {
    const y = south - ground.depth / 2;
    out.fill(1);
    for (const { s, c, spacing, waves, first, places, takes } of sets) {
      waves.long(y, long);
      waves.short(y, short);
      const along = y * s;
      for (let i = 0; i < columns.length; i++) {
        const across = (columns[i] * c + along) / spacing + JOINT_WANDER * (long[i] + 0.5 * short[i]);
        const line = Math.floor(across) - first;
        // Few samples lie in a joint.
        if (Math.abs(across - places[line]) < JOINT_WIDTH) out[i] = Math.min(out[i], soundIn(across - places[line], takes[line]));
        if (Math.abs(across - places[line + 1]) < JOINT_WIDTH) out[i] = Math.min(out[i], soundIn(across - places[line + 1], takes[line + 1]));
      }
    }
  };
}

/** Writes upliftOf() over the columns of a grid, row by row, without a sine a sample. */
function upliftOver(rock: Rock, ground: Pick<Ground, 'width' | 'depth' | 'datum'>, easts: Float64Array): (south: number, out: Float32Array) => void {
  const stack = stackOf(rock, ground);
  const { base, eastward, southward, folded, faults } = stack;
  const columns = easts.map((east) => east - ground.width / 2);
  const plunge = waveOver(stack.plunge, columns);
  const waves = stack.waves.map((wave) => ({ height: wave.height, over: waveOver(wave, columns) }));
  const [along, wave, bent] = [0, 1, 2].map(() => new Float64Array(columns.length));
  return (south, out) => {
    const y = south - ground.depth / 2;
    bent.fill(0);
    if (folded) {
      plunge(y, along);
      for (const { height, over } of waves) {
        over(y, wave);
        for (let i = 0; i < bent.length; i++) bent[i] += swell(along[i]) * height * wave[i];
      }
    }
    for (let i = 0; i < out.length; i++) out[i] = base + eastward * columns[i] + southward * y + bent[i] - (faults.length ? fallen(stack, easts[i], south) : 0);
  };
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

/** The rock at every sample of a window. Every weather step of a course asks for the same: the last ones are kept, and nobody writes to them. */
export const structureOf = (rock: Rock, ground: Ground, window: Window = wholeOf(ground), signal?: AbortSignal): Promise<RockStructure> =>
  recent.of(JSON.stringify([rock, ground, window]), () => workedOut(rock, ground, window, signal));

async function workedOut(rock: Rock, ground: Ground, window: Window, signal?: AbortSignal): Promise<RockStructure> {
  const rest = cooperativeYield(signal);
  const grid = gridOf(ground, window);
  const easts = Float64Array.from({ length: window.across }, (_, column) => grid.firstX + (grid.left + column) * grid.stepX);
  const [upliftIn, soundIn] = [upliftOver(rock, ground, easts), soundnessOver(rock, ground, easts)];
  const size = window.across * window.down;
  const uplift = new Float32Array(size);
  const sound = soundIn && new Float32Array(size);
  for (let row = 0; row < window.down; row++) {
    const pause = rest();
    if (pause) await pause;
    const south = grid.firstY + (grid.top + row) * grid.stepY;
    const [from, to] = [row * window.across, (row + 1) * window.across];
    upliftIn(south, uplift.subarray(from, to));
    if (sound) soundIn(south, sound.subarray(from, to));
  }
  return { uplift, sound };
}
