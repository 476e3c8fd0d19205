import { isAsInMemory } from '../format';
import { grouped } from '../../grouped';
import { UplandError } from '../../errors';

/** PackBits (TIFF 6.0, section 9): `expected` bytes. */
export function unpackBits(bytes: Uint8Array, expected: number): Uint8Array<ArrayBuffer> {
  const out = new Uint8Array(expected);
  let to = 0;
  for (let at = 0; at < bytes.length && to < expected;) {
    const n = (bytes[at++] << 24) >> 24;
    if (n >= 0) {
      const part = bytes.subarray(at, Math.min(at + n + 1, at + expected - to));
      out.set(part, to);
      to += part.length;
      at += n + 1;
    } else if (n !== -128) {
      out.fill(bytes[at++] ?? 0, to, Math.min(expected, to + 1 - n));
      to = Math.min(expected, to + 1 - n);
    }
  }
  if (to < expected) throw cut(to, expected);
  return out;
}

/** LZW as TIFF packs it: most significant bit first, codes widened one early (TIFF 6.0, section 13). */
export function unpackLzw(bytes: Uint8Array, expected: number): Uint8Array<ArrayBuffer> {
  const CLEAR = 256;
  const END = 257;
  const out = new Uint8Array(expected);
  // What a code stands for: the string of another and one byte more; the first 256 are that byte alone.
  const prefix = new Uint16Array(4097);
  const last = Uint8Array.from({ length: 4097 }, (_, i) => (i < 256 ? i : 0));
  const length = new Uint16Array(4097).fill(1, 0, 256);
  let next = 258;
  let width = 9;
  let previous = -1;
  let to = 0;
  let bits = 0;
  let held = 0;
  for (let at = 0; to < expected;) {
    while (held < width) {
      if (at >= bytes.length) throw cut(to, expected);
      bits = ((bits << 8) | bytes[at++]) & 0xffffff;
      held += 8;
    }
    const code = (bits >> (held - width)) & ((1 << width) - 1);
    held -= width;
    if (code === END) break;
    if (code === CLEAR) {
      next = 258;
      width = 9;
      previous = -1;
      continue;
    }
    if (code > next || (code === next && previous < 0) || (previous < 0 && code > 255)) {
      throw new UplandError('damaged', `This TIFF is damaged: its LZW codes go wrong after ${grouped(to)} bytes.`);
    }
    // A code that is just being made is the previous string and its own first byte.
    const string = code === next ? previous : code;
    const size = length[string];
    let c = string;
    for (let i = size - 1; i >= 0; i--) {
      if (to + i < expected) out[to + i] = last[c];
      if (i > 0) c = prefix[c];
    }
    const first = last[c];
    to += size;
    if (code === next) {
      if (to < expected) out[to] = first;
      to++;
    }
    if (previous >= 0 && next < 4097) {
      prefix[next] = previous;
      last[next] = first;
      length[next] = length[previous] + 1;
      next++;
      if (next + 1 >= 1 << width && width < 12) width++;
    }
    previous = code;
  }
  if (to < expected) throw cut(to, expected);
  return out;
}

/**
 * Undoes a predictor in place. 2: differences along the row of whole samples. 3: differences of
 * bytes, most significant plane first (TIFF Technical Note 3). Bytes come out in `little` order.
 */
export function undoPredictor(predictor: number, block: Uint8Array, width: number, rows: number, channels: number, size: number, little: boolean): void {
  const count = width * channels;
  const rowBytes = count * size;
  if (predictor === 2) {
    const samples = wholesOf(block, size, little);
    for (let row = 0; row < rows; row++) {
      if (samples) addAlong(samples, row * count, count, channels);
      else addBytewise(block, row * rowBytes, count, channels, size, little);
    }
  } else if (predictor === 3) {
    const planes = new Uint8Array(rowBytes);
    for (let row = 0; row < rows; row++) {
      const own = block.subarray(row * rowBytes, (row + 1) * rowBytes);
      addAlong(own, 0, rowBytes, channels);
      planes.set(own);
      for (let b = 0; b < size; b++) spreadPlane(planes, b * count, own, little ? size - 1 - b : b, size, count);
    }
  }
}

