import { useEffect, useRef, useState } from 'react';
import { steps, type Family } from '@upland-cast/core';
import css from './StepMenu.module.css';

const FAMILIES: Record<Family, string> = { source: 'Sources', mend: 'Mend', shape: 'Shape', weather: 'Weather', hand: 'Hand', range: 'Range' };

/** The steps there are, by family, with a field to find one by its name or what it does. */
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
  const wanted = words.trim().toLowerCase();
  const found = steps.filter((s) => `${s.title} ${s.summary} ${FAMILIES[s.family]}`.toLowerCase().includes(wanted));
  const families = (Object.keys(FAMILIES) as Family[]).filter((f) => found.some((s) => s.family === f));
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
    else if (event.key === 'Enter' && document.activeElement === field.current && found[0]) pick(found[0].id);
    else return;
    event.preventDefault();
  };
  return (
    <div
      ref={box}
      className={css.menu}
      style={{ left: Math.max(8, Math.min(x - 200, window.innerWidth - 580)) }}
      role="menu"
      aria-label="Add a step"
      onKeyDown={onKeyDown}
    >
      <input
        ref={field}
        className={css.find}
        placeholder="Find a step"
        aria-label="Find a step"
        value={words}
        onChange={(event) => setWords(event.target.value)}
      />
      <div className={css.list}>
        {families.map((family) => (
          <section key={family} role="group" aria-label={FAMILIES[family]}>
            <h4>{FAMILIES[family]}</h4>
            {found
              .filter((s) => s.family === family)
              .map((step) => (
                <button key={step.id} type="button" role="menuitem" onClick={() => pick(step.id)}>
                  <b>{step.title}</b>
                  <span>{step.summary}</span>
                </button>
              ))}
          </section>
        ))}
        {found.length === 0 && <p>No step has these words.</p>}
      </div>
    </div>
  );
}
