import { grouped } from '../../grouped';
import { sentenceOf } from '../../errors';
import { countDistinct } from '../../analysis/distinct';
import type { Field } from '../../field/field';
import type { Ground } from '../../field/ground';
import { sha256 } from '../../field/hash';
import { readHeightmap } from '../../formats';
import { BYTES, CODES, readInBlocks, type Beside, type Reading, type SampleArray } from '../../formats/format';
import { areSame, measureCodes, SCANNED, type Measuring } from '../../kernels/scan';
import { metresPerCode, type Encoding } from './encode';

/** What reading a written file back showed. Metres. */
export interface Proof {
  ok: boolean;
  /** The largest and the root-mean-square difference between the file and the ground. */
  maxAbs: number;
  rmse: number;
  /** Metres from code to code; 0 for floats. */
  step: number;
  /** Samples outside of the range that was written. */
  clipped: number;
  /** How many different values the file holds. */
  codesUsed: number;
  sha256: string;
  bytes: number;
  /** Why it failed, a sentence each; empty when it is ok. */
  faults: string[];
}

/**
 * Reads a file's bytes back through the reader that any stranger's file goes through, turns its
 * numbers into metres by the receiver's settings, and holds every sample against the ground.
 * Fails on another size, place or registration, on a sample off by more than half a code (or,
 * for floats, by more than float32 holds), and on bytes that cannot be read at all.
 */
export async function prove(bytes: Uint8Array<ArrayBuffer>, field: Field, encoding: Encoding, beside: readonly Beside[] = []): Promise<Proof> {
  const { ground, height, valid } = field;
  // The hash is made beside what follows.
  const hash = sha256(bytes);
  const proving = new Proving(encoding, ground, valid !== undefined);
  try {
    const reading = await readHeightmap(bytes, asReceived(encoding, ground), { beside: Object.fromEntries(beside.map((b) => [b.ending, b.bytes])) });
    if (proving.head(reading)) {
      proving.rows(reading.samples, height, valid);
      return proving.end(bytes.length, await hash, () => countDistinct(reading.samples));
    }
  } catch (error) {
    proving.faults.push(`The file cannot be read back: ${sentenceOf(error)}`);
  }
  return { ...proving.end(bytes.length, await hash, () => 0), maxAbs: NaN, rmse: NaN };
}

/** What of a file counts before its samples do. */
type Head = Omit<Reading, 'samples'>;

/** A proof under way: the file's head first, then its rows beside the ground's, in any pieces. */
export class Proving {
  readonly faults: string[] = [];
  private readonly step: number;
  private clipped = 0;
  private worst = 0;
  private squares = 0;
  private count = 0;
  private holes = 0;
  /** The furthest height from 0, metres: what floats lose goes by it. */
  private far = 0;
  /** Whole numbers of up to 16 bits are counted by a table, on the way. */
  private seen: Uint8Array | undefined;
  private noData = NaN;
  /** A file without a number for no data whose bits are those of known heights: there is nothing to measure. */
  private byBits = false;

  constructor(
    private readonly encoding: Encoding,
    private readonly ground: Ground,
    private readonly withHoles: boolean,
  ) {
    this.step = encoding.range ? metresPerCode(encoding.type, encoding.range) : 0;
  }

  /** Whether the file is one whose samples can be held against the ground's. */
  head(reading: Head): boolean {
    const { encoding, ground, step, faults } = this;
    if (reading.width !== ground.across || reading.height !== ground.down) {
      faults.push(`The file has ${reading.width} × ${reading.height} samples; the ground has ${ground.across} × ${ground.down}.`);
      return false;
    }
    if (reading.type !== encoding.type && !AS_TEXT.includes(encoding.format)) {
      faults.push(`The file has ${reading.type} samples; ${encoding.type} were to be written.`);
    }
    faults.push(...misplaced(reading, ground, encoding.format));
    if (encoding.range && reading.unit === 'm' && Math.abs(reading.scale - step) > 1e-9 * step) {
      faults.push(`The file says one code is ${reading.scale} m; it was to be ${step} m.`);
    }
    // Where the file itself cannot say it, the receiver is told.
    this.noData = reading.noData ?? (this.withHoles ? (encoding.noData ?? NaN) : NaN);
    this.byBits = encoding.type === 'f32' && !encoding.unit && !this.withHoles && ground.datum === 0 && reading.noData === null;
    this.seen = BYTES[reading.type] <= 2 ? new Uint8Array(65_536) : undefined;
    return true;
  }

