import { stepById, type StepUse } from '@upland-cast/core';

/** Pixels: a card and what lies between it and the next; cards are lower where there are many lines. */
export const CARD = 108;
export const GAP = 24;
const LABEL = 86;
export const COLUMN = CARD + GAP;

/** Heights of a card and of a row, pixels. */
export interface RowSize {
  card: number;
  row: number;
}

export const rowSize = (rows: number): RowSize => (rows > 2 ? { card: 60, row: 70 } : { card: 86, row: rows === 1 ? 112 : 98 });

/** Where a column of cards begins. */
export const xOf = (column: number) => LABEL + GAP + column * COLUMN;

/** What a step is called on its card: also one that this build does not know. */
export const titleOf = (use: StepUse) => {
  if (use.name) return use.name;
  try {
    return stepById(use.step).title;
  } catch {
    return use.step;
  }
};
