import { grouped } from '../grouped';
import { countDistinct } from '../analysis/distinct';
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

/** What a file holds and what is wrong with it, measured on its own samples. */
export function inspect(reading: Reading): Inspection {
  const { samples, type, noData } = reading;
  const { min, max, mean, count } = extentOf(samples, noData);
  const distinct = countDistinct(samples);
  const findings: Finding[] = reading.odd.map((message) => ({ id: 'odd', severity: 'note', message, count: 0 }));
  const codes = CODES[type];
  const missing = samples.length - count;
  if (missing) {
    findings.push({ id: 'holes', severity: 'caution', count: missing, message: `${grouped(missing)} samples have no height.` });
  }
  if (count && min === max) {
    findings.push({ id: 'level', severity: 'caution', count, message: `Every sample is ${min}: there is no form in it.` });
  } else if (codes && distinct <= 256 && samples.length > 1024) {
    const widened = codes.bits > 8 && isWidened(samples);
    findings.push({
      id: 'few-levels',
      severity: 'caution',
      count: samples.length,
      message: widened
        ? `Only ${distinct} different values: these are 8 bits widened to ${codes.bits}. Slopes will show steps.`
        : `Only ${distinct} different values. Slopes will show steps.`,
    });
  }
  if (codes && count && max === codes.max && min < max) {
    const at = countOf(samples, codes.max);
    if (at > samples.length / 1000)
      findings.push({ id: 'clipped-tops', severity: 'caution', count: at, message: `${grouped(at)} samples stand at the largest code: tops may be clipped.` });
  }
  if (reading.unit === 'code' && codes && codes.bits > 8 && min < max) {
    findings.push({
      id: 'codes',
      severity: 'note',
      count: samples.length,
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

function isWidened(samples: Reading['samples']): boolean {
  let byShift = true;
  let byRepeat = true;
  for (let i = 0; i < samples.length && (byShift || byRepeat); i++) {
    if (samples[i] % 256 !== 0) byShift = false;
    if (samples[i] % 257 !== 0) byRepeat = false;
  }
  return byShift || byRepeat;
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

/** The lowest, the highest and the mean of the samples that have a height. */
function extentOf(samples: SampleArray, noData: number | null): Omit<Extent, 'sum'> & { mean: number } {
  const extent: Extent = { min: Infinity, max: -Infinity, sum: 0, count: 0 };
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
  const { min, max, sum, count } = extent;
  return { min, max, mean: sum / count, count };
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