  /** Samples as they were read back, beside the heights that they were made of. */
  rows(samples: SampleArray, height: Float32Array, valid?: Uint8Array): void {
    const { encoding, ground, noData, seen, faults, step } = this;
    if (this.byBits && sameKnownBits(samples, height)) {
      this.count += height.length;
      return;
    }
    const { unit } = encoding;
    const inCodes = encoding.range !== undefined && CODES[encoding.type] !== null;
    const { low, high } = encoding.range ?? { low: 0, high: 0 };
    const [first, last] = [CODES[encoding.type]?.min ?? 0, CODES[encoding.type]?.max ?? 0];
    // Codes are turned into metres as the receiver does it, not by what the writer noted.
    const { datum } = ground;
    const single = encoding.type === 'f32' && !unit;
    const [least, most] = inCodes ? [low - step / 2, high + step / 2] : [-Infinity, Infinity];
    const [scale, zero, offset] = inCodes ? [step, first, low] : unit ? [unit.high - unit.low, 0, unit.low] : [1, 0, 0];
    const codes = inCodes && !valid && areCodes(samples) ? samples : null;
    const measuring = { noData, datum, least, most, scale, zero, offset };
    // Row by row, so that sums do not depend on how many rows come at a time.
    const { across } = ground;
    const take = (block: Float64Array, from: number) => {
      if (seen) for (let k = 0; k < block.length; k++) seen[block[k] & 0xffff] = 1;
      // Numbers of its own: those outside of a closure are boxed at every change.
      let [farthest, squares, compared, holes, clipped, far] = [0, 0, 0, 0, 0, 0];
      for (let k = 0, i = from; k < block.length; k++, i++) {
        const sample = block[k];
        const known = sample !== noData && sample - sample === 0;
        const truth = height[i] + datum;
        if (truth > far || -truth > far) far = Math.abs(truth);
        if (valid && !valid[i]) {
          if (known) holes++;
          continue;
        }
        if (!known) {
          holes++;
          continue;
        }
        if (truth < least || truth > most) {
          clipped++;
          if (sample !== (truth < least ? first : last)) faults.push(`Sample ${i} lies outside the range and was not set to its end.`);
          continue;
        }
        const read = offset + scale * (sample - zero);
        const apart = Math.abs((single ? Math.fround(read) : read) - truth);
        if (apart > farthest) farthest = apart;
        squares += apart * apart;
        compared++;
      }
      this.worst = Math.max(this.worst, farthest);
      this.far = Math.max(this.far, far);
      this.squares += squares;
      this.count += compared;
      this.holes += holes;
      this.clipped += clipped;
    };
    if (!codes) return readInBlocks(samples, take, across);
    for (let from = 0; from < samples.length; from += across) {
      // Whole ground, all of it within its range, as most is; else its samples are looked at one by one.
      if (!this.codes(codes, height, from, measuring)) readInBlocks(codes.subarray(from, from + across), (block) => take(block, from), across);
    }
  }

  /** A row of codes from `from` on; false where one of its heights is unknown or out of range. */
  private codes(samples: Codes, height: Float32Array, from: number, by: Measuring): boolean {
    const to = from + this.ground.across;
    const found = measureCodes(samples, height, from, to, by);
    if (!found) return false;
    if (this.seen) tickOff(this.seen, samples, from, to);
    this.worst = Math.max(this.worst, found.farthest);
    this.far = Math.max(this.far, found.far);
    this.squares += found.squares;
    this.count += to - from;
    return true;
  }

