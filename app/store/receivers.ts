import { create } from 'zustand';
import { readReceiver, receivers as shipped, type Receiver } from '@upland-cast/core';
import { db } from '../storage/db';

/** Receivers that ship, and those that were made or brought in here. */
export const useReceivers = create<{ own: Receiver[]; loaded: boolean }>(() => ({ own: [], loaded: false }));

export async function loadReceivers(): Promise<void> {
  if (useReceivers.getState().loaded) return;
  const row = await db.settings.get('receivers').catch(() => undefined);
  const own: Receiver[] = [];
  for (const each of Array.isArray(row?.value) ? row.value : []) {
    try {
      own.push(readReceiver(JSON.stringify(each)));
    } catch {
      // One that an older version wrote and that cannot be read any more.
    }
  }
  useReceivers.setState({ own, loaded: true });
}

async function keep(own: Receiver[]): Promise<void> {
  useReceivers.setState({ own });
  await db.settings.put({ key: 'receivers', value: own });
}

const isShipped = (id: string) => shipped.some((r) => r.id === id);

/** A name that no receiver has yet. */
function freshId(id: string): string {
  const taken = new Set([...shipped, ...useReceivers.getState().own].map((r) => r.id));
  const base = id.replace(/-\d+$/, '').slice(0, 50);
  for (let n = 2; ; n++) if (!taken.has(`${base}-${n}`)) return `${base}-${n}`;
}

/** Keeps a receiver: its own where it was made here, a copy where it ships. */
export async function keepReceiver(receiver: Receiver): Promise<Receiver> {
  const { own } = useReceivers.getState();
  const checked = readReceiver(JSON.stringify(receiver));
  const kept = isShipped(checked.id) ? { ...checked, id: freshId(checked.id) } : checked;
  await keep(own.some((r) => r.id === kept.id) ? own.map((r) => (r.id === kept.id ? kept : r)) : [...own, kept]);
  return kept;
}

export async function copyReceiver(receiver: Receiver): Promise<Receiver> {
  return keepReceiver({ ...receiver, id: freshId(receiver.id), title: `${receiver.title}, copy`.slice(0, 80) });
}

/** Brings a receiver in out of JSON; one of a name that is taken becomes a copy. */
export async function bringReceiver(text: string): Promise<Receiver> {
  const receiver = readReceiver(text);
  const taken = isShipped(receiver.id) || useReceivers.getState().own.some((r) => r.id === receiver.id);
  return keepReceiver(taken ? { ...receiver, id: freshId(receiver.id) } : receiver);
}

export const removeReceiver = (id: string): Promise<void> => keep(useReceivers.getState().own.filter((r) => r.id !== id));
