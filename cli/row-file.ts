import { closeSync, fstatSync, openSync, statSync } from 'node:fs';
import {
  deliverInRows,
  NotByRows,
  openHeights,
  writingOf,
  type ByteSource,
  type Encoding,
  type HeightRows,
  type Kernels,
  type MadeRows,
  type Meaning,
  type RowDelivery,
} from '@upland-cast/core';
import { bytesAt, fillFrom, PartFile } from './part-file';
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
  if (!writing || !PartFile.isFor(out)) return undefined;
  const file = new PartFile(out);
  const tally = tallyOn(new URL('./tally-worker.mjs', import.meta.url));
  try {
    const delivery = await deliverInRows(made, out, encoding, writing, file, tally);
    file.keep();
    return delivery;
  } catch (error) {
    throw PartFile.fault(error, out);
  } finally {
    file.drop();
    tally.close();
  }
}
