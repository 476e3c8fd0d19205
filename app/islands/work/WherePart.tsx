import { Brush, Eye, EyeOff, Trash2 } from 'lucide-react';
import { useState } from 'react';
import { COMBINES, maskById, maskKinds, paramsOf, sentenceOf, type MaskUse, type ParamMeta, type StepUse } from '@upland-cast/core';
import { Button, Row, Segments, SliderRow, Switch } from '../../components/controls';
import { Part } from '../../components/Facts';
import { figure } from '../../components/format';
import { addMask, setMask, setUse, showMask, tributaryFor } from '../../store/course';
import { paint } from '../../store/hand';
import { endGesture, useTerrain } from '../../store/terrain';
import { ParamRow } from './ParamRow';
import { isShown } from './shown';
import css from './Settings.module.css';

/** Where a step acts: its masks, how they combine, and whether they are shown on the ground. */
export function WherePart({ use, readOnly }: { use: StepUse; readOnly: boolean }) {
  const shown = useTerrain((s) => s.showMask);
  const covered = useTerrain((s) => (s.mask?.use === use.id ? s.mask.share : null));
  const { masks, combine } = use.where;
  return (
    <Part title="Where it acts">
      {masks.length === 0 && <p className={css.hint}>Everywhere.</p>}
      {masks.map((mask) => (
        <Mask key={mask.id} use={use} mask={mask} readOnly={readOnly} />
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

function Mask({ use, mask, readOnly }: { use: StepUse; mask: MaskUse; readOnly: boolean }) {
  const [more, setMore] = useState(false);
  const painting = useTerrain((s) => s.painting === mask.id);
  const kind = maskById(mask.kind);
  let settings = mask.params;
  let fault: string | undefined;
  const parsed = kind.params.safeParse(mask.params);
  if (parsed.success) settings = parsed.data;
  else fault = sentenceOf(parsed.error);
  const setting = (key: string, value: unknown, gesture?: boolean) =>
    setMask(use.id, mask.id, `Set ${key}`, (m) => void (m.params[key] = value), gesture ? `${mask.id}:${key}` : undefined);
  const params = paramsOf(kind.params).filter(({ meta }) => meta.kind !== 'hidden' && isShown(meta, settings));
  return (
    <div className={css.mask}>
      <div className={css.maskHead}>
        <b title={kind.summary}>{kind.title}</b>
        <Switch
          label={`Mask ${kind.title} is on`}
          on={mask.on}
          disabled={readOnly}
          onChange={(on) => setMask(use.id, mask.id, on ? 'Mask on' : 'Mask off', (m) => void (m.on = on))}
        />
        <Button
          look="quiet"
          square
          aria-label={`Take the mask ${kind.title} away`}
          title="Take it away"
          disabled={readOnly}
          onClick={() => setUse(use.id, 'Remove mask', (u) => void (u.where.masks = u.where.masks.filter((m) => m.id !== mask.id)))}
        >
          <Trash2 size={13} />
        </Button>
      </div>
      {fault && <p className={css.fault}>{fault}</p>}
      {mask.kind === 'painted' && (
        <>
          {Object.keys((settings.tiles ?? {}) as object).length === 0 && <p className={css.hint}>Nothing is painted yet: the step acts nowhere.</p>}
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
      {params.map(({ key, meta }) => (
        <ParamRow
          key={key}
          meta={meta as ParamMeta}
          value={settings[key]}
          disabled={readOnly}
          set={(value, gesture) => setting(key, value, gesture)}
          newTributary={() =>
            tributaryFor((course, line) => {
              for (const list of [course.stem, ...course.tributaries.map((t) => t.steps)]) {
                const found = list.find((u) => u.id === use.id)?.where.masks.find((m) => m.id === mask.id);
                if (found) found.params[key] = line;
              }
            })
          }
        />
      ))}
      <button type="button" className={css.moreButton} aria-expanded={more} onClick={() => setMore(!more)}>
        {more ? 'Less' : 'Invert, equalise, gain'}
        {!more && (mask.invert || mask.equalise || mask.gain !== 0.5) ? ' (set)' : ''}
      </button>
      {more && (
        <>
          <Row label="Invert" help="Where it acted it does not, and the other way round.">
            <Switch
              label="Invert"
              on={mask.invert}
              disabled={readOnly}
              onChange={(on) => setMask(use.id, mask.id, 'Invert mask', (m) => void (m.invert = on))}
            />
          </Row>
          <Row label="Equalise" help="Spreads the weights evenly over 0 to 100 %.">
            <Switch
              label="Equalise"
              on={mask.equalise}
              disabled={readOnly}
              onChange={(on) => setMask(use.id, mask.id, 'Equalise mask', (m) => void (m.equalise = on))}
            />
          </Row>
          <SliderRow
            label="Gain"
            value={mask.gain}
            unit="%"
            show={100}
            min={0}
            max={1}
            step={0.01}
            disabled={readOnly}
            help="50 % leaves the weights; more pushes them towards all or nothing, less towards the middle."
            onChange={(gain) => setMask(use.id, mask.id, 'Set gain', (m) => void (m.gain = gain), `${mask.id}:gain`)}
            onDone={endGesture}
          />
        </>
      )}
    </div>
  );
}
