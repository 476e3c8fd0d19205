import { grouped } from '../grouped';
import { countDistinct } from '../analysis/distinct';
import type { Field } from '../field/field';
import { spacingOf, type Ground } from '../field/ground';
import { patchesOf } from '../field/voids';
import { CODES, type Reading, type SampleArray } from '../formats/format';
import type { AssetReading } from '../formats/asset';
import { meaningOf, type Meaning } from '../formats/heights';
import type { Kernels } from '../kernels/pool';
import { boundsIn, SCANNED } from '../kernels/scan';
import { findBlocks, type Blocks } from '../steps/mend/deblock';
import { findSpikes } from '../steps/mend/despike';
import { carriedOn, findStrips } from '../steps/mend/trim-edge';
import type { Finding, Header } from './inspect';

/** What puts a finding right: a step on the course, or another reading of the file. */
export type Mend = { label: string; step: string; params: Record<string, unknown> } | { label: string; reading: AssetReading };

/** A finding in heights: where it lies, and what puts it right. */
export interface HeightFinding extends Finding {
  /** By sample, 1 where it lies; absent: everywhere, or nowhere in particular. */
  where?: Uint8Array<ArrayBuffer>;
  mend?: Mend;
}

/**
 * What is wrong with a file's heights as they would be taken, each with its evidence in numbers,
 * where it lies, and the mend it calls for. The order is the one that mends are made in: frames
 * and spikes before holes, blocks before levels.
 */
export async function findingsIn(reading: Reading, meaning: Meaning, field: Field, kernels: Kernels, signal?: AbortSignal): Promise<HeightFinding[]> {
  const found: (HeightFinding | null)[] = [];
  found.push(...aboutReading(reading, reading.samples.length, field.ground, likeCodesOf(reading)));
  const framed = frame(field);
  found.push(framed?.finding ?? null);
  // What a frame does to the samples beside it is no finding of its own.
  const inner = framed ? { ...field, height: framed.without } : field;
  // The grain of a JPEG is no dust: only what stands off by far more counts there. Looked for by the pool while the rest is looked for here.
  const spiky = spikes(inner, kernels, reading.lossy ? 20 * Math.abs(meaningOf(reading, meaning).scale) : 0, signal);
  // Its failure is told below, also where something else fails first.
  spiky.catch(() => undefined);
  const after = [
    holes(field),
    blocks(reading, inner),
    levels(reading, meaning, field),
    ...clipped(reading, meaning, field, framed?.finding.where),
    toneCurve(reading, reading.samples.length, meaning),
  ];
  found.push(await spiky, ...after);
  return found.filter((f) => f !== null);
}

/** What the file says or leaves open about its own numbers; `guess`: what floats of it look like, where that is not metres. */
export function aboutReading(reading: Header, count: number, ground: Ground, guess: LikeCodes['guess']): HeightFinding[] {
  const out: HeightFinding[] = [];
  const { x, y } = spacingOf(ground);
  if (Math.abs(x / y - 1) > 0.002) {
    const even = Math.sqrt(x * y);
    out.push({
      id: 'cells',
      severity: 'caution',
      count,
      message: `Its cells are not square: ${nice(x)} m from east to west, ${nice(y)} m from north to south. Most receivers take square ones.`,
      mend: { label: `Take ${nice(even)} m both ways`, reading: { spacing: { x: even, y: even } } },
    });
  }
  if (reading.feet) out.push({ id: 'feet', severity: 'note', count, message: 'Its heights are in feet; they were turned into metres.' });
  const codes = CODES[reading.type];
  if (!codes && reading.unit === 'm') {
    if (guess) {
      out.push({
        id: 'like-codes',
        severity: 'caution',
        count,
        message: `Its numbers run from ${nice(guess.low)} to ${nice(guess.high)}, which looks like ${guess.what} and not like metres. Say what its ends stand for.`,
      });
    }
  }
  return out;
}

/** Floats that look like codes, or like shares: looked for in pieces. */
export class LikeCodes {
  private low = Infinity;
  private high = -Infinity;
  private whole = true;
  /** Something is neither whole nor a share. */
  private neither = false;

  constructor(private readonly noData: number | null) {}

