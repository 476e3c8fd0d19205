import { ChevronsLeftRight, ChevronsRightLeft, Copy, Flag, Scale, Trash2 } from 'lucide-react';
import {
  findUse,
  HOLDS,
  JOIN_MODES,
  loopBetween,
  loopSentence,
  paramsOf,
  readersOf,
  stepById,
  type Hold,
  type JoinMode,
  type StepUse,
  type Tributary,
  startingValues,
  isShown,
} from '@upland-cast/core';
import { Button, Row, Select, ShareRow, SliderRow, Switch, TextField } from '../../../components/controls';
import { Facts, Part } from '../../../components/Facts';
import { figure, metres, volume } from '../../../components/format';
import {
  duplicateStep,
  groundMeasure,
  removeStep,
  removeTributary,
  setParam,
  settingsOrFault,
  setTributary,
  setUse,
  standAt,
  tributaryFor,
} from '../../../store/course';
import { reRoll } from '../../../store/keeping';
import { endGesture } from '../../../store/history';
import { say, useTerrain } from '../../../store/state';
import type { TakenIn } from '../../../engine/api';
import { BrushPart } from './BrushPart';
import { ParamRow } from './ParamRow';
import { RollsStrip } from '../course/RollsStrip';
import { WherePart } from './WherePart';
import { compareStep, stepBefore } from '../../../store/compare';
import css from './Settings.module.css';

/** The selected step or tributary: what it does, its settings, where it acts, how it joins, and what it did. */
export function Settings() {
  const course = useTerrain((s) => s.course)!;
  const selected = useTerrain((s) => s.selected);
  const readOnly = useTerrain((s) => s.readOnly);
  const found = findUse(course, selected);
  const tributary = course.tributaries.find((t) => t.id === selected);
  if (tributary) return <TributarySettings tributary={tributary} readOnly={readOnly} />;
  if (!found) {
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
  return <StepSettings key={found.use.id} use={found.use} line={found.line.id} readOnly={readOnly} />;
}

function StepSettings({ use, line, readOnly }: { use: StepUse; line: string; readOnly: boolean }) {
  const fault = useTerrain((s) => s.stages[use.id]?.fault);
  const words = useTerrain((s) => s.stages[use.id]?.words);
  const drawing = useTerrain((s) => s.tool === 'line');
  const closed = paramsOf(stepById(use.step).params).some(({ meta }) => meta.kind === 'line' && meta.closed);
  const paints = useTerrain((s) => use.where.masks.some((m) => m.id === s.painting));
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
      {drawing && <p className={css.word}>Click on the ground where it goes: {closed ? 'three corners at least' : 'two points at least'}. Escape ends it.</p>}
      {!drawing && (settingFault || fault) && (
        <p className={css.fault} role="alert">
          {settingFault ?? fault}
        </p>
      )}
      {!fault &&
        use.on &&
        words?.map((sentence) => (
          <p key={sentence} className={css.word}>
            {sentence}
          </p>
        ))}
      {(step.id === 'sculpt' || paints) && <BrushPart use={use} paints={paints} readOnly={readOnly} />}
      <ParamsPart use={use} line={line} settings={settings} readOnly={readOnly} />
      <WherePart use={use} readOnly={readOnly} />
      <JoinPart use={use} readOnly={readOnly} />
      <WhatItDid use={use} />
      <StepPart use={use} readOnly={readOnly} />
    </aside>
  );
}

