import { closeSync, existsSync, ftruncateSync, openSync, readSync, realpathSync, renameSync, rmSync, statSync, writeSync } from 'node:fs';
import { UplandError, type ByteSource } from '@upland-cast/core';

/**
 * A file that is written and read while it is made. It lies under another name until it is kept, so that nothing half is ever
 * found under its own; where the work ends before, also by a signal, it is taken away.
 */
export class PartFile implements ByteSource {
  length = 0;
  private readonly place: string;
  private readonly begun: string;
  private readonly descriptor: number;
  private open = true;

  /** @throws `file` where it cannot be written. */
  constructor(path: string) {
    // What a link leads to is written, and not the link.
    this.place = existsSync(path) ? realpathSync(path) : path;
    this.begun = `${this.place}.${process.pid}.part`;
    // Heard before there is anything to take away.
    process.once('SIGINT', this.stop);
    process.once('SIGTERM', this.stop);
    try {
      this.descriptor = openSync(this.begun, 'w+');
    } catch (error) {
      this.unhear();
      throw new UplandError('file', `${path} cannot be written: ${(error as Error).message}.`);
    }
  }

  /** Whether there is nothing by that name yet, or a file like any other: a device or a pipe is written as it comes. */
  static isFor(path: string): boolean {
    const found = statSync(path, { throwIfNoEntry: false });
    return found === undefined || found.isFile();
  }

  bytes(from: number, to: number): Uint8Array<ArrayBuffer> {
    return bytesAt(this.descriptor, from, Math.min(this.length, to));
  }

  fill(from: number, target: Uint8Array): void {
    fillFrom(this.descriptor, from, target);
  }

  lengthen(length: number): void {
    ftruncateSync(this.descriptor, length);
    this.length = length;
  }

  write(at: number, bytes: Uint8Array): void {
    for (let done = 0; done < bytes.length;) done += writeSync(this.descriptor, bytes, done, bytes.length - done, at + done);
  }

  append(bytes: Uint8Array): void {
    this.write(this.length, bytes);
    this.length += bytes.length;
  }

  /** Gives the file its name. */
  keep(): void {
    this.unhear();
    this.close();
    renameSync(this.begun, this.place);
  }

  /** Takes it away unless it was kept. */
  drop(): void {
    this.unhear();
    if (!this.open) return;
    this.close();
    rmSync(this.begun, { force: true });
  }

  /** What went wrong, in a sentence with the file's name where it was the file. */
  static fault(error: unknown, path: string): unknown {
    return error instanceof Error && 'syscall' in error ? new UplandError('file', `${path} cannot be written: ${error.message}.`) : error;
  }

  private readonly stop = () => {
    rmSync(this.begun, { force: true });
    process.exit(130);
  };

  private unhear(): void {
    process.off('SIGINT', this.stop);
    process.off('SIGTERM', this.stop);
  }

  private close(): void {
    if (this.open) closeSync(this.descriptor);
    this.open = false;
  }
}

export function bytesAt(descriptor: number, from: number, to: number): Uint8Array<ArrayBuffer> {
  const bytes = new Uint8Array(Math.max(0, to - from));
  return bytes.subarray(0, fillFrom(descriptor, from, bytes));
}

/** How many bytes there were. */
export function fillFrom(descriptor: number, from: number, target: Uint8Array): number {
  let have = 0;
  while (have < target.length) {
    const read = readSync(descriptor, target, have, target.length - have, from + have);
    if (read === 0) break;
    have += read;
  }
  return have;
}
