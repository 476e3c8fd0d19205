import type { AssetReading, Band } from '@upland-cast/core';
import { NumberField, Row, Segments, Select } from '../../components/controls';
import { figure } from '../../components/format';
import type { HeightsLook } from '../../engine/api';
import { RawFields } from './RawChoice';
import { RangeEnds } from './RangeEnds';
import css from './ImportDialog.module.css';

const TYPES = {
  u8: '8 bits',
  u16: '16 bits',
  s16: '16 bits, signed',
  u24: '24 bits over colour',
  u32: '32 bits',
  s32: '32 bits, signed',
  f32: '32-bit floats',
  f64: '64-bit floats',
};

/** What a file says of itself. */
export function Facts({ look: { facts } }: { look: HeightsLook }) {
  const lines: [string, string][] = [
    ['Format', `${facts.format.toUpperCase()}, ${TYPES[facts.type]}${facts.channels > 1 ? `, ${facts.channels} bands` : ''}`],
    ['Size', `${figure(facts.width, 0)} × ${figure(facts.height, 0)} samples`],
    ['Numbers', `${figure(facts.low, facts.codes ? 0 : 2)} to ${figure(facts.high, facts.codes ? 0 : 2)}, ${figure(facts.distinct, 0)} different`],
    ['Spacing', facts.spacing ? `${figure(facts.spacing.x, 3)} × ${figure(facts.spacing.y, 3)} m` : 'not said: 1 m is assumed'],
    ['Samples are', facts.registration ? (facts.registration === 'point' ? 'points; the outer ones on the edge' : 'areas; the middles of cells') : 'not said'],
    ...(facts.crs || facts.place
      ? [
          ['On the map', `${facts.crs || 'unnamed'}${facts.place ? `, ${figure(facts.place.west, 1)} E ${figure(facts.place.north, 1)} N` : ''}`] as [
            string,
            string,
          ],
        ]
      : []),
  ];
  return (
    <fieldset className={css.group}>
      <legend>What it is</legend>
      <dl className={`${css.facts} number`}>
        {lines.map(([label, value]) => (
          <div key={label}>
            <dt>{label}</dt>
            <dd>{value}</dd>
          </div>
        ))}
      </dl>
      {facts.odd.map((sentence) => (
        <p key={sentence} className={css.hint}>
          {sentence}
        </p>
      ))}
    </fieldset>
  );
}

type SetPart = (part: Partial<AssetReading>) => void;

/** What its numbers stand for, as it is assumed. */
export function Meaning({ look, settled, set }: { look: HeightsLook; settled: AssetReading; set: SetPart }) {
  const { facts } = look;
  const bands: Record<string, string> =
    facts.channels >= 3 && facts.type !== 'f32'
      ? { '1': 'Red', '2': 'Green', '3': 'Blue', ...(facts.channels > 3 ? { '4': 'Fourth' } : {}), luminance: 'Luminance', packed: 'Packed heights' }
      : Object.fromEntries(Array.from({ length: facts.channels }, (_, i) => [String(i + 1), `Band ${i + 1}`]));
  const map = settled.map;
  const ends = facts.codes ?? { min: facts.low, max: facts.high };
  return (
    <fieldset className={css.group}>
      <legend>What its numbers mean</legend>
      {facts.channels > 1 && (
        <Row label="Band" help="Which of its bands holds the heights.">
          <Select label="Band" value={String(facts.band ?? 1)} choices={bands} onChange={(v) => set({ band: (/^\d+$/.test(v) ? Number(v) : v) as Band })} />
        </Row>
      )}
      <Row label="Numbers" help="As the file means them, or two of them with the metres they stand for.">
        <Segments
          label="Numbers"
          value={map ? 'range' : 'own'}
          choices={{ own: facts.inCodes || facts.codes ? 'One is a metre' : 'Metres', range: 'A range' }}
          onChange={(v) => set({ map: v === 'own' ? undefined : { code0: ends.min, height0: 0, code1: ends.max, height1: guessHeight(look) } })}
        />
      </Row>
      {facts.inCodes && !map && (
        <p className={css.caution}>The file does not say what its numbers stand for. Give the metres of its two ends where you know them.</p>
      )}
      {map && <RangeEnds range={map} whole={Boolean(facts.codes)} onChange={(to) => set({ map: to })} />}
      {map && (
        <p className={css.hint}>
          One number is {figure(Math.abs((map.height1 - map.height0) / (map.code1 - map.code0)), 4)} m.{' '}
          <button type="button" className={css.link} onClick={() => set({ map: { ...map, code0: look.facts.low, code1: look.facts.high } })}>
            Use its lowest and highest number
          </button>
        </p>
      )}
      {!map && (
        <Row label="Heights in" help="Feet are turned into metres.">
          <Segments
            label="Heights in"
            value={settled.feet || facts.feet ? 'feet' : 'metres'}
            choices={{ metres: 'Metres', feet: 'Feet' }}
            onChange={(v) => set({ feet: v === 'feet' || undefined })}
          />
        </Row>
      )}
      {settled.as?.startsWith('raw:') && <RawFields as={settled.as} onChange={(as) => set({ as })} />}
    </fieldset>
  );
}

/** A height that makes a picture's ground look like ground: a tenth of its width. */
const guessHeight = (look: HeightsLook) => Math.max(1, Math.round(Math.max(look.ground.width, look.ground.depth) / 10));

