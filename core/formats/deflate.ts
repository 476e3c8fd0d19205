import { grouped } from '../grouped';
import { throwIfStopped, UplandError } from '../errors';
import { concat } from '../concat';
import { adler32 } from '../kernels/checksums';
import { PART, packedHere, partsOf, ZLIB_HEAD, type DeflateJob } from '../kernels/deflate-parts';
import type { Kernels } from '../kernels/pool';
import { deflateProgram } from '../kernels/programs/deflate';

/**
 * zlib-compressed bytes. One encoder for every runtime, since encoders differ in their output;
 * the same input gives the same bytes everywhere.
 */
export const compress = (bytes: Uint8Array): Uint8Array<ArrayBuffer> => zlibOf(bytes, packedHere(bytes, partsOf(bytes.length)));

const zlibOf = (bytes: Uint8Array, parts: readonly Uint8Array[]) => concat([ZLIB_HEAD, ...parts, sumBytes(adler32(bytes))]);

const sumBytes = (sum: number) => Uint8Array.of(sum >>> 24, sum >>> 16, sum >>> 8, sum);

/** What jobs come to, over all threads, where there are some and there is enough to do. */
const packed = async (kernels: Kernels | undefined, bytes: Uint8Array, jobs: readonly DeflateJob[]): Promise<Uint8Array<ArrayBuffer>[]> =>
  kernels && kernels.threads > 1 && bytes.length > PART / 2 && jobs.length > 1
    ? kernels.run(deflateProgram, { length: bytes.length, jobs }, bytes)
    : packedHere(bytes, jobs);

/** The bytes of {@link compress} for each of several pieces, over all threads. */
export async function compressEach(kernels: Kernels | undefined, pieces: readonly Uint8Array[]): Promise<Uint8Array<ArrayBuffer>[]> {
  const jobs: DeflateJob[][] = [];
  let at = 0;
  for (const { length } of pieces) {
    jobs.push(partsOf(length, at));
    at += length;
  }
  const parts = await packed(kernels, concat(pieces), jobs.flat());
  let next = 0;
  return pieces.map((piece, k) => zlibOf(piece, parts.slice(next, (next += jobs[k].length))));
}

/** The same stream for bytes that come piece by piece, as many as were said; what is ready is handed on. */
export class Compressing {
  private sum = 1;
  private readonly jobs: DeflateJob[];
  /** Bytes that wait, with those before them that their matches may reach into, and where the first of them lies in the whole. */
  private waiting = new Uint8Array(0);
  private start = 0;

  constructor(
    length: number,
    private readonly kernels?: Kernels,
  ) {
    this.jobs = partsOf(length);
  }

  /** The next bytes, also while the last are packed; returns the parts of the stream that they complete, and how many bytes all parts hold so far. */
  async add(bytes: Uint8Array): Promise<{ parts: Uint8Array<ArrayBuffer>[]; held: number }> {
    this.sum = adler32(bytes, this.sum);
    const all = concat([this.waiting, bytes]);
    const end = this.start + all.length;
    const ready: DeflateJob[] = [];
    for (let job = this.jobs[0]; job && job.from + job.length <= end; job = this.jobs[0]) ready.push(this.jobs.shift()!);
    const { start, sum } = this;
    const [next] = this.jobs;
    const keep = next ? next.from - next.known : end;
    this.waiting = all.slice(keep - start);
    this.start = keep;
    // From here on more may come.
    const packedParts = await packed(
      this.kernels,
      all,
      ready.map((job) => ({ ...job, from: job.from - start })),
    );
    const parts = packedParts.map((part, k) => concat([...(ready[k].from === 0 ? [ZLIB_HEAD] : []), part, ...(ready[k].last ? [sumBytes(sum)] : [])]));
    return { parts, held: next ? next.from : end };
  }
}

/**
 * Exactly `expected` bytes out of a zlib stream. Reads no further than it must, so that a small
 * file cannot unpack to something huge; what follows the wanted bytes is left alone.
 */