/** What the step is called, and what can be done with it. */
function StepPart({ use, readOnly }: { use: StepUse; readOnly: boolean }) {
  const standing = useTerrain((s) => s.standing === use.id);
  const first = useTerrain((s) => !stepBefore(s.course!, use.id));
  const step = stepById(use.step);
  return (
    <Part title="Step">
      <Row label="Name">
        <TextField
          label="Name of the step"
          value={use.name || step.title}
          disabled={readOnly}
          onChange={(name) => setUse(use.id, 'Rename step', (u) => void (u.name = name === step.title ? '' : name.slice(0, 80)))}
        />
      </Row>
      <div className={css.actions}>
        <Button aria-pressed={standing} onClick={() => standAt(use.id)} title="See the ground as after this step">
          <Flag size={13} /> {standing ? 'To the end' : 'Show up to here'}
        </Button>
        <Button
          disabled={readOnly || first}
          onClick={() => compareStep(use.id)}
          title={
            first
              ? 'The first step finds level ground: there is nothing to compare it with'
              : 'What this step changed: the ground after it, beside what it found'
          }
        >
          <Scale size={13} /> Compare
        </Button>
        <Button disabled={readOnly} onClick={() => duplicateStep(use.id)}>
          <Copy size={13} /> Duplicate
        </Button>
        <Button disabled={readOnly} onClick={() => removeStep(use.id)}>
          <Trash2 size={13} /> Remove
        </Button>
      </div>
    </Part>
  );
}

function ParamsPart({ use, line, settings, readOnly }: { use: StepUse; line: string; settings: Record<string, unknown>; readOnly: boolean }) {
  const course = useTerrain((s) => s.course)!;
  const step = stepById(use.step);
  const params = paramsOf(step.params).filter(({ meta }) => meta.kind !== 'hidden' && isShown(meta, settings));
  if (params.length === 0) return null;
  const set = (key: string, value: unknown, gesture?: boolean) => {
    if (step.id === 'join' && key === 'tributary' && value) {
      const loop = loopBetween(course, line, String(value));
      if (loop) return say(loopSentence(loop));
    }
    setParam(use.id, key, value, gesture ? `${use.id}:${key}` : undefined);
  };
  const top = params.filter(({ meta }) => !meta.more);
  const more = params.filter(({ meta }) => meta.more);
  const row = ({ key, meta }: (typeof params)[number]) => (
    <ParamRow
      key={key}
      meta={meta}
      value={settings[key]}
      disabled={readOnly}
      set={(value, gesture) => set(key, value, gesture)}
      roll={() => reRoll(use.id, Number(settings.seed))}
      takeFile={(file) => takeRaster(use.id, key, file)}
      newTributary={() =>
        tributaryFor((c, id) => {
          const found = findUse(c, use.id);
          if (found) found.line.steps[found.index].params[key] = id;
        })
      }
    />
  );
  return (
    <Part title="Settings">
      <Note use={use} readOnly={readOnly} />
      <BeginFrom use={use} readOnly={readOnly} />
      {top.map(row)}
      {more.length > 0 && (
        <details className={css.more}>
          <summary>
            More settings <span className="number">{more.length}</span>
          </summary>
          {more.map(row)}
        </details>
      )}
      {settings.until !== undefined && (
        <p className={css.word}>
          Ended early and kept as it was.{' '}
          <Button disabled={readOnly} onClick={() => setParam(use.id, 'until', undefined)}>
            Run it whole
          </Button>
        </p>
      )}
      {params.some(({ meta }) => meta.kind === 'seed') && <RollsStrip use={use} seed={Number(settings.seed)} readOnly={readOnly} />}
    </Part>
  );
}

/** What a step that was changed from outside says of it. */
function Note({ use, readOnly }: { use: StepUse; readOnly: boolean }) {
  if (!use.note) return null;
  return (
    <p className={css.word}>
      {use.note}{' '}
      <Button disabled={readOnly} onClick={() => setUse(use.id, 'Clear the note', (u) => void (u.note = ''))}>
        Clear note
      </Button>
    </p>
  );
}

/** Sets of settings to begin from. */
function BeginFrom({ use, readOnly }: { use: StepUse; readOnly: boolean }) {
  const step = stepById(use.step);
  if (step.presets.length === 0) return null;
  const begin = (name: string) => {
    const preset = step.presets.find((p) => p.name === name);
    if (!preset) return;
    const params = { ...keptParams(use.params), ...startingValues(step, groundMeasure(), preset.params) };
    setUse(use.id, `Begin from ${preset.name}`, (u) => void (u.params = params));
  };
  return (
    <Row label="Begin from" help="Sets of settings to begin from; the roll stays.">
      <select className={css.addMask} aria-label="Begin from" value="" disabled={readOnly} onChange={(event) => begin(event.target.value)}>
        <option value="">A starting point …</option>
        {step.presets.map((p) => (
          <option key={p.name}>{p.name}</option>
        ))}
      </select>
    </Row>
  );
}

