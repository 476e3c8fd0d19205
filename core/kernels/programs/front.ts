import { floats, type Program } from '../program';

export interface FrontArgs {
  across: number;
  down: number;
  spacingX: number;
  spacingY: number;
}

interface FrontInputs {
  /** Where it is known; Infinity elsewhere. */
  time: Float32Array;
  /** Metres a unit of time; 0 where the front never comes. */
  speed: Float32Array;
}

/** Sweeps over the whole in each of the four directions; what is left to change after them is under a thousandth of a cell. */
const ROUNDS = 4;
const DIRECTIONS = [
  [true, true],
  [true, false],
  [false, false],
  [false, true],
] as const;

/**
 * When a front comes to every sample: |∇t| · speed = 1. One sample waits for the next: the first band does it all.
 * Source: Zhao 2005, "A fast sweeping method for eikonal equations" (first-order upwind, Gauss–Seidel in alternating directions).
 */
export const frontProgram: Program<FrontArgs, FrontInputs, Float32Array<ArrayBuffer>> = {
  id: 'front',
  bytes: (args) => plan(args).bytes,

  load(arena, args, { time, speed }) {
    const at = plan(args);
    floats(arena, arena.start, time.length).set(time);
    floats(arena, arena.start + at.speed, speed.length).set(speed);
    const known = new Uint8Array(arena.buffer, arena.start + at.known, time.length);
    for (let i = 0; i < time.length; i++) known[i] = time[i] < Infinity ? 1 : 0;
  },

  *run(kernels, arena, args, band) {
    const { across, down, spacingX, spacingY } = args;
    const at = plan(args);
    const sweep = (southward: boolean, eastward: boolean) =>
      kernels.sweepFront(arena.start, arena.start + at.speed, arena.start + at.known, across, down, spacingX, spacingY, Number(southward), Number(eastward)) !==
      0;
    for (let round = 0, changed = band.index === 0; round < ROUNDS; round++) {
      const goesOn = changed;
      changed = false;
      for (const [southward, eastward] of DIRECTIONS) {
        if (goesOn && sweep(southward, eastward)) changed = true;
        band.progress((round + 1) / ROUNDS);
        // Where the work can be stopped.
        yield;
      }
    }
  },

  take: (arena, { across, down }) => floats(arena, arena.start, across * down).slice() as Float32Array<ArrayBuffer>,
};

function plan({ across, down }: FrontArgs) {
  const speed = (across * down * 4 + 63) & ~63;
  const known = 2 * speed;
  return { speed, known, bytes: known + across * down };
}
