/** The lock by which one tab writes a terrain. */
export const terrainLock = (id: string): string => `upland-cast:${id}`;

/** The terrains that some tab has open to write. */
export async function openTerrains(): Promise<Set<string>> {
  const { held = [] } = (await navigator.locks?.query?.()) ?? {};
  return new Set(held.flatMap(({ name }) => (name?.startsWith(terrainLock('')) ? [name.slice(terrainLock('').length)] : [])));
}

const channel = typeof BroadcastChannel === 'undefined' ? undefined : new BroadcastChannel('upland-cast:terrains');

/** Tells other tabs that a terrain was removed. */
export const tellRemoved = (id: string): void => channel?.postMessage({ removed: id });

/** Hears of terrains that other tabs remove. */
export function onRemoved(listener: (id: string) => void): () => void {
  const hear = (event: MessageEvent<{ removed?: string }>) => event.data.removed && listener(event.data.removed);
  channel?.addEventListener('message', hear);
  return () => channel?.removeEventListener('message', hear);
}
