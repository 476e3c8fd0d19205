import type { SampleArray, SampleType } from './format';

/** Whole numbers that came as 64 bits, in the smallest type of 32 bits that holds all of them; doubles where none does. */
export function narrowed(samples: Float64Array<ArrayBuffer>): { samples: SampleArray; type: SampleType; inexact: boolean } {
  let [low, high] = [Infinity, -Infinity];
  for (let i = 0; i < samples.length; i++) {
    if (samples[i] < low) low = samples[i];
    if (samples[i] > high) high = samples[i];
  }
  if (low >= -(2 ** 31) && high < 2 ** 31) return { samples: Int32Array.from(samples), type: 's32', inexact: false };
  if (low >= 0 && high < 2 ** 32) return { samples: Uint32Array.from(samples), type: 'u32', inexact: false };
  return { samples, type: 'f64', inexact: high > Number.MAX_SAFE_INTEGER || low < Number.MIN_SAFE_INTEGER };
}

/** What is said where some of them lose their last digits. */
export const INEXACT = 'Some of its numbers have more than 53 bits: the last digits of those were lost.';
