import { deflate } from 'pako';
import { UplandError } from '../errors';

/**
 * zlib-compressed bytes. One encoder for every runtime, since encoders differ in their output;
 * the same input gives the same bytes everywhere.
 */
export function compress(bytes: Uint8Array, level: 1 | 6 | 9 = 6): Uint8Array<ArrayBuffer> {
  return deflate(bytes, { level }) as Uint8Array<ArrayBuffer>;
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
        ? `The packed samples of this ${format} are damaged: ${have} of ${expected} bytes could be unpacked.`
        : `This ${format} is cut short: its packed samples hold ${have} of the ${expected} bytes they should.`,
      { have, expected },
    );
  }
  return out.length === expected ? out : out.slice(0, expected);
}
