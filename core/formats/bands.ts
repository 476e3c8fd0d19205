import { UplandError } from '../errors';
import type { Band, Reading, SampleArray, SampleType } from './format';

/** Which planes (counted from 0) have to be unpacked for a band of a picture. `colour`: its first three are red, green and blue. */
export function planesFor(format: string, channels: number, colour: boolean, band: Band | undefined): number[] {
  if (typeof band === 'number') {
    if (!Number.isInteger(band) || band < 1 || band > channels) {
      throw new UplandError('band', `This ${format} has ${channels === 1 ? 'one band' : `${channels} bands`}; there is no band ${band}.`, { channels });
    }
    return [band - 1];
  }
  if (band && channels < 3) throw new UplandError('band', `This ${format} has no red, green and blue: it has ${channels === 1 ? 'one band' : 'two bands'}.`);
  return band || (colour && channels >= 3) ? [0, 1, 2] : [0];
}

/** The channel (counted from 0) of a file whose channels are no colours; the first without one asked for. */
export function channelOf(format: string, channels: number, band: Band | undefined): number {
  return band === undefined ? 0 : planesFor(format, typeof band === 'number' ? channels : 1, false, band)[0];
}

type Chosen = Pick<Reading, 'samples' | 'type' | 'band' | 'odd'> & { unit?: 'code' };

/**
 * One band of a picture out of the planes that `planesFor` named. A colour picture without a
 * band asked for is looked at: heights packed over its channels are taken as those, greys as
 * what they are, and of anything else the luminance; which it was is said.
 */
export function oneBand(planes: SampleArray[], type: SampleType, channels: number, colour: boolean, band: Band | undefined): Chosen {
  if (planes.length === 1) {
    const number = typeof band === 'number' ? band : 1;
    const words = channels === 2 && colour ? 'Its alpha channel was left out.' : `It has ${channels} bands; band ${number} is read.`;
    return { samples: planes[0], type, ...(channels > 1 ? { band: number } : {}), odd: channels > 1 ? [words] : [] };
  }
  const packed = type === 'u8' && (band === 'packed' || (!band && looksPacked(planes)));
  if (band === 'packed' && !packed) throw new UplandError('band', 'Heights are packed over channels of 8 bits; these have more.');
  if (packed) {
    const samples = new Uint32Array(planes[0].length);
    for (let i = 0; i < samples.length; i++) samples[i] = 65_536 * planes[0][i] + 256 * planes[1][i] + planes[2][i];
    const found = band ? '' : ' One band of it, or its luminance, would destroy them.';
    return { samples, type: 'u24', band: 'packed', unit: 'code', odd: [`Its heights are packed over red, green and blue, 24 bits.${found}`] };
  }
  const grey = !band && isGrey(planes);
  return grey ? asGrey(planes[0], type, channels) : asLuminance(luminance(planes), type, band);
}

/** The same of a picture of 8 bits whose three channels lie beside each other, without a plane for each. */
export function greyOrLuminance(rgb: Uint8Array, band: Band | undefined): Chosen {
  const out = new Uint8Array(rgb.length / 3);
  let grey = true;
  for (let i = 0, at = 0; i < out.length; i++, at += 3) {
    const [r, g, b] = [rgb[at], rgb[at + 1], rgb[at + 2]];
    const same = r === g && g === b;
    grey &&= same;
    out[i] = same ? r : Math.round(LUMA[0] * r + LUMA[1] * g + LUMA[2] * b);
  }
  return grey && !band ? asGrey(out, 'u8', 3) : asLuminance(out, 'u8', band);
}

const asGrey = (samples: SampleArray, type: SampleType, channels: number): Chosen => ({
  samples,
  type,
  band: 1,
  unit: 'code',
  odd: [`It has ${channels} channels that are all the same grey.`],
});

const asLuminance = (samples: SampleArray, type: SampleType, band: Band | undefined): Chosen => ({
  samples,
  type,
  band: 'luminance',
  unit: 'code',
  odd: [`It is a picture in colour; its luminance is read.${band ? '' : ' Choose a band where one of them holds the heights.'}`],
});

/** Shares of red, green and blue in luma (Rec. ITU-R BT.709). */
const LUMA = [0.2126, 0.7152, 0.0722];

/** Luma of the values as they are, rounded to whole codes where they are codes. */
function luminance([r, g, b]: SampleArray[]): SampleArray {
  const out = r.slice() as SampleArray;
  const whole = !(r instanceof Float32Array || r instanceof Float64Array);
  for (let i = 0; i < out.length; i++) {
    const y = r[i] === g[i] && g[i] === b[i] ? r[i] : LUMA[0] * r[i] + LUMA[1] * g[i] + LUMA[2] * b[i];
    out[i] = whole ? Math.round(y) : y;
  }
  return out;
}

function isGrey([r, g, b]: SampleArray[]): boolean {
  for (let i = 0; i < r.length; i++) if (r[i] !== g[i] || g[i] !== b[i]) return false;
  return true;
}

/**
 * Whether three 8-bit planes are one 24-bit number. Of such a number the lower bytes bend
 * against the upper one wherever that steps, so that the whole is smooth: over their bends
 * along the rows the upper falls on the lower with a slope of −1. In a picture the planes bend
 * together. Looked at in the top byte, and where that is everywhere the same in the middle one.
 */
function looksPacked([r, g, b]: SampleArray[]): boolean {
  let count = 0;
  const top = { both: 0, lower: 0, upper: 0 };
  const middle = { both: 0, lower: 0, upper: 0 };
  const add = (sums: typeof top, upper: number, lower: number) => {
    sums.both += upper * lower;
    sums.lower += lower * lower;
    sums.upper += upper * upper;
  };
  const stride = Math.max(1, Math.floor(r.length / 400_000));
  for (let i = 2; i < r.length; i += stride) {
    const dg = 256 * (g[i] - 2 * g[i - 1] + g[i - 2]);
    const db = b[i] - 2 * b[i - 1] + b[i - 2];
    add(top, 65_536 * (r[i] - 2 * r[i - 1] + r[i - 2]), dg + db);
    add(middle, dg, db);
    count++;
  }
  const opposed = ({ both, lower, upper }: typeof top) => {
    if (lower === 0 || upper === 0) return false;
    const slope = -both / lower;
    // Four standard errors of a correlation: no chance of planes that have nothing to do with each other.
    return slope > 0.5 && slope < 1.5 && -both / Math.sqrt(lower * upper) > 4 / Math.sqrt(count);
  };
  return opposed(top.upper > 0 ? top : middle);
}
