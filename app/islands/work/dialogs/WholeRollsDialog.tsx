import { Dices, Star } from 'lucide-react';
import { courseWithSeeds } from '@upland-cast/core';
import { Button } from '../../../components/controls';
import { Dialog } from '../../../components/Dialog';
import { engine } from '../../../engine/client';
import { favourWholeRoll, goToWholeRoll, reRollWhole, wholeRollOf } from '../../../store/keeping';
import { useTerrain } from '../../../store/state';
import { RollPicture } from '../course/RollPicture';
import css from './WholeRollsDialog.module.css';

/** The rolls of the whole terrain: every seed drawn anew at once, with each ground that was seen kept to go back to. */
export function WholeRollsDialog({ onClose }: { onClose: () => void }) {
  const course = useTerrain((s) => s.course)!;
  const readOnly = useTerrain((s) => s.readOnly);
  const here = wholeRollOf(course);
  const rolls = [...course.wholeRolls].reverse();
  return (
    <Dialog title="Another one like this" onClose={onClose}>
      <div className={css.head}>
        <p>Every seed of the terrain is drawn anew: another ground of the same kind. What it was stays here; hand work stays where it lies.</p>
        <Button look="main" disabled={readOnly} onClick={reRollWhole}>
          <Dices size={14} /> Roll it all
        </Button>
      </div>
      {rolls.length === 0 && <p className={css.none}>No other roll yet.</p>}
      <ul className={css.list} aria-label="Rolls of the whole terrain">
        {rolls.map((roll) => {
          const rolled = courseWithSeeds(course, roll.seeds);
          return (
            <li key={roll.number} className={roll === here ? css.here : ''}>
              <button
                type="button"
                className={css.go}
                aria-label={roll.number === 0 ? 'As it began' : `Roll ${roll.number}`}
                aria-pressed={roll === here}
                disabled={readOnly}
                onClick={() => goToWholeRoll(roll.number)}
              >
                <RollPicture
                  pictureKey={JSON.stringify(['whole', rolled.ground, rolled.stem, rolled.tributaries, rolled.rock])}
                  make={() => engine().coursePicture(rolled)}
                />
                <span className="number">{roll.number === 0 ? 'as it began' : roll.number}</span>
              </button>
              <button
                type="button"
                className={css.star}
                aria-pressed={roll.favourite}
                aria-label={`Keep roll ${roll.number} as a favourite`}
                title="A favourite"
                disabled={readOnly}
                onClick={() => favourWholeRoll(roll.number, !roll.favourite)}
              >
                <Star size={12} fill={roll.favourite ? 'currentColor' : 'none'} />
              </button>
            </li>
          );
        })}
      </ul>
    </Dialog>
  );
}
