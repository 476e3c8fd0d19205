import { cooperativeYield } from '../cooperative-yield';
import { hash32 } from '../field/hash';
import type { Ground } from '../field/ground';
import { gridOf, wholeOf, type Window } from '../field/window';
import { DEGREE, exactMath } from '../kernels/math';
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

/**
 * How high the stack of beds lies at a place, metres over the datum that heights count from, as a function of metres east and
 * south of the ground's north-west corner: the plane that dips, bent by folds, broken by faults. At the ground's middle the plane lies at 0 m.
 */
export function upliftOf(rock: Rock, { width, depth, datum }: Pick<Ground, 'width' | 'depth' | 'datum'>): (east: number, south: number) => number {
  const { sin, cos, tan } = exactMath();
  const sink = tan(rock.dip * DEGREE);
  const [eastward, southward] = [-sink * sin(rock.dipDirection * DEGREE), sink * cos(rock.dipDirection * DEGREE)];
  const phase = (k: number) => (hash32(rock.seed + 37, k) / 2 ** 32) * 2 * Math.PI;
  const waves = WAVES.map(({ length, height, askew }, k) => {
    // Across the axis.
    const across = (rock.foldDirection + 90 + askew) * DEGREE;
    const per = (2 * Math.PI) / (length * rock.foldLength);
    return { x: per * sin(across), y: -per * cos(across), height: height * rock.foldHeight, phase: phase(k) };
  });
  const [axisX, axisY] = [sin(rock.foldDirection * DEGREE), cos(rock.foldDirection * DEGREE)];
  const plunge = (2 * Math.PI) / (PLUNGE * rock.foldLength);
  const plungePhase = phase(9);
  const faults = rock.faults.map((fault) => ({ ...fault, x: sin(fault.strike * DEGREE), y: -cos(fault.strike * DEGREE) }));
  return (east, south) => {
    const [x, y] = [east - width / 2, south - depth / 2];
    let up = rock.lift - datum + eastward * x + southward * y;
    if (rock.foldHeight > 0) {
      const along = 1 + 0.35 * sin(plunge * (x * axisX - y * axisY) + plungePhase);
      for (const wave of waves) up += along * wave.height * sin(wave.x * x + wave.y * y + wave.phase);
    }
    // Right of a line that runs to (x, y) is where (y, −x) points; south counts down.
    for (const fault of faults) if ((east - fault.east) * -fault.y + (south - fault.south) * fault.x > 0) up -= fault.throw;
    return up;
  };
}

/** How sound the rock is between its joints, 0 to 1, as a function of metres east and south of the ground's north-west corner; undefined: everywhere. */
export function soundnessOf(rock: Rock, { width, depth }: Pick<Ground, 'width' | 'depth'>): ((east: number, south: number) => number) | undefined {
  if (rock.joints === 0) return undefined;
  const { sin, cos } = exactMath();
  const base = (hash32(rock.seed, 77) / 2 ** 32) * 180;
  const sets = [base, base + JOINT_TURN].map((turn, k) => {
    const [s, c] = [sin(turn * DEGREE), cos(turn * DEGREE)];
    const phase = (hash32(rock.seed, 79 + k) / 2 ** 32) * 2 * Math.PI;
    return { s, c, phase, spacing: rock.jointSpacing * (k === 0 ? 1 : 1.37) };
  });
  return (east, south) => {
    const [x, y] = [east - width / 2, south - depth / 2];
    let sound = 1;
    for (const { s, c, phase, spacing } of sets) {
      const along = (x * s - y * c) / spacing;
      const across = (x * c + y * s) / spacing + JOINT_WANDER * (sin(0.9 * along + phase) + 0.5 * sin(2.3 * along + 2 * phase));
      const line = Math.floor(across);
      // Each joint has its own place and strength.
      for (let k = line; k <= line + 1; k++) {
        const h = hash32(rock.seed + 5, k * 2 + (s === sets[0].s ? 0 : 1));
        const far = Math.abs(across - (k + 0.5 * ((h & 0xffff) / 0x10000 - 0.5))) / JOINT_WIDTH;
        if (far < 1) sound = Math.min(sound, 1 - rock.joints * (0.35 + (0.65 * (h >>> 16)) / 0x10000) * (1 - far * far) * (1 - far * far));
      }
    }
    return sound;
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
const kept: { key: string; structure: RockStructure }[] = [];

/** The rock at every sample of a window. Every weather step of a course asks for the same: the last ones are kept, and nobody writes to them. */
export async function structureOf(rock: Rock, ground: Ground, window: Window = wholeOf(ground), signal?: AbortSignal): Promise<RockStructure> {
  const key = JSON.stringify([rock, ground, window]);
  const known = kept.findIndex((entry) => entry.key === key);
  const [entry] = known < 0 ? [] : kept.splice(known, 1);
  const structure = entry?.structure ?? (await workedOut(rock, ground, window, signal));
  if (structure.uplift.length <= MOST_SAMPLES) kept.push({ key, structure });
  if (kept.length > MOST_KEPT) kept.shift();
  return structure;
}

async function workedOut(rock: Rock, ground: Ground, window: Window, signal?: AbortSignal): Promise<RockStructure> {
  const rest = cooperativeYield(signal);
  const grid = gridOf(ground, window);
  const [upliftAt, soundAt] = [upliftOf(rock, ground), soundnessOf(rock, ground)];
  const size = window.across * window.down;
  const uplift = new Float32Array(size);
  const sound = soundAt && new Float32Array(size);
  for (let row = 0, i = 0; row < window.down; row++) {
    const pause = rest();
    if (pause) await pause;
    const south = grid.firstY + (grid.top + row) * grid.stepY;
    for (let column = 0; column < window.across; column++, i++) {
      const east = grid.firstX + (grid.left + column) * grid.stepX;
      uplift[i] = upliftAt(east, south);
      if (sound) sound[i] = soundAt(east, south);
    }
  }
  return { uplift, sound };
}
