import { floats, rowsOf, type Program } from '../program';
import { claims } from './levels';

export interface StructureArgs {
  across: number;
  down: number;
  /** How many folds, faults, sets of joints there are, and numbers in the table of joints. */
  folds: number;
  faults: number;
  sets: number;
  jointNumbers: number;
  /** The plane that dips: metres up at the ground's middle, and for each metre eastwards and southwards. */
  base: number;
  eastward: number;
  southward: number;
  /** How far joints leave a straight line, and how wide they are, as shares of their spacing. */
  wander: number;
  width: number;
}

/** Tables as the kernel `structureRows` reads them. */
export interface StructureInputs {
  columns: Float64Array;
  rows: Float64Array;
  waves: readonly Float64Array[];
  heights: Float64Array;
  faults: Float64Array;
  joints: Float64Array;
}

export interface StructureResult {
  uplift: Float32Array<ArrayBuffer>;
  sound?: Float32Array<ArrayBuffer>;
}

function plan({ across, down, folds, faults, sets, jointNumbers }: StructureArgs) {
  const room = claims();
  const doubles = (count: number) => room.claim(8 * count);
  const waveLength = 2 * (across + down);
  const at = {
    columns: doubles(2 * across),
    rows: doubles(2 * down),
    waves: doubles((1 + folds + 2 * sets) * waveLength),
    heights: doubles(folds),
    faults: doubles(5 * faults),
    joints: doubles(jointNumbers),
    uplift: room.claim(4 * across * down),
    sound: room.claim(sets > 0 ? 4 * across * down : 0),
  };
  return { at, waveLength, bytes: room.bytes };
}

/** How high a terrain's stack of beds lies at every sample, and how sound its rock is between its joints. */
export const structureProgram: Program<StructureArgs, StructureInputs, StructureResult> = {
  id: 'structure',
  bytes: (args) => plan(args).bytes,

  load(arena, args, inputs) {
    const { at, waveLength } = plan(args);
    const put = (offset: number, values: Float64Array) => new Float64Array(arena.buffer, arena.start + offset, values.length).set(values);
    for (const name of ['columns', 'rows', 'heights', 'faults', 'joints'] as const) put(at[name], inputs[name]);
    inputs.waves.forEach((wave, k) => put(at.waves + 8 * k * waveLength, wave));
  },

  *run(kernels, arena, args, band) {
    const { at } = plan(args);
    const { from, to } = rowsOf(args.down, band);
    const place = (offset: number) => arena.start + offset;
    const { folds, faults, sets, base, eastward, southward, wander, width, across, down } = args;
    const tables = [place(at.columns), place(at.rows), place(at.waves), folds, place(at.heights), place(at.faults), faults, place(at.joints), sets] as const;
    kernels.structureRows(...tables, base, eastward, southward, wander, width, across, down, from, to, place(at.uplift), place(at.sound));
    band.progress(1);
    yield;
  },

  take(arena, args) {
    const { at } = plan(args);
    const lifted = (offset: number) => floats(arena, arena.start + offset, args.across * args.down).slice() as Float32Array<ArrayBuffer>;
    return { uplift: lifted(at.uplift), ...(args.sets > 0 ? { sound: lifted(at.sound) } : {}) };
  },
};
