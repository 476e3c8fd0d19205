import { useEffect, useRef, useState } from 'react';
import { FAMILIES, steps, type Family } from '@upland-cast/core';
import { search } from '../../../components/search';
import css from './StepMenu.module.css';

/** The steps there are, by family, with a field to find one by its name, the trade's other words for it, or what it does. */
export function StepMenu({ x, onClose, onPick }: { x: number; onClose: () => void; onPick: (id: string, params?: Record<string, unknown>) => void }) {
  const box = useRef<HTMLDivElement>(null);
  const field = useRef<HTMLInputElement>(null);
  const [words, setWords] = useState('');
  useEffect(() => {
    field.current?.focus();
    const away = (event: PointerEvent) => {
      if (!box.current?.contains(event.target as Node)) onClose();
    };
    document.addEventListener('pointerdown', away);
    return () => document.removeEventListener('pointerdown', away);
  }, [onClose]);
  const found = search(steps, words);
  const looking = words.trim() !== '';
  const pick = (id: string) => {
    onPick(id);
    onClose();
  };
  const onKeyDown = (event: React.KeyboardEvent) => {
    const items = [...box.current!.querySelectorAll<HTMLButtonElement>('button')];
    const at = items.indexOf(document.activeElement as HTMLButtonElement);
    if (event.key === 'Escape') onClose();
    else if (event.key === 'ArrowDown') items[Math.min(items.length - 1, at + 1)]?.focus();
    else if (event.key === 'ArrowUp') (at <= 0 ? field.current : items[at - 1])?.focus();
    else if (event.key === 'Enter' && document.activeElement === field.current && found[0]) pick(found[0].item.id);
    else return;
    event.preventDefault();
  };
  return (
    <div ref={box} className={css.menu} style={{ left: `max(8px, min(${Math.round(x - 200)}px, 100vw - 580px))` }} onKeyDown={onKeyDown}>
      <input
        ref={field}
        className={css.find}
        placeholder="Find a step"
        aria-label="Find a step"
        value={words}
        onChange={(event) => setWords(event.target.value)}
      />
      <div className={css.list} role={found.length ? 'menu' : undefined} aria-label={found.length ? 'Add a step' : undefined}>
        {looking ? <Found found={found} onPick={pick} /> : <ByFamily onPick={pick} />}
      </div>
      {found.length === 0 && <p role="status">No step is found by “{words.trim()}”. Try what it should do to the ground: smooth, erode, level, raise.</p>}
    </div>
  );
}

/** What is looked for, the nearest first. */
function Found({ found, onPick }: { found: ReturnType<typeof search<Step>>; onPick: (id: string) => void }) {
  return (
    <section role="group" aria-label="Found">
      {found.map(({ item, by }) => (
        <StepChoice key={item.id} step={item} by={by} onPick={onPick} />
      ))}
    </section>
  );
}

function ByFamily({ onPick }: { onPick: (id: string) => void }) {
  return (Object.keys(FAMILIES) as Family[]).map((family) => (
    <section key={family} role="group" aria-label={FAMILIES[family]}>
      <h4 role="presentation">{FAMILIES[family]}</h4>
      {steps
        .filter((s) => s.family === family)
        .map((step) => (
          <StepChoice key={step.id} step={step} by={[]} onPick={onPick} />
        ))}
    </section>
  ));
}

type Step = (typeof steps)[number];

function StepChoice({ step, by, onPick }: { step: Step; by: string[]; onPick: (id: string) => void }) {
  return (
    <button type="button" role="menuitem" onClick={() => onPick(step.id)}>
      <b>{step.title}</b>
      {by.length > 0 && <em>{by.join(', ')}</em>}
      <span>{step.summary}</span>
    </button>
  );
}
