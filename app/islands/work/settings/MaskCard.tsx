import { Trash2 } from 'lucide-react';
import { useState, type ReactNode } from 'react';
import { isShown, maskById, paramsOf, sentenceOf, type MaskUse, type ParamMeta } from '@upland-cast/core';
import { Button, Row, ShareRow, SliderRow, Switch } from '../../../components/controls';
import { endGesture } from '../../../store/history';
import { ParamRow } from './ParamRow';
import css from './Settings.module.css';

interface MaskCardProps {
  mask: MaskUse;
  readOnly: boolean;
  change: (label: string, recipe: (mask: MaskUse) => void, gesture?: string) => void;
  remove: () => void;
  newTributary: (key: string) => void;
  children?: ReactNode;
}

/** One mask with its settings, and what can be done to its weights. */
export function MaskCard({ mask, readOnly, change, remove, newTributary, children }: MaskCardProps) {
  const [more, setMore] = useState(false);
  const kind = maskById(mask.kind);
  let settings = mask.params;
  let fault: string | undefined;
  const parsed = kind.params.safeParse(mask.params);
  if (parsed.success) settings = parsed.data;
  else fault = sentenceOf(parsed.error);
  const params = paramsOf(kind.params).filter(({ meta }) => meta.kind !== 'hidden' && isShown(meta, settings));
  const set = mask.invert || mask.equalise || mask.gain !== 0.5 || mask.ragged > 0;
  return (
    <div className={css.mask}>
      <div className={css.maskHead}>
        <b title={kind.summary}>{kind.title}</b>
        <Switch
          label={`Mask ${kind.title} is on`}
          on={mask.on}
          disabled={readOnly}
          onChange={(on) => change(on ? 'Mask on' : 'Mask off', (m) => void (m.on = on))}
        />
        <Button look="quiet" square aria-label={`Take the mask ${kind.title} away`} title="Take it away" disabled={readOnly} onClick={remove}>
          <Trash2 size={13} />
        </Button>
      </div>
      {fault && <p className={css.fault}>{fault}</p>}
      {children}
      {params.map(({ key, meta }) => (
        <ParamRow
          key={key}
          meta={meta as ParamMeta}
          value={settings[key]}
          disabled={readOnly}
          set={(value, gesture) => change(`Set ${key}`, (m) => void (m.params[key] = value), gesture ? `${mask.id}:${key}` : undefined)}
          newTributary={() => newTributary(key)}
        />
      ))}
      <button type="button" className={css.moreButton} aria-expanded={more} onClick={() => setMore(!more)}>
        {more ? 'Less' : 'Invert, equalise, gain, fray'}
        {!more && set ? ' (set)' : ''}
      </button>
      {more && <Weights mask={mask} readOnly={readOnly} change={change} />}
    </div>
  );
}

/** What can be done to a mask's weights. */
function Weights({ mask, readOnly, change }: Pick<MaskCardProps, 'mask' | 'readOnly' | 'change'>) {
  return (
    <>
      <Row label="Invert" help="Where it acted it does not, and the other way round.">
        <Switch label="Invert" on={mask.invert} disabled={readOnly} onChange={(on) => change('Invert mask', (m) => void (m.invert = on))} />
      </Row>
      <Row label="Equalise" help="Spreads the weights evenly over 0 to 100 %.">
        <Switch label="Equalise" on={mask.equalise} disabled={readOnly} onChange={(on) => change('Equalise mask', (m) => void (m.equalise = on))} />
      </Row>
      <ShareRow
        label="Gain"
        value={mask.gain}
        disabled={readOnly}
        help="50 % leaves the weights; more pushes them towards all or nothing, less towards the middle."
        onChange={(gain) => change('Set gain', (m) => void (m.gain = gain), `${mask.id}:gain`)}
        onDone={endGesture}
      />
      <ShareRow
        label="Frayed"
        value={mask.ragged}
        disabled={readOnly}
        help="Noise breaks up the border, where the weight is neither all nor nothing."
        onChange={(ragged) => change('Fray mask', (m) => void (m.ragged = ragged), `${mask.id}:ragged`)}
        onDone={endGesture}
      />
      {mask.ragged > 0 && (
        <SliderRow
          label="Fray size"
          value={mask.raggedSize}
          unit="m"
          min={1}
          max={10_000}
          logarithmic
          disabled={readOnly}
          onChange={(size) => change('Fray mask', (m) => void (m.raggedSize = size), `${mask.id}:raggedSize`)}
          onDone={endGesture}
        />
      )}
    </>
  );
}