  add(samples: SampleArray): void {
    if (this.neither) return;
    const { noData } = this;
    let { low, high, whole } = this;
    for (let i = 0; i < samples.length; i++) {
      const v = samples[i];
      if (v === noData || !(v - v === 0)) continue;
      if (v < low) low = v;
      if (v > high) high = v;
      if (whole && v !== Math.round(v)) whole = false;
      if (!whole && (low < 0 || high > 1)) {
        this.neither = true;
        return;
      }
    }
    this.low = low;
    this.high = high;
    this.whole = whole;
  }

  get guess(): { low: number; high: number; what: string } | null {
    const { low, high, whole, neither } = this;
    if (neither) return null;
    if (low >= 0 && high <= 1 && high > 0.2 && high - low > 0.05) return { low, high, what: 'a share of 0 to 1' };
    if (whole && low >= 0 && (high === 255 || high === 65_535 || (high > 20_000 && high < 65_536)))
      return { low, high, what: high < 256 ? 'codes of 8 bits' : 'codes of 16 bits' };
    return null;
  }
}

function likeCodesOf({ type, unit, samples, noData }: Reading): LikeCodes['guess'] {
  if (CODES[type] || unit !== 'm') return null;
  const looking = new LikeCodes(noData);
  looking.add(samples);
  return looking.guess;
}

function frame({ ground, height }: Field): { finding: HeightFinding; without: Field['height'] } | null {
  const { across, down } = ground;
  const strips = findStrips(height, across, down);
  const { north, east, south, west } = strips;
  if (north + east + south + west === 0) return null;
  const where = new Uint8Array(height.length);
  for (let row = 0, i = 0; row < down; row++) {
    for (let column = 0; column < across; column++, i++) if (row < north || row >= down - south || column < west || column >= across - east) where[i] = 1;
  }
  const { x, y } = spacingOf(ground);
  const count = where.reduce((sum, w) => sum + w, 0);
  const names = { north, east, south, west };
  const words = Object.entries(names)
    .filter(([, width]) => width > 0)
    .map(([side, width]) => `${width} in the ${side}`);
  const finding: HeightFinding = {
    id: 'frame',
    severity: 'caution',
    count,
    message: `Strips along the border do not go on from the ground: ${words.join(', ')} (samples wide).`,
    where,
    mend: { label: 'Trim the edge', step: 'trim-edge', params: { find: false, north: north * y, south: south * y, east: east * x, west: west * x } },
  };
  return { finding, without: carriedOn(height, across, down, strips) };
}

async function spikes({ ground, height, valid }: Field, kernels: Kernels, least: number, signal?: AbortSignal): Promise<HeightFinding | null> {
  const { spikes: where, worst, count: any } = await findSpikes(height, ground.across, ground.down, kernels, { least }, signal);
  if (any === 0) return null;
  let count = 0;
  // What stands beside a hole stands off from what stands for it.
  for (let i = 0; i < where.length; i++) {
    if (where[i] && valid && touchesHole(valid, i, ground.across)) where[i] = 0;
    count += where[i];
  }
  const told = spikesFound(count, worst, height.length, least);
  return told && { ...told, where: where as Uint8Array<ArrayBuffer> };
}

/** What is said of spikes among `all` samples; null where there are none, or so many that they are the ground's own. */
export function spikesFound(count: number, worst: number, all: number, least: number): HeightFinding | null {
  if (count === 0 || count > all / 50) return null;
  return {
    id: 'spikes',
    severity: 'caution',
    count,
    message: `${count} single ${count === 1 ? 'sample stands' : 'samples stand'} far off from all around, by up to ${nice(worst)} m.`,
    mend: { label: 'Take the spikes out', step: 'despike', params: least > 0 ? { least, packed: true } : {} },
  };
}

function touchesHole(valid: Uint8Array, i: number, across: number): boolean {
  for (let y = -2; y <= 2; y++) for (let x = -2; x <= 2; x++) if (valid[i + y * across + x] === 0) return true;
  return false;
}

function holes({ ground, valid }: Field): HeightFinding | null {
  if (!valid) return null;
  const where = valid.map((v) => 1 - v);
  const count = where.reduce((sum, w) => sum + w, 0);
  if (count === 0) return null;
  const patches = patchesOf(where, ground.across, ground.down);
  const widest = Math.max(...patches.map((p) => Math.max(p.right - p.left, p.bottom - p.top) + 1));
  return {
    id: 'holes',
    severity: 'caution',
    count,
    message: `${grouped(count)} samples have no height, in ${patches.length} ${patches.length === 1 ? 'hole' : 'holes'}, the widest ${widest} samples across.`,
    where,
    mend: { label: 'Fill the holes', step: 'fill-voids', params: {} },
  };
}

