import { X } from 'lucide-react';
import { useShallow } from 'zustand/react/shallow';
import { Button } from '../../components/controls';
import { keepAsNew } from '../../store/persistence';
import { say, useTerrain } from '../../store/state';
import { Hints } from './Hints';
import { SaveProject } from './SaveProject';
import css from './Notices.module.css';

/** Sentences that the person has to know of, above the room. */
export function Notices() {
  const { notice, saveFault, readOnly, gone } = useTerrain(useShallow(({ notice, saveFault, readOnly, gone }) => ({ notice, saveFault, readOnly, gone })));
  return (
    <div className={css.notices}>
      <Hints />
      <div aria-live="polite">
        {readOnly && (
          <p className={css.caution}>This terrain is open in another tab, and can only be looked at here. Close the other tab, and this one takes over.</p>
        )}
        {saveFault && (
          <p className={css.fault}>
            {saveFault}
            {gone && <Button onClick={() => void keepAsNew()}>Keep it as a new terrain</Button>}
            <SaveProject />
          </p>
        )}
        {notice && (
          <p className={css.fault} role="alert">
            {notice}
            <Button look="quiet" aria-label="Close this message" onClick={() => say(null)}>
              <X size={14} />
            </Button>
          </p>
        )}
      </div>
    </div>
  );
}
