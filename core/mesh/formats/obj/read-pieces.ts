import type { ByteSource } from '../../../formats/source';
import { plainText } from '../../../formats/text';
import type { Kernels } from '../../../kernels/pool';
import { readLinesProgram } from '../../../kernels/programs/mesh-lines';
import type { Mesh } from '../../mesh';
import { ObjReading } from './read';

/** Bytes that are read at a time, and the least that is worth a run of the kernels. */
const PIECE = 8 << 20;
const LEAST = 1 << 16;

/** An OBJ as `read` reads it, piece by piece on the kernels' threads. */
export async function readPieces(source: ByteSource, kernels: Kernels): Promise<Mesh> {
  const reading = new ObjReading();
  let made: Promise<(() => void) | undefined> | undefined;
  for (let at = 0; at < source.length;) {
    const piece = pieceAt(source, at);
    at += piece.length;
    // Marks of byte order stand at the beginning alone, and make another text of all of it.
    const plain = at === piece.length ? plainText(piece) : piece;
    const next = plain.length < LEAST ? undefined : kernels.run(readLinesProgram, { length: plain.length }, plain);
    next?.catch(() => undefined);
    (await made)?.();
    made = Promise.resolve(next).then((lines) => () => {
      if (lines) for (const stretch of lines) reading.take(stretch);
      else reading.read(plain);
    });
    made.catch(() => undefined);
  }
  (await made)?.();
  return reading.done();
}

/** From a place on, as far as a line ends that does not go on in the next one. */
function pieceAt(source: ByteSource, from: number): Uint8Array<ArrayBuffer> {
  for (let size = PIECE; ; size *= 2) {
    const bytes = source.bytes(from, Math.min(source.length, from + size));
    if (from + bytes.length >= source.length || isWide(bytes, from)) return from === 0 && isWide(bytes, 0) ? source.bytes(0, source.length) : bytes;
    for (let end = bytes.lastIndexOf(10); end >= 0; end = end === 0 ? -1 : bytes.lastIndexOf(10, end - 1)) {
      if (!goesOn(bytes, end)) return bytes.subarray(0, end + 1);
    }
  }
}

/** Two bytes a character: such text is read whole. */
const isWide = (bytes: Uint8Array, from: number): boolean =>
  from === 0 && ((bytes[0] === 0xff && bytes[1] === 0xfe) || (bytes[0] === 0xfe && bytes[1] === 0xff));

/** Whether the line that ends at a place has a stroke before its end. */
function goesOn(bytes: Uint8Array, end: number): boolean {
  let last = end - 1;
  while (bytes[last] === 32 || bytes[last] === 9 || bytes[last] === 13) last--;
  return bytes[last] === 92;
}
