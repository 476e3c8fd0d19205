import {
  defaultCover,
  LINEAR_OF_CODE,
  resample,
  skyLight,
  spacingOf,
  srgbFromLinear,
  sunShare,
  withSamples,
  type Cover,
  type Field,
  type Ground,
  type Kernels,
} from '@upland-cast/core';
import { daylight, fresnel, throughWater, type Rgb } from './sky';

/** The day that small pictures are taken on. */
const DAY = { azimuth: 305, altitude: 34, turbidity: 2.6 };
/** Small pictures flatten slopes; they are lifted by so much at most. */
const MOST_LIFT = 2.2;
/** What water throws back of the sky, seen from straight above. */
const THROWN = fresnel(1);
const DEEP: Rgb = [0.012, 0.05, 0.065];
/** What white level ground comes to. */
const BRIGHTNESS = 1.45;

const bright = ([r, g, b]: Rgb) => 0.2126 * r + 0.7152 * g + 0.0722 * b;

/** Sun and sky of the day, balanced so that level white ground has no tint. */
function lightOfDay(): { sun: Rgb; sky: Rgb; towards: Rgb } {
  const { sun, sky } = daylight(DAY);
  const [high, around] = [(DAY.altitude * Math.PI) / 180, (DAY.azimuth * Math.PI) / 180];
  const whole = sun.map((part, c) => part * Math.sin(high) + sky[c]) as Rgb;
  const balanced = (of: Rgb) => of.map((part, c) => (part * BRIGHTNESS * (bright(whole) / whole[c]) ** 0.7) / bright(whole)) as Rgb;
  return { sun: balanced(sun), sky: balanced(sky), towards: [Math.sin(around) * Math.cos(high), Math.sin(high), -Math.cos(around) * Math.cos(high)] };
}

const linear = (colour: readonly number[]) => colour.map((c) => LINEAR_OF_CODE[c]) as Rgb;
/** Of what stands where it is steep in the usual cover. */
const ROCK: Rgb = [0.235, 0.225, 0.21];

/** What a cover has where it is steep: its last layer. */
const steepColour = (cover: Cover | undefined): Rgb => (cover?.layers.length ? linear(cover.layers[cover.layers.length - 1].colour) : ROCK);

/** The cover's colours by relief, linear. */
function coverColours(cover: Cover): (share: number) => Rgb {
  const stops = cover.stops.map(({ at, colour }) => ({ at, colour: linear(colour) }));
  const mixed = (share: number): Rgb => {
    const upper = Math.max(
      1,
      stops.findIndex(({ at }) => at >= share),
    );
    const [a, b] = [stops[upper - 1], stops[upper]];
    const t = Math.min(1, Math.max(0, (share - a.at) / (b.at - a.at)));
    return a.colour.map((part, c) => part + t * (b.colour[c] - part)) as Rgb;
  };
  const table = Array.from({ length: COLOURS + 1 }, (_, i) => mixed(i / COLOURS));
  return (share) => table[Math.round(COLOURS * Math.min(1, Math.max(0, share)))];
}

/** Colours from the lowest to the highest: finer than anybody sees in a small picture. */
const COLOURS = 1024;
/** Codes from black to white, in even steps of light; twelve bits' worth keep the darkest apart. */
const CODES = Uint8ClampedArray.from({ length: 4096 }, (_, i) => 255 * srgbFromLinear(i / 4095, (a, b) => a ** b));
const NO_WATER: Rgb = [1, 1, 1];

interface Strip {
  small: Field;
  /** The lowest and the highest of the whole ground. */
  range: [low: number, high: number];
  width: number;
  height: number;
  lift: number;
  /** Rows of the small field above the strip. */
  skip: number;
}

function stripOf(field: Field, width: number, height: number): Strip {
  const { ground } = field;
  const tall = Math.max(height, Math.round((width * ground.depth) / ground.width));
  const small = resample({ ...field, valid: undefined }, withSamples(ground, width, tall), ground.across > 2 * width ? 'average' : undefined);
  return { small, range: rangeOf(small.height), width, height, lift: liftOf(ground, width), skip: Math.floor((tall - height) / 2) };
}

/** The same without what lies north and south of the strip, from no more samples than a small picture can tell from all of them. */
function quickStripOf(field: Field, width: number, height: number): Strip {
  const { ground } = field;
  const every = Math.max(1, Math.floor((ground.across - 1) / (2 * width)));
  const [across, down] = [Math.floor((ground.across - 1) / every) + 1, Math.floor((ground.down - 1) / every) + 1];
  const picked = new Float32Array(across * down);
  for (let row = 0, i = 0; row < down; row++) {
    for (let column = 0, from = row * every * ground.across; column < across; column++, i++, from += every) picked[i] = field.height[from];
  }
  // A row more to either side, for the slopes of the outermost.
  const rows = Math.min(down, Math.ceil(((height + 2) * across) / width));
  const top = Math.floor((down - rows) / 2);
  const cut = { ...ground, across, down: rows, depth: (ground.depth * rows) / down };
  const strip = stripOf({ ground: cut, height: picked.subarray(top * across, (top + rows) * across) }, width, height);
  return { ...strip, range: rangeOf(picked), lift: liftOf(ground, width) };
}

