import { Grid3x3, MoveRight } from 'lucide-react';
import { COUNTRY, MOST_SURVEYED, SURVEY_SPACINGS } from '@upland-cast/core';
import { Button, NumberField, Row, Segments, Select, Switch } from '../../components/controls';
import { figure } from '../../components/format';
import type { SurveyFacts } from '../../survey/work';
import { keptFrame, type Frame } from './frame';
import type { TintRange } from './survey-map';
import css from './Survey.module.css';

export const FORMATS = { tiff: 'GeoTIFF', png: 'PNG, 16 bits', asc: 'ASCII grid', jpeg: 'JPEG' } as const;
export type Format = keyof typeof FORMATS;
export type Spacing = (typeof SURVEY_SPACINGS)[number];

/** What the tints of the map stand for. */
export function Legend({ range, shading, floor }: { range: NonNullable<TintRange>; shading: 'view' | 'country'; floor: boolean }) {
  return (
    <div className={`${css.legend} number`}>
      <b>{shading === 'view' ? 'Tints run over this view' : 'Tints run over the whole country'}</b>
      <span className={css.ramp} />
      <span>
        <i>{figure(Math.max(0, range.low), 0)} m</i>
        <i>{figure(range.high, 0)} m</i>
      </span>
      {shading === 'view' && <em>Relative: the same height has another tint elsewhere.</em>}
      {floor && range.low < 0 && <em>Sea floor down to {figure(range.low, 0)} m</em>}
    </div>
  );
}

/** What can be typed of a frame, and what each changes of it. */
function fieldsOf({ width: wide, depth: deep }: Frame, now: Frame, spacing: Spacing, locked: boolean) {
  return [
    {
      label: 'Width',
      unit: 'm wide',
      value: now.width,
      min: 2 * spacing,
      max: COUNTRY.width,
      change: (width: number) => ({ width, depth: locked ? (deep * width) / wide : deep }),
    },
    {
      label: 'Depth',
      unit: 'm deep',
      value: now.depth,
      min: 2 * spacing,
      max: COUNTRY.depth,
      change: (depth: number) => ({ depth, width: locked ? (wide * depth) / deep : wide }),
    },
    { label: "East edge of the country's corner", unit: 'm E', value: now.east, min: 0, max: COUNTRY.width, change: (east: number) => ({ east }) },
    { label: "South of the country's corner", unit: 'm S', value: now.south, min: 0, max: COUNTRY.depth, change: (south: number) => ({ south }) },
  ] satisfies { change: (metres: number) => Partial<Frame>; [more: string]: unknown }[];
}

interface FramePartProps {
  frame: Frame;
  spacing: Spacing;
  locked: boolean;
  onLock: (on: boolean) => void;
  onChange: (frame: Frame) => void;
  /** The frame is moved to where the map is looked at. */
  onHere: () => void;
}

/** Where and how large: typed, beside what is dragged on the map. */
export function FramePart({ frame, spacing, locked, onLock, onChange, onHere }: FramePartProps) {
  const now = keptFrame(frame, spacing);
  const [columns, rows] = [now.width / spacing, now.depth / spacing];
  return (
    <fieldset className={css.group}>
      <legend>Frame</legend>
      <p className={`${css.size} number`}>
        {figure(now.width / 1000, 2)} × {figure(now.depth / 1000, 2)} km · {figure(columns, 0)} × {figure(rows, 0)} samples
      </p>
      {columns * rows > MOST_SURVEYED && (
        <p className={css.caution}>That is more than the {figure(MOST_SURVEYED, 0)} samples of one extract. Make it smaller, or take a coarser spacing.</p>
      )}
      <div className={css.numbers}>
        {fieldsOf(frame, now, spacing, locked).map(({ change, ...field }) => (
          <NumberField key={field.label} {...field} step={spacing} onChange={(metres) => onChange(keptFrame({ ...frame, ...change(metres) }, spacing))} />
        ))}
      </div>
      <Row label="Keep its shape" help="Width and depth grow together.">
        <Switch label="Keep its shape" on={locked} onChange={onLock} />
      </Row>
      <Button
        onClick={() => {
          const side = Math.min(frame.width, frame.depth);
          onChange(keptFrame({ ...frame, width: side, depth: side }, spacing));
        }}
      >
        <Grid3x3 size={13} /> Make it square
      </Button>
      <Button look="quiet" onClick={onHere}>
        Move the frame here
      </Button>
    </fieldset>
  );
}

function Facts({ facts }: { facts: SurveyFacts }) {
  return (
    <dl className={`${css.facts} number`}>
      {(
        [
          ['Lowest', `${figure(facts.lowest, 1)} m`],
          ['Mean', `${figure(facts.mean, 1)} m`],
          ['Highest', `${figure(facts.highest, 1)} m`],
          ['Rows', figure(facts.rows, 0)],
          ['Columns', figure(facts.columns, 0)],
          ['Spacing', `${facts.spacing} m`],
          ['Without a height', facts.holes ? `${figure(facts.holes, 0)} samples` : 'none'],
          ['Codes of a PNG', `0 is ${figure(facts.codes.low, 0)} m, 65 535 is ${figure(facts.codes.high, 0)} m`],
          ['On the map', `${figure(facts.west, 0)} E ${figure(facts.north, 0)} N`],
        ] as const
      ).map(([label, value]) => (
        <div key={label}>
          <dt>{label}</dt>
          <dd>{value}</dd>
        </div>
      ))}
    </dl>
  );
}

/** At what spacing and as what file; what is in it; and the way in. */
export function TakePart({
  spacing,
  format,
  facts,
  fault,
  busy,
  tooMany,
  onSpacing,
  onFormat,
  onLook,
  onTake,
}: {
  spacing: Spacing;
  format: Format;
  facts: SurveyFacts | null;
  fault: string | null;
  busy: boolean;
  tooMany: boolean;
  onSpacing: (spacing: Spacing) => void;
  onFormat: (format: Format) => void;
  onLook: () => void;
  onTake: () => void;
}) {
  return (
    <fieldset className={css.group}>
      <legend>What is taken</legend>
      <Row label="Spacing">
        <Segments
          label="Spacing"
          value={String(spacing) as '10' | '30' | '90'}
          choices={{ '10': '10 m', '30': '30 m', '90': '90 m' }}
          onChange={(v) => onSpacing(Number(v) as Spacing)}
        />
      </Row>
      <Row label="As">
        <Select label="As" value={format} choices={FORMATS} onChange={onFormat} />
      </Row>
      {format === 'png' && <p className={css.hint}>Whole codes: their range goes along, and holes stand at the lowest.</p>}
      {format === 'jpeg' && <p className={css.caution}>A JPEG keeps 256 levels and loses fine forms in blocks. Take it only to see what that does.</p>}
      <Button disabled={busy || tooMany} onClick={onLook}>
        {busy ? 'Asking …' : 'Facts of it'}
      </Button>
      {facts && <Facts facts={facts} />}
      {fault && (
        <p className={css.fault} role="alert">
          {fault}
        </p>
      )}
      <Button look="main" disabled={busy || tooMany} onClick={onTake}>
        Take it <MoveRight size={14} />
      </Button>
    </fieldset>
  );
}