function blocks(reading: Reading, { ground, height }: Field): HeightFinding | null {
  const found = findBlocks(height, ground.across, ground.down);
  if (!found) return null;
  const where = new Uint8Array(height.length);
  for (let i = 0; i < where.length; i++) {
    const column = (i % ground.across) % 8;
    const row = Math.floor(i / ground.across) % 8;
    if (column === found.left || row === found.top) where[i] = 1;
  }
  return { ...blocksFound(found, height.length, reading.lossy), where };
}

/** What is said of a grid of blocks. */
export function blocksFound({ times }: Blocks, count: number, lossy: boolean | undefined): HeightFinding {
  return {
    id: 'blocks',
    severity: 'caution',
    count,
    message: `A grid of 8 × 8 blocks shows${lossy ? ', as JPEG leaves it' : '; it was a JPEG once'}: breaks across it are ${times.toFixed(1)} times those within.`,
    mend: { label: 'Take the blocks out', step: 'deblock', params: {} },
  };
}

function levels(reading: Reading, meaning: Meaning, { ground, height }: Field): HeightFinding | null {
  const codes = CODES[reading.type];
  if (!codes) return null;
  const distinct = countDistinct(reading.samples);
  if (distinct > 256 || distinct < 3 || reading.samples.length < 1024) return null;
  const step = codeStep(reading);
  const level = Math.abs(meaningOf(reading, meaning).scale) * step;
  const widened = codes.bits > 8 && (step === 256 || step === 257);
  // A plateau: a sample as high as all of its eight neighbours.
  const { across, down } = ground;
  const where = new Uint8Array(height.length);
  for (let row = 1; row + 1 < down; row++) {
    for (let i = row * across + 1; i < (row + 1) * across - 1; i++) {
      const h = height[i];
      if (height[i - 1] === h && height[i + 1] === h && height[i - across] === h && height[i + across] === h) where[i] = 1;
    }
  }
  const count = where.reduce((sum, w) => sum + w, 0);
  return {
    id: 'few-levels',
    severity: 'caution',
    count,
    message: `Only ${distinct} different heights${widened ? `: 8 bits widened to ${codes.bits}` : ''}, ${nice(level)} m apart. ${Math.round((100 * count) / height.length)} % of the samples lie on plateaus.`,
    where,
    mend: { label: 'Take the steps out', step: 'unstep', params: { level } },
  };
}

/** The distance that all codes are multiples of from each other. */
function codeStep({ samples, noData }: Reading): number {
  const seen = [...new Set(samples as Iterable<number>)].filter((v) => v !== noData).sort((a, b) => a - b);
  const gcd = (a: number, b: number): number => (b === 0 ? a : gcd(b, a % b));
  let step = 0;
  for (let i = 1; i < seen.length; i++) step = gcd(seen[i] - seen[0], step);
  return step || 1;
}

function clipped(reading: Reading, meaning: Meaning, { ground, height, valid }: Field, framed?: Uint8Array): HeightFinding[] {
  const out: HeightFinding[] = [];
  // What has no height and what the frame holds is no end of the ground.
  const left = framed && valid ? framed.map((f, i) => (f || !valid[i] ? 1 : 0)) : (framed ?? valid?.map((v) => 1 - v));
  const ends: Ends = { low: Infinity, high: -Infinity, lows: 0, highs: 0 };
  addEnds(ends, height, left);
  const { low, high, lows, highs } = ends;
  if (!(high > low)) return out;
  for (const [what, end, count] of [
    ['tops', high, highs],
    ['bottoms', low, lows],
  ] as const) {
    if (count < fewestClipped(height.length)) continue;
    const where = new Uint8Array(height.length);
    for (let i = 0; i < height.length; i++) if (height[i] === end && !left?.[i]) where[i] = 1;
    // A sheet of water or a bowl ends level by itself: what was cut off meets it on a slope.
    const { rim, patches } = rimOf(height, where, ground.across, ground.down);
    const codes = CODES[reading.type];
    const { scale } = meaningOf(reading, meaning);
    const step = codes ? Math.abs(scale) : (high - low) / 1e4;
    if (patches === 0 || rim < 2 * step) continue;
    const elevation = end + ground.datum;
    const number = Math.round((elevation - meaningOf(reading, meaning).offset) / scale);
    if (reading.noData === null && rim > (high - low) / 8) {
      out.push({
        id: 'no-data-number',
        severity: 'caution',
        count,
        message: `${grouped(count)} samples hold the ${what === 'tops' ? 'highest' : 'lowest'} number there is, ${codes ? number : nice(elevation)}, ${nice(rim)} m off from all around them: it looks like a sign for no height.`,
        where,
        mend: { label: 'Read it as no height', reading: { noData: codes ? number : (elevation - meaningOf(reading, meaning).offset) / scale } },
      });
      continue;
    }
    const ended = codes && (what === 'tops' ? codes.max : codes.min) === number;
    out.push({
      id: `clipped-${what}`,
      severity: 'caution',
      count,
      message: `${grouped(count)} samples stand level at the ${what === 'tops' ? 'highest' : 'lowest'} height, ${nice(elevation)} m${ended ? ' (the end of its codes)' : ''}, and their rim falls ${nice(rim)} m a sample: ${what} were cut off. Exposure cannot bring them back; a cap over them is an invention.`,
      where,
      mend: { label: `Invent ${what}`, step: 'dome-over', params: { what, find: false, cut: elevation } },
    });
  }
  return out;
}

