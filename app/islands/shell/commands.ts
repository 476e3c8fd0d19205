import {
  BRUSHES,
  FAMILIES,
  findUse,
  isShown,
  MAPS,
  maskKinds,
  paramsOf,
  RECEIVER_FINDS,
  receivers,
  stepById,
  steps,
  SYMPTOMS,
  type BrushKind,
  type Course,
  type ParamMeta,
  type StepUse,
} from '@upland-cast/core';
import type { Findable } from '../../components/search';
import { LAYER_DRAPES, type LayerDrapeId } from '../../drawing/drapes';
import { db } from '../../storage/db';
import * as preferences from '../../storage/preference';
import { addMask, addStep, addTributary, duplicateStep, removeStep, select, setParam, settingsOrFault, standAt } from '../../store/course';
import { compareStep, stepBefore } from '../../store/compare';
import { setDrape, setWater, stopWork } from '../../store/evaluation';
import { change, redo, undo } from '../../store/history';
import { keepMark, reRollWhole } from '../../store/keeping';
import type { KeyId } from '../../store/keys';
import { SKIES } from '../../store/light';
import { useReceivers } from '../../store/receivers';
import { useTerrain, type OpenDialog, type ViewSettings } from '../../store/state';
import { bringIn } from '../import/files';
import { rooms } from './rooms';

/** What a command does with a number that is typed behind it. */
export interface Taken {
  unit: string;
  min: number;
  max: number;
  /** A share is typed in percent. */
  percent?: boolean;
  run: (value: number) => void;
}

/** One thing that can be done by its name. */
export interface Command extends Findable {
  id: string;
  group: string;
  key?: KeyId;
  /** Where it is done by a number alone, there is no `run`. */
  run?: () => void;
  takes?: Taken;
}

const { getState: get, setState: set } = useTerrain;

export function otherSheet(): void {
  const sheet = get().sheet === 'dark' ? 'light' : 'dark';
  document.documentElement.dataset.sheet = sheet;
  preferences.sheet.keep(sheet);
  set({ sheet });
}

const view = (part: Partial<ViewSettings>) => {
  location.hash = '#work';
  set(({ view: now }) => ({ view: { ...now, ...part } }));
};
const turned = (part: 'contours' | 'meshLines' | 'spots' | 'views' | 'lightPanel' | 'coverPanel' | 'grain') => () => view({ [part]: !get().view[part] });
const open = (dialog: OpenDialog) => () => set({ dialog });

/** Where a step is put: behind the one that is selected, or at the end of the stem. */
function behindSelected(course: Course) {
  const found = findUse(course, get().selected);
  return found ? { line: found.line.id, index: found.index + 1 } : { line: '', index: course.stem.length };
}

const NUMBERS: ReadonlySet<ParamMeta['kind']> = new Set(['elevation', 'distance', 'degrees', 'count', 'ratio', 'number']);

const takenBy = ({ kind, unit, min = -Infinity, max = Infinity }: ParamMeta, run: (value: number) => void): Taken => ({
  unit,
  min,
  max,
  percent: kind === 'ratio',
  run,
});

/** The first setting of a step that is a number: what one types behind its name. */
function leadOf(step: (typeof steps)[number]) {
  const settings = step.params.parse({});
  return paramsOf(step.params).find(({ meta }) => NUMBERS.has(meta.kind) && !meta.more && isShown(meta, settings));
}

function addCommands(course: Course): Command[] {
  return steps.map((step): Command => {
    const lead = leadOf(step);
    const add = (params: Record<string, unknown> = {}) => {
      location.hash = '#work';
      addStep(step.id, behindSelected(course), params);
    };
    return {
      id: `add ${step.id}`,
      group: 'Steps',
      title: `Add ${step.title}`,
      summary: step.summary,
      finds: [...step.finds, FAMILIES[step.family], 'step'],
      run: () => add(),
      takes: lead && { ...takenBy(lead.meta, (value) => add({ [lead.key]: value })), unit: lead.meta.unit },
    };
  });
}

