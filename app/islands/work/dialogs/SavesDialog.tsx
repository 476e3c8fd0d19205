import { useEffect, useState } from 'react';
import { allUses } from '@upland-cast/core';
import { Button } from '../../../components/controls';
import { Dialog } from '../../../components/Dialog';
import { ago, bytes } from '../../../components/format';
import type { SaveRow } from '../../../storage/db';
import { pastSaves } from '../../../storage/terrains';
import { keepMark } from '../../../store/keeping';
import { replaceCourse } from '../../../store/history';
import { saveNow } from '../../../store/persistence';
import { useTerrain } from '../../../store/state';
import { SaveProject } from '../../shell/SaveProject';
import css from './SavesDialog.module.css';

/** Past saves to go back to, and the project file. */
export function SavesDialog({ onClose }: { onClose: () => void }) {
  const { id, readOnly, engineBytes } = useTerrain();
  const [saves, setSaves] = useState<SaveRow[]>([]);
  const [room, setRoom] = useState('');
  useEffect(() => {
    void (async () => {
      await saveNow();
      setSaves(await pastSaves(id!));
      const { usage, quota } = (await navigator.storage?.estimate?.()) ?? {};
      if (usage !== undefined && quota) setRoom(`This browser holds ${bytes(usage)} of ours, of ${bytes(quota)} it would give.`);
    })();
  }, [id]);
  return (
    <Dialog title="Saves" onClose={onClose}>
      <div className={css.project}>
        <p>The terrain is saved in this browser as you work. The project file holds all of it, to keep or to pass on.</p>
        <SaveProject main />
      </div>
      <h3 className={css.title}>Go back to</h3>
      <ul className={css.list}>
        {saves.map((save) => (
          <li key={save.id}>
            <span className="number">
              {new Date(save.at).toLocaleString('en-GB', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit', second: '2-digit' })}
            </span>
            <span className={css.what}>
              {allUses(save.course).length} steps, {ago(save.at)}
            </span>
            <Button
              disabled={readOnly}
              onClick={async () => {
                await keepMark('Before going back to a save', true);
                replaceCourse(save.course, 'Go back to a save');
                onClose();
              }}
            >
              Go back
            </Button>
          </li>
        ))}
        {saves.length === 0 && <li>Nothing has been changed yet. Every save will stand here, and can be gone back to.</li>}
      </ul>
      <p className={css.what}>Going back can be undone. Older saves thin out: one a ten minutes for a day, one a day for a month.</p>
      <p className={css.what}>{room}</p>
      {engineBytes && (
        <p className={css.what}>
          Worked-out stages hold {bytes(engineBytes.held)} of memory, {bytes(engineBytes.limit)} at most; {engineBytes.threads} threads.
        </p>
      )}
    </Dialog>
  );
}