/**
 * Puts a file into a step. Where it holds codes and the step can scale them, they are spread over
 * the range that the ground has: a guess that is said, and a better one than a metre a code.
 */
function takeRaster(id: string, key: string, file: TakenIn): string | undefined {
  const { picture } = useTerrain.getState();
  const guess = file.inCodes && picture && picture.statistics.highest > picture.statistics.lowest ? picture.statistics : null;
  let scaled = false;
  setUse(id, 'Choose a file', (use) => {
    use.params[key] = file.sha;
    if (use.step !== 'raster' || !guess || use.params.scaled) return;
    scaled = true;
    Object.assign(use.params, { scaled: true, level: Math.round(guess.lowest), fullScale: Math.round(guess.highest - guess.lowest) });
  });
  if (!file.inCodes) return undefined;
  return scaled
    ? 'Its numbers are codes, and the file does not say how many metres they stand for. They were spread over the range that the ground had: set the full scale and the level to what you know.'
    : 'Its numbers are codes, and the file does not say how many metres they stand for.';
}

/** What a starting point leaves as it is: the roll, the level, and where it lies. */
const keptParams = (params: Record<string, unknown>) =>
  Object.fromEntries(Object.entries(params).filter(([key]) => ['seed', 'level', 'start', 'points', 'asset', 'tributary'].includes(key)));

function JoinPart({ use, readOnly }: { use: StepUse; readOnly: boolean }) {
  const step = stepById(use.step);
  const smooth = use.join === 'smooth-higher' || use.join === 'smooth-lower';
  const number = (key: 'joinWidth' | 'joinZero' | 'joinOne', label: string, min: number, max: number, help: string) => (
    <SliderRow
      label={label}
      value={use[key]}
      unit="m"
      min={min}
      max={max}
      step={1}
      help={help}
      disabled={readOnly}
      onChange={(value) => setUse(use.id, `Set ${label.toLowerCase()}`, (u) => void (u[key] = value), `${use.id}:${key}`)}
      onDone={endGesture}
    />
  );
  return (
    <Part title="How it joins">
      {(step.joins.length > 1 || !step.joins.includes(use.join)) && (
        <Row label="Blend">
          <Select<JoinMode>
            label="Blend"
            value={use.join}
            disabled={readOnly}
            choices={withUnknown(Object.fromEntries(step.joins.map((j) => [j, JOIN_MODES[j]])) as Record<JoinMode, string>, use.join)}
            onChange={(join) => setUse(use.id, 'Set join', (u) => void (u.join = join))}
          />
        </Row>
      )}
      {smooth && number('joinWidth', 'Width', 0, 1000, 'Where both are nearer than this, the corner between them is rounded.')}
      {use.join === 'multiply' && number('joinZero', 'Counts as 0', -2000, 4000, 'What joins, at this height, sinks the ground to 0 m.')}
      {use.join === 'multiply' && number('joinOne', 'Counts as 1', -2000, 4000, 'What joins, at this height, leaves the ground as it is.')}
      <ShareRow
        label="Strength"
        value={use.strength}
        disabled={readOnly}
        help="How much of the step counts."
        onChange={(strength) => setUse(use.id, 'Set strength', (u) => void (u.strength = strength), `${use.id}:strength`)}
        onDone={endGesture}
      />
      <Row label="Keep" help="What of the ground it leaves as it was: all of it is moved by one distance afterwards.">
        <Select<Hold>
          label="Keep"
          value={use.hold}
          disabled={readOnly}
          choices={withUnknown(HOLDS, use.hold)}
          onChange={(hold) => setUse(use.id, 'Set hold', (u) => void (u.hold = hold))}
        />
      </Row>
    </Part>
  );
}

