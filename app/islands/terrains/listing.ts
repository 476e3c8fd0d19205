import { allUses, stepById } from '@upland-cast/core';
import { search } from '../../components/search';
import type { TerrainRow } from '../../storage/db';

export const ORDERS = { changed: 'Worked on last', opened: 'Opened last', made: 'Made last', name: 'By name', size: 'Largest first' } as const;
export type ListOrder = keyof typeof ORDERS;

const byOrder: Record<ListOrder, (a: TerrainRow, b: TerrainRow) => number> = {
  changed: (a, b) => b.changed - a.changed,
  opened: (a, b) => (b.opened ?? b.made) - (a.opened ?? a.made),
  made: (a, b) => b.made - a.made,
  name: (a, b) => a.course.name.localeCompare(b.course.name, undefined, { numeric: true }),
  size: (a, b) => b.course.ground.width * b.course.ground.depth - a.course.ground.width * a.course.ground.depth,
};

/** Every tag there is, with how many terrains have it. */
export function tagsOf(rows: readonly TerrainRow[]): [tag: string, count: number][] {
  const counts = new Map<string, number>();
  for (const tag of rows.flatMap(({ tags }) => tags ?? [])) counts.set(tag, (counts.get(tag) ?? 0) + 1);
  return [...counts].sort(([a], [b]) => a.localeCompare(b));
}

/** The terrains that are found by their names, tags, or by what was done to them, in an order; what is looked for comes nearest first. */
export function listed(rows: readonly TerrainRow[], words: string, order: ListOrder, tag = ''): TerrainRow[] {
  const sorted = rows.filter(({ tags }) => !tag || tags?.includes(tag)).sort(byOrder[order]);
  if (!words.trim()) return sorted;
  const items = sorted.map((row) => ({
    row,
    title: row.course.name,
    finds: [...(row.tags ?? []), ...new Set(allUses(row.course).flatMap(({ step, name }) => [stepById(step).title, name].filter(Boolean)))],
  }));
  return search(items, words).map(({ item }) => item.row);
}
