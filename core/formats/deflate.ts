import { grouped } from '../grouped';
import { throwIfStopped, UplandError } from '../errors';
import { PART, packed } from '../kernels/deflate-parts';
import type { Kernels } from '../kernels/pool';
import { deflateProgram } from '../kernels/programs/deflate';

/**
 * zlib-compressed bytes. One encoder for every runtime, since encoders differ in their output;
 * the same input gives the same bytes everywhere.
 */
export const compress = (bytes: Uint8Array): Uint8Array<ArrayBuffer> => packed(bytes);

/** The same bytes over all threads, where there are some and there is enough to do. */
export const compressOn = async (kernels: Kernels | undefined, bytes: Uint8Array): Promise<Uint8Array<ArrayBuffer>> =>
  kernels && kernels.threads > 1 && bytes.length > PART ? kernels.run(deflateProgram, { length: bytes.length }, bytes) : compress(bytes);

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

  constructor(
    private readonly format: string,
    parts: readonly Uint8Array<ArrayBuffer>[],
    /** What it holds in all, for the words of a fault. */
    private readonly expected: number,
    private readonly signal?: AbortSignal,
  ) {
    const stream = new DecompressionStream('deflate');
    const writer = stream.writable.getWriter();
    const feed = async () => {
      for (const part of parts) {
        // In slices, so that a stream that is given up takes no more work along.
        for (let from = 0; from < part.length; from += 1 << 20) await writer.write(part.subarray(from, from + (1 << 20)));
      }
      await writer.close();
    };
    // Faults surface through the reader; without a handler here they would be reported twice.
    feed().catch(() => undefined);
    this.reader = stream.readable.getReader() as ReadableStreamDefaultReader<Uint8Array>;
  }

  /** Fills `into` with the next bytes. */
  async fill(into: Uint8Array): Promise<void> {
    for (let to = 0; to < into.length;) {
      if (this.at === this.part.length) {
        throwIfStopped(this.signal);
        await this.next();
      }
      const take = Math.min(into.length - to, this.part.length - this.at);
      into.set(this.part.subarray(this.at, this.at + take), to);
      to += take;
      this.at += take;
      this.have += take;
    }
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