/** Applies a predictor in place to little-endian samples; `channels` of a sample side by side: each is told from its own neighbour; predictor 3 takes one. */
export function applyPredictor(predictor: number, block: Uint8Array, width: number, rows: number, size: number, channels = 1): void {
  const count = width * channels;
  const rowBytes = count * size;
  if (predictor === 2) {
    const samples = wholesOf(block, size, true);
    for (let row = 0; row < rows; row++) {
      if (samples) takeAlong(samples, row * count, count, channels);
      else takeBytewise(block, row * rowBytes, count, channels, size);
    }
  } else if (predictor === 3) {
    const samples = new Uint8Array(rowBytes);
    for (let row = 0; row < rows; row++) {
      const own = block.subarray(row * rowBytes, (row + 1) * rowBytes);
      samples.set(own);
      for (let b = 0; b < size; b++) gatherPlane(samples, size - 1 - b, size, own, b * width, width);
      takeAlong(own, 0, rowBytes, 1);
    }
  }
}

type Wholes = Uint8Array | Uint16Array | Uint32Array;

/** The whole samples of a block, where they can be taken as they lie in memory. */
function wholesOf({ buffer, byteOffset, byteLength }: Uint8Array, size: number, little: boolean): Wholes | null {
  if (!isAsInMemory(size === 1 ? 'u8' : 'u16', little) || byteOffset % size || size > 4) return null;
  return size === 1
    ? new Uint8Array(buffer, byteOffset, byteLength)
    : size === 2
      ? new Uint16Array(buffer, byteOffset, byteLength >> 1)
      : new Uint32Array(buffer, byteOffset, byteLength >> 2);
}

// Each of these is called row after row, and compiled for what it sees.

function addAlong(values: Wholes, from: number, count: number, back: number): void {
  for (let i = from + back; i < from + count; i++) values[i] += values[i - back];
}

function takeAlong(values: Wholes, from: number, count: number, back: number): void {
  for (let i = from + count - 1; i >= from + back; i--) values[i] -= values[i - back];
}

function spreadPlane(planes: Uint8Array, from: number, out: Uint8Array, to: number, step: number, count: number): void {
  for (let i = 0, at = to; i < count; i++, at += step) out[at] = planes[from + i];
}

function gatherPlane(samples: Uint8Array, from: number, step: number, out: Uint8Array, to: number, count: number): void {
  for (let i = 0, at = from; i < count; i++, at += step) out[to + i] = samples[at];
}

function addBytewise(block: Uint8Array, start: number, count: number, channels: number, size: number, little: boolean): void {
  const view = new DataView(block.buffer, block.byteOffset, block.byteLength);
  for (let i = channels; i < count; i++) {
    const at = start + i * size;
    const back = at - channels * size;
    if (size === 2) view.setUint16(at, view.getUint16(at, little) + view.getUint16(back, little), little);
    else if (size === 4) view.setUint32(at, view.getUint32(at, little) + view.getUint32(back, little), little);
    else view.setBigUint64(at, view.getBigUint64(at, little) + view.getBigUint64(back, little), little);
  }
}

function takeBytewise(block: Uint8Array, start: number, count: number, channels: number, size: number): void {
  const view = new DataView(block.buffer, block.byteOffset, block.byteLength);
  for (let i = count - 1; i >= channels; i--) {
    const at = start + i * size;
    const back = at - channels * size;
    if (size === 2) view.setUint16(at, view.getUint16(at, true) - view.getUint16(back, true), true);
    else view.setUint32(at, view.getUint32(at, true) - view.getUint32(back, true), true);
  }
}

function cut(have: number, expected: number): UplandError {
  return new UplandError('cut-short', `This TIFF is cut short: a strip unpacks to ${grouped(have)} of ${grouped(expected)} bytes.`, { have, expected });
}