/** What can be done with the step that is selected. */
function stepCommands(use: StepUse, course: Course, standing: boolean): Command[] {
  const step = stepById(use.step);
  const name = use.name || step.title;
  const { settings } = settingsOrFault(use);
  const of = `${name}, the step that is selected`;
  return [
    ...paramsOf(step.params)
      .filter(({ meta }) => NUMBERS.has(meta.kind) && isShown(meta, settings))
      .map(({ key, meta }): Command => ({
        id: `set ${step.id} ${key}`,
        group: 'Settings',
        title: `${name}: ${meta.label}`,
        summary: meta.help,
        finds: ['set', 'setting', ...(meta.finds ?? [])],
        takes: takenBy(meta, (value) => setParam(use.id, key, value)),
      })),
    {
      id: 'stand',
      group: 'Step',
      title: standing ? 'See the end of the course' : `See the ground as after ${name}`,
      finds: ['stand here', 'solo', 'preview'],
      key: 'standHere',
      run: () => standAt(standing ? null : use.id),
    },
    ...(stepBefore(course, use.id)
      ? [{ id: 'compare step', group: 'Step', title: `Compare ${name} with before`, finds: ['difference', 'before after'], run: () => compareStep(use.id) }]
      : []),
    {
      id: 'switch',
      group: 'Step',
      title: `${use.on ? 'Switch off' : 'Switch on'} ${name}`,
      summary: of,
      finds: ['bypass', 'disable', 'enable', 'mute', 'toggle'],
      run: () => change(use.on ? 'Switch off' : 'Switch on', (draft) => void (findUse(draft, use.id)!.use.on = !use.on)),
    },
    { id: 'duplicate', group: 'Step', title: `Duplicate ${name}`, summary: of, finds: ['copy'], run: () => duplicateStep(use.id) },
    { id: 'remove', group: 'Step', title: `Remove ${name}`, summary: of, finds: ['delete'], run: () => removeStep(use.id) },
  ];
}

/** The masks that the step can be given. */
function maskCommands(use: StepUse): Command[] {
  const name = use.name || stepById(use.step).title;
  return maskKinds.map((kind) => ({
    id: `mask ${kind.id}`,
    group: 'Where it acts',
    title: `Only where: ${kind.title}`,
    summary: `A mask of ${name}. ${kind.summary}`,
    finds: [...kind.finds, 'mask', 'where'],
    run: () => addMask(use.id, kind.id),
  }));
}

function handCommands(course: Course, selected: StepUse | undefined): Command[] {
  const sculpt = selected?.step === 'sculpt' ? selected : [...course.stem].reverse().find(({ step }) => step === 'sculpt');
  return (Object.keys(BRUSHES) as BrushKind[]).map((kind) => ({
    id: `brush ${kind}`,
    group: 'Brushes',
    title: `Brush: ${BRUSHES[kind].title}`,
    summary: BRUSHES[kind].help,
    finds: [...BRUSHES[kind].finds, 'sculpt', 'hand'],
    run: () => {
      location.hash = '#work';
      if (sculpt) select(sculpt.id);
      else addStep('sculpt', { line: '', index: course.stem.length });
      set(({ brush }) => ({ brush: { ...brush, kind, strength: BRUSHES[kind].begin } }));
    },
  }));
}

const CAMERAS = [
  ['relief', 'Relief', ['3d', 'perspective', 'orbit']],
  ['plan', 'Plan', ['top', '2d', 'above', 'map', 'orthographic']],
  ['section', 'Section', ['profile', 'cross-section', 'cut']],
  ['land', 'Land', ['statistics', 'histogram', 'spectrum', 'slope distribution']],
] as const;

const DRAPES: readonly (readonly [ViewSettings['drape'], string, readonly string[]])[] = [
  ['ground', 'Ground colour', ['texture', 'albedo', 'satellite', 'material']],
  ['tint', 'Tint', ['hypsometric', 'elevation colour']],
  ['shade', 'Shade', ['hillshade', 'clay', 'grey']],
  ...(Object.entries(LAYER_DRAPES) as [LayerDrapeId, { name: string }][]).map(([id, { name }]) => [id, name, ['overlay', 'layer']] as const),
];

const inView = (command: Omit<Command, 'group'>): Command => ({ group: 'View', ...command });

/** How the ground is looked at: by which camera, under which light, with what over it. */
function viewCommands(): Command[] {
  const cameras = CAMERAS.map(([camera, title, finds]) =>
    inView({ id: `view ${camera}`, title: `View: ${title}`, finds: [...finds], run: () => view({ camera }) }),
  );
  const drapes = DRAPES.map(([drape, title, finds]) =>
    inView({
      id: `drape ${drape}`,
      title: `Drape: ${title}`,
      finds: [...finds, 'show', 'colour by'],
      run: () => {
        location.hash = '#work';
        setDrape(drape);
      },
    }),
  );
  return [...cameras, ...drapes, ...lightCommands(), ...shownCommands()];
}

