import { Crosshair, Play } from 'lucide-react';
import { allUses, BRUSHES, FALLOFFS, STAMPS, stepById, type BrushKind, type StepUse } from '@upland-cast/core';
import { Button, NumberField, Row, Segments, Select, SliderRow, Switch } from '../../../components/controls';
import { Part } from '../../../components/Facts';
import { figure } from '../../../components/format';
import { playStrokesAgain } from '../../../store/sculpt';
import { useTerrain, type BrushSettings } from '../../../store/state';
import { ParamRow } from './ParamRow';
import css from './BrushPart.module.css';
import settings from './Settings.module.css';

/** Brushes that mean something where weights are painted. */
const PAINTING: Partial<Record<BrushKind, string>> = {
  raise: 'Add',
  lower: 'Take away',
  smooth: 'Smooth',
  level: 'To a weight',
  flatten: 'Flatten',
  smear: 'Smear',
  clone: 'Clone',
  stamp: 'Stamp',
  restore: 'Clear',
};

interface BrushRows {
  brush: BrushSettings;
  paints: boolean;
  readOnly: boolean;
  set: (part: Partial<BrushSettings>) => void;
}

/** The brush in hand, and all that can be set about it; `paints` a mask rather than the ground. */
export function BrushPart({ use, paints, readOnly }: { use: StepUse; paints: boolean; readOnly: boolean }) {
  const brush = useTerrain((s) => s.brush);
  const working = useTerrain((s) => s.working !== null);
  const set = (part: Partial<BrushSettings>) => useTerrain.setState({ brush: { ...brush, ...part } });
  const rows = { brush, paints, readOnly, set };
  return (
    <Part title={paints ? 'Brush: paints the mask' : 'Brush'}>
      <Kinds {...rows} />
      {!paints && <p className={settings.hint}>{BRUSHES[brush.kind].help}</p>}
      <Reach {...rows} />
      {brush.kind === 'level' && (
        <>
          <Figure label={paints ? 'Weight' : 'Height'} unit={paints ? '' : 'm'} value={brush.height} onChange={(height) => set({ height })} />
          {!paints && <Pick wanted="height" label="Take it" help="A click takes the height of the ground there." />}
        </>
      )}
      {brush.kind === 'ramp' && <RampRows {...rows} />}
      {brush.kind === 'clone' && <CloneRows {...rows} />}
      {brush.kind === 'stamp' && <StampRows {...rows} />}
      {/^(lift|sink)-/.test(brush.kind) && <BoundsRows {...rows} />}
      <details className={settings.more}>
        <summary>More about the brush</summary>
        <DabRows {...rows} />
        {!paints && <LockRows {...rows} bound="above" label="Lock above" figureLabel="Above" help="Ground above this height is left alone." />}
        {!paints && <LockRows {...rows} bound="below" label="Lock below" figureLabel="Below" help="Ground below this height is left alone." />}
        <MirrorRows {...rows} />
        <WithinRow {...rows} use={use} />
      </details>
      <p className={settings.hint}>Draw with the left button; the right one turns the relief, with Shift it moves it.</p>
      {!paints && Number(use.params.strokes ?? 0) > 0 && ((use.params.record as string[] | undefined)?.length ?? 0) > 0 && (
        <div className={settings.actions}>
          <Button
            disabled={readOnly || working}
            onClick={() => void playStrokesAgain(use.id)}
            title="Makes all strokes again, on the ground as it is beneath now and at its own samples"
          >
            <Play size={13} /> Play the strokes again
          </Button>
        </div>
      )}
    </Part>
  );
}

function Kinds({ brush, paints, readOnly, set }: BrushRows) {
  const take = (kind: BrushKind) => {
    const facts = BRUSHES[kind];
    const same = BRUSHES[brush.kind].strength === facts.strength && kind !== 'stamp' && brush.kind !== 'stamp';
    set({ kind, strength: paints ? Math.min(1, brush.strength) : same ? brush.strength : facts.begin });
  };
  const kinds = (Object.keys(BRUSHES) as BrushKind[]).filter((kind) => !paints || PAINTING[kind]);
  return (
    <div className={css.kinds} role="radiogroup" aria-label="Brush">
      {kinds.map((kind) => (
        <button
          key={kind}
          type="button"
          role="radio"
          aria-checked={brush.kind === kind}
          title={BRUSHES[kind].help}
          className={brush.kind === kind ? css.on : ''}
          disabled={readOnly}
          onClick={() => take(kind)}
        >
          {paints ? PAINTING[kind] : BRUSHES[kind].title}
        </button>
      ))}
    </div>
  );
}

