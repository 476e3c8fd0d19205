import { throwIfStopped, UplandError } from '../../errors';
import type { Ground } from '../../field/ground';
import { formatById } from '../../formats';
import { BYTES, type Placed, type RowWriting } from '../../formats/format';
import type { ByteSource } from '../../formats/source';
import type { Kernels } from '../../kernels/pool';
import { boundsIn, SCANNED } from '../../kernels/scan';
import { quantise, type Encoding } from './encode';
import { Proving, type Proof } from './proof';

/** A file that is written piece by piece, and read again. */
export interface RowFile extends ByteSource {
  /** Makes it so many bytes long. */
  lengthen(length: number): void;
  write(at: number, bytes: Uint8Array): void;
}

/** Counts and hashes what was read back, beside what goes on; what it is given is its own. It answers once it can take more. */
export interface Tally {
  /** Samples of 32 bits. */
  count(samples: Float32Array<ArrayBuffer> | Uint32Array<ArrayBuffer> | Int32Array<ArrayBuffer>): Promise<void>;
  /** The file's bytes, in their order. */
  hash(bytes: Uint8Array<ArrayBuffer>): Promise<void>;
  /** How many different values there were, and the SHA-256 in hexadecimal digits. */
  end(): Promise<{ distinct: number; sha256: string }>;
}

/** Whole ground whose heights are made row by row, from north to south. */
export interface MadeRows {
  ground: Ground;
  /** The heights of the rows `from` … `to` − 1. */
  rows(from: number, to: number, signal?: AbortSignal): Promise<Float32Array<ArrayBuffer>>;
}

export interface RowDelivery {
  ground: Ground;
  proof: Proof;
  /** Metres, absolute. */
  lowest: number;
  highest: number;
}

/** Samples that are made, written and proved at a time. */
const BAND = 2 ** 21;

/** How a file of whole ground is written by rows; null where it has to be made whole. With `kernels` it is packed on all threads. */
export function writingOf(ground: Ground, encoding: Encoding, kernels?: Kernels): RowWriting | null {
  const format = formatById(encoding.format);
  // Doubles can only be counted whole.
  if (!format.writeRows || !format.writes.includes(encoding.type) || encoding.type === 'f64') return null;
  // The head of a file of one row says what that of all rows does.
  const { page } = quantise({ ground: { ...ground, down: 1 }, height: new Float32Array(ground.across) }, encoding);
  const writing = format.writeRows({ ...page, height: ground.down, ground }, kernels);
  return writing && writing.tall * ground.across <= 8 * BAND ? writing : null;
}

/**
 * Writes ground row by row, reads every row back from the file as soon as it lies there, and holds it against what was made:
 * what `deliver` does with all of it in memory, with the same bytes and the same proof. While some rows
 * are written and proved the next are made. A proof that fails throws; the file is the caller's to take away.
 */