  /** What it came to. `distinct`: how many different values the file holds, where that was not counted on the way. */
  end(bytes: number, sha256: string, distinct: () => number): Proof {
    const { faults, step, clipped, worst, squares, count, holes, seen } = this;
    const allowed = this.allowance();
    if (worst > allowed) {
      faults.push(`A sample read back is off by ${worst.toPrecision(4)} m; ${allowed.toPrecision(4)} m is the most that the encoding explains.`);
    }
    if (holes) faults.push(`${grouped(holes)} samples have a height on one side and none on the other.`);
    const codesUsed = seen ? seen.reduce((n, one) => n + one, 0) : distinct();
    const ok = faults.length === 0;
    return { ok, maxAbs: worst, rmse: count ? Math.sqrt(squares / count) : 0, step, clipped, codesUsed, sha256, bytes, faults };
  }

  /** Half a code and what float64 arithmetic on it loses; for floats the bits, and for decimal text its printed digits. */
  private allowance(): number {
    const { step, encoding, ground, far } = this;
    if (step > 0) return step * (0.5 + 1e-6);
    if (encoding.unit) return encoding.type === 'f32' ? (encoding.unit.high - encoding.unit.low) * 2 ** -23 * 1.01 : 1e-9;
    if (encoding.type === 'f32' && ground.datum === 0) return 0;
    return encoding.type === 'f32' ? far * 2 ** -24 : far * 1e-12;
  }
}

/** A row by itself: it is compiled once, and runs at full speed from the second on. */
function tickOff(seen: Uint8Array, samples: Codes, from: number, to: number): void {
  for (let i = from; i < to; i++) seen[samples[i] & 0xffff] = 1;
}

/** Whole codes, which doubles are not. */
type Codes = Exclude<SampleArray, Float32Array | Float64Array>;
const areCodes = (samples: SampleArray): samples is Codes => !(samples instanceof Float32Array || samples instanceof Float64Array);

/** Whether floats are known heights, and those that were to be written, bit for bit. */
function sameKnownBits(samples: SampleArray, height: Float32Array): boolean {
  if (!(samples instanceof Float32Array) || samples.length !== height.length) return false;
  for (let from = 0; from < samples.length; from += SCANNED) {
    if (!areSame(samples, height, from, Math.min(samples.length, from + SCANNED))) return false;
  }
  return true;
}

/** Decimal text has no types: it is read as float64. */
const AS_TEXT = ['asc', 'xyz'];
/** Formats that only say where the samples lie, not whether they are points or areas. */
const PLACES_ONLY = ['flt', 'bil', 'xyz'];

function misplaced(reading: Head, ground: Ground, format: string): string[] {
  const faults: string[] = [];
  if (reading.registration && reading.registration !== ground.registration && !PLACES_ONLY.includes(format)) {
    faults.push(`The file says its samples are ${reading.registration}s; the ground's are ${ground.registration}s.`);
  }
  if (reading.spacing) {
    const steps = (n: number) => (ground.registration === 'area' ? n : Math.max(1, n - 1));
    const off = (spacing: number, length: number, n: number) => Math.abs(spacing * steps(n) - length) > 1e-6 * length;
    if (off(reading.spacing.x, ground.width, ground.across) || off(reading.spacing.y, ground.depth, ground.down)) {
      faults.push(`The file says its samples are ${reading.spacing.x} × ${reading.spacing.y} m apart, which does not span the ground.`);
    }
  }
  return faults;
}

/** How the receiver is told to read: raw bytes need everything said. */
export function asReceived({ format, type, options = {} }: Encoding, ground: Ground): string | undefined {
  if (format === 'packed' || format === 'hgt') return format;
  if (format !== 'raw') return undefined;
  const spec = `raw:${type}:${options.order ?? 'le'}:${ground.across}x${ground.down}`;
  return `${spec}${options.skip ? `:skip=${options.skip}` : ''}${options.rows === 'south' ? ':rows=south' : ''}`;
}
