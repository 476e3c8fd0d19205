import { Button } from '../../components/controls';
import type { LookFinding } from '../../engine/api';
import css from './ImportDialog.module.css';

/** What is wrong with a file, each with where it lies and its mend. */
export function Found({
  found,
  waiting,
  mended,
  shown,
  onShow,
  onMend,
}: {
  found: LookFinding[] | null;
  waiting: boolean;
  mended: Set<string>;
  shown: string | null;
  onShow: (id: string | null) => void;
  onMend: (finding: LookFinding) => void;
}) {
  return (
    <fieldset className={css.group}>
      <legend>Findings</legend>
      {!found && <p className={css.hint}>{waiting ? 'Looking it over …' : 'They come when it has been read.'}</p>}
      {found?.length === 0 && <p className={css.hint}>Nothing that calls for a mend.</p>}
      <ul className={css.findings}>
        {found?.map((f) => (
          <li key={f.id} data-severity={f.severity} data-finding={f.id}>
            <p>{f.message}</p>
            <span>
              {f.drape && (
                <Button look="quiet" aria-pressed={shown === f.id} onClick={() => onShow(shown === f.id ? null : f.id)}>
                  Show where
                </Button>
              )}
              {f.mend && (
                <Button aria-pressed={mended.has(f.id)} onClick={() => onMend(f)}>
                  {mended.has(f.id) ? `✓ ${f.mend.label}` : f.mend.label}
                </Button>
              )}
            </span>
          </li>
        ))}
      </ul>
    </fieldset>
  );
}