/** A word that is not among the choices, of a later version, is shown as what it is. */
const withUnknown = <T extends string>(choices: Record<T, string>, value: T): Record<T, string> =>
  value in choices ? choices : { ...choices, [value]: `“${value}”, not known here` };

function TributarySettings({ tributary, readOnly }: { tributary: Tributary; readOnly: boolean }) {
  const course = useTerrain((s) => s.course)!;
  const readers = readersOf(course, tributary.id);
  return (
    <aside className={css.settings} aria-label={`Settings of ${tributary.name}`}>
      <div className={css.head}>
        <h2>{tributary.name}</h2>
      </div>
      <p className={css.summary}>
        A side line of {tributary.steps.length === 1 ? 'one step' : `${tributary.steps.length} steps`}. It flows in at a Join step, or says where a step acts.
      </p>
      <Part title="Flows into">
        {readers.length === 0 && <p className={css.hint}>Nothing yet. Add a Join step to the stem or to another tributary, and choose it there.</p>}
        <ul className={css.readers}>
          {readers.map((use) => (
            <li key={use.id}>
              {use.name || stepById(use.step).title}
              {use.step === 'join' ? `, ${(JOIN_MODES[use.join] ?? use.join).toLowerCase()}` : ', as a mask'}
            </li>
          ))}
        </ul>
      </Part>
      <Part title="Tributary">
        <Row label="Name">
          <TextField
            label="Name of the tributary"
            value={tributary.name}
            disabled={readOnly}
            onChange={(name) => setTributary(tributary.id, 'Rename tributary', (t) => void (t.name = name.slice(0, 80)))}
          />
        </Row>
        <div className={css.actions}>
          <Button onClick={() => setTributary(tributary.id, tributary.collapsed ? 'Unfold' : 'Fold', (t) => void (t.collapsed = !t.collapsed))}>
            {tributary.collapsed ? <ChevronsLeftRight size={13} /> : <ChevronsRightLeft size={13} />} {tributary.collapsed ? 'Unfold' : 'Fold'}
          </Button>
          <Button disabled={readOnly} onClick={() => removeTributary(tributary.id)}>
            <Trash2 size={13} /> Remove
          </Button>
        </div>
      </Part>
    </aside>
  );
}

/** What of the material stayed, and what the channels say. */
function MaterialAndDrainage() {
  const report = useTerrain((s) => s.report);
  const drainage = useTerrain((s) => s.drainage);
  if (!report) return null;
  const balance = report.volumeFill - report.volumeCut;
  const share = (part: number) => `${figure(part * 100, part > 0.9995 || part === 0 ? 0 : 1)} %`;
  return (
    <>
      <h4 className={css.sub}>Material</h4>
      <Facts items={[['moved and laid down', volume(report.moved)], balance < 0 ? ['carried away', volume(-balance)] : ['brought', volume(balance)]]} />
      <h4 className={css.sub}>Drainage</h4>
      {drainage ? (
        <Facts
          items={[
            ['concavity θ', Number.isNaN(drainage.concavity) ? 'too few channels' : `${figure(drainage.concavity, 2)} (0.35 to 0.6 is usual)`],
            ['channels that reach sea or edge', share(drainage.connected)],
            ['rising reaches', `${figure(drainage.uphill, 0)}`],
            ['lakes', drainage.lakes > 0 ? `${figure(drainage.lakes, 0)}, ${volume(drainage.lakeVolume)}` : 'none'],
            ['bifurcation, length ratio', `${ratioOf(drainage.bifurcation)}, ${ratioOf(drainage.lengthRatio)}`],
            ['hypsometric integral', ratioOf(drainage.hypsometric)],
          ]}
        />
      ) : (
        <p className={css.hint}>Following the water …</p>
      )}
    </>
  );
}

const ratioOf = (value: number) => (Number.isNaN(value) ? '–' : figure(value, 2));

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
          ...(report.layers.length > 0 ? [['leaves', report.layers.join(', ')] as [string, string]] : []),
        ]}
      />
      {stepById(use.step).family === 'weather' && <MaterialAndDrainage />}
    </Part>
  );
}
