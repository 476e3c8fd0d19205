import { useCallback, useEffect, useState } from 'react';
import { allUses } from '@upland-cast/core';
import { Button } from '../../../components/controls';
import { Dialog } from '../../../components/Dialog';
import { ago, figure } from '../../../components/format';
import { useBlobUrl } from '../../../components/use-blob-url';
import { db, type MarkRow } from '../../../storage/db';
import { compareWith } from '../../../store/compare';
import { goToMark, keepMark, marksOf } from '../../../store/keeping';
import { useTerrain } from '../../../store/state';
import css from './MarksDialog.module.css';

/** The marks: states that are kept by name, to go back to without losing what is now. */
export function MarksDialog({ onClose }: { onClose: () => void }) {
  const { id, readOnly } = useTerrain();
  const [marks, setMarks] = useState<MarkRow[]>([]);
  const [name, setName] = useState('');
  const refresh = useCallback(async () => setMarks(await marksOf(id!)), [id]);
  useEffect(() => void refresh(), [refresh]);
  const keep = async () => {
    await keepMark(name.trim() || `Mark ${marks.filter((m) => !m.byItself).length + 1}`);
    setName('');
    await refresh();
  };
  return (
    <Dialog title="Marks" onClose={onClose}>
      <form
        className={css.keep}
        onSubmit={(event) => {
          event.preventDefault();
          void keep();
        }}
      >
        <input
          aria-label="Name of the mark"
          placeholder="Name, such as “before the quarry”"
          maxLength={80}
          value={name}
          disabled={readOnly}
          onChange={(event) => setName(event.target.value)}
        />
        <Button type="submit" look="main" disabled={readOnly}>
          Keep a mark of now
        </Button>
      </form>
      <ul className={css.list}>
        {marks.map((mark) => (
          <Mark key={mark.id} mark={mark} refresh={refresh} onClose={onClose} />
        ))}
        {marks.length === 0 && <li className={css.none}>There are no marks yet. Name the ground as it is now, and keep it: it can be gone back to.</li>}
      </ul>
      <p className={css.hint}>
        Before going back, what is now is kept as a mark too. One is kept by itself before the ground, a file or the whole course is replaced; the last twenty
        of those stay.
      </p>
    </Dialog>
  );
}

/** A mark: its picture and name, and what can be done with it. */
function Mark({ mark, refresh, onClose }: { mark: MarkRow; refresh: () => Promise<void>; onClose: () => void }) {
  const readOnly = useTerrain((s) => s.readOnly);
  const rename = (next: string) => {
    if (next && next !== mark.name) void db.marks.update(mark.id!, { name: next, byItself: false }).then(refresh);
  };
  return (
    <li>
      <Picture blob={mark.picture} />
      <div>
        <input
          aria-label={`Name of ${mark.name}`}
          className={css.name}
          defaultValue={mark.name}
          disabled={readOnly}
          onBlur={(event) => rename(event.target.value.trim())}
        />
        <span className="number">
          {allUses(mark.course).length} steps
          {mark.range ? `, ${figure(mark.range[0], 0)} – ${figure(mark.range[1], 0)} m` : ''}, {ago(mark.at)}
        </span>
        {mark.byItself && <i>kept by itself</i>}
      </div>
      <div className={css.buttons}>
        <Button disabled={readOnly} onClick={() => void goToMark(mark).then(onClose)}>
          Go back
        </Button>
        <Button
          disabled={readOnly}
          aria-label={`Compare ${mark.name} with now`}
          onClick={() => {
            compareWith({ kind: 'mark', id: mark.id! });
            onClose();
          }}
        >
          Compare
        </Button>
        <Button look="quiet" disabled={readOnly} aria-label={`Take ${mark.name} away`} onClick={() => void db.marks.delete(mark.id!).then(refresh)}>
          Take away
        </Button>
      </div>
    </li>
  );
}

function Picture({ blob }: { blob?: Blob }) {
  const url = useBlobUrl(blob);
  return <span className={css.picture}>{url && <img src={url} alt="" />}</span>;
}
