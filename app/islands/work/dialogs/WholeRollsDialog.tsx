import { Dices } from 'lucide-react';
import { courseWithSeeds } from '@upland-cast/core';
import { Button } from '../../../components/controls';
import { Dialog } from '../../../components/Dialog';
import { engine } from '../../../engine/client';
import { favourWholeRoll, goToWholeRoll, reRollWhole, wholeRollOf } from '../../../store/keeping';
import { useTerrain } from '../../../store/state';
import { RollCard } from '../course/RollCard';
import cards from '../course/RollsStrip.module.css';
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
      {rolls.length === 0 && <p className={css.none}>No other roll yet. Press “Roll it all” for one.</p>}
      <ul className={`${cards.list} ${css.list}`} aria-label="Rolls of the whole terrain">
        {rolls.map((roll) => {
          const rolled = courseWithSeeds(course, roll.seeds);
          return (
            <RollCard
              key={roll.number}
              name={roll.number === 0 ? 'As it began' : `Roll ${roll.number}`}
              shown={roll.number === 0 ? 'as it began' : String(roll.number)}
              number={roll.number}
              here={roll === here}
              favourite={roll.favourite}
              disabled={readOnly}
              picture={{
                pictureKey: JSON.stringify(['whole', rolled.ground, rolled.stem, rolled.tributaries, rolled.rock]),
                make: () => engine().coursePicture(rolled),
              }}
              onGo={() => goToWholeRoll(roll.number)}
              onFavour={(favourite) => favourWholeRoll(roll.number, favourite)}
            />
          );
        })}
      </ul>
    </Dialog>
  );
}
