import { Bookmark, CircleHelp, Dices, Layers, Moon, Mountain, Redo2, Search, Sun, Undo2, Waves } from 'lucide-react';
import { useState, type ComponentType, type ReactNode } from 'react';
import { useShallow } from 'zustand/react/shallow';
import { spacingOf, type Course, type Ground } from '@upland-cast/core';
import { ToolBar } from '../../components/ToolBar';
import { Button } from '../../components/controls';
import { clock, figure } from '../../components/format';
import { Logo } from '../../components/Logo';
import { change, redo, undo } from '../../store/history';
import { KEYS, useKeys } from '../../store/keys';
import { useTerrain, type OpenDialog } from '../../store/state';
import { bringIn } from '../import/files';
import { GroundDialog } from '../work/dialogs/GroundDialog';
import { MarksDialog } from '../work/dialogs/MarksDialog';
import { RockDialog } from '../work/dialogs/RockDialog';
import { SavesDialog } from '../work/dialogs/SavesDialog';
import { WaterDialog } from '../work/dialogs/WaterDialog';
import { WholeRollsDialog } from '../work/dialogs/WholeRollsDialog';
import { otherSheet } from './commands';
import { KeysDialog } from './KeysDialog';
import { Palette } from './Palette';
import { rooms } from './rooms';
import css from './Header.module.css';

const open = (dialog: OpenDialog | null) => useTerrain.setState({ dialog });
const close = () => open(null);

/** What opens over the page from its header, by name. */
const DIALOGS: Record<OpenDialog, ComponentType<{ onClose: () => void }>> = {
  ground: GroundDialog,
  rock: RockDialog,
  water: WaterDialog,
  rolls: WholeRollsDialog,
  marks: MarksDialog,
  saves: SavesDialog,
  palette: Palette,
  keys: KeysDialog,
};

export function Header() {
  const course = useTerrain((s) => s.course);
  const room = useTerrain((s) => s.room);
  const dialog = useTerrain((s) => s.dialog);
  const Dialog = dialog && DIALOGS[dialog];
  return (
    <header className={css.header}>
      <a className={css.brand} href="/" title="All terrains" aria-label="Upland Cast: all terrains">
        <Logo />
        <span>Upland Cast</span>
      </a>
      <span className={css.slash} aria-hidden="true">
        /
      </span>
      {course && (
        <>
          <h1 className="only-read">
            {course.name}: {rooms.find(({ id }) => id === room)?.title}
          </h1>
          <TerrainName course={course} />
          <OfTerrain course={course} />
          <nav className={css.rooms} aria-label="Rooms">
            {rooms.map(({ id, title }) => (
              <a key={id} href={`#${id}`} aria-current={room === id ? 'page' : undefined}>
                {title}
              </a>
            ))}
          </nav>
          <ToolBar label="Tools" className={css.right}>
            <Tools />
            <SavedState />
          </ToolBar>
        </>
      )}
      {Dialog && <Dialog onClose={close} />}
    </header>
  );
}

function TerrainName({ course }: { course: Course }) {
  const readOnly = useTerrain((s) => s.readOnly);
  const [name, setName] = useState<string | null>(null);
  const take = () => {
    if (name?.trim()) change('Rename', (c) => void (c.name = name.trim().slice(0, 120)));
    setName(null);
  };
  return (
    <input
      className={css.name}
      aria-label="Name of the terrain"
      value={name ?? course.name}
      size={Math.max(6, (name ?? course.name).length)}
      disabled={readOnly}
      onChange={(event) => setName(event.target.value)}
      onBlur={take}
      onKeyDown={(event) => {
        if (event.key === 'Enter') event.currentTarget.blur();
        if (event.key === 'Escape') setName(null);
      }}
    />
  );
}

