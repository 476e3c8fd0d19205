import { useEffect, useRef, useState } from 'react';
import { UplandError } from '@upland-cast/core';
import { redo, undo } from '../../store/history';
import { isPressed, isTyping } from '../../store/keys';
import { fillWindow } from '../../store/layout';
import { openTerrain } from '../../store/opening';
import { isSaving, saveShortly } from '../../store/persistence';
import { say, useTerrain } from '../../store/state';
import { BRING_IN, broughtBy, isProject, partMeshes, toMeshRoom, type Brought } from '../import/files';
import { roomOfHash } from './rooms';

type Heard = WindowEventMap & { [BRING_IN]: Event };

/** Listens at the window for as long as the page is there. */
function useHeard(listeners: { [K in keyof Heard]?: (event: Heard[K]) => void }): void {
  const now = useRef<Partial<Record<string, (event: never) => void>>>({});
  now.current = listeners;
  useEffect(() => {
    const heard = (event: Event) => now.current[event.type]?.(event as never);
    const names = Object.keys(now.current);
    for (const name of names) window.addEventListener(name, heard);
    return () => names.forEach((name) => window.removeEventListener(name, heard));
  }, []);
}

/** The terrain and the room that the address names. */
export function useAddress(): void {
  useEffect(() => {
    const read = () => useTerrain.setState({ room: roomOfHash(location.hash) });
    read();
    window.addEventListener('hashchange', read);
    const id = new URLSearchParams(location.search).get('id');
    if (id) void openTerrain(id);
    else useTerrain.setState({ missing: 'No terrain was named in the address.' });
    return () => window.removeEventListener('hashchange', read);
  }, []);
}

/** Shortcuts that hold on the whole page. */
export function useKeysOfPage(): void {
  useHeard({
    keydown: (event) => {
      if (isPressed(event, 'palette')) useTerrain.setState(({ dialog }) => ({ dialog: dialog === 'palette' ? null : 'palette' }));
      else if (isTyping(event)) return;
      else if (isPressed(event, 'undo')) undo();
      else if (isPressed(event, 'redo') || isPressed(event, 'redoToo')) redo();
      else if (isPressed(event, 'fillWindow') && useTerrain.getState().room === 'work') fillWindow();
      else return;
      event.preventDefault();
    },
  });
}

/** What is not saved yet is saved before the page is left, or the person is asked. */
export function useLeaving(): void {
  useHeard({
    beforeunload: (event) => {
      const { saveFault, gone, stroking } = useTerrain.getState();
      const saving = isSaving();
      if (saving) void saveShortly();
      if (saving || stroking || saveFault || gone) event.preventDefault();
    },
    // Questions that the engine had not answered when it ended: it has said so itself.
    unhandledrejection: (event) => {
      if (event.reason instanceof UplandError && event.reason.code === 'engine-ended') event.preventDefault();
    },
  });
  useEffect(() => {
    const onHide = () => document.visibilityState === 'hidden' && isSaving() && void saveShortly();
    document.addEventListener('visibilitychange', onHide);
    return () => document.removeEventListener('visibilitychange', onHide);
  }, []);
}

/** Files that are dropped on the page, pasted or chosen: meshes go to their room, heights wait to be looked at. */
export function useBrought(): { brought: Brought[] | null; leave: () => void } {
  const [brought, setBrought] = useState<Brought[] | null>(null);
  const take = (files: Brought[]) => {
    const others = files.filter((f) => !isProject(f.name));
    if (files.length > others.length) say('A project file is imported on the page of terrains.');
    void partMeshes(others).then(({ meshes, heights }) => {
      if (meshes.length) toMeshRoom(meshes);
      if (heights.length && !useTerrain.getState().readOnly) setBrought(heights);
    });
  };
  const takeFrom = (event: Event, files: DataTransfer | null) => {
    if (!files?.files.length) return;
    event.preventDefault();
    void broughtBy(files).then(take);
  };
  useHeard({
    dragover: (event) => {
      if (event.dataTransfer?.types.includes('Files')) event.preventDefault();
    },
    drop: (event) => takeFrom(event, event.dataTransfer),
    paste: (event) => takeFrom(event, event.clipboardData),
    [BRING_IN]: (event) => take((event as CustomEvent<Brought[]>).detail),
  });
  return { brought, leave: () => setBrought(null) };
}