function lightCommands(): Command[] {
  const { view: now } = get();
  const skies = Object.entries(SKIES).map(([name, sky]) =>
    inView({ id: `sky ${name}`, title: `Sky: ${name}`, finds: ['sun', 'light', 'time of day'], run: () => view({ light: 'day', ...sky }) }),
  );
  return [
    inView({
      id: 'light',
      title: now.light === 'day' ? 'Light: working light' : 'Light: day',
      finds: ['sun', 'shadows', 'sky', 'render', 'lighting'],
      run: () => view({ light: now.light === 'day' ? 'working' : 'day' }),
    }),
    ...skies,
    inView({
      id: 'sun height',
      title: 'Height of the sun',
      finds: ['altitude', 'light', 'time of day'],
      takes: { unit: '°', min: -10, max: 90, run: (sunHeight) => view({ light: 'day', sunHeight }) },
    }),
    inView({
      id: 'sun from',
      title: 'Sun from',
      finds: ['azimuth', 'direction', 'light'],
      takes: { unit: '°', min: 0, max: 360, run: (sun) => view({ light: 'day', sun }) },
    }),
    inView({ id: 'light panel', title: 'Light and sky', finds: ['sun', 'haze', 'shadows', 'settings'], run: turned('lightPanel') }),
  ];
}

function shownCommands(): Command[] {
  const { view: now, sheet } = get();
  return [
    inView({
      id: 'exaggeration',
      title: 'Vertical exaggeration',
      finds: ['height scale', 'z scale'],
      takes: { unit: '×', min: 1, max: 5, run: (exaggeration) => view({ exaggeration }) },
    }),
    inView({ id: 'contours', title: 'Contours', finds: ['lines', 'isolines'], run: turned('contours') }),
    inView({ id: 'mesh lines', title: 'Mesh lines', finds: ['wireframe', 'grid'], run: turned('meshLines') }),
    inView({ id: 'water', title: 'Water', finds: ['sea', 'lakes', 'hide', 'show'], run: () => setWater(!get().view.water) }),
    inView({ id: 'spots', title: 'Spots', finds: ['points', 'pins', 'watch heights'], run: turned('spots') }),
    inView({
      id: 'views',
      title: 'Views that are kept, stills and films',
      finds: ['camera', 'bookmark', 'screenshot', 'render', 'turntable', 'walk'],
      run: turned('views'),
    }),
    inView({
      id: 'cover panel',
      title: 'Rules of the ground colour',
      finds: ['materials', 'splat', 'snow line', 'texture', 'cover'],
      run: () => view({ drape: 'ground', coverPanel: !now.coverPanel }),
    }),
    inView({ id: 'grain', title: 'Grain near the eye', finds: ['detail', 'micro', 'texture'], run: turned('grain') }),
    inView({ id: 'sheet', title: sheet === 'dark' ? 'The light sheet' : 'The dark sheet', finds: ['theme', 'dark mode', 'night'], run: otherSheet }),
  ];
}

/** What is done to the terrain as a whole. */
function changingCommands(): Command[] {
  return [
    {
      id: 'ground',
      group: 'Terrain',
      title: 'Ground: size, samples, sea',
      finds: ['resolution', 'extent', 'spacing', 'width', 'resize', 'settings'],
      run: open('ground'),
    },
    {
      id: 'sea',
      group: 'Terrain',
      title: 'Sea at',
      finds: ['water level', 'sea level', 'ocean'],
      takes: { unit: 'm', min: -20_000, max: 20_000, run: (sea) => change('Set the sea', (draft) => void (draft.ground.sea = sea)) },
    },
    { id: 'rock', group: 'Terrain', title: 'Rock: beds, folds, faults, joints', finds: ['geology', 'strata', 'hardness', 'layers'], run: open('rock') },
    { id: 'lakes', group: 'Terrain', title: 'Lakes and streams: what counts as one', finds: ['rivers', 'water', 'hydrology'], run: open('water') },
    {
      id: 'another',
      group: 'Terrain',
      title: 'Another one like this',
      finds: ['random', 'seed', 'reroll', 're-roll', 'randomise', 'variation'],
      run: reRollWhole,
    },
    { id: 'rolls', group: 'Terrain', title: 'Rolls of the whole course', finds: ['seeds', 'variations', 'history'], run: open('rolls') },
    { id: 'bring in', group: 'Terrain', title: 'Import heights', finds: ['bring in', 'open', 'load', 'file', 'heightmap', 'dem'], run: () => void bringIn() },
    { id: 'tributary', group: 'Terrain', title: 'Add a tributary', finds: ['branch', 'layer', 'group', 'side line'], run: () => addTributary() },
    {
      id: 'mark',
      group: 'Terrain',
      title: 'Keep a mark now',
      finds: ['snapshot', 'version', 'checkpoint', 'save'],
      run: () => void keepMark(`Mark of ${new Date().toLocaleTimeString()}`),
    },
    { id: 'undo', group: 'Terrain', title: 'Undo', finds: ['back'], key: 'undo', run: undo },
    { id: 'redo', group: 'Terrain', title: 'Redo', finds: ['again', 'forward'], key: 'redo', run: redo },
    { id: 'stop', group: 'Terrain', title: 'Stop the work', finds: ['cancel', 'abort'], run: stopWork },
  ];
}