/** How wide, how strong and how soft it is. */
function Reach({ brush, paints, set }: BrushRows) {
  const width = useTerrain((s) => s.course!.ground.width);
  const inShares = paints || BRUSHES[brush.kind].strength === 'share';
  return (
    <>
      <SliderRow
        label="Radius"
        value={brush.radius}
        unit="m"
        min={1}
        max={Math.max(10, width / 4)}
        logarithmic
        onChange={(radius) => set({ radius })}
        help="[ and ] make it smaller and larger."
      />
      <SliderRow
        label="Strength"
        value={brush.strength}
        unit={inShares ? '%' : 'm'}
        show={inShares ? 100 : 1}
        min={0.01}
        max={inShares ? 1 : brush.kind === 'stamp' ? 500 : 50}
        step={0.01}
        logarithmic={!inShares}
        onChange={(strength) => set({ strength })}
        help={inShares ? 'How far each dab goes.' : 'Metres a dab, in the middle of the brush.'}
      />
      <SliderRow
        label="Softness"
        value={brush.softness}
        unit="%"
        show={100}
        min={0}
        max={1}
        step={0.01}
        onChange={(softness) => set({ softness })}
        help="Share of the radius over which the brush fades out."
      />
    </>
  );
}

/** Something that is taken from the ground by clicks. */
function Pick({ wanted, label, help }: { wanted: 'height' | 'ramp' | 'source' | 'mirror'; label: string; help: string }) {
  const tool = useTerrain((s) => s.tool);
  return (
    <Row label={label} help={help}>
      <Button aria-pressed={tool === wanted} onClick={() => useTerrain.setState({ tool: tool === wanted ? 'none' : wanted })}>
        <Crosshair size={13} /> {tool === wanted ? 'Click on the ground …' : 'From the ground'}
      </Button>
    </Row>
  );
}

function RampRows({ brush: { ramp } }: BrushRows) {
  return (
    <>
      <Pick wanted="ramp" label="Ends" help="Two clicks: where the slope begins and where it ends." />
      {ramp && (
        <p className={`${settings.hint} number`}>
          {figure(ramp[0].height, 1)} m to {figure(ramp[1].height, 1)} m over{' '}
          {figure(Math.hypot(ramp[1].east - ramp[0].east, ramp[1].south - ramp[0].south), 0)} m
        </p>
      )}
    </>
  );
}

function CloneRows({ brush: { source, onto }, set }: BrushRows) {
  const depth = useTerrain((s) => s.course!.ground.depth);
  return (
    <>
      <Pick wanted="source" label="Source" help="A click says where the ground is taken from." />
      <p className={`${settings.hint} number`}>{source ? `from E ${figure(source.east, 0)} · N ${figure(depth - source.south, 0)}` : 'No source yet.'}</p>
      <Row label="Onto the ground" help="Brings the form onto the height here; off, the heights themselves.">
        <Switch label="Onto the ground" on={onto} onChange={(on) => set({ onto: on })} />
      </Row>
    </>
  );
}

