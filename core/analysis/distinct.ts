import type { SampleArray } from '../formats/format';
import { DistinctCount } from './distinct-count';

const FEW = 65_536;

/** How many different values there are, for any count of samples: a Set ends at 2²⁴ values. −0 is 0, and whatever is not a number is one value. */
export function countDistinct(samples: SampleArray): number {
  if (samples instanceof Float64Array) return countSorted(samples);
  // Of few the count is sooner there than the room for more.
  if (samples.BYTES_PER_ELEMENT > 2 && samples.length <= FEW) return new Set<number>(samples).size;
  const counting = distinctCounter(samples);
  counting.add(samples);
  return counting.count;
}

/** Counts different values among samples that come in pieces of one type, of up to 32 bits. */
export interface DistinctCounter {
  add(samples: SampleArray): void;
  readonly count: number;
}

/** A counter for samples like these. */
export function distinctCounter(like: SampleArray): DistinctCounter {
  return like.BYTES_PER_ELEMENT <= 2 ? new SmallCount() : (new DistinctCount() as DistinctCounter);
}

class SmallCount implements DistinctCounter {
  private readonly seen = new Uint8Array(65_536);
  count = 0;

  add(samples: SampleArray): void {
    const { seen } = this;
    let { count } = this;
    for (let i = 0; i < samples.length; i++) {
      const at = samples[i] & 0xffff;
      if (seen[at] === 0) {
        seen[at] = 1;
        count++;
      }
    }
    this.count = count;
  }
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
