import { Copy, Dices, Trash2 } from 'lucide-react';
import { BRUSHES, JOIN_MODES, paramsOf, stepById, type JoinMode, type ParamMeta, type StepUse } from '@upland-cast/core';
import { Button, NumberField, Row, Segments, Select, SliderRow, Switch, TextField } from '../../components/controls';
import { Facts, Part } from '../../components/Facts';
import { figure, metres, volume } from '../../components/format';
import { duplicateStep, endGesture, removeStep, setParam, setUse, settingsOrFault, useTerrain } from '../../store/terrain';
import css from './Settings.module.css';

/** The selected step: what it does, its settings, how it joins, and what it did. */
export function Settings() {
  const course = useTerrain((s) => s.course)!;
  const selected = useTerrain((s) => s.selected);
  const readOnly = useTerrain((s) => s.readOnly);
  const fault = useTerrain((s) => (s.selected ? s.stages[s.selected]?.fault : undefined));
  const use = course.stem.find((s) => s.id === selected);
  if (!use) {
    return (
      <aside className={css.settings} aria-label="Settings">
        <p className={css.summary}>
          {course.stem.length
            ? 'Choose a step on the course below to see its settings.'
            : 'This terrain has no steps yet. Add one on the course below: noise makes a good beginning.'}
        </p>
      </aside>
    );
  }
  const step = stepById(use.step);
  const { settings, fault: settingFault } = settingsOrFault(use);
  return (
    <aside className={css.settings} aria-label={`Settings of ${use.name || step.title}`}>
      <div className={css.head}>
        <h2>{use.name || step.title}</h2>
        <Switch
          label={`${step.title} is on`}
          on={use.on}
          disabled={readOnly}
          onChange={(on) => setUse(use.id, on ? 'Switch on' : 'Switch off', (u) => void (u.on = on))}
        />
      </div>
      <p className={css.summary}>{step.summary}</p>
      {(settingFault || fault) && (
        <p className={css.fault} role="alert">
          {settingFault ?? fault}
        </p>
      )}
      {step.id === 'sculpt' && <BrushPart />}
      <ParamsPart use={use} settings={settings} readOnly={readOnly} />
      <Part title="How it joins">
        {step.joins.length > 1 && (
          <Row label="Way">
            <Select<JoinMode>
              label="Way"
              value={use.join}
              disabled={readOnly}
              choices={Object.fromEntries(step.joins.map((j) => [j, JOIN_MODES[j]])) as Record<JoinMode, string>}
              onChange={(join) => setUse(use.id, 'Set join', (u) => void (u.join = join))}
            />
          </Row>
        )}
        <SliderRow
          label="Strength"
          value={use.strength}
          unit="%"
          show={100}
          min={0}
          max={1}
          step={0.01}
          disabled={readOnly}
          help="How much of the step counts."
          onChange={(strength) => setUse(use.id, 'Set strength', (u) => void (u.strength = strength), `${use.id}:strength`)}
          onDone={endGesture}
        />
      </Part>
      <WhatItDid use={use} />
      <Part title="Step">
        <Row label="Name">
          <TextField
            label="Name of the step"
            value={use.name || step.title}
            disabled={readOnly}
            onChange={(name) => setUse(use.id, 'Rename step', (u) => void (u.name = name === step.title ? '' : name))}
          />
        </Row>
        <div className={css.actions}>
          <Button disabled={readOnly} onClick={() => duplicateStep(use.id)}>
            <Copy size={13} /> Duplicate
          </Button>
          <Button disabled={readOnly} onClick={() => removeStep(use.id)}>
            <Trash2 size={13} /> Remove
          </Button>
        </div>
      </Part>
    </aside>
  );
}

function ParamsPart({ use, settings, readOnly }: { use: StepUse; settings: Record<string, unknown>; readOnly: boolean }) {
  const params = paramsOf(stepById(use.step).params).filter(({ meta }) => meta.kind !== 'hidden');
  if (params.length === 0) return null;
  return (
    <Part title="Settings">
      {params.map(({ key, meta }) => (
        <Param key={key} use={use} name={key} meta={meta} value={settings[key]} readOnly={readOnly} />
      ))}
    </Part>
  );
}