/** How large it is and which way it lies. */
export function Laid({ look, settled, set }: LaidProps) {
  return (
    <fieldset className={css.group}>
      <legend>How it lies</legend>
      <Extent look={look} set={set} />
      <Directions look={look} settled={settled} set={set} />
      <Taken look={look} settled={settled} set={set} />
    </fieldset>
  );
}

interface LaidProps {
  look: HeightsLook;
  settled: AssetReading;
  set: SetPart;
}

function Extent({ look: { ground }, set }: Omit<LaidProps, 'settled'>) {
  const steps = (n: number) => (ground.registration === 'point' ? Math.max(1, n - 1) : n);
  const spacing = { x: ground.width / steps(ground.across), y: ground.depth / steps(ground.down) };
  return (
    <>
      <Row label="Width" help="Metres from its west to its east edge; the depth follows.">
        <NumberField
          label="Width"
          unit="m"
          value={ground.width}
          min={0.01}
          max={1e7}
          step={1}
          onChange={(width) => set({ spacing: { x: width / steps(ground.across), y: (width / steps(ground.across)) * (spacing.y / spacing.x) } })}
        />
      </Row>
      <Row label="Spacing" help="Metres from sample to sample.">
        <span className={css.pair}>
          <NumberField
            label="Spacing, east"
            unit="m"
            value={spacing.x}
            min={1e-4}
            max={1e6}
            step={0.001}
            onChange={(x) => set({ spacing: { x, y: Math.abs(spacing.x - spacing.y) < 1e-6 * spacing.x ? x : spacing.y } })}
          />
          <NumberField
            label="Spacing, south"
            unit="m"
            value={spacing.y}
            min={1e-4}
            max={1e6}
            step={0.001}
            onChange={(y) => set({ spacing: { x: spacing.x, y } })}
          />
        </span>
      </Row>
    </>
  );
}

function Directions({ look: { ground }, settled, set }: LaidProps) {
  return (
    <>
      <Row label="Samples are" help="Points: the outer ones lie on the edge. Areas: they are the middles of cells.">
        <Segments
          label="Samples are"
          value={ground.registration}
          choices={{ point: 'Points', area: 'Areas' }}
          onChange={(registration) => set({ registration })}
        />
      </Row>
      <Row label="Rows begin" help="A file whose first row is the south edge comes in upside down.">
        <Segments
          label="Rows begin"
          value={settled.flip === 'rows' ? 'south' : 'north'}
          choices={{ north: 'In the north', south: 'In the south' }}
          onChange={(v) => set({ flip: v === 'south' ? 'rows' : undefined, crop: undefined })}
        />
      </Row>
      <Row label="Turned" help="Clockwise.">
        <Segments
          label="Turned"
          value={String(settled.turn ?? 0) as '0' | '90' | '180' | '270'}
          choices={{ '0': '0°', '90': '90°', '180': '180°', '270': '270°' }}
          onChange={(v) => set({ turn: v === '0' ? undefined : (Number(v) as 90 | 180 | 270), crop: undefined })}
        />
      </Row>
    </>
  );
}

/** All of the file, or a frame of it. */
function Taken({ look: { facts }, settled: { turn, crop }, set }: LaidProps) {
  const [across, down] = turn === 90 || turn === 270 ? [facts.height, facts.width] : [facts.width, facts.height];
  const side = Math.min(across, down);
  const middle = { left: Math.floor((across - side) / 2), top: Math.floor((down - side) / 2), across: side, down: side };
  return (
    <>
      <Row label="Taken" help="All of it, or what lies in a frame.">
        <Segments
          label="Taken"
          value={crop ? 'frame' : 'all'}
          choices={{ all: 'All of it', frame: 'A frame' }}
          onChange={(v) => set({ crop: v === 'all' ? undefined : middle })}
        />
      </Row>
      {crop && (
        <div className={css.pair}>
          <NumberField
            label="Frame, columns"
            value={crop.across}
            min={2}
            max={across}
            onChange={(n) => set({ crop: { ...crop, across: n, left: Math.min(crop.left, across - n) } })}
          />
          <NumberField
            label="Frame, rows"
            value={crop.down}
            min={2}
            max={down}
            onChange={(n) => set({ crop: { ...crop, down: n, top: Math.min(crop.top, down - n) } })}
          />
        </div>
      )}
    </>
  );
}

/** How many samples the new ground has. */
export function Samples({
  look,
  samples,
  onChange,
}: {
  look: HeightsLook;
  samples: { across: number; down: number } | null;
  onChange: (samples: { across: number; down: number } | null) => void;
}) {
  const { ground } = look;
  const scaled = (across: number) => ({ across, down: Math.max(2, Math.round((ground.down * across) / ground.across)) });
  return (
    <>
      <Row label="Samples" help="The file's own, so that every one of its heights is kept, or another count.">
        <Segments
          label="Samples"
          value={samples ? 'other' : 'own'}
          choices={{ own: 'The file’s own', other: 'Others' }}
          onChange={(v) => onChange(v === 'own' ? null : scaled(ground.across))}
        />
      </Row>
      {samples && (
        <div className={css.pair}>
          <NumberField label="Samples across" value={samples.across} min={2} max={16_385} onChange={(n) => onChange(scaled(n))} />
          <NumberField label="Samples down" value={samples.down} min={2} max={16_385} onChange={(down) => onChange({ ...samples, down })} />
        </div>
      )}
    </>
  );
}
