import { linearFromSrgb } from '../../colour';
import { UplandError } from '../../errors';
import { makeField, type Field } from '../../field/field';
import { spacingOf, type Ground } from '../../field/ground';
import { statistics } from '../../field/statistics';
import { flipColumns, flipRows, turn } from '../../field/turn';
import { readHeightmap } from '../../formats';
import { CODES, type Reading, type SampleType } from '../../formats/format';
import { extendEdges } from '../heights/tiles';

/** What an imagined receiver was told, right or wrong. Left out: as the file is. */
export interface MisreadSettings {
  /** Raw bytes: how they are laid out. */
  type?: SampleType;
  order?: 'le' | 'be';
  across?: number;
  down?: number;
  rows?: 'north' | 'south';
  /** A turn of the picture. */
  turned?: 0 | 90 | 180 | 270;
  mirrored?: boolean;
  /** Metres that the smallest and the largest code are taken for. */
  range?: { low: number; high: number };
  /** Takes the numbers for a picture and undoes its tone curve (IEC 61966-2-1). */
  toneCurve?: boolean;
  /** Keeps only so many bits of each code. */
  bits?: 8;
  /** Samples a side that its grid has, when that is more than the file's. */
  grid?: number;
}

export interface Misreading {
  field: Field;
  symptoms: Symptom[];
  words: string[];
}

/** What somebody sees who reads a file wrongly, and what it comes from. */
export interface Symptom {
  id: keyof typeof SYMPTOMS;
  /** Numbers of this case. */
  detail: string;
}

/** Symptoms, what they come from and what to do: the page of help is made from them too. */
export const SYMPTOMS = {
  spikes: {
    title: 'Spikes everywhere, like a bed of nails',
    cause: 'The two bytes of every sample are swapped, or the width is wrong so that rows do not meet.',
    cure: 'Change the byte order at the receiver, or write the other one. Check the samples across.',
  },
  slanted: {
    title: 'A slanted smear or bands that run across',
    cause: 'The samples across are wrong: every row begins a little later than the one before.',
    cure: 'Type in the samples across and down as the docket has them.',
  },
  mirrored: {
    title: 'A valley on the wrong side; the corner is not where it was',
    cause: 'Rows begin at the other edge, or the picture is mirrored or turned.',
    cure: 'Change the first row (north or south), or turn on the flip at the receiver.',
  },
  stretched: {
    title: 'Mountains too high or too flat, the form otherwise right',
    cause: 'The height over all codes is another one at the receiver.',
    cure: 'Type in the height of the lowest and the highest code from the docket.',
  },
  shifted: {
    title: 'Everything stands too high or too low; the sea is at the wrong place',
    cause: 'The receiver counts heights from another code or another zero.',
    cure: 'Type in the height of code 0, or move the ground at the receiver by the difference.',
  },
  bent: {
    title: 'Valleys too deep and flat, tops too sharp',
    cause: 'The file was taken for a picture and its tone curve was undone.',
    cure: 'Set the file to data, linear or “no colour” at the receiver.',
  },
  terraces: {
    title: 'Terraces or steps on gentle ground',
    cause: 'Only 8 bits arrived, or the file was saved again by a picture program.',
    cure: 'Export 16 bits or floats, and let nothing save the file in between.',
  },
  strip: {
    title: 'A flat strip along two sides',
    cause: 'The receiver’s grid has more samples than the file; it carries the outer value on.',
    cure: 'Choose a size that the receiver takes exactly.',
  },
  corner: {
    title: 'Only a part of the ground, and too wide',
    cause: 'The receiver’s grid has fewer samples than the file.',
    cure: 'Choose a size that the receiver takes exactly.',
  },
  dull: {
    title: 'Light falls wrongly on every slope, or it is all washed out',
    cause: 'The normal map was taken for colour and its tone curve undone.',
    cure: 'Set the normal map to data, linear or “no colour”.',
  },
  inside: {
    title: 'Hills look like hollows under the light',
    cause: 'Green points the other way in the normal map.',
    cure: 'Hand on the other green, or flip green at the receiver.',
  },
} as const;

