import { closeSync, existsSync, fstatSync, ftruncateSync, openSync, readSync, realpathSync, renameSync, rmSync, statSync, writeSync } from 'node:fs';
import {
  deliverInRows,
  NotByRows,
  openHeights,
  UplandError,
  writingOf,
  type ByteSource,
  type Encoding,
  type HeightRows,
  type Kernels,
  type MadeRows,
  type Meaning,
  type RowDelivery,
} from '@upland-cast/core';
import { tallyOn } from './tally';

/** A file's bytes, read where they lie. */
function sourceOf(descriptor: number): ByteSource {
  const { size } = fstatSync(descriptor);
  return {
    length: size,
    bytes: (from, to) => bytesAt(descriptor, from, Math.min(size, to)),
    fill: (from, target) => fillFrom(descriptor, from, target),
  };
}

function bytesAt(descriptor: number, from: number, to: number): Uint8Array<ArrayBuffer> {
  const bytes = new Uint8Array(Math.max(0, to - from));
  return bytes.subarray(0, fillFrom(descriptor, from, bytes));
}

/** How many bytes there were. */
function fillFrom(descriptor: number, from: number, target: Uint8Array): number {
  let have = 0;
  while (have < target.length) {
    const read = readSync(descriptor, target, have, target.length - have, from + have);
    if (read === 0) break;
    have += read;
  }
  return have;
}

/**
 * Works on a file by rows, and not on all of it in memory; undefined where it has to be read whole: one that is not laid out by
 * rows, one with holes, no file at all. Faults of the file come as errors.
 */
export async function byRows<T>(path: string, meaning: Meaning, work: (heights: HeightRows) => Promise<T | undefined>): Promise<T | undefined> {
  let descriptor: number;
  try {
    if (!statSync(path).isFile()) return undefined;
    descriptor = openSync(path, 'r');
  } catch {
    // What is wrong has its sentence where files are read whole.
    return undefined;
  }
  try {
    const heights = await openHeights(sourceOf(descriptor), meaning);
    return heights ? await work(heights) : undefined;
  } catch (error) {
    if (error instanceof NotByRows) return undefined;
    throw error;
  } finally {
    closeSync(descriptor);
  }
}

/**
 * Writes heights row by row and proves them; undefined where the encoding has to be made whole. The file lies under another name
 * until its proof holds, so that nothing half is ever found under its own.
 */
export async function writeByRows(made: MadeRows, out: string, encoding: Encoding, kernels: Kernels): Promise<RowDelivery | undefined> {
  const writing = writingOf(made.ground, encoding, kernels);
  if (!writing || !isPlain(out)) return undefined;
  // What a link leads to is written, and not the link.
  const place = existsSync(out) ? realpathSync(out) : out;
  const begun = `${place}.${process.pid}.part`;
  const takeAway = () => rmSync(begun, { force: true });
  const stop = () => {
    takeAway();
    process.exit(130);
  };
  // Heard before there is anything to take away.
  process.once('SIGINT', stop);
  process.once('SIGTERM', stop);
  let descriptor: number;
  try {
    descriptor = openSync(begun, 'w+');
  } catch (error) {
    process.off('SIGINT', stop);
    process.off('SIGTERM', stop);
    throw new UplandError('file', `${out} cannot be written: ${(error as Error).message}.`);
  }
  const tally = tallyOn(new URL('./tally-worker.mjs', import.meta.url));
  let open = true;
  const close = () => {
    if (open) closeSync(descriptor);
    open = false;
  };
  try {
    const file = {
      length: 0,
      bytes: (from: number, to: number) => bytesAt(descriptor, from, to),
      fill: (from: number, target: Uint8Array) => fillFrom(descriptor, from, target),
      lengthen(length: number) {
        ftruncateSync(descriptor, length);
        this.length = length;
      },
      write(at: number, bytes: Uint8Array) {
        for (let done = 0; done < bytes.length;) done += writeSync(descriptor, bytes, done, bytes.length - done, at + done);
      },
    };
    const delivery = await deliverInRows(made, out, encoding, writing, file, tally);
    close();
    renameSync(begun, place);
    return delivery;
  } catch (error) {
    close();
    takeAway();
    if (error instanceof Error && 'syscall' in error) throw new UplandError('file', `${out} cannot be written: ${error.message}.`);
    throw error;
  } finally {
    tally.close();
    process.off('SIGINT', stop);
    process.off('SIGTERM', stop);
  }
}

/** Whether there is nothing by that name yet, or a file like any other: a device or a pipe is written as it comes. */
function isPlain(path: string): boolean {
  const found = statSync(path, { throwIfNoEntry: false });
  return found === undefined || found.isFile();
}
