import { throwIfStopped, UplandError } from '../../errors';
import type { Ground } from '../../field/ground';
import { formatById } from '../../formats';
import { BYTES, type Placed, type RowReading, type RowWriting } from '../../formats/format';
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
  const found = { lowest: Infinity, highest: -Infinity };
  const step = writing.tall * Math.max(1, Math.floor(BAND / (across * writing.tall)));
  const placing = new Placing(name, encoding, ground, writing, file, tally, signal);
  const make = (from: number, to: number) => {
    const rows = made.rows(from, to, signal);
    // Should this end before they are asked for.
    rows.catch(() => undefined);
    return rows;
  };
  const place = async (band: Given) => {
    await placing.place(band);
    progress?.(band.to / down);
  };
  try {
    let next = make(0, Math.min(down, step));
    let before: Given | undefined;
    for (let from = 0; from < down && placing.fits; from += step) {
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
    await placing.hashTo(file.length);
  } finally {
    placing.end();
  }
  return { ground, proof: await placing.proof(), ...found };
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

/** A file that bands of rows are written into, and proved as soon as they can be read back. */
class Placing {
  /** Whether what its head says, read back, is what was meant. */
  readonly fits: boolean;
  private readonly proving: Proving;
  private readonly growing: Growing;
  private back: RowReading;
  private hashed = 0;
  /** Rows that are written and cannot be read back yet. */
  private readonly waiting: Given[] = [];

  constructor(
    private readonly name: string,
    private readonly encoding: Encoding,
    private readonly ground: Ground,
    private readonly writing: RowWriting,
    private readonly file: RowFile,
    private readonly tally: Tally,
    private readonly signal: AbortSignal | undefined,
  ) {
    file.lengthen(writing.length ?? writing.head.length);
    file.write(0, writing.head);
    this.growing = new Growing(file);
    this.proving = new Proving(encoding, ground, false);
    this.back = this.open();
    this.fits = this.proving.head(this.back);
  }

  private open(): RowReading {
    const back = formatById(this.encoding.format).open?.(this.growing);
    if (!back) throw new UplandError('proof-failed', `${this.name} was not handed on: it cannot be read back by rows.`);
    return back;
  }

  /** Writes a band once it is packed, and holds all rows that can be read back against what was made. */
  async place(band: Given): Promise<void> {
    const { writing, file, growing, waiting, tally } = this;
    const { parts, length, rows } = await band.placing;
    if (writing.length === undefined) file.lengthen(length);
    for (const { at, bytes } of parts) file.write(at, bytes);
    growing.tell();
    if (writing.headChanges) this.back = this.open();
    waiting.push(band);
    for (let next = waiting[0]; next && next.to <= rows; next = waiting[0]) {
      waiting.shift();
      const { samples } = await this.back.rows(next.from, next.to, this.signal);
      this.proving.rows(samples, next.height);
      // Smaller ones were counted on the way, and doubles do not come here.
      if (BYTES[this.encoding.type] === 4) await tally.count(samples as Float32Array<ArrayBuffer>);
    }
    const last = parts.at(-1);
    if (last && !writing.headChanges) await this.hashTo(band.to === this.ground.down ? length : last.at + last.bytes.length);
  }

  /** Hands the file's bytes to the hash as far as `end`. */
  async hashTo(end: number): Promise<void> {
    for (; this.hashed < end; this.hashed = Math.min(end, this.hashed + HASHED)) {
      await this.tally.hash(this.file.bytes(this.hashed, Math.min(end, this.hashed + HASHED)));
    }
  }

  /** Nothing more is written. */
  end(): void {
    this.growing.end();
  }

  /** What was found of the whole file; throws where it is not what was made. */
  async proof(): Promise<Proof> {
    const { distinct, sha256 } = await this.tally.end();
    const proof = this.proving.end(this.file.length, sha256, () => distinct);
    if (!proof.ok) throw new UplandError('proof-failed', `${this.name} was not handed on: its proof failed. ${proof.faults.join(' ')}`, { proof });
    return proof;
  }
}

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
