import type { Arena, Band } from '../program';

/** A size of grid, counted from the coarsest, and how many rounds of it are done. */
export interface Place {
  level: number;
  round: number;
}

// The words that bands share while long work runs; programs keep counts of their own from word 8 on.
const AT_LEVEL = 0;
const ROUNDS = 1;
const STOP = 3;
const REACHED = 4;

export const STATUS_BYTES = 64;

/** The shared words of a program, `offset` bytes from the arena's start. */
export const statusWords = (arena: Arena, offset: number): Int32Array => new Int32Array(arena.buffer, arena.start + offset, STATUS_BYTES / 4);

/** Sets the words to nothing begun. */
export function clearStatus(words: Int32Array): void {
  words.fill(0);
  words[AT_LEVEL] = -1;
}

/** Says which level (by its place in the list) is worked on, and how many of its rounds are done; the first band does. */
export function tell(words: Int32Array, band: Band, level: number, rounds: number): void {
  if (band.index === 0) [words[AT_LEVEL], words[ROUNDS]] = [level, rounds];
}

/** The level that can be looked at: one of whose rounds some are done. */
export const seenLevel = <L>(words: Int32Array, levels: readonly L[]): L | undefined => (words[ROUNDS] > 0 ? levels[words[AT_LEVEL]] : undefined);

/** Where the person ended the work; undefined: it ran to its end, or to where it was told to. */
export const reachedBy = (words: Int32Array): Place | undefined =>
  words[REACHED] === 1 ? { level: words[REACHED + 1], round: words[REACHED + 2] } : undefined;

/**
 * Whether the work ends before this round: because it is to (`until`), or because the person asks
 * for it, which the first band hears and all agree on at a meeting. Asked every `every` rounds.
 */
export function* endsHere(words: Int32Array, band: Band, until: Place | undefined, { level, round }: Place, every = 1): Generator<void, boolean, void> {
  if (until && (level > until.level || (level === until.level && round >= until.round))) return true;
  if (round % every !== 0) return false;
  if (band.index === 0) words[STOP] = band.halting() ? 1 : 0;
  yield;
  if (words[STOP] === 0) return false;
  if (band.index === 0) words.set([1, level, round], REACHED);
  return true;
}