/** Reads a delivered file as an imagined receiver does, and names what is wrong with the ground it gets. `field` is the ground that was delivered, `range` what its codes stand for. */
export async function misread(
  bytes: Uint8Array<ArrayBuffer>,
  truth: Field,
  written: {
    format: string;
    type: SampleType;
    range?: { low: number; high: number };
    unit?: { low: number; high: number };
    order?: 'le' | 'be';
    rows?: 'north' | 'south';
    skip?: number;
  },
  told: MisreadSettings = {},
): Promise<Misreading> {
  const { ground } = truth;
  const words: string[] = [];
  const type = told.type ?? written.type;
  const across = told.across ?? ground.across;
  const down = told.down ?? ground.down;
  let reading: Reading;
  if (written.format === 'raw') {
    const rows = told.rows ?? written.rows ?? 'north';
    const spec = `raw:${type}:${told.order ?? written.order ?? 'le'}:${across}x${down}${written.skip ? `:skip=${written.skip}` : ''}${rows === 'south' ? ':rows=south' : ''}`;
    reading = await readHeightmap(bytes, spec);
  } else {
    reading = await readHeightmap(bytes, written.format === 'packed' || written.format === 'hgt' ? written.format : undefined);
    if (told.order && told.order !== (written.order ?? 'le') && CODES[reading.type]) reading = swapped(reading);
    if (told.rows === 'south') words.push('Rows are taken from the south.');
  }
  const codes = CODES[reading.type];
  const range = told.range ?? written.range ?? written.unit ?? null;
  const span = codes ? codes.max - codes.min : 1;
  const height = new Float32Array(reading.samples.length);
  for (let i = 0; i < height.length; i++) {
    let share = codes ? (reading.samples[i] - codes.min) / span : reading.samples[i];
    if (codes && told.bits === 8) share = Math.floor(share * 255.999) / 255;
    if (codes && told.toneCurve) share = linearFromSrgb(share);
    height[i] = (codes || written.unit) && range ? range.low + share * (range.high - range.low) : reading.samples[i];
    if (height[i] - height[i] !== 0) height[i] = 0;
  }
  const size: Ground = { ...ground, datum: 0, across: reading.width, down: reading.height };
  let field = makeField(size, height);
  if (written.format !== 'raw' && told.rows === 'south') field = flipRows(field);
  if (told.mirrored) field = flipColumns(field);
  if (told.turned) field = turn(field, told.turned);
  if (told.grid && told.grid > Math.max(field.ground.across, field.ground.down)) field = extendEdges(field, told.grid, told.grid);
  return { field, symptoms: symptomsOf(truth, field), words };
}

function swapped(reading: Reading): Reading {
  const samples = reading.samples.slice();
  const bytes = new Uint8Array(samples.buffer, samples.byteOffset, samples.byteLength);
  const one = samples.BYTES_PER_ELEMENT;
  for (let i = 0; i < bytes.length; i += one) bytes.subarray(i, i + one).reverse();
  return { ...reading, samples };
}

const show = (m: number) => `${Number(m.toPrecision(4))} m`;

