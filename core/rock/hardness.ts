import { spacingOf, type Ground } from '../field/ground';
import { boundsOf } from '../field/statistics';
import { wholeOf, type Window } from '../field/window';
import type { Kernels } from '../kernels/pool';
import { FELT, meansOver } from '../kernels/programs/beds';
import { bedTable, type BedTable } from './beds';
import type { Rock } from './rock';
import { structureOf, upliftOf, type RockStructure } from './structure';

const ASKED = 64;

/** Between what heights the stack of beds lies under a ground, whatever count of samples it has. */
function upliftRange(rock: Rock, ground: Ground): [number, number] {
  const upliftAt = upliftOf(rock, ground);
  let [low, high] = [Infinity, -Infinity];
  for (let row = 0; row <= ASKED; row++) {
    for (let column = 0; column <= ASKED; column++) {
      const up = upliftAt((column / ASKED) * ground.width, (row / ASKED) * ground.depth);
      if (up < low) low = up;
      if (up > high) high = up;
    }
  }
  const margin = 0.05 * (high - low);
  return [low - margin, high + margin];
}

/** The rock beneath a ground: its structure at every sample, and the stack of beds that heights run through. */
export interface RockHere extends RockStructure {
  table: BedTable;
}

/** The rock of a ground whose heights (metres over the datum) lie between two; beyond them it goes on as at the ends. */
export async function rockHere(
  kernels: Kernels,
  rock: Rock,
  ground: Ground,
  { lowest, highest }: { lowest: number; highest: number },
  window: Window = wholeOf(ground),
  signal?: AbortSignal,
): Promise<RockHere> {
  const structure = await structureOf(kernels, rock, ground, window, signal);
  const [low, high] = upliftRange(rock, ground);
  return { ...structure, table: bedTable(rock, lowest - high, highest - low) };
}

/** Where a height lies in the stack: the entry of its table. */
export const entryAt = ({ low, step, hardness }: BedTable, height: number, uplift: number): number =>
  Math.max(0, Math.min(hardness.length - 1, Math.round((height - uplift - low) / step)));

/** The hardness of the rock at the surface, 0 to 1, heights in metres over the datum. */
export async function hardnessAtSurface(
  kernels: Kernels,
  rock: Rock,
  ground: Ground,
  height: Float32Array,
  window: Window = wholeOf(ground),
  signal?: AbortSignal,
): Promise<{ hardness: Float32Array<ArrayBuffer>; bed: Int32Array }> {
  const here = await rockHere(kernels, rock, ground, boundsOf(height), window, signal);
  const { x, y } = spacingOf(ground);
  const felt = meansOver(here.table.hardness, (FELT * Math.max(x, y)) / here.table.step);
  const hardness = new Float32Array(height.length);
  const bed = new Int32Array(height.length);
  for (let i = 0; i < height.length; i++) {
    const at = entryAt(here.table, height[i], here.uplift[i]);
    hardness[i] = felt[at] * (here.sound ? here.sound[i] : 1);
    bed[i] = here.table.bed[at];
  }
  return { hardness, bed };
}