/** What leads somewhere, and changes nothing. */
function leadingCommands(): Command[] {
  return [
    { id: 'marks', group: 'Terrain', title: 'Marks', finds: ['snapshots', 'versions', 'history'], run: open('marks') },
    {
      id: 'saves',
      group: 'Terrain',
      title: 'Past saves, project file',
      finds: ['backup', 'restore', 'save as', 'download', 'history', 'uplandcast'],
      run: open('saves'),
    },
    { id: 'keys', group: 'Help', title: 'Keys', finds: ['shortcuts', 'hotkeys', 'keyboard', 'bindings'], run: open('keys') },
    ...rooms.map(({ id, title, finds }): Command => ({
      id: `room ${id}`,
      group: 'Rooms',
      title: `Go to ${title}`,
      finds,
      run: () => void (location.hash = `#${id}`),
    })),
    { id: 'all terrains', group: 'Rooms', title: 'All terrains', finds: ['home', 'list', 'projects', 'open', 'close'], run: () => location.assign('/') },
    ...receiverCommands(),
    ...helpCommands(),
  ];
}

const terrainCommands = (course: Course, readOnly: boolean): Command[] =>
  readOnly ? leadingCommands() : [...changingCommands(), ...leadingCommands(), ...addCommands(course)];

function receiverCommands(): Command[] {
  return [...receivers, ...useReceivers.getState().own].map(({ id, title, summary }) => ({
    id: `receiver ${id}`,
    group: 'Receivers',
    title: `Export to: ${title}`,
    summary,
    finds: [...(RECEIVER_FINDS[id] ?? []), 'hand off', 'write', 'save'],
    run: () => {
      set({ wantedReceiver: id });
      location.hash = '#hand-off';
    },
  }));
}

function helpCommands(): Command[] {
  const page = (anchor: string) => () => void window.open(`/help${anchor}`, '_blank', 'noreferrer');
  return [
    { id: 'help', group: 'Help', title: 'Help: every step, mask, receiver and format', finds: ['manual', 'docs', 'documentation'], run: page('') },
    { id: 'help joins', group: 'Help', title: 'Help: how steps join', finds: ['blend', 'blending', 'mode'], run: page('#joins') },
    ...steps.map(({ id, title, finds }) => ({ id: `help ${id}`, group: 'Help', title: `Help: ${title}`, finds, run: page(`#${id}`) })),
    ...Object.values(MAPS).map(({ title, summary, finds }) => ({
      id: `map ${title}`,
      group: 'Help',
      title: `Help: map, ${title}`,
      summary,
      finds: [...finds, 'map'],
      run: page('#receivers'),
    })),
    ...Object.entries(SYMPTOMS).map(([id, { title, cause }]) => ({
      id: `symptom ${id}`,
      group: 'What went wrong',
      title,
      summary: cause,
      finds: ['symptom', 'wrong', 'trouble', 'problem'],
      run: page(`#symptom-${id}`),
    })),
  ];
}

/** Everything that can be done now, by name. */
export function commandsNow(): Command[] {
  const { course, readOnly, selected, standing } = get();
  if (!course) return [];
  const use = findUse(course, selected)?.use;
  return [
    ...(use && !readOnly ? stepCommands(use, course, standing === use.id) : []),
    ...terrainCommands(course, readOnly),
    ...viewCommands(),
    ...(readOnly ? [] : [...handCommands(course, use), ...(use ? maskCommands(use) : [])]),
  ];
}

/** The other terrains of this browser, to go to. */
export async function terrainsNow(): Promise<Command[]> {
  const own = get().id;
  const rows = await db.terrains.toArray().catch(() => []);
  return rows
    .filter(({ id }) => id !== own)
    .map(({ id, course }) => ({
      id: `terrain ${id}`,
      group: 'Terrains',
      title: `Open ${course.name}`,
      finds: ['terrain', 'project'],
      run: () => location.assign(`/terrain?id=${encodeURIComponent(id)}`),
    }));
}