function Param({ use, name, meta, value, readOnly }: { use: StepUse; name: string; meta: ParamMeta; value: unknown; readOnly: boolean }) {
  const set = (next: unknown) => setParam(use.id, name, next, `${use.id}:${name}`);
  if (meta.kind === 'choice') {
    return (
      <Row label={meta.label} help={meta.help}>
        {Object.keys(meta.choices!).length <= 3 ? (
          <Segments label={meta.label} value={String(value)} choices={meta.choices!} onChange={(v) => setParam(use.id, name, v)} />
        ) : (
          <Select label={meta.label} value={String(value)} choices={meta.choices!} disabled={readOnly} onChange={(v) => setParam(use.id, name, v)} />
        )}
      </Row>
    );
  }
  if (meta.kind === 'seed') {
    return (
      <Row label={meta.label} help={meta.help}>
        <span className={css.roll}>
          <NumberField label={meta.label} value={Number(value)} min={0} max={0xffffffff} disabled={readOnly} onChange={set} onDone={endGesture} />
          <Button disabled={readOnly} onClick={() => setParam(use.id, name, crypto.getRandomValues(new Uint32Array(1))[0] % 1_000_000)}>
            <Dices size={14} /> Re-roll
          </Button>
        </span>
      </Row>
    );
  }
  if (meta.kind === 'asset') return <AssetParam meta={meta} sha={String(value)} />;
  const ratio = meta.kind === 'ratio';
  return (
    <SliderRow
      label={meta.label}
      value={Number(value)}
      unit={meta.unit}
      show={ratio ? 100 : 1}
      min={meta.min!}
      max={meta.max!}
      step={meta.step}
      logarithmic={meta.logarithmic}
      help={meta.help}
      disabled={readOnly}
      onChange={set}
      onDone={endGesture}
    />
  );
}

function AssetParam({ meta, sha }: { meta: ParamMeta; sha: string }) {
  const assets = useTerrain((s) => s.course!.assets);
  return (
    <Row label={meta.label} help={meta.help}>
      <span className={css.asset}>{sha ? (assets[sha]?.name ?? `${sha.slice(0, 12)}…`) : 'None yet: press a mesh in the Mesh room.'}</span>
    </Row>
  );
}

function BrushPart() {
  const brush = useTerrain((s) => s.brush);
  const width = useTerrain((s) => s.course!.ground.width);
  const set = (part: Partial<typeof brush>) => useTerrain.setState({ brush: { ...brush, ...part } });
  const smooth = brush.kind === 'smooth';
  return (
    <Part title="Brush">
      <Row label="Brush">
        <Segments
          label="Brush"
          value={brush.kind}
          choices={BRUSHES}
          onChange={(kind) => set({ kind, strength: kind === 'smooth' ? 0.4 : brush.kind === 'smooth' ? 2 : brush.strength })}
        />
      </Row>
      <SliderRow label="Radius" value={brush.radius} unit="m" min={1} max={Math.max(10, width / 4)} logarithmic onChange={(radius) => set({ radius })} />
      {smooth ? (
        <SliderRow
          label="Strength"
          value={brush.strength}
          unit="%"
          show={100}
          min={0.01}
          max={1}
          step={0.01}
          onChange={(strength) => set({ strength })}
          help="How far each dab goes towards the mean around it."
        />
      ) : (
        <SliderRow
          label="Strength"
          value={brush.strength}
          unit="m"
          min={0.01}
          max={50}
          step={0.01}
          logarithmic
          onChange={(strength) => set({ strength })}
          help="Metres a dab, in the middle of the brush."
        />
      )}
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
      <p className={css.hint}>Draw on the ground with the left button; turn the view with the right one.</p>
    </Part>
  );
}

function WhatItDid({ use }: { use: StepUse }) {
  const report = useTerrain((s) => s.report);
  const preview = useTerrain((s) => s.picture?.preview ?? true);
  if (!use.on) return null;
  if (!report || preview) {
    return (
      <Part title="What it did">
        <p className={css.hint}>Measured when the full ground has been worked out.</p>
      </Part>
    );
  }
  const range = ([low, high]: [number, number]) => `${figure(low, 1)} … ${figure(high, 1)}`;
  return (
    <Part title="What it did">
      <Facts
        columns={2}
        items={[
          ['cut', volume(report.volumeCut)],
          ['fill', volume(report.volumeFill)],
          ['most cut', metres(report.largestCut)],
          ['most fill', metres(report.largestFill)],
          ['mean', metres(report.meanChange)],
          ['steepest', `${figure(report.steepest, 1)}°`],
        ]}
      />
      <Facts
        items={[
          ['range before', `${range(report.rangeBefore)} m`],
          ['range after', `${range(report.rangeAfter)} m`],
          ['took', `${figure(report.took / 1000, 2)} s`],
        ]}
      />
    </Part>
  );
}
