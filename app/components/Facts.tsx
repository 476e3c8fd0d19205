import type { ReactNode } from 'react';
import css from './Facts.module.css';

/** A short table of names and figures. */
export function Facts({ items, columns = 1 }: { items: [string, ReactNode, ('fault' | 'good')?][]; columns?: 1 | 2 }) {
  return (
    <dl className={`${css.facts} ${columns === 2 ? css.two : ''}`}>
      {items.map(([name, value, tone]) => (
        <div key={name} className={css.fact}>
          <dt>{name}</dt>
          <dd className={tone ? css[tone] : ''}>{value}</dd>
        </div>
      ))}
    </dl>
  );
}

/** A titled part of a panel. */
export function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className={css.part}>
      <h3>{title}</h3>
      {children}
    </section>
  );
}