export async function deliverInRows(
  made: MadeRows,
  name: string,
  encoding: Encoding,
  writing: RowWriting,
  file: RowFile,
  tally: Tally,
  { signal, progress }: { signal?: AbortSignal; progress?: (share: number) => void } = {},
): Promise<RowDelivery> {
  const { ground } = made;
  const { across, down } = ground;
  const proving = new Proving(encoding, ground, false);
  const found = { lowest: Infinity, highest: -Infinity };
  const step = writing.tall * Math.max(1, Math.floor(BAND / (across * writing.tall)));

  file.lengthen(writing.length ?? writing.head.length);
  file.write(0, writing.head);
  const growing = new Growing(file);
  const open = () => {
    const back = formatById(encoding.format).open?.(growing);
    if (!back) throw new UplandError('proof-failed', `${name} was not handed on: it cannot be read back by rows.`);
    return back;
  };
  let back = open();
  const fits = proving.head(back);
  let hashed = 0;
  const hashTo = async (end: number) => {
    for (; hashed < end; hashed = Math.min(end, hashed + HASHED)) await tally.hash(file.bytes(hashed, Math.min(end, hashed + HASHED)));
  };

  const make = (from: number, to: number) => {
    const rows = made.rows(from, to, signal);
    // Should this end before they are asked for.
    rows.catch(() => undefined);
    return rows;
  };
  /** Rows that are written and cannot be read back yet. */
  const waiting: Given[] = [];
  const place = async ({ placing, ...band }: Given) => {
    const { parts, length, rows } = await placing;
    if (writing.length === undefined) file.lengthen(length);
    for (const { at, bytes } of parts) file.write(at, bytes);
    growing.tell();
    if (writing.headChanges) back = open();
    waiting.push({ placing, ...band });
    for (let next = waiting[0]; next && next.to <= rows; next = waiting[0]) {
      waiting.shift();
      const { samples } = await back.rows(next.from, next.to, signal);
      proving.rows(samples, next.height);
      // Smaller ones were counted on the way, and doubles do not come here.
      if (BYTES[encoding.type] === 4) await tally.count(samples as Float32Array<ArrayBuffer>);
    }
    const last = parts.at(-1);
    if (last && !writing.headChanges) await hashTo(band.to === down ? length : last.at + last.bytes.length);
    progress?.(band.to / down);
  };
  try {
    let next = make(0, Math.min(down, step));
    let before: Given | undefined;
    for (let from = 0; from < down && fits; from += step) {
      const to = Math.min(down, from + step);
      const height = await next;
      throwIfStopped(signal);
      if (to < down) next = make(to, Math.min(down, to + step));
      widen(found, height, ground.datum);
      const { page } = quantise({ ground: { ...ground, down: to - from }, height }, encoding);
      const given: Given = { from, to, height, placing: Promise.resolve(writing.put(page.samples, from)) };
      given.placing.catch(() => undefined);
      // While these are packed, those before them are written and proved.
      if (before) await place(before);
      before = given;
    }
    if (before) await place(before);
    await hashTo(file.length);
  } finally {
    growing.end();
  }
  const { distinct, sha256 } = await tally.end();
  const proof = proving.end(file.length, sha256, () => distinct);
  if (!proof.ok) throw new UplandError('proof-failed', `${name} was not handed on: its proof failed. ${proof.faults.join(' ')}`, { proof });
  return { ground, proof, ...found };
}

/** Rows on their way into the file. */
interface Given {
  from: number;
  to: number;
  height: Float32Array<ArrayBuffer>;
  placing: Promise<Placed>;
}

/** Bytes that are read to be hashed at a time. */
const HASHED = 2 ** 23;

/** A file that is read while it is written. */
class Growing implements ByteSource {
  private readonly waiting: ((more: boolean) => void)[] = [];
  private ended = false;

  constructor(private readonly file: RowFile) {}

  get length(): number {
    return this.file.length;
  }

  bytes(from: number, to: number): Uint8Array<ArrayBuffer> {
    return this.file.bytes(from, to);
  }

  fill(from: number, target: Uint8Array): void {
    this.file.fill(from, target);
  }

  more(): Promise<boolean> {
    return this.ended ? Promise.resolve(false) : new Promise((resolve) => this.waiting.push(resolve));
  }

  /** There is more of it. */
  tell(): void {
    for (const resolve of this.waiting.splice(0)) resolve(true);
  }

  /** Nothing more will come. */
  end(): void {
    this.ended = true;
    for (const resolve of this.waiting.splice(0)) resolve(false);
  }
}

function widen(found: { lowest: number; highest: number }, height: Float32Array, datum: number): void {
  for (let from = 0; from < height.length; from += SCANNED) {
    const { lowest, highest } = boundsIn(height, from, Math.min(height.length, from + SCANNED));
    found.lowest = Math.min(found.lowest, lowest + datum);
    found.highest = Math.max(found.highest, highest + datum);
  }
}
