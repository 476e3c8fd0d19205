import { inputsOf, linesOf, type Course, type CourseLine, type StepUse } from '@upland-cast/core';

/** Where a card stands: its line's row from the top, and its column, in steps of a card. */
export interface CardPlace {
  use: StepUse;
  line: string;
  index: number;
  row: number;
  column: number;
}

/** A line that flows into a step: at its Join, or where it says where the step acts. */
export interface Confluence {
  from: string;
  to: string;
  /** It decides where the step acts; it does not flow in. */
  mask: boolean;
}

export interface CourseLayout {
  /** From the top: the last tributary first, the stem at the foot. */
  rows: CourseLine[];
  cards: CardPlace[];
  confluences: Confluence[];
  columns: number;
}

/**
 * The course as it is drawn: every line a row, a card right of everything that it reads. A
 * collapsed tributary takes one column.
 */
export function layoutOf(course: Course): CourseLayout {
  const lines = linesOf(course);
  const rows = [...lines].reverse();
  const collapsed = new Set(course.tributaries.filter((t) => t.collapsed).map((t) => t.id));
  const ends = new Map<string, number>();
  const open = new Set<string>();
  const cards = new Map<string, CardPlace[]>();
  const confluences: Confluence[] = [];

  const place = (line: CourseLine): number => {
    const known = ends.get(line.id);
    if (known !== undefined) return known;
    // A loop is drawn as it can be; its step says that it is one.
    if (open.has(line.id)) return -1;
    open.add(line.id);
    const row = rows.findIndex((r) => r.id === line.id);
    const list: CardPlace[] = [];
    let column = -1;
    line.steps.forEach((use, index) => {
      let least = column + 1;
      for (const { id, mask } of readsOf(use)) {
        const read = lines.find((l) => l.id === id);
        if (!read) continue;
        confluences.push({ from: id, to: use.id, mask });
        least = Math.max(least, place(read) + 1);
      }
      column = collapsed.has(line.id) ? Math.max(column, least - (index > 0 ? 1 : 0)) : least;
      list.push({ use, line: line.id, index, row, column });
    });
    open.delete(line.id);
    cards.set(line.id, list);
    ends.set(line.id, Math.max(0, column));
    return Math.max(0, column);
  };
  lines.forEach(place);
  const all = [...cards.values()].flat();
  return { rows, cards: all, confluences, columns: 1 + Math.max(0, ...all.map((c) => c.column)) };
}

/** The lines that a step reads, whether it is on or off; none where it is set wrong. */
function readsOf(use: StepUse): { id: string; mask: boolean }[] {
  try {
    const all = inputsOf(use).tributaries;
    const own = typeof use.params.tributary === 'string' ? use.params.tributary : '';
    return all.map((id) => ({ id, mask: id !== own }));
  } catch {
    return [];
  }
}
