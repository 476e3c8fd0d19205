import { rankItem, rankings } from '@tanstack/match-sorter-utils';

/** What can be looked for: by what it is called, by the trade's other words for it, and by what is said of it. */
export interface Findable {
  title: string;
  finds?: readonly string[];
  summary?: string;
}

export interface Found<T> {
  item: T;
  /** The trade's other words that were met, where the title was not. */
  by: string[];
}

/** Words that no name is found by. */
const EMPTY = new Set(['a', 'an', 'the', 'of', 'to', 'by', 'for', 'with', 'and', 'add']);

const rankOf = (text: string, word: string) => {
  const { passed, rank } = rankItem(text, word, { threshold: rankings.CONTAINS });
  // A whole word is nearer than the beginning of one.
  return passed
    ? Number(rank) +
        (text
          .toLowerCase()
          .split(/[^\p{L}\p{N}-]+/u)
          .includes(word)
          ? 0.5
          : 0)
    : 0;
};

/** The items that every word of the query is met in, the nearest first; an empty query is met by all. */
export function search<T extends Findable>(items: readonly T[], query: string): Found<T>[] {
  const all = query
    .toLowerCase()
    .split(/[\s,]+/)
    .filter(Boolean);
  const words = all.filter((word) => !EMPTY.has(word));
  if (words.length === 0) return items.map((item) => ({ item, by: [] }));
  const met: (Found<T> & { score: number })[] = [];
  for (const item of items) {
    let score = 0;
    const by: string[] = [];
    for (const word of words) {
      const title = 4 * rankOf(item.title, word);
      const [other, called] = nearest(item.finds ?? [], word);
      const said = item.summary ? rankOf(item.summary, word) / 2 : 0;
      const best = Math.max(title, 2 * other, said);
      if (best === 0) {
        score = -1;
        break;
      }
      if (called && title === 0) by.push(called);
      score += best;
    }
    if (score >= 0) met.push({ item, by: [...new Set(by)], score });
  }
  return met.sort((a, b) => b.score - a.score);
}

function nearest(finds: readonly string[], word: string): [rank: number, called: string | null] {
  let [rank, called]: [number, string | null] = [0, null];
  for (const one of finds) {
    const here = rankOf(one, word);
    if (here > rank) [rank, called] = [here, one];
  }
  return [rank, called];
}