function StampRows({ brush: { stamp }, readOnly, set }: BrushRows) {
  return (
    <>
      <Row label="Form" help="A form of its own, or the heights of a file, stretched over the brush.">
        <select
          className={settings.addMask}
          aria-label="Form"
          value={stamp in STAMPS ? stamp : 'file'}
          onChange={(event) => event.target.value !== 'file' && set({ stamp: event.target.value })}
        >
          {Object.entries(STAMPS).map(([id, name]) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
          {!(stamp in STAMPS) && <option value="file">A file</option>}
        </select>
      </Row>
      <ParamRow
        meta={{ kind: 'asset', unit: '', label: 'Its file', help: 'A heightmap; its lowest counts as nothing, its highest as the strength.' }}
        value={stamp in STAMPS ? '' : stamp}
        disabled={readOnly}
        set={(sha) => set({ stamp: String(sha) })}
      />
    </>
  );
}

/** What counts as low and as high for brushes that lift or sink one of them. */
function BoundsRows({ brush: { bounds }, set }: BrushRows) {
  return (
    <>
      <Row label="Between" help="What counts as low and as high: under the first dab, or heights that you type.">
        <Segments
          label="Low and high"
          value={bounds ? 'typed' : 'here'}
          choices={{ here: 'First dab', typed: 'Typed' }}
          onChange={(how) => {
            const stats = useTerrain.getState().picture?.statistics;
            set({ bounds: how === 'typed' && stats ? [Math.floor(stats.lowest), Math.ceil(stats.highest)] : null });
          }}
        />
      </Row>
      {bounds && (
        <>
          <Figure label="Low" unit="m" value={bounds[0]} onChange={(low) => set({ bounds: [low, bounds[1]] })} />
          <Figure label="High" unit="m" value={bounds[1]} onChange={(high) => set({ bounds: [bounds[0], high] })} />
        </>
      )}
    </>
  );
}

/** How dabs fade, follow one another, and answer to a pen. */
function DabRows({ brush, set }: BrushRows) {
  return (
    <>
      <Row label="Fades" help="The form of the fading.">
        <Select label="Fades" value={brush.falloff} choices={FALLOFFS} onChange={(falloff) => set({ falloff })} />
      </Row>
      <SliderRow
        label="Spacing"
        value={brush.spacing}
        unit="%"
        show={100}
        min={0.05}
        max={1}
        step={0.01}
        onChange={(spacing) => set({ spacing })}
        help="From dab to dab, of the radius."
      />
      <Row label="While held still" help="While the button is held the brush goes on dabbing, so many times a second.">
        <Select
          label="While held still"
          value={String(brush.rate)}
          choices={{ '0': 'One dab', '4': '4 dabs a second', '12': '12 dabs a second', '30': '30 dabs a second' }}
          onChange={(rate) => set({ rate: Number(rate) })}
        />
      </Row>
      <Row label="Pressure" help="What the pressure of a pen does.">
        <Select
          label="Pressure"
          value={brush.pressure}
          choices={{ none: 'Nothing', strength: 'Strength', radius: 'Radius', both: 'Both' }}
          onChange={(pressure) => set({ pressure })}
        />
      </Row>
    </>
  );
}

/** Ground beyond a height is left alone. */
function LockRows({ brush, set, bound, label, figureLabel, help }: BrushRows & { bound: 'above' | 'below'; label: string; figureLabel: string; help: string }) {
  const at = brush[bound];
  const begin = () => Math.round(useTerrain.getState().picture?.statistics[bound === 'above' ? 'highest' : 'lowest'] ?? 0);
  return (
    <>
      <Row label={label} help={help}>
        <Switch label={label} on={at !== null} onChange={(on) => set({ [bound]: on ? begin() : null })} />
      </Row>
      {at !== null && <Figure label={figureLabel} unit="m" value={at} onChange={(height) => set({ [bound]: height })} />}
    </>
  );
}

function MirrorRows({ brush: { mirror }, set }: BrushRows) {
  const ground = useTerrain((s) => s.course!.ground);
  return (
    <>
      <Row label="Mirror" help="Every dab is made again on the other side of a line; two clicks draw it.">
        <Switch
          label="Mirror"
          on={mirror !== null}
          onChange={(on) => set({ mirror: on ? { east: ground.width / 2, south: ground.depth / 2, angle: 0 } : null })}
        />
      </Row>
      {mirror && <Pick wanted="mirror" label="Its line" help="Two clicks on the ground." />}
      {mirror && <Figure label="Direction" unit="°" value={Math.round(mirror.angle * 10) / 10} onChange={(angle) => set({ mirror: { ...mirror, angle } })} />}
    </>
  );
}

function WithinRow({ brush: { within }, paints, set, use }: BrushRows & { use: StepUse }) {
  const course = useTerrain((s) => s.course)!;
  const holders = allUses(course).filter((u) => u.where.masks.some((m) => m.on) && !(paints && u.id === use.id));
  return (
    <Row label="Only where" help="Only where the masks of a step let it act.">
      <select className={settings.addMask} aria-label="Only where" value={within ?? ''} onChange={(event) => set({ within: event.target.value || null })}>
        <option value="">Everywhere</option>
        {holders.map((u) => (
          <option key={u.id} value={u.id}>
            {u.name || stepById(u.step).title} acts
          </option>
        ))}
      </select>
    </Row>
  );
}

/** A number that is typed. */
function Figure({ label, unit, value, onChange }: { label: string; unit: string; value: number; onChange: (value: number) => void }) {
  return (
    <Row label={label}>
      <NumberField label={label} unit={unit} value={value} min={-20_000} max={20_000} step={0.1} onChange={onChange} />
    </Row>
  );
}
