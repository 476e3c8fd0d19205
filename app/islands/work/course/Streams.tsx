import type { CourseLayout } from './course-layout';
import { CARD, GAP, xOf, type RowSize } from './measures';
import css from './CourseStrip.module.css';

/** The water: a stream along every line, and one from the end of each tributary to what reads it. */
export function Streams({ layout, size, height }: { layout: CourseLayout; size: RowSize; height: number }) {
  const middle = (row: number) => row * size.row + 4 + size.card / 2 + 2;
  const cardsOf = (line: string) => layout.cards.filter((c) => c.line === line);
  return (
    <svg className={css.streams} width="100%" height={height} aria-hidden="true">
      {layout.rows.map((line, row) => {
        const cards = cardsOf(line.id);
        if (!cards.length && line.id) return null;
        const from = cards.length ? xOf(cards[0].column) : xOf(0);
        // The stem flows on to the edge, where the terrain stands.
        const to = line.id ? xOf(cards[cards.length - 1].column) + CARD : 100_000;
        return <path key={line.id} className={line.id ? css.brook : css.river} d={`M${from} ${middle(row)}H${to}`} />;
      })}
      {layout.confluences.map(({ from, to, mask }) => {
        const source = cardsOf(from).at(-1);
        const target = layout.cards.find((c) => c.use.id === to);
        if (!source || !target) return null;
        const x0 = xOf(source.column) + CARD;
        const y0 = middle(source.row);
        const x1 = xOf(target.column) + (mask ? CARD - 12 : -GAP / 2 + 2);
        const y1 = mask ? target.row * size.row + 6 : middle(target.row);
        const bend = Math.max(14, Math.min(60, (x1 - x0) / 2));
        return (
          <path
            key={`${from}-${to}`}
            className={mask ? css.guide : css.brook}
            d={`M${x0 - 4} ${y0}C${x0 + bend} ${y0} ${x1 - (mask ? 0 : bend / 2)} ${y0 + (y1 - y0) * 0.4} ${x1} ${y1}`}
          />
        );
      })}
    </svg>
  );
}
