import { useState } from 'react';
import type { StepUse } from '@upland-cast/core';
import { engine } from '../../../engine/client';
import { favourRoll, goToRoll } from '../../../store/keeping';
import { useTerrain } from '../../../store/state';
import { RollCard } from './RollCard';
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
          <RollCard
            key={roll.seed}
            name={`Roll ${roll.seed}`}
            shown={String(roll.seed)}
            number={roll.seed}
            here={roll.seed === seed}
            favourite={roll.favourite}
            disabled={readOnly}
            picture={{
              pictureKey: JSON.stringify([use.id, use.step, { ...use.params, seed: 0 }, use.join, roll.seed]),
              make: () => engine().rollPicture(useTerrain.getState().course!, use.id, roll.seed),
            }}
            onGo={() => goToRoll(use.id, roll.seed)}
            onFavour={(favourite) => favourRoll(use.id, roll.seed, favourite)}
          />
        ))}
      </ul>
    </div>
  );
}