/** So many samples at one end are no single top. */
export const fewestClipped = (all: number): number => Math.max(16, all / 4000);

/** The lowest and the highest height, and how many samples stand there. */
export interface Ends {
  low: number;
  high: number;
  lows: number;
  highs: number;
}

/** Widens the ends by more heights; those of which `left` is not 0 do not count. */
export function addEnds(ends: Ends, height: Float32Array, left?: Uint8Array): void {
  for (let from = 0; from < height.length; from += SCANNED) {
    const to = Math.min(height.length, from + SCANNED);
    // Most of the ground reaches neither end.
    const part = left ? null : boundsIn(height, from, to);
    if (!part || part.lowest <= ends.low || part.highest >= ends.high) takeEnds(ends, height, left, from, to);
  }
}

function takeEnds(ends: Ends, height: Float32Array, left: Uint8Array | undefined, from: number, to: number): void {
  let { low, high, lows, highs } = ends;
  for (let i = from; i < to; i++) {
    if (left && left[i] !== 0) continue;
    const h = height[i];
    if (h <= low) {
      lows = h < low ? 1 : lows + 1;
      low = h;
    }
    if (h >= high) {
      highs = h > high ? 1 : highs + 1;
      high = h;
    }
  }
  ends.low = low;
  ends.high = high;
  ends.lows = lows;
  ends.highs = highs;
}

/** The mean step from a level patch to the samples around it, over the patches of some size. */
function rimOf(height: Float32Array, where: Uint8Array, across: number, down: number): { rim: number; patches: number } {
  let sum = 0;
  let n = 0;
  let patches = 0;
  for (const patch of patchesOf(where, across, down)) {
    if (patch.samples.length < 9) continue;
    patches++;
    for (const i of patch.samples) {
      const column = i % across;
      for (const j of [column > 0 ? i - 1 : i, column + 1 < across ? i + 1 : i, i >= across ? i - across : i, i + across < height.length ? i + across : i]) {
        if (where[j]) continue;
        sum += Math.abs(height[j] - height[i]);
        n++;
      }
    }
  }
  return { rim: n ? sum / n : 0, patches };
}

export function toneCurve(reading: Header, all: number, meaning: Meaning): HeightFinding | null {
  const said = reading.odd.find((sentence) => /sRGB|gAMA|iCCP/.test(sentence));
  const codes = CODES[reading.type];
  if (!codes || (!said && !reading.lossy)) return null;
  const { scale, offset } = meaningOf(reading, meaning);
  return {
    id: 'tone-curve',
    severity: 'note',
    count: all,
    message: said
      ? 'The file says that its tones are encoded for a screen. Where that is true of its heights too, low ground is too high.'
      : 'A picture of this kind is usually encoded for a screen. Where its heights were, low ground is too high: compare a height you know.',
    mend: { label: 'Undo the sRGB curve', step: 'linearise', params: { black: offset + scale * codes.min, white: offset + scale * codes.max } },
  };
}

/** Four digits that say something. */
const nice = (v: number) => String(Number(v.toPrecision(4)));