/** What holds for the whole terrain: its ground, rock, water, seeds. */
function OfTerrain({ course }: { course: Course }) {
  return (
    <>
      <button type="button" className={`${css.chip} number`} title="The ground: size, samples, sea" onClick={() => open('ground')}>
        <span className={css.size}>{sizeText(course.ground)} · </span>
        {samplesText(course.ground)}
      </button>
      <Button square aria-label="Rock" title={course.rock ? 'Rock: beds, folds, faults, joints' : 'Rock: alike everywhere'} onClick={() => open('rock')}>
        <Layers size={14} />
      </Button>
      <Button square aria-label="Lakes and streams" title="Lakes and streams: what counts as one" onClick={() => open('water')}>
        <Waves size={14} />
      </Button>
      <Button square aria-label="Another one like this" title="Another one like this: every seed drawn anew, rolls kept" onClick={() => open('rolls')}>
        <Dices size={14} />
      </Button>
    </>
  );
}

function Tools() {
  const readOnly = useTerrain((s) => s.readOnly);
  const past = useTerrain((s) => s.past);
  const future = useTerrain((s) => s.future);
  const sheet = useTerrain((s) => s.sheet);
  const paletteKey = useKeys((s) => s.own.palette) ?? KEYS.palette.usual;
  return (
    <>
      <Button square aria-label="Find a command" title={`Find a command, a step, a receiver, a terrain (${paletteKey})`} onClick={() => open('palette')}>
        <Search size={14} />
      </Button>
      <Button square aria-label="Import heights" title="Import heights: a file, or several as one ground" disabled={readOnly} onClick={bringIn}>
        <Mountain size={14} />
      </Button>
      <InTime label="Undo" change={past.at(-1)?.label} disabled={readOnly} onClick={undo}>
        <Undo2 size={14} />
      </InTime>
      <InTime label="Redo" change={future.at(-1)?.label} disabled={readOnly} onClick={redo}>
        <Redo2 size={14} />
      </InTime>
      <Button square title="Marks: states that you keep" aria-label="Marks" onClick={() => open('marks')}>
        <Bookmark size={14} />
      </Button>
      <Button
        square
        title={sheet === 'dark' ? 'The light sheet' : 'The dark sheet'}
        aria-label="Dark sheet"
        aria-pressed={sheet === 'dark'}
        onClick={otherSheet}
      >
        {sheet === 'dark' ? <Sun size={14} /> : <Moon size={14} />}
      </Button>
      <a className={css.help} href="/help" title="Every step, method and format" aria-label="Help" target="_blank" rel="noreferrer">
        <CircleHelp size={16} />
      </a>
    </>
  );
}

interface InTimeProps {
  label: 'Undo' | 'Redo';
  /** What would be undone or done again. */
  change: string | undefined;
  disabled: boolean;
  onClick: () => void;
  children: ReactNode;
}

function InTime({ label, change: what, disabled, onClick, children }: InTimeProps) {
  const title = what === undefined ? `Nothing to ${label.toLowerCase()}` : `${label}: ${what}`;
  return (
    <Button square disabled={what === undefined || disabled} title={title} aria-label={label} onClick={onClick}>
      {children}
    </Button>
  );
}

/** Whether the terrain is saved; opens what was saved before. */
function SavedState() {
  const { savedAt, saveFault, unsaved, stroking, readOnly, gone } = useTerrain(
    useShallow(({ savedAt, saveFault, unsaved, stroking, readOnly, gone }) => ({ savedAt, saveFault, unsaved, stroking, readOnly, gone })),
  );
  const words = readOnly ? 'Read only' : gone ? 'Removed' : saveFault ? 'Not saved' : savedAt ? `Saved ${clock(savedAt)}` : 'Saving …';
  return (
    <Button look="quiet" className={saveFault ? css.fault : ''} title="Past saves, project file" aria-busy={unsaved || stroking} onClick={() => open('saves')}>
      {words}
    </Button>
  );
}

const sizeText = ({ width, depth }: Ground) => `${figure(width, 0)} m × ${figure(depth, 0)} m`;

function samplesText(ground: Ground): string {
  const { x, y } = spacingOf(ground);
  const size = ground.across === ground.down ? `${figure(ground.across, 0)}²` : `${figure(ground.across, 0)} × ${figure(ground.down, 0)}`;
  const spacing = Math.abs(x - y) < 1e-9 ? `${Number(x.toPrecision(4))} m` : `${Number(x.toPrecision(4))} × ${Number(y.toPrecision(4))} m`;
  return `${size} · ${spacing}`;
}
