import type { SampleArray } from '../formats/format';

/** How many different values there are. */
export function countDistinct(samples: SampleArray): number {
  if (samples.BYTES_PER_ELEMENT > 2) return new Set(samples).size;
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
