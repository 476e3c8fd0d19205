import { useEffect, useRef, useState, type ReactNode } from 'react';
import { worldTiles, type Course } from '@upland-cast/core';
import { Segments, Switch } from '../../components/controls';
import { figure } from '../../components/format';
import { useTerrain } from '../../store/state';
import { useWorlds, watchWorlds } from '../../store/worlds';
import type { WorldStatus } from '../../worlds/status';
import { reliefPixels } from '../../drawing/relief';
import { thinned } from '../shell/LastGround';
import { NewWorld } from './NewWorld';
import { formFor, orderOf, type WorldForm } from './world-form';
import { WorldMap, type Part } from './WorldMap';
import { WorldProgress } from './WorldProgress';
import { WorldRelief } from './WorldRelief';
import css from './WorldRoom.module.css';

/** Pixels along the width of the ground that tiles are laid over. */
const SIDE = 560;

const STATES = { running: 'being worked out', stopped: 'stopped', failed: 'could not go on', finished: 'finished' };

/** Ground of any size in tiles: a new one laid out, or one on the server, as it fills in and when it is finished. */
export function WorldRoom({ head }: { head: ReactNode }) {
  const course = useTerrain((s) => s.course)!;
  const { there, fault, chosen } = useWorlds();
  const [form, setForm] = useState<WorldForm>(() => formFor(course));
  const set = (part: Partial<WorldForm>) => setForm((old) => ({ ...old, ...part }));
  useEffect(watchWorlds, []);
  const status = there?.worlds.find(({ id }) => id === chosen) ?? null;
  const choose = (id: string | null) => useWorlds.setState({ chosen: id });
  return (
    <main className={css.room}>
      <aside className={css.list} aria-label="Worlds">
        {head}
        <h2>World</h2>
        <ul>
          <li>
            <button type="button" aria-pressed={status === null} onClick={() => choose(null)}>
              <b>A new world</b>
              <span>This terrain at any count of samples, up to 131 073 a side, in tiles without seams.</span>
            </button>
          </li>
          {there?.worlds.map((world) => (
            <li key={world.id}>
              <button type="button" aria-pressed={world.id === status?.id} onClick={() => choose(world.id)}>
                <b>{world.name}</b>
                <span>
                  {figure(world.across, 0)} × {figure(world.down, 0)}, {STATES[world.state]}
                  {world.state === 'finished' ? '' : `: ${world.done.replaceAll('0', '').length} of ${world.done.length} tiles`}
                </span>
              </button>
            </li>
          ))}
        </ul>
        {fault && (
          <p className={css.fault} role="alert">
            {fault}
          </p>
        )}
      </aside>
      <section className={css.middle} aria-label={status ? `The world of ${status.name}` : 'Tiles of the new world'}>
        {status ? <Seen key={status.id} status={status} /> : <Laid course={course} form={form} />}
      </section>
      <aside className={css.side} aria-label={status ? 'How it stands' : 'What it is to be'}>
        {status ? <WorldProgress status={status} /> : <NewWorld course={course} form={form} set={set} />}
      </aside>
    </main>
  );
}

/** A world on the server: its map, or a part of it in relief. */
function Seen({ status }: { status: WorldStatus }) {
  const [as, setAs] = useState<'map' | 'relief'>('map');
  const [borders, setBorders] = useState(false);
  const [part, setPart] = useState<Part>({ left: 0, top: 0, across: status.across, down: status.down });
  const nothing = status.range === null;
  return (
    <>
      {as === 'map' ? <WorldMap status={status} borders={borders} onSeen={setPart} /> : <WorldRelief status={status} part={part} onPart={setPart} />}
      <div className={css.bar}>
        <Segments label="Seen as" value={as} choices={{ map: 'Map', relief: 'Relief' }} onChange={setAs} />
        {as === 'map' && (
          <label className={css.inBar}>
            Borders <Switch label="Borders of tiles" on={borders} onChange={setBorders} />
          </label>
        )}
      </div>
      {nothing && <p className={css.waiting}>{status.state === 'running' ? 'The whole ground is worked out first …' : 'Nothing of it is there yet.'}</p>}
    </>
  );
}

/** The tiles of a world that is laid out, over the ground as it was last seen. */
function Laid({ course, form }: { course: Course; form: WorldForm }) {
  const found = orderOf(course, form);
  const picture = useTerrain((s) => s.picture);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [width, height] = [SIDE, Math.max(1, Math.round((SIDE * course.ground.depth) / course.ground.width))];
  useEffect(() => {
    if (picture) canvas.current?.getContext('2d')?.putImageData(new ImageData(reliefPixels(thinned(picture), width, height, true), width, height), 0, 0);
  }, [picture, width, height, found.fault]);
  if (found.fault !== undefined) return null;
  const { across, down } = found.cost;
  const ground = { ...course.ground, across, down };
  const tiles = worldTiles(ground, form.tile);
  return (
    <div className={css.laid}>
      <canvas ref={canvas} width={width} height={height} aria-hidden="true" />
      <svg viewBox={`0 0 ${across} ${down}`} preserveAspectRatio="none" aria-hidden="true" style={{ aspectRatio: `${width} / ${height}` }}>
        {tiles.length <= 4096 &&
          tiles.map(({ row, column, window }) => (
            <rect key={`${row} ${column}`} x={window.left} y={window.top} width={window.across} height={window.down} vectorEffect="non-scaling-stroke" />
          ))}
      </svg>
      <p className={`${css.caption} number`}>
        {figure(tiles.length, 0)} tiles of {figure(form.tile, 0)} × {figure(form.tile, 0)} samples
      </p>
    </div>
  );
}
