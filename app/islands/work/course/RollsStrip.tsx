import { Star } from 'lucide-react';
import { useState } from 'react';
import type { StepUse } from '@upland-cast/core';
import { engine } from '../../../engine/client';
import { favourRoll, goToRoll } from '../../../store/keeping';
import { useTerrain } from '../../../store/state';
import { RollPicture } from './RollPicture';
import css from './RollsStrip.module.css';

/** The rolls of a source: every seed it has had, with its relief; a press goes back to one. */
export function RollsStrip({ use, seed, readOnly }: { use: StepUse; seed: number; readOnly: boolean }) {
  const rolls = useTerrain((s) => s.course!.rolls[use.id]);
  const [only, setOnly] = useState(false);
  if (!rolls || rolls.length < 2) return null;
  const favourites = rolls.filter((r) => r.favourite).length;
  const shown = [...rolls].reverse().filter((r) => !only || r.favourite);
  return (
    <div className={css.rolls}>
      <div className={css.head}>
        <span>{rolls.length} rolls kept</span>
        {favourites > 0 && (
          <button type="button" aria-pressed={only} onClick={() => setOnly(!only)}>
            {only ? 'All' : `${favourites === 1 ? '1 favourite' : `${favourites} favourites`}`}
          </button>
        )}
      </div>
      <ul className={css.list} aria-label="Rolls">
        {shown.map((roll) => (
          <li key={roll.seed} className={roll.seed === seed ? css.here : ''}>
            <button
              type="button"
              className={css.go}
              aria-label={`Roll ${roll.seed}`}
              aria-pressed={roll.seed === seed}
              disabled={readOnly}
              onClick={() => goToRoll(use.id, roll.seed)}
            >
              <RollPicture
                pictureKey={JSON.stringify([use.id, use.step, { ...use.params, seed: 0 }, use.join, roll.seed])}
                make={() => engine().rollPicture(useTerrain.getState().course!, use.id, roll.seed)}
              />
              <span className="number">{roll.seed}</span>
            </button>
            <button
              type="button"
              className={css.star}
              aria-pressed={roll.favourite}
              aria-label={`Keep roll ${roll.seed} as a favourite`}
              title="A favourite"
              disabled={readOnly}
              onClick={() => favourRoll(use.id, roll.seed, !roll.favourite)}
            >
              <Star size={12} fill={roll.favourite ? 'currentColor' : 'none'} />
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}
