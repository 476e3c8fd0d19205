import { grouped } from '../../grouped';
import { sentenceOf } from '../../errors';
import type { Field } from '../../field/field';
import { countDistinct } from '../../analysis/distinct';
import { statistics } from '../../field/statistics';
import { sha256 } from '../../field/hash';
import { readHeightmap } from '../../formats';
import { CODES, readInBlocks, type Beside, type Reading, type SampleArray } from '../../formats/format';
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
  const step = encoding.range ? metresPerCode(encoding.type, encoding.range) : 0;
  // The hash is made beside what follows.
  const hash = sha256(bytes);
  const proof: Proof = { ok: false, maxAbs: NaN, rmse: NaN, step, clipped: 0, codesUsed: 0, sha256: '', bytes: bytes.length, faults: [] };
  let reading: Reading;
  try {
    reading = await readHeightmap(bytes, asReceived(encoding, ground), { beside: Object.fromEntries(beside.map((b) => [b.ending, b.bytes])) });
  } catch (error) {
    proof.faults.push(`The file cannot be read back: ${sentenceOf(error)}`);
    return { ...proof, sha256: await hash };
  }
  if (reading.width !== ground.across || reading.height !== ground.down) {
    proof.faults.push(`The file has ${reading.width} × ${reading.height} samples; the ground has ${ground.across} × ${ground.down}.`);
    return { ...proof, sha256: await hash };
  }
  if (reading.type !== encoding.type && !AS_TEXT.includes(encoding.format)) {
    proof.faults.push(`The file has ${reading.type} samples; ${encoding.type} were to be written.`);
  }
  proof.faults.push(...misplaced(reading, field, encoding.format));
  if (encoding.range && reading.unit === 'm' && Math.abs(reading.scale - step) > 1e-9 * step) {
    proof.faults.push(`The file says one code is ${reading.scale} m; it was to be ${step} m.`);
  }

  const codes = CODES[encoding.type];
  const { unit } = encoding;
  // Where the file itself cannot say it, the receiver is told.
  const noData = reading.noData ?? (valid ? (encoding.noData ?? NaN) : NaN);
  const inCodes = codes !== null && encoding.range !== undefined;
  const { low, high } = encoding.range ?? { low: 0, high: 0 };
  const [first, last] = [codes?.min ?? 0, codes?.max ?? 0];
  let clipped = 0;
  let worst = 0;
  let sum = 0;
  let count = 0;
  let holes = 0;
  // Codes are turned into metres as the receiver does it, not by what the writer noted.
  const { datum } = ground;
  const single = encoding.type === 'f32' && !unit;
  // Whole numbers of up to 16 bits are counted by a table, on the way.
  const seen = reading.samples.BYTES_PER_ELEMENT <= 2 ? new Uint8Array(65_536) : undefined;
  const [least, most] = inCodes ? [low - step / 2, high + step / 2] : [-Infinity, Infinity];
  const [scale, zero, offset] = inCodes ? [step, first, low] : unit ? [unit.high - unit.low, 0, unit.low] : [1, 0, 0];
  // A file without a number for no data whose bits are those of known heights: there is nothing to measure.
  const same = single && !valid && datum === 0 && reading.noData === null && sameBits(reading.samples, height) && statistics(field).count === height.length;
  if (same) count = height.length;
  else
    readInBlocks(reading.samples, (block, from) => {
      if (seen) for (let k = 0; k < block.length; k++) seen[block[k] & 0xffff] = 1;
      // Numbers of its own: those outside of a closure are boxed at every change.
      let [farthest, squares, compared] = [0, 0, 0];
      for (let k = 0, i = from; k < block.length; k++, i++) {
        const sample = block[k];
        const known = sample !== noData && sample - sample === 0;
        if (valid && !valid[i]) {
          if (known) holes++;
          continue;
        }
        const truth = height[i] + datum;
        if (!known) {
          holes++;
          continue;
        }
        if (truth < least || truth > most) {
          clipped++;
          if (sample !== (truth < least ? first : last)) proof.faults.push(`Sample ${i} lies outside the range and was not set to its end.`);
          continue;
        }
        const read = offset + scale * (sample - zero);
        const off = Math.abs((single ? Math.fround(read) : read) - truth);
        if (off > farthest) farthest = off;
        squares += off * off;
        compared++;
      }
      worst = Math.max(worst, farthest);
      sum += squares;
      count += compared;
    });
  proof.clipped = clipped;
  proof.maxAbs = worst;
  proof.rmse = count ? Math.sqrt(sum / count) : 0;
  proof.codesUsed = seen ? seen.reduce((n, one) => n + one, 0) : countDistinct(reading.samples);
  const allowed = allowance(encoding, step, field);
  if (worst > allowed) {
    proof.faults.push(`A sample read back is off by ${worst.toPrecision(4)} m; ${allowed.toPrecision(4)} m is the most that the encoding explains.`);
  }
  if (holes) proof.faults.push(`${grouped(holes)} samples have a height on one side and none on the other.`);
  proof.ok = proof.faults.length === 0;
  proof.sha256 = await hash;
  return proof;
}

/** Whether floats are those that were to be written, bit for bit. */
function sameBits(samples: SampleArray, height: Float32Array): boolean {
  if (!(samples instanceof Float32Array) || samples.length !== height.length) return false;
  const [a, b] = [samples, height].map(({ buffer, byteOffset, length }) => new Int32Array(buffer, byteOffset, length));
  for (let from = 0; from < a.length; from += BLOCK) if (!equal(a, b, from, Math.min(a.length, from + BLOCK))) return false;
  return true;
}

const BLOCK = 65_536;

/** A block by itself: it is compiled once, and runs at full speed from the second on. */
function equal(a: Int32Array, b: Int32Array, from: number, to: number): boolean {
  let different = 0;
  for (let i = from; i < to; i++) different |= a[i] ^ b[i];
  return different === 0;
}

/** Half a code and what float64 arithmetic on it loses; for floats the bits, and for decimal text its printed digits. */
function allowance(encoding: Encoding, step: number, { height, ground }: Field): number {
  if (step > 0) return step * (0.5 + 1e-6);
  if (encoding.unit) return encoding.type === 'f32' ? (encoding.unit.high - encoding.unit.low) * 2 ** -23 * 1.01 : 1e-9;
  if (encoding.type === 'f32' && ground.datum === 0) return 0;
  let far = 0;
  for (let i = 0; i < height.length; i++) far = Math.max(far, Math.abs(height[i] + ground.datum));
  return encoding.type === 'f32' ? far * 2 ** -24 : far * 1e-12;
}

/** Decimal text has no types: it is read as float64. */
const AS_TEXT = ['asc', 'xyz'];
/** Formats that only say where the samples lie, not whether they are points or areas. */
const PLACES_ONLY = ['flt', 'bil', 'xyz'];

function misplaced(reading: Reading, { ground }: Field, format: string): string[] {
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
function asReceived({ format, type, options = {} }: Encoding, ground: Field['ground']): string | undefined {
  if (format === 'packed' || format === 'hgt') return format;
  if (format !== 'raw') return undefined;
  const spec = `raw:${type}:${options.order ?? 'le'}:${ground.across}x${ground.down}`;
  return `${spec}${options.skip ? `:skip=${options.skip}` : ''}${options.rows === 'south' ? ':rows=south' : ''}`;
}
