import { useCallback, useEffect, useRef, useState } from 'react';
import { makeCourse, makeGround, stepUse, type Course, type Ground } from '@upland-cast/core';
import type { Work } from '../../components/Working';
import { figure } from '../../components/format';
import { engine, hearing } from '../../engine/client';
import type { Extent, PressRequest, PressResult } from '../../engine/api';
import { addTerrain } from '../../storage/terrains';
import { select } from '../../store/course';
import { keepMark } from '../../store/keeping';
import { change } from '../../store/history';
import { say } from '../../store/state';
import { BRING_IN, type Brought } from '../import/files';
import type { Made, Shown } from './shown';

/** How a mesh is pressed to heights. */
export interface PressSettings {
  up: 'found' | 'y' | 'z';
  scaling: 'own' | 'width' | 'ground';
  /** Metres. */
  width: number;
  /** Metres a unit of the mesh. */
  factor: number;
  /** Across; 0: as many as its triangles support. */
  samples: number;
  smooth: boolean;
  fill: PressRequest['fill'];
  /** Heights are taken at the terrain's own samples, and held against its ground. */
  against: boolean;
  registration: Ground['registration'];
  /** Null: the whole mesh. */
  extent: Extent | null;
}

export const pressSettings = (width: number): PressSettings => ({
  up: 'found',
  scaling: 'own',
  width,
  factor: 1,
  samples: 0,
  smooth: false,
  fill: 'none',
  against: false,
  registration: 'point',
  extent: null,
});

function scaleOf({ scaling, width, factor }: PressSettings): PressRequest['scale'] {
  if (scaling === 'width') return { by: 'width', width };
  return scaling === 'ground' ? { by: 'ground' } : { by: 'factor', factor };
}

/** `aspect`: depth over width of what was pressed last. */
const requestOf = (files: Made['files'], settings: PressSettings, aspect: number): PressRequest => ({
  files,
  up: settings.up === 'found' ? undefined : settings.up,
  scale: scaleOf(settings),
  smooth: settings.smooth,
  fill: settings.fill,
  extent: settings.extent ?? undefined,
  againstGround: settings.against,
  registration: settings.registration,
  ...(settings.samples ? { across: settings.samples, down: Math.max(2, Math.round((settings.samples - 1) * aspect) + 1) } : {}),
});

interface Heard {
  onShown: (shown: Shown | null) => void;
  onCaption: (caption: string) => void;
  /** The files hold heights and no mesh: they go through the sheet that every file of heights goes through. */
  onHeights: () => void;
}

/** Presses a mesh anew whenever it or a setting changes. */
export function usePressing(course: Course, source: Made | null, settings: PressSettings, { onShown, onCaption, onHeights }: Heard) {
  const [result, setResult] = useState<PressResult | null>(null);
  const [fault, setFault] = useState<string | null>(null);
  const [work, setWork] = useState<Work | null>(null);
  const asked = useRef(0);
  const aspect = result ? result.size.depth / result.size.width : 1;

  const press = useCallback(async () => {
    if (!source) return;
    setWork({ words: 'Reading the mesh', share: 0 });
    setFault(null);
    const mine = ++asked.current;
    const answer = await hearing(
      (words: string, share: number) => mine === asked.current && setWork({ words, share }),
      (tell) => engine().press(course, requestOf(source.files, settings, aspect), tell),
    );
    // A later question has taken its place.
    if (mine !== asked.current) return;
    setWork(null);
    if (!answer.ok && answer.stopped) return;
    if (!answer.ok && answer.code === 'is-a-heightmap') {
      onHeights();
      const detail: Brought[] = source.files.map(({ name, bytes }) => ({ name, file: new Blob([bytes]) }));
      window.dispatchEvent(new CustomEvent(BRING_IN, { detail }));
      return;
    }
    if (!answer.ok) {
      setResult(null);
      setFault(`${source.name}: ${answer.sentence}`);
      onShown(null);
      onCaption('');
      return;
    }
    setResult(answer.value);
    onShown({ picture: answer.value.mesh });
    onCaption(`${source.name}: ${figure(answer.value.triangles, 0)} triangles`);
  }, [course, source, settings, aspect, onShown, onCaption, onHeights]);

  useEffect(() => void press(), [press]);
  useEffect(() => {
    if (source) return;
    onShown(null);
    onCaption('No mesh yet');
  }, [source, onShown, onCaption]);

  const forget = useCallback(() => setResult(null), []);
  return { result, fault, work, press, forget };
}

/** What was pressed is laid over the terrain as its last step. */
export async function layOverTerrain(course: Course, { ground, asset }: PressResult, name: string): Promise<void> {
  await keepMark(`Before laying ${name}`, true);
  const { width, depth } = ground;
  // Smaller than the ground, it is set into the middle of it; as large, it takes its place.
  const part = width < 0.98 * course.ground.width || depth < 0.98 * course.ground.depth;
  const place = part ? { width, depth, beyond: 'ground', fade: Math.min(width, depth) / 12, sits: true } : {};
  const use = stepUse('raster', { asset, ...place }, { name: name.slice(0, 80) });
  change('Lay a pressed mesh', (c) => {
    c.assets[asset] = { name, bytes: 0 };
    c.stem.push(use);
  });
  select(use.id);
  location.hash = 'work';
}

/** What was pressed becomes a terrain of its own, and is opened. */
export async function openAsTerrain({ ground, asset, statistics }: PressResult, name: string): Promise<void> {
  const own = makeCourse(name.replace(/\.[^.]+$/, ''), makeGround({ ...ground, sea: Math.floor(statistics.lowest) }), [stepUse('raster', { asset })]);
  own.assets[asset] = { name, bytes: 0 };
  try {
    location.href = `/terrain?id=${await addTerrain(own)}`;
  } catch (error) {
    say(`The terrain could not be kept: ${String(error)}`);
  }
}
