import type { Field } from '../field/field';
import type { Kernels } from '../kernels/pool';
import { deliver, type Delivery } from './heights/deliver';
import type { Encoding } from './heights/encode';
import { writeMap, type DrawnMap, type MapFile, type NamedMap } from './maps/draw';

/** Writes files and proofs them; elsewhere it may be on another thread, while the next map is drawn. */
export interface Writer {
  heights(field: Field, name: string, encoding: Encoding): Promise<Delivery>;
  /** What was drawn is given away. */
  map(spec: NamedMap, drawn: DrawnMap, stem: string): Promise<MapFile[]>;
}

export const localWriter: Writer = { heights: (field, name, encoding) => deliver(field, name, encoding), map: writeMap };

/** Writes here, pictures packed over all threads: for what is written when nothing else is left to be worked out. */
export const pooledWriter = (kernels: Kernels): Writer => ({ ...localWriter, map: (spec, drawn, stem) => writeMap(spec, drawn, stem, kernels) });

/** One piece of writing, as it goes to another thread. */
export type WriteTask = { kind: 'heights'; of: Parameters<Writer['heights']> } | { kind: 'map'; of: Parameters<Writer['map']> };

export type Written = Delivery | MapFile[];

const write = (task: WriteTask): Promise<Written> => (task.kind === 'map' ? localWriter.map(...task.of) : localWriter.heights(...task.of));

let last: Promise<unknown> = Promise.resolve();

/** Does a piece of writing, on the other thread; one at a time, so that no two are in memory. */
export function performWriteTask(task: WriteTask): Promise<Written> {
  const own = last.then(() => write(task));
  last = own.catch(() => undefined);
  return own;
}

/** Buffers that may go over with a piece of writing: those of what was drawn. */
export function buffersOf(task: WriteTask): ArrayBuffer[] {
  if (task.kind === 'heights') return [];
  const [, drawn] = task.of;
  return 'field' in drawn ? [drawn.field.height.buffer] : drawn.images.map(({ image }) => image.samples.buffer as ArrayBuffer);
}

/** Buffers that may come back. */
export const buffersOfWritten = (written: Written): ArrayBuffer[] => (Array.isArray(written) ? written : [written]).map(({ bytes }) => bytes.buffer);

/** A writer on another thread: `send` does one piece of writing there. */
export const remoteWriter = (send: (task: WriteTask, transfer: ArrayBuffer[]) => Promise<Written>): Writer => {
  const ask = (task: WriteTask) => send(task, buffersOf(task));
  return {
    heights: (...of) => ask({ kind: 'heights', of }) as Promise<Delivery>,
    map: (...of) => ask({ kind: 'map', of }) as Promise<MapFile[]>,
  };
};
