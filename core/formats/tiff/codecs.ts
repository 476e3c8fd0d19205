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
  const prefix = new Uint16Array(4097);
  const last = new Uint8Array(4097);
  const length = new Uint16Array(4097);
  for (let i = 0; i < 256; i++) {
    last[i] = i;
    length[i] = 1;
  }
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
  const rowBytes = width * channels * size;
  const view = new DataView(block.buffer, block.byteOffset, block.byteLength);
  for (let row = 0; row < rows; row++) {
    const start = row * rowBytes;
    if (predictor === 2) {
      for (let i = channels; i < width * channels; i++) {
        const at = start + i * size;
        const back = at - channels * size;
        if (size === 1) block[at] += block[back];
        else if (size === 2) view.setUint16(at, view.getUint16(at, little) + view.getUint16(back, little), little);
        else if (size === 4) view.setUint32(at, view.getUint32(at, little) + view.getUint32(back, little), little);
        else view.setBigUint64(at, view.getBigUint64(at, little) + view.getBigUint64(back, little), little);
      }
    } else if (predictor === 3) {
      for (let i = channels; i < rowBytes; i++) block[start + i] += block[start + i - channels];
      const planes = block.slice(start, start + rowBytes);
      const count = width * channels;
      for (let i = 0; i < count; i++) {
        for (let b = 0; b < size; b++) block[start + i * size + (little ? size - 1 - b : b)] = planes[b * count + i];
      }
    }
  }
}

/** Applies a predictor in place to little-endian samples; `channels` of a sample side by side: each is told from its own neighbour; predictor 3 takes one. */
export function applyPredictor(predictor: number, block: Uint8Array, width: number, rows: number, size: number, channels = 1): void {
  const rowBytes = width * channels * size;
  const back = channels * size;
  const view = new DataView(block.buffer, block.byteOffset, block.byteLength);
  for (let row = 0; row < rows; row++) {
    const start = row * rowBytes;
    if (predictor === 2) {
      for (let at = start + rowBytes - size; at >= start + back; at -= size) {
        if (size === 1) block[at] -= block[at - back];
        else if (size === 2) view.setUint16(at, view.getUint16(at, true) - view.getUint16(at - back, true), true);
        else view.setUint32(at, view.getUint32(at, true) - view.getUint32(at - back, true), true);
      }
    } else if (predictor === 3) {
      const samples = block.slice(start, start + rowBytes);
      for (let i = 0; i < width; i++) for (let b = 0; b < size; b++) block[start + b * width + i] = samples[i * size + size - 1 - b];
      for (let i = rowBytes - 1; i > 0; i--) block[start + i] -= block[start + i - 1];
    }
  }
}

function cut(have: number, expected: number): UplandError {
  return new UplandError('cut-short', `This TIFF is cut short: a strip unpacks to ${grouped(have)} of ${grouped(expected)} bytes.`, { have, expected });
}
