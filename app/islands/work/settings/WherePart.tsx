import { Brush, Eye, EyeOff } from 'lucide-react';
import { COMBINES, maskKinds, type MaskUse, type StepUse } from '@upland-cast/core';
import { Button, Row, Segments } from '../../../components/controls';
import { Part } from '../../../components/Facts';
import { figure } from '../../../components/format';
import { addMask, setMask, setUse, showMask, tributaryFor } from '../../../store/course';
import { paint } from '../../../store/sculpt';
import { useTerrain } from '../../../store/state';
import { MaskCard } from './MaskCard';
import css from './Settings.module.css';

/** Where a step acts: its masks, how they combine, and whether they are shown on the ground. */
export function WherePart({ use, readOnly }: { use: StepUse; readOnly: boolean }) {
  const shown = useTerrain((s) => s.showMask);
  const covered = useTerrain((s) => (s.mask?.use === use.id ? s.mask.share : null));
  const { masks, combine } = use.where;
  return (
    <Part title="Where it acts">
      {masks.length === 0 && <p className={css.hint}>Everywhere. A mask keeps it to slopes, heights, water, or where you paint.</p>}
      {masks.map((mask) => (
        <StepMask key={mask.id} use={use} mask={mask} readOnly={readOnly} />
      ))}
      {masks.length > 1 && (
        <Row label="Together" help="How the masks combine.">
          <Segments label="Together" value={combine} choices={COMBINES} onChange={(c) => setUse(use.id, 'Combine masks', (u) => void (u.where.combine = c))} />
        </Row>
      )}
      <div className={css.actions}>
        <select
          className={css.addMask}
          aria-label="Add a mask"
          value=""
          disabled={readOnly}
          onChange={(event) => event.target.value && addMask(use.id, event.target.value)}
        >
          <option value="">Add a mask …</option>
          {maskKinds.map((kind) => (
            <option key={kind.id} value={kind.id}>
              {kind.title}: {kind.summary}
            </option>
          ))}
        </select>
        {masks.length > 0 && (
          <Button aria-pressed={shown} onClick={() => showMask(!shown)} title="Show on the ground where the step acts">
            {shown ? <EyeOff size={13} /> : <Eye size={13} />} {shown ? 'Hide' : 'Show'}
          </Button>
        )}
      </div>
      {shown && covered !== null && <p className={`${css.hint} number`}>covers {figure(covered * 100, 1)} % of the ground</p>}
    </Part>
  );
}

/** A mask of a step: one that is painted can be taken under the brush. */
function StepMask({ use, mask, readOnly }: { use: StepUse; mask: MaskUse; readOnly: boolean }) {
  const painting = useTerrain((s) => s.painting === mask.id);
  const painted = mask.kind === 'painted' && Object.keys((mask.params.tiles ?? {}) as object).length > 0;
  return (
    <MaskCard
      mask={mask}
      readOnly={readOnly}
      change={(label, recipe, gesture) => setMask(use.id, mask.id, label, recipe, gesture)}
      remove={() => setUse(use.id, 'Remove mask', (u) => void (u.where.masks = u.where.masks.filter((m) => m.id !== mask.id)))}
      newTributary={(key) =>
        tributaryFor((course, line) => {
          for (const list of [course.stem, ...course.tributaries.map((t) => t.steps)]) {
            const found = list.find((u) => u.id === use.id)?.where.masks.find((m) => m.id === mask.id);
            if (found) found.params[key] = line;
          }
        })
      }
    >
      {mask.kind === 'painted' && (
        <>
          {!painted && <p className={css.hint}>Nothing is painted yet: the step acts nowhere.</p>}
          <div className={css.actions}>
            <Button
              aria-pressed={painting}
              disabled={readOnly}
              onClick={() => paint(painting ? null : mask.id)}
              title="Paint on the ground where the step acts"
            >
              <Brush size={13} /> {painting ? 'Done painting' : 'Paint'}
            </Button>
          </div>
        </>
      )}
    </MaskCard>
  );
}
