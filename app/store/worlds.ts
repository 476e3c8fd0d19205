import { create } from 'zustand';
import { assetsOf, writeProject, type Course, type WorldOrder } from '@upland-cast/core';
import { requestToBytes } from '../run/frames';
import { loadAsset } from '../storage/assets';
import type { WorldStatus, WorldsThere } from '../worlds/status';

interface Worlds {
  /** What lies on the server; null until it has answered. */
  there: WorldsThere | null;
  /** Why the server did not answer. */
  fault: string | null;
  /** Whether the Export room shows worlds. */
  shown: boolean;
  /** The one that is looked at; null: a new one is laid out. */
  chosen: string | null;
}

/** The worlds on the server, as far as this page knows. */
export const useWorlds = create<Worlds>(() => ({ there: null, fault: null, shown: false, chosen: null }));

/** What the server answers, or its sentence as an error. */
async function asked<T>(path: string, init?: RequestInit): Promise<T> {
  const answer = await fetch(path, init).catch(() => {
    throw new Error('The server does not answer. Is it still running?');
  });
  const said = (await answer.json().catch(() => null)) as (T & { sentence?: string }) | null;
  if (!answer.ok || !said) throw new Error(said?.sentence ?? `The server answered with ${answer.status}.`);
  return said;
}

/** Asks the server how its worlds stand. */
export async function lookForWorlds(): Promise<void> {
  try {
    useWorlds.setState({ there: await asked<WorldsThere>('/api/worlds'), fault: null });
  } catch (error) {
    useWorlds.setState({ fault: (error as Error).message });
  }
}

/** How often it is asked, milliseconds: while a world is being worked out, and otherwise. */
const [BUSY, QUIET] = [1_000, 6_000];

/** Keeps asking how worlds stand; returns what ends that. */
export function watchWorlds(): () => void {
  let ended = false;
  let timer: ReturnType<typeof setTimeout> | undefined;
  const round = async () => {
    if (document.visibilityState === 'visible') await lookForWorlds();
    const busy = useWorlds.getState().there?.worlds.some(({ state }) => state === 'running');
    if (!ended) timer = setTimeout(() => void round(), busy ? BUSY : QUIET);
  };
  void round();
  return () => {
    ended = true;
    clearTimeout(timer);
  };
}

const whereOf = (byQueue: boolean) => (byQueue ? '?where=queue' : '');

/** Sends a terrain to the server, to be worked out as a world there; the world is looked at from then on. */
export async function beginWorldThere(course: Course, order: WorldOrder, byQueue: boolean): Promise<void> {
  const assets = new Map<string, Uint8Array<ArrayBuffer>>();
  for (const sha of assetsOf(course)) assets.set(sha, await loadAsset(sha));
  const body = requestToBytes(JSON.stringify(order), writeProject({ course, assets }));
  const { id } = await asked<{ id: string }>(`/api/worlds${whereOf(byQueue)}`, {
    method: 'POST',
    body,
    headers: { 'Content-Type': 'application/octet-stream' },
  });
  await lookForWorlds();
  useWorlds.setState({ chosen: id });
}

/** Stops a world, goes on with it, or takes it away. */
export async function actOnWorld({ id }: Pick<WorldStatus, 'id'>, act: 'stop' | 'resume' | 'remove', byQueue = false): Promise<void> {
  await asked(`/api/worlds/${encodeURIComponent(id)}/${act}${whereOf(byQueue)}`, {
    method: 'POST',
    body: '{}',
    headers: { 'Content-Type': 'application/json' },
  });
  if (act === 'remove') useWorlds.setState({ chosen: null });
  await lookForWorlds();
}

/** Heights of a world, metres, every `stride`-th sample from (left, top); NaN where there is none yet. */
export async function heightsOfWorld(
  { id }: Pick<WorldStatus, 'id'>,
  { left, top, across, down, stride }: { left: number; top: number; across: number; down: number; stride: number },
  signal: AbortSignal,
): Promise<Float32Array<ArrayBuffer>> {
  const answer = await fetch(`/api/worlds/${encodeURIComponent(id)}/heights?left=${left}&top=${top}&across=${across}&down=${down}&stride=${stride}`, {
    signal,
  });
  if (!answer.ok)
    throw new Error(((await answer.json().catch(() => null)) as { sentence?: string } | null)?.sentence ?? 'This part of the world could not be read.');
  return new Float32Array(await answer.arrayBuffer());
}
