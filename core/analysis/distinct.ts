import type { SampleArray } from '../formats/format';

/**
 * How many different values there are, for any count of samples: a Set ends at 2²⁴ values. Bits
 * are sorted by their upper halves, and the lower halves of each lot are ticked off. −0 is 0, and
 * whatever is not a number is one value.
 */
export function countDistinct(samples: SampleArray): number {
  if (samples.BYTES_PER_ELEMENT <= 2) return countSmall(samples);
  if (samples instanceof Float64Array) return countSorted(samples);
  const floats = samples instanceof Float32Array;
  const bits = new Uint32Array(samples.buffer, samples.byteOffset, samples.length);
  const starts = new Uint32Array(65_537);
  const own = floats ? new Uint32Array(bits.length) : bits;
  for (let from = 0; from < own.length; from += BLOCK) {
    const to = Math.min(own.length, from + BLOCK);
    // While a block is near the processor.
    if (floats) putCanonical(own, bits, from, to);
    countUpper(starts, own, from, to);
  }
  for (let k = 0; k < 65_536; k++) starts[k + 1] += starts[k];
  const next = starts.slice(0, 65_536);
  const lower = new Uint16Array(own.length);
  for (let from = 0; from < own.length; from += BLOCK) dealLower(lower, next, own, from, Math.min(own.length, from + BLOCK));
  const seen = new Uint32Array(2048);
  let count = 0;
  for (let k = 0; k < 65_536; k++) {
    if (starts[k + 1] === starts[k]) continue;
    count += tick(seen, lower, starts[k], starts[k + 1]);
    seen.fill(0);
  }
  return count;
}

/** Values that are gone through at a time: each loop is compiled once, and runs at full speed from the second block on. */
const BLOCK = 65_536;

/** The bits as they are counted: −0 is 0, and all that is no number is one. */
function putCanonical(out: Uint32Array, bits: Uint32Array, from: number, to: number): void {
  for (let i = from; i < to; i++) {
    const v = bits[i];
    out[i] = v === 0x80000000 ? 0 : (v & 0x7fffffff) > 0x7f800000 ? 0x7fc00000 : v;
  }
}

function countUpper(starts: Uint32Array, bits: Uint32Array, from: number, to: number): void {
  for (let i = from; i < to; i++) starts[(bits[i] >>> 16) + 1]++;
}

function dealLower(lower: Uint16Array, next: Uint32Array, bits: Uint32Array, from: number, to: number): void {
  for (let i = from; i < to; i++) lower[next[bits[i] >>> 16]++] = bits[i];
}

/** New ones among a lot's lower halves, a bit for each: 8 KiB, which stay near the processor. */
function tick(seen: Uint32Array, lower: Uint16Array, from: number, to: number): number {
  let count = 0;
  for (let i = from; i < to; i++) {
    const v = lower[i];
    const word = seen[v >>> 5];
    const bit = 1 << (v & 31);
    seen[v >>> 5] = word | bit;
    // Without a branch: whether a value is new cannot be foreseen.
    count += ((word >>> (v & 31)) & 1) ^ 1;
  }
  return count;
}

function countSmall(samples: SampleArray): number {
  const seen = new Uint8Array(65_536);
  let count = 0;
  for (let i = 0; i < samples.length; i++) {
    const at = samples[i] & 0xffff;
    if (seen[at] === 0) {
      seen[at] = 1;
      count++;
    }
  }
  return count;
}

function countSorted(samples: Float64Array): number {
  // Numbers that are none come last.
  const sorted = samples.slice().sort();
  let count = 0;
  for (let i = 0; i < sorted.length; i++) {
    const v = sorted[i];
    const before = sorted[i - 1];
    if (i === 0 || (v !== before && !(Number.isNaN(v) && Number.isNaN(before)))) count++;
  }
  return count;
}