export async function decompress(format: string, bytes: Uint8Array<ArrayBuffer>, expected: number): Promise<Uint8Array<ArrayBuffer>> {
  let out = new Uint8Array(Math.min(expected, Math.max(65_536, bytes.length * 4)));
  let have = 0;
  const stream = new DecompressionStream('deflate');
  const writer = stream.writable.getWriter();
  // Faults surface through the reader; without a handler here they would be reported twice.
  writer.write(bytes).then(
    () => writer.close().catch(() => undefined),
    () => undefined,
  );
  const reader = stream.readable.getReader();
  let fault = false;
  try {
    while (have < expected) {
      const { value, done } = await reader.read();
      if (done) break;
      const part = (value as Uint8Array).subarray(0, expected - have);
      if (have + part.length > out.length) {
        const grown = new Uint8Array(Math.min(expected, Math.max(out.length * 2, have + part.length)));
        grown.set(out.subarray(0, have));
        out = grown;
      }
      out.set(part, have);
      have += part.length;
    }
  } catch {
    fault = true;
  }
  reader.cancel().catch(() => undefined);
  if (have < expected) {
    throw new UplandError(
      fault ? 'damaged' : 'cut-short',
      fault
        ? `The packed samples of this ${format} are damaged: ${grouped(have)} of ${grouped(expected)} bytes could be unpacked.`
        : `This ${format} is cut short: its packed samples hold ${grouped(have)} of the ${grouped(expected)} bytes they should.`,
      { have, expected },
    );
  }
  return out.length === expected ? out : out.slice(0, expected);
}

/** Refuses what cannot be in so few packed bytes: deflate makes at most 1 032 bytes out of one. */
export function checkInflated(format: string, packed: number, expected: number): void {
  if (expected > 1032 * packed + 64) {
    throw new UplandError('cut-short', `This ${format} is cut short: ${packed} packed bytes cannot hold the ${expected} that its size needs.`, {
      packed,
      expected,
    });
  }
}

/**
 * Unpacks a zlib stream piece by piece, as it is asked for: neither the packed parts nor what
 * they hold lie in memory a second time, and no more is unpacked than is taken.
 */
export class Inflating {
  private readonly reader: ReadableStreamDefaultReader<Uint8Array>;
  private part = new Uint8Array(0);
  private at = 0;
  private have = 0;
  /** What is wrong with what the parts come from. */
  private fault: UplandError | undefined;

  constructor(
    private readonly format: string,
    parts: Iterable<Uint8Array<ArrayBuffer>> | AsyncIterable<Uint8Array<ArrayBuffer>>,
    /** What it holds in all, for the words of a fault. */
    private readonly expected: number,
    private readonly signal?: AbortSignal,
  ) {
    const stream = new DecompressionStream('deflate');
    const writer = stream.writable.getWriter();
    const feed = async () => {
      for await (const part of parts) {
        // In slices, so that a stream that is given up takes no more work along.
        for (let from = 0; from < part.length; from += 1 << 20) await writer.write(part.subarray(from, from + (1 << 20)));
      }
      await writer.close();
    };
    // Faults surface through the reader: of the stream by itself, of what the parts come from by this.
    feed().catch((error: unknown) => {
      if (error instanceof UplandError) this.fault = error;
      writer.abort(error).catch(() => undefined);
    });
    this.reader = stream.readable.getReader() as ReadableStreamDefaultReader<Uint8Array>;
  }

  /** Fills `into` with the next bytes. */
  async fill(into: Uint8Array, signal = this.signal): Promise<void> {
    for (let to = 0; to < into.length;) {
      if (this.at === this.part.length) {
        throwIfStopped(signal);
        await this.next();
      }
      const take = Math.min(into.length - to, this.part.length - this.at);
      into.set(this.part.subarray(this.at, this.at + take), to);
      to += take;
      this.at += take;
      this.have += take;
    }
  }

  /** Once all that is wanted was taken: throws where what the parts come from turns out to be damaged at their end. */
  async end(): Promise<void> {
    try {
      // What follows the wanted bytes is left alone.
      for (let more = 0; more < 1 << 20;) {
        const { value, done } = await this.reader.read();
        if (done) break;
        more += value.length;
      }
    } catch {
      // A stream may end as it likes.
    }
    this.close();
    if (this.fault) throw this.fault;
  }

  /** Lets the stream go; what is left of it is not unpacked. */
  close(): void {
    this.reader.cancel().catch(() => undefined);
  }

  private async next(): Promise<void> {
    const { format, have, expected } = this;
    let answer: ReadableStreamReadResult<Uint8Array>;
    try {
      answer = await this.reader.read();
    } catch {
      if (this.fault) throw this.fault;
      throw new UplandError('damaged', `The packed samples of this ${format} are damaged: ${grouped(have)} of ${grouped(expected)} bytes could be unpacked.`, {
        have,
        expected,
      });
    }
    if (answer.done) {
      throw new UplandError(
        'cut-short',
        `This ${format} is cut short: its packed samples hold ${grouped(have)} of the ${grouped(expected)} bytes they should.`,
        {
          have,
          expected,
        },
      );
    }
    this.part = answer.value as Uint8Array<ArrayBuffer>;
    this.at = 0;
  }
}
