import { allUses, stepById } from '@upland-cast/core';
import { search } from '../../components/search';
import type { TerrainRow } from '../../storage/db';

export const ORDERS = { changed: 'Worked on last', made: 'Made last', name: 'By name', size: 'Largest first' } as const;
export type ListOrder = keyof typeof ORDERS;

const byOrder: Record<ListOrder, (a: TerrainRow, b: TerrainRow) => number> = {
  changed: (a, b) => b.changed - a.changed,
  made: (a, b) => b.made - a.made,
  name: (a, b) => a.course.name.localeCompare(b.course.name, undefined, { numeric: true }),
  size: (a, b) => b.course.ground.width * b.course.ground.depth - a.course.ground.width * a.course.ground.depth,
};

/** The terrains that are found by their names, or by what was done to them, in an order; what is looked for comes nearest first. */
export function listed(rows: readonly TerrainRow[], words: string, order: ListOrder): TerrainRow[] {
  const sorted = [...rows].sort(byOrder[order]);
  if (!words.trim()) return sorted;
  const items = sorted.map((row) => ({
    row,
    title: row.course.name,
    finds: [...new Set(allUses(row.course).flatMap(({ step, name }) => [stepById(step).title, name].filter(Boolean)))],
  }));
  return search(items, words).map(({ item }) => item.row);
}