/** Holds the ground that a receiver got against the true one, and names what is seen. */
export function symptomsOf(truth: Field, got: Field): Symptom[] {
  const out: Symptom[] = [];
  const { ground } = truth;
  if (got.ground.across > ground.across || got.ground.down > ground.down) {
    const strip = flatStrip(got);
    const spacing = spacingOf(ground).x;
    if (strip > 1) out.push({ id: 'strip', detail: `${strip - 1} samples, ${show((strip - 1) * spacing)}, along the east and the south.` });
    else out.push({ id: 'slanted', detail: `${got.ground.across} × ${got.ground.down} samples were read; the file has ${ground.across} × ${ground.down}.` });
    return out;
  }
  const rough = roughShare(got);
  if (rough > 6 * Math.max(0.01, roughShare(truth)) && rough > 0.3) {
    out.push({
      id: got.ground.across === ground.across ? 'spikes' : 'slanted',
      detail: `Neighbours differ by ${Math.round(rough * 100)} % of the range on the whole.`,
    });
    return out;
  }
  if (got.ground.across !== ground.across || got.ground.down !== ground.down) {
    // A turned ground that is not square has its sides exchanged; anything else was cut.
    const exchanged = got.ground.across === ground.down && got.ground.down === ground.across;
    out.push({
      id: exchanged ? 'mirrored' : 'slanted',
      detail: `${got.ground.across} × ${got.ground.down} samples were read; the file has ${ground.across} × ${ground.down}.`,
    });
    return out;
  }
  const lies = howItLies(truth, got);
  if (lies) {
    out.push({ id: 'mirrored', detail: lies });
    return out;
  }
  const fit = straightLine(truth, got);
  const { lowest, highest } = statistics(truth);
  const span = Math.max(1e-6, highest - lowest);
  if (distinctShare(got) < 0.35 * distinctShare(truth) && countLevels(got) <= 256) {
    out.push({ id: 'terraces', detail: `${countLevels(got)} different heights, ${show(span / Math.max(1, countLevels(got)))} from one to the next.` });
  }
  if (fit.off > 0.02 * span * Math.abs(fit.factor)) out.push({ id: 'bent', detail: `No single stretch explains it: it is off by up to ${show(fit.off)}.` });
  else {
    if (Math.abs(fit.factor - 1) > 0.005)
      out.push({ id: 'stretched', detail: `Heights are ${Number(fit.factor.toPrecision(3))} times as large as they were.` });
    else if (Math.abs(fit.shift) > 0.002 * span) out.push({ id: 'shifted', detail: `By ${fit.shift > 0 ? '+' : '−'}${show(Math.abs(fit.shift))}.` });
  }
  return out;
}

/** In which way the ground lies that was got, when it lies another way than the true one. */
function howItLies(truth: Field, got: Field): string | null {
  const ways: [string, Field][] = [
    ['', truth],
    ['North and south are exchanged.', flipRows(truth)],
    ['East and west are exchanged.', flipColumns(truth)],
    ['It is turned by 180°.', turn(truth, 180)],
  ];
  if (truth.ground.across === truth.ground.down) {
    ways.push(['It is turned by 90°.', turn(truth, 90)], ['It is turned by 270°.', turn(truth, 270)]);
    ways.push(['Rows and columns are exchanged.', flipRows(turn(truth, 90))], ['Rows and columns are exchanged, and turned.', flipColumns(turn(truth, 90))]);
  }
  const alike = ways.map(([, field]) => correlation(field.height, got.height));
  const best = alike.indexOf(Math.max(...alike));
  return best > 0 && alike[best] > alike[0] + 0.01 ? ways[best][0] : null;
}

function correlation(a: Float32Array, b: Float32Array): number {
  const stride = Math.max(1, Math.floor(a.length / 100_000));
  let [n, sa, sb, aa, bb, ab] = [0, 0, 0, 0, 0, 0];
  const [a0, b0] = [a[0], b[0]];
  for (let i = 0; i < a.length; i += stride) {
    const [x, y] = [a[i] - a0, b[i] - b0];
    n++;
    sa += x;
    sb += y;
    aa += x * x;
    bb += y * y;
    ab += x * y;
  }
  const [va, vb] = [aa - (sa * sa) / n, bb - (sb * sb) / n];
  return va > 0 && vb > 0 ? (ab - (sa * sb) / n) / Math.sqrt(va * vb) : 1;
}