const liftOf = (ground: Ground, width: number) => Math.min(MOST_LIFT, Math.max(1, Math.sqrt(ground.across / width)));

function rangeOf(height: Float32Array): [low: number, high: number] {
  let [lowest, highest] = [Infinity, -Infinity];
  for (const v of height) {
    if (v < lowest) lowest = v;
    if (v > highest) highest = v;
  }
  return [lowest, highest];
}

/** A field from above by day, in the colours of its cover or of the usual one, with shadows, sky and the sea: RGBA, the middle strip of the ground in the shape asked for. */
export async function landscapePixels(kernels: Kernels, field: Field, width: number, height: number, cover?: Cover): Promise<Uint8ClampedArray<ArrayBuffer>> {
  const strip = stripOf(field, width, height);
  const sky = await skyLight(kernels, strip.small, { directions: 16, exaggeration: strip.lift });
  const sun = await sunShare(kernels, strip.small, { ...DAY, disc: 4 }, strip.lift);
  return paint(strip, (i) => [sky[i], sun[i]], cover);
}

/** The same at once, where nothing casts a shadow: for cards that are drawn while work goes on. */
export const openPixels = (field: Field, width: number, height: number, cover?: Cover): Uint8ClampedArray<ArrayBuffer> =>
  paint(quickStripOf(field, width, height), (_, up) => [0.5 + 0.5 * up, 1], cover);

/** Paints a strip; `sharesAt` gives the shares of sky and sun at a sample, whose normal points up so much. */
function paint(
  { small, range: [lowest, highest], width, height, lift, skip }: Strip,
  sharesAt: (index: number, up: number) => [number, number],
  cover: Cover | undefined,
): Uint8ClampedArray<ArrayBuffer> {
  const { ground, height: h } = small;
  const { x, y } = spacingOf(ground);
  const light = lightOfDay();
  const colourAt = coverColours(cover ?? defaultCover());
  const rock = steepColour(cover);
  const sea = ground.sea - ground.datum;
  const dry = Math.max(lowest, Math.min(sea, highest));
  const pixels = new Uint8ClampedArray(width * height * 4);
  for (let row = 0, p = 0; row < height; row++) {
    for (let column = 0; column < width; column++, p += 4) {
      const r = row + skip;
      const i = r * width + column;
      const [w, e] = [column > 0 ? 1 : 0, column < width - 1 ? 1 : 0];
      const [n, s] = [r > 0 ? width : 0, r < ground.down - 1 ? width : 0];
      const gx = (lift * (h[i + e] - h[i - w])) / (Math.max(1, w + e) * x);
      const gy = (lift * (h[i + s] - h[i - n])) / ((n > 0 && s > 0 ? 2 : 1) * y);
      const up = 1 / Math.sqrt(1 + gx * gx + gy * gy);
      const [sky, sun] = sharesAt(i, up);
      const lit = Math.max(0, up * (light.towards[1] - gx * light.towards[0] - gy * light.towards[2])) * sun;
      const steep = Math.min(1, Math.max(0, (Math.sqrt(gx * gx + gy * gy) / lift - 0.45) / 0.5));
      const base = colourAt(highest > dry ? (h[i] - dry) / (highest - dry) : 0.5);
      const left = h[i] < sea ? throughWater((sea - h[i]) / 6) : NO_WATER;
      for (let c = 0; c < 3; c++) {
        const albedo = base[c] + 0.8 * steep * (rock[c] - base[c]);
        const falls = light.sun[c] * lit + light.sky[c] * sky + albedo * (1 - sky) * 0.5 * (light.sun[c] * light.towards[1] + light.sky[c]);
        let seen = albedo * falls;
        if (h[i] < sea) seen = seen * left[c] + (DEEP[c] * 2.2 + THROWN * light.sky[c]) * (1 - left[c]);
        // What is brighter than paper bends over (Reinhard, with white at 2.5).
        seen = (seen * (1 + seen / 6.25)) / (1 + 0.35 * seen);
        pixels[p + c] = CODES[Math.round(4095 * Math.min(1, seen))];
      }
      pixels[p + 3] = 255;
    }
  }
  return pixels;
}
