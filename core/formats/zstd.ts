import { grouped } from '../grouped';
import { Decompress } from 'fzstd';
import { UplandError } from '../errors';

/** Bytes that are handed to the library at a time. */
const STEP = 4096;

class Enough extends Error {}

/**
 * Exactly `expected` bytes out of a Zstandard frame (RFC 8878); reads no further than it must,
 * so that a small frame cannot unpack to something huge.
 */
export function unpackZstd(format: string, bytes: Uint8Array<ArrayBuffer>, expected: number): Uint8Array<ArrayBuffer> {
  const out = new Uint8Array(expected);
  let have = 0;
  const damaged = () =>
    new UplandError('damaged', `The packed samples of this ${format} are damaged: ${grouped(have)} of ${grouped(expected)} bytes could be unpacked.`, {
      have,
      expected,
    });
  const frame = withinWindow(bytes, expected);
  if (!frame) throw damaged();
  const stream = new Decompress((part) => {
    out.set(part.subarray(0, expected - have), have);
    have += Math.min(part.length, expected - have);
    if (have === expected) throw new Enough();
  });
  try {
    // In small pieces: what follows the wanted bytes is not unpacked.
    for (let at = 0; at < frame.length; at += STEP) stream.push(frame.subarray(at, at + STEP), at + STEP >= frame.length);
  } catch (error) {
    if (!(error instanceof Enough)) throw damaged();
  }
  if (have < expected) throw damaged();
  return out;
}

/**
 * The frame with no larger window than it needs: nothing in it can point further back than what
 * it holds, and the library makes room for all of a window that is asked for (RFC 8878, 3.1.1.1).
 * Null where it is no frame, or says it holds far more than is wanted.
 */
function withinWindow(b: Uint8Array<ArrayBuffer>, expected: number): Uint8Array<ArrayBuffer> | null {
  if (b.length < 6 || b[0] !== 0x28 || b[1] !== 0xb5 || b[2] !== 0x2f || b[3] !== 0xfd) return null;
  const flags = b[4];
  if ((flags & 0x20) === 0) {
    let exponent = 18;
    while (2 ** exponent < expected) exponent++;
    if (b[5] >> 3 <= exponent - 10) return b;
    const own = b.slice();
    own[5] = (exponent - 10) << 3;
    return own;
  }
  // A single segment: the window is the content's size.
  const at = 5 + [0, 1, 2, 4][flags & 3];
  const size = [1, 2, 4, 8][flags >> 6];
  let value = 0;
  for (let i = size - 1; i >= 0; i--) value = value * 256 + (b[at + i] ?? 0);
  if (size === 2) value += 256;
  return value <= expected + 65_536 ? b : null;
}
