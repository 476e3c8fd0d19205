import type { SampleArray } from '../formats/format';

/**
 * How many different values there are, for any count of samples: a Set ends at 2²⁴ values. Bits
 * are sorted by their upper halves, and the lower halves of each lot are ticked off. −0 is 0, and
 * whatever is not a number is one value.
 */
export function countDistinct(samples: SampleArray): number {
  if (samples.BYTES_PER_ELEMENT <= 2) return countSmall(samples);
  if (samples instanceof Float64Array) return countSorted(samples);
  const bits = samples instanceof Float32Array ? canonicalBits(samples) : new Uint32Array(samples.buffer, samples.byteOffset, samples.length);
  const starts = new Uint32Array(65_537);
  for (let i = 0; i < bits.length; i++) starts[(bits[i] >>> 16) + 1]++;
  for (let k = 0; k < 65_536; k++) starts[k + 1] += starts[k];
  const next = starts.slice(0, 65_536);
  const lower = new Uint16Array(bits.length);
  for (let i = 0; i < bits.length; i++) lower[next[bits[i] >>> 16]++] = bits[i];
  // Marked by the number of the lot, so that nothing has to be cleared between lots.
  const seen = new Uint32Array(65_536);
  let count = 0;
  for (let k = 0; k < 65_536; k++) {
    for (let i = starts[k]; i < starts[k + 1]; i++) {
      if (seen[lower[i]] === k + 1) continue;
      seen[lower[i]] = k + 1;
      count++;
    }
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

function canonicalBits(samples: Float32Array): Uint32Array {
  const bits = new Uint32Array(samples.buffer, samples.byteOffset, samples.length).slice();
  for (let i = 0; i < bits.length; i++) {
    if (bits[i] === 0x80000000) bits[i] = 0;
    else if ((bits[i] & 0x7fffffff) > 0x7f800000) bits[i] = 0x7fc00000;
  }
  return bits;
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
