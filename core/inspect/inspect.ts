import { grouped } from '../grouped';
import { countDistinct, distinctCounter, type DistinctCounter } from '../analysis/distinct';
import { CODES, type Reading, type SampleArray } from '../formats/format';
import { scan, SCANNED } from '../kernels/scan';

export interface Finding {
  id: string;
  severity: 'note' | 'caution' | 'fault';
  message: string;
  /** Samples it concerns. */
  count: number;
}

export interface Inspection {
  format: string;
  width: number;
  height: number;
  channels: number;
  bits: number;
  sampleFormat: 'uint' | 'int' | 'float';
  min: number;
  max: number;
  mean: number;
  unit: 'm' | 'code';
  spacing: { x: number; y: number } | null;
  registration: 'point' | 'area' | null;
  noData: { value: number | null; count: number };
  distinct: number;
  findings: Finding[];
}

/** What samples say, before anything is made of them. */
export interface SampleFacts {
  /** Lowest, highest and mean of those that have a height, as they are stored. */
  min: number;
  max: number;
  mean: number;
  /** How many have a height. */
  count: number;
  distinct: number;
  /** Codes of 8 bits that were widened to more. */
  widened: boolean;
  /** Codes that are the largest there is. */
  atMost: number;
}

/** What a file says of itself. */
export type Header = Omit<Reading, 'samples'>;

/** Facts of samples that come in pieces, in their order. */
export class FactsInPieces {
  private readonly extent: Extent = { min: Infinity, max: -Infinity, sum: 0, count: 0 };
  private distinct: DistinctCounter | undefined;
  private readonly widening = { byShift: true, byRepeat: true };
  private atMost = 0;

  constructor(private readonly header: Pick<Header, 'type' | 'noData'>) {}

  add(samples: SampleArray): void {
    addExtent(this.extent, samples, this.header.noData);
    (this.distinct ??= distinctCounter(samples)).add(samples);
    const codes = CODES[this.header.type];
    if (!codes) return;
    if (codes.bits > 8) lookForWidening(this.widening, samples);
    this.atMost += countOf(samples, codes.max);
  }

  get facts(): SampleFacts {
    const { min, max, sum, count } = this.extent;
    const widened = this.widening.byShift || this.widening.byRepeat;
    return { min, max, mean: sum / count, count, distinct: this.distinct?.count ?? 0, widened, atMost: this.atMost };
  }
}

/** What a file holds and what is wrong with it, measured on its own samples. */
export function inspect(reading: Reading): Inspection {
  const { samples, type, noData } = reading;
  const extent: Extent = { min: Infinity, max: -Infinity, sum: 0, count: 0 };
  addExtent(extent, samples, noData);
  const { min, max, sum, count } = extent;
  const codes = CODES[type];
  const distinct = countDistinct(samples);
  const widening = { byShift: true, byRepeat: true };
  if (codes && codes.bits > 8 && distinct <= FEW_LEVELS) lookForWidening(widening, samples);
  const atMost = codes && max === codes.max ? countOf(samples, codes.max) : 0;
  return describeSamples(reading, samples.length, { min, max, mean: sum / count, count, distinct, widened: widening.byShift || widening.byRepeat, atMost });
}

/** Codes of so few values or fewer show as steps. */
export const FEW_LEVELS = 256;

/** What a file holds and what is wrong with it, from the facts of its `all` samples. */
export function describeSamples(reading: Header, all: number, { min, max, mean, count, distinct, widened, atMost }: SampleFacts): Inspection {
  const { type, noData } = reading;
  const findings: Finding[] = reading.odd.map((message) => ({ id: 'odd', severity: 'note', message, count: 0 }));
  const codes = CODES[type];
  const missing = all - count;
  if (missing) {
    findings.push({ id: 'holes', severity: 'caution', count: missing, message: `${grouped(missing)} samples have no height.` });
  }
  if (count && min === max) {
    findings.push({ id: 'level', severity: 'caution', count, message: `Every sample is ${min}: there is no form in it.` });
  } else if (codes && distinct <= FEW_LEVELS && all > 1024) {
    findings.push({
      id: 'few-levels',
      severity: 'caution',
      count: all,
      message:
        codes.bits > 8 && widened
          ? `Only ${distinct} different values: these are 8 bits widened to ${codes.bits}. Slopes will show steps.`
          : `Only ${distinct} different values. Slopes will show steps.`,
    });
  }
  if (codes && count && max === codes.max && min < max && atMost > all / 1000) {
    findings.push({
      id: 'clipped-tops',
      severity: 'caution',
      count: atMost,
      message: `${grouped(atMost)} samples stand at the largest code: tops may be clipped.`,
    });
  }
  if (reading.unit === 'code' && codes && codes.bits > 8 && min < max) {
    findings.push({
      id: 'codes',
      severity: 'note',
      count: all,
      message: 'The numbers are codes: the file does not say how many metres they stand for.',
    });
  }
  return {
    format: reading.format,
    width: reading.width,
    height: reading.height,
    channels: reading.channels,
    bits: codes ? codes.bits : type === 'f32' ? 32 : 64,
    sampleFormat: type[0] === 'u' ? 'uint' : type[0] === 's' ? 'int' : 'float',
    min: count ? reading.offset + reading.scale * min : NaN,
    max: count ? reading.offset + reading.scale * max : NaN,
    mean: count ? reading.offset + reading.scale * mean : NaN,
    unit: reading.unit,
    spacing: reading.spacing,
    registration: reading.registration,
    noData: { value: noData, count: missing },
    distinct,
    findings,
  };
}

function lookForWidening(widening: { byShift: boolean; byRepeat: boolean }, samples: SampleArray): void {
  for (let i = 0; i < samples.length && (widening.byShift || widening.byRepeat); i++) {
    if (samples[i] % 256 !== 0) widening.byShift = false;
    if (samples[i] % 257 !== 0) widening.byRepeat = false;
  }
}

function countOf(samples: Reading['samples'], value: number): number {
  let count = 0;
  for (let i = 0; i < samples.length; i++) if (samples[i] === value) count++;
  return count;
}

interface Extent {
  min: number;
  max: number;
  sum: number;
  count: number;
}

/** The lowest, the highest and the sum of the samples that have a height. */
function addExtent(extent: Extent, samples: SampleArray, noData: number | null): void {
  // By blocks, so that the loop is compiled once and runs at full speed.
  for (let from = 0; from < samples.length; from += SCANNED) {
    const to = Math.min(samples.length, from + SCANNED);
    if (samples instanceof Float32Array && noData === null) {
      const { lowest, highest, sum, count } = scan(samples, from, to);
      extent.min = Math.min(extent.min, lowest);
      extent.max = Math.max(extent.max, highest);
      extent.sum += sum;
      extent.count += count;
    } else widen(extent, samples, noData ?? NaN, from, to);
  }
}

function widen(extent: Extent, samples: SampleArray, noData: number, from: number, to: number): void {
  let { min, max, sum, count } = extent;
  for (let i = from; i < to; i++) {
    const v = samples[i];
    if (v === noData || !(v - v === 0)) continue;
    if (v < min) min = v;
    if (v > max) max = v;
    sum += v;
    count++;
  }
  extent.min = min;
  extent.max = max;
  extent.sum = sum;
  extent.count = count;
}