/** Least squares of got = a + factor × truth; `shift`: the difference of their means; `off`: the largest rest among 99.5 % of the samples. */
function straightLine(truth: Field, got: Field): { factor: number; shift: number; off: number } {
  const n = truth.height.length;
  let [sx, sy, xx, xy] = [0, 0, 0, 0];
  const x0 = truth.height[0];
  const y0 = got.height[0];
  for (let i = 0; i < n; i++) {
    const [x, y] = [truth.height[i] - x0, got.height[i] - y0];
    sx += x;
    sy += y;
    xx += x * x;
    xy += x * y;
  }
  const spread = xx - (sx * sx) / n;
  const factor = spread > 0 ? (xy - (sx * sy) / n) / spread : 1;
  const base = sy / n - factor * (sx / n);
  const rests = Float32Array.from({ length: Math.min(n, 40_000) }, (_, k) => {
    const i = Math.floor((k * n) / Math.min(n, 40_000));
    return Math.abs(got.height[i] - y0 - base - factor * (truth.height[i] - x0));
  }).sort();
  const shift = sy / n + y0 + got.ground.datum - (sx / n + x0 + truth.ground.datum);
  return { factor, shift, off: rests[Math.floor(rests.length * 0.995)] ?? 0 };
}

/** The mean step between neighbours along rows, as a share of the range that 98 % of the samples span. */
function roughShare({ ground, height }: Field): number {
  const stride = Math.max(1, Math.floor(ground.down / 256));
  const some: number[] = [];
  let [sum, count] = [0, 0];
  for (let row = 0; row < ground.down; row += stride) {
    for (let column = 1; column < ground.across; column++) {
      const i = row * ground.across + column;
      sum += Math.abs(height[i] - height[i - 1]);
      count++;
      if (column % 8 === 0) some.push(height[i]);
    }
  }
  some.sort((a, b) => a - b);
  const span = some[Math.floor(some.length * 0.99)] - some[Math.floor(some.length * 0.01)];
  return span > 0 ? sum / count / span : 0;
}

/** How many rows at the south and columns at the east are the same as the one before them. */
function flatStrip({ ground, height }: Field): number {
  const { across, down } = ground;
  let strip = 0;
  for (let column = across - 1; column > 0; column--) {
    for (let row = 0; row < down; row++) if (height[row * across + column] !== height[row * across + column - 1]) return strip + 1;
    strip++;
  }
  return strip;
}

function countLevels({ height }: Field): number {
  const seen = new Set<number>();
  const stride = Math.max(1, Math.floor(height.length / 200_000));
  for (let i = 0; i < height.length && seen.size < 20_000; i += stride) seen.add(height[i]);
  return seen.size;
}

const distinctShare = (field: Field) => countLevels(field) / Math.min(20_000, field.height.length);

/** What is wrong with a normal map as it is lit, against the ground it was made from: the mean slope and lean of its normals tell. */
export function symptomsOfNormals(truth: Field, rgb: ArrayLike<number>, full: number, read: { asColour?: boolean; greenTurned?: boolean }): Symptom[] {
  const { ground } = truth;
  if (rgb.length !== 3 * ground.across * ground.down) throw new UplandError('size', 'This normal map has another size than the ground.');
  const value = (code: number) => {
    const v = code / full;
    return 2 * (read.asColour ? linearFromSrgb(v) : v) - 1;
  };
  // Lean to the south of the true slope, against green.
  const { across, down } = ground;
  const { y } = spacingOf(ground);
  let [along, length, count] = [0, 0, 0];
  for (let row = 1; row < down - 1; row++) {
    for (let column = 0; column < across; column += 7) {
      const i = row * across + column;
      const rise = (truth.height[i + across] - truth.height[i - across]) / (2 * y);
      const green = (read.greenTurned ? -1 : 1) * value(rgb[3 * i + 1]);
      along += rise * green;
      const [r, b] = [value(rgb[3 * i]), value(rgb[3 * i + 2])];
      length += Math.abs(Math.sqrt(r * r + green * green + b * b) - 1);
      count++;
    }
  }
  const out: Symptom[] = [];
  if (length / count > 0.1) out.push({ id: 'dull', detail: `Its normals are ${Math.round((100 * length) / count)} % too long or too short on the whole.` });
  else if (along < 0) out.push({ id: 'inside', detail: 'Slopes to the north are lit as slopes to the south.' });
  return out;
}
