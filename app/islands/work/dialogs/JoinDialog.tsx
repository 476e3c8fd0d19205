import { JOIN_MODES, stepById, type JoinMode } from '@upland-cast/core';
import { Button } from '../../../components/controls';
import { Dialog } from '../../../components/Dialog';
import { addStep } from '../../../store/course';
import { useTerrain } from '../../../store/state';
import css from './GroundDialog.module.css';

const MEANT: Partial<Record<JoinMode, string>> = {
  replace: 'The course begins anew there: what came before is not seen any more.',
  higher: 'Nothing lies lower than it: low ground is filled up to it.',
  lower: 'Nothing lies higher than it: high ground is cut off at it.',
};

/** How a step that would put everything before it away is meant. */
export function JoinDialog() {
  const asked = useTerrain((s) => s.askedJoin);
  if (!asked) return null;
  const { step, at, params } = asked;
  const close = () => useTerrain.setState({ askedJoin: null });
  return (
    <Dialog title={`How does ${stepById(step).title} join what came before?`} onClose={close}>
      <div className={css.form}>
        {stepById(step).joins.map((join) => (
          <div key={join} className={css.way}>
            <Button
              onClick={() => {
                close();
                addStep(step, at, params, join);
              }}
            >
              {JOIN_MODES[join]}
            </Button>
            <span>{MEANT[join]}</span>
          </div>
        ))}
        <div className={css.buttons}>
          <Button onClick={close}>Leave it</Button>
        </div>
      </div>
    </Dialog>
  );
}
