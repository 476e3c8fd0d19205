import { inBlocks } from '../../blocks';
import { sentenceOf, StoppedError, UplandError } from '../../errors';
import { resample } from '../../field/resample';
import { spacingOf, type Ground } from '../../field/ground';
import { wholeOf, type Window } from '../../field/window';
import { reliefOf } from '../../masks/terrain';
import { maskWeights, type EvaluateOptions, type Evaluation } from '../../course/evaluate';
import type { Course } from '../../course/schema';
import { LINEAR_OF_CODE } from '../../colour';
import { coverSchema, GRAINS, type Colour, type Cover, type CoverLayer, type Grain } from '../../course/recipe';

/** The cover that a terrain begins with: moor and grass by relief, scree, crag, peat in hollows. */
export const defaultCover = (): Cover =>
  coverSchema.parse({
    ramp: 'relief',
    stops: [
      { at: 0, colour: [73, 76, 52] },
      { at: 0.35, colour: [104, 107, 73] },
      { at: 0.6, colour: [137, 130, 94] },
      { at: 1, colour: [166, 159, 133] },
    ],
    layers: [
      {
        id: 'peat',
        name: 'Peat and rushes',
        colour: [92, 86, 61],
        // Turf stands in it.
        strength: 0.6,
        // Hollows of gentle ground, and not the ways that water is found to take: on level ground those are straight lines.
        where: {
          masks: [
            { id: 'peat-hollow', kind: 'relief', params: { size: 260, low: 0, high: 0.24, softness: 0.22 }, ragged: 0.25, raggedSize: 90 },
            { id: 'peat-slope', kind: 'slope', params: { low: 0, high: 8, softness: 6 } },
          ],
        },
      },
      {
        id: 'scree',
        name: 'Scree',
        colour: [139, 134, 126],
        where: { masks: [{ id: 'scree-slope', kind: 'slope', params: { low: 34, high: 50, softness: 5 }, ragged: 0.6, raggedSize: 160 }] },
      },
      {
        id: 'crag',
        name: 'Crag',
        colour: [112, 109, 106],
        where: { masks: [{ id: 'crag-slope', kind: 'slope', params: { low: 47, high: 90, softness: 6 }, ragged: 0.5, raggedSize: 120 }] },
      },
    ],
  });

/** A picture that repeats: 8-bit colour, three bytes a pixel. */
export interface Picture {
  width: number;
  height: number;
  rgb: Uint8Array;
}

export interface CoverOptions extends EvaluateOptions {
  /** The pictures that layers repeat, by SHA-256. */
  picture?(sha: string): Promise<Picture>;
}

/**
 * How much of each part of the cover lies at every sample, 0 to 1, the ramp first: a layer covers
 * what is beneath it as far as its weight goes, so the parts add up to 1.
 */
export function coverWeights(course: Course, evaluation: Evaluation, cover: Cover, options: EvaluateOptions): Promise<Float32Array<ArrayBuffer>[]> {
  return layCover(cover, evaluation.height.length, async (layer) => (await maskWeights(course, evaluation, [layer], options))[0]);
}

/** The same of `count` samples by what is known of each layer: its weights before its strength, 0 to 1; null: it lies everywhere. */
export async function layCover(
  cover: Cover,
  count: number,
  weigh: (layer: CoverLayer) => Promise<Float32Array<ArrayBuffer> | null>,
): Promise<Float32Array<ArrayBuffer>[]> {
  const parts = [new Float32Array(count).fill(1)];
  for (const layer of cover.layers) {
    const weights = await weigh(layer).catch((error: unknown) => {
      if (error instanceof StoppedError) throw error;
      throw new UplandError('cover', `“${layer.name}” of the ground colour: ${sentenceOf(error)}`);
    });
    const own = weights ?? new Float32Array(count).fill(1);
    const { strength } = layer;
    inBlocks(count, (from, to) => {
      if (strength !== 1) for (let i = from; i < to; i++) own[i] *= strength;
      for (const part of parts) coverPart(part, own, from, to);
    });
    parts.push(own);
  }
  return parts;
}

function coverPart(part: Float32Array, by: Float32Array, from: number, to: number): void {
  for (let i = from; i < to; i++) part[i] *= 1 - by[i];
}

/** What drives the ramp, 0 to 1 at every sample. */
export async function rampValues({ ground, height }: Evaluation, cover: Cover, { kernels, signal }: EvaluateOptions): Promise<Float32Array<ArrayBuffer>> {
  if (cover.ramp === 'relief') return reliefOf(kernels, height, ground, spacingOf(ground), cover.reach, signal);
  if (cover.ramp === 'rank') return ranks(height);
  let [low, high] = [Infinity, -Infinity];
  for (let i = 0; i < height.length; i++) {
    if (height[i] < low) low = height[i];
    if (height[i] > high) high = height[i];
  }
  const scale = high > low ? 1 / (high - low) : 0;
  const out = new Float32Array(height.length);
  for (let i = 0; i < out.length; i++) out[i] = (height[i] - low) * scale;
  return out;
}

const BINS = 65_536;

/** The share of the samples that lie lower, counted in 65 536 bins with straight lines between them. */
export function ranks(height: Float32Array): Float32Array<ArrayBuffer> {
  let [low, high] = [Infinity, -Infinity];
  for (let i = 0; i < height.length; i++) {
    if (height[i] < low) low = height[i];
    if (height[i] > high) high = height[i];
  }
  const out = new Float32Array(height.length);
  if (!(high > low)) return out;
  const scale = (BINS - 1) / (high - low);
  const below = new Float64Array(BINS + 1);
  for (let i = 0; i < height.length; i++) below[Math.floor((height[i] - low) * scale) + 1]++;
  for (let b = 1; b <= BINS; b++) below[b] += below[b - 1];
  for (let i = 0; i < out.length; i++) {
    const at = (height[i] - low) * scale;
    const bin = Math.floor(at);
    out[i] = (below[bin] + (below[bin + 1] - below[bin]) * (at - bin)) / height.length;
  }
  return out;
}

/** The grain of a layer: what it was given, or what its name says. */
export function grainOfLayer({ grain, name }: Pick<CoverLayer, 'grain' | 'name'>): Grain {
  if (grain) return grain;
  const said: [RegExp, Grain][] = [
    [/crag|rock|cliff|lava|ledge/i, 'rock'],
    [/scree|gravel|stone|boulder|rubble|till|talus/i, 'scree'],
    [/sand|dune|beach|silt/i, 'sand'],
    [/snow|ice|firn/i, 'snow'],
  ];
  return said.find(([words]) => words.test(name))?.[1] ?? 'turf';
}

/** The ground's colour, 8-bit sRGB, three bytes a sample; mixed in linear light (IEC 61966-2-1). */
export async function groundColour(course: Course, evaluation: Evaluation, cover: Cover, options: CoverOptions): Promise<Uint8Array<ArrayBuffer>> {
  return colourOf(await coverWeights(course, evaluation, cover, options), evaluation, cover, options);
}

/** The same with the grain of what covers most of each sample, by its place in `GRAINS`. */
export async function groundColourAndGrain(
  course: Course,
  evaluation: Evaluation,
  cover: Cover,
  options: CoverOptions,
): Promise<{ rgb: Uint8Array<ArrayBuffer>; grain: Uint8Array<ArrayBuffer> }> {
  const parts = await coverWeights(course, evaluation, cover, options);
  const kinds = [cover.grain ?? 'turf', ...cover.layers.map(grainOfLayer)].map((kind) => Object.keys(GRAINS).indexOf(kind));
  const grain = new Uint8Array(evaluation.height.length);
  for (let i = 0; i < grain.length; i++) {
    let most = 0;
    for (let k = 1; k < parts.length; k++) if (parts[k][i] > parts[most][i]) most = k;
    grain[i] = kinds[most];
  }
  return { rgb: await colourOf(parts, evaluation, cover, options), grain };
}

async function colourOf(parts: Float32Array[], evaluation: Evaluation, cover: Cover, options: CoverOptions): Promise<Uint8Array<ArrayBuffer>> {
  const { ground } = evaluation;
  return paintCover(parts, await rampValues(evaluation, cover, options), cover, { ground, window: wholeOf(ground) }, options);
}

/** The colour of a piece of a ground, 8-bit sRGB, by the parts of its cover and what drives the ramp (0 to 1). */
export async function paintCover(
  parts: Float32Array[],
  values: Float32Array,
  cover: Cover,
  { ground, window }: { ground: Ground; window: Window },
  options: Pick<CoverOptions, 'picture'>,
): Promise<Uint8Array<ArrayBuffer>> {
  const stops = [...cover.stops].sort((a, b) => a.at - b.at);
  const table = new Float64Array(3 * 257);
  for (let k = 0; k <= 256; k++) {
    const t = k / 256;
    const upper = stops.findIndex((s) => s.at >= t);
    const [a, b] = upper < 0 ? [stops.at(-1)!, stops.at(-1)!] : [stops[Math.max(0, upper - 1)], stops[upper]];
    const share = b.at > a.at ? Math.min(1, Math.max(0, (t - a.at) / (b.at - a.at))) : 0;
    for (let c = 0; c < 3; c++) table[3 * k + c] = LINEAR_OF_CODE[a.colour[c]] + (LINEAR_OF_CODE[b.colour[c]] - LINEAR_OF_CODE[a.colour[c]]) * share;
  }
  const coats: Coat[] = [];
  for (const layer of cover.layers) {
    const picture = layer.picture ? await options.picture?.(layer.picture) : undefined;
    if (layer.picture && !picture) throw new UplandError('cover', `The picture of “${layer.name}” is not here.`);
    coats.push(picture ? repeating(picture, layer.pictureSize, ground) : plain(layer.colour));
  }
  const spacing = spacingOf(ground);
  const pad = ground.registration === 'area' ? 0.5 : 0;
  const { across, left, top } = window;
  const out = new Uint8Array(3 * values.length);
  const light = new Float64Array(3 * across);
  for (let row = 0; row < window.down; row++) {
    const start = row * across;
    paintRamp(light, table, values.subarray(start, start + across), parts[0].subarray(start, start + across));
    const south = (top + row + pad) * spacing.y;
    for (const [n, coat] of coats.entries()) paint(light, coat, parts[n + 1].subarray(start, start + across), south, left + pad, spacing.x);
    putCodes(out.subarray(3 * start), light);
  }
  return out;
}

/** A row of the ramp, as far as nothing lies over it: `table` has its colours at 257 places. */
function paintRamp(light: Float64Array, table: Float64Array, values: Float32Array, weights: Float32Array): void {
  for (let column = 0, to = 0; column < values.length; column++, to += 3) {
    const at = Math.min(255.999, Math.max(0, values[column] * 256));
    const whole = Math.floor(at);
    const k = 3 * whole;
    const u = at - whole;
    const beneath = weights[column];
    light[to] = beneath * (table[k] + (table[k + 3] - table[k]) * u);
    light[to + 1] = beneath * (table[k + 1] + (table[k + 4] - table[k + 1]) * u);
    light[to + 2] = beneath * (table[k + 2] + (table[k + 5] - table[k + 2]) * u);
  }
}

function putCodes(out: Uint8Array, light: Float64Array): void {
  for (let i = 0; i < light.length; i++) out[i] = toScreen(light[i]);
}

/** A row of a coat laid on as far as its weights go; `first`: where its first sample lies, in samples from the west edge. */
function paint(light: Float64Array, { channels, across, down, size, tall }: Coat, weights: Float32Array, south: number, first: number, spacing: number): void {
  const [red, green, blue] = channels;
  const row = across === 1 ? 0 : texel(south, tall, down) * across;
  for (let column = 0; column < weights.length; column++) {
    const weight = weights[column];
    if (weight === 0) continue;
    const from = across === 1 ? 0 : row + texel((column + first) * spacing, size, across);
    light[3 * column] += weight * red[from];
    light[3 * column + 1] += weight * green[from];
    light[3 * column + 2] += weight * blue[from];
  }
}

/** What a layer is painted with: a colour, or a picture that repeats every `size` × `tall` metres; linear light. */
interface Coat {
  channels: Float32Array[];
  across: number;
  down: number;
  size: number;
  tall: number;
}

const plain = (colour: Colour): Coat => ({ channels: colour.map((c) => Float32Array.of(LINEAR_OF_CODE[c])), across: 1, down: 1, size: 1, tall: 1 });

const texel = (metres: number, size: number, count: number) => Math.min(count - 1, Math.floor(((metres / size) % 1) * count));

/** A repeating picture sized in metres, averaged over what a sample covers, so that it does not flicker. */
function repeating({ width, height, rgb }: Picture, size: number, ground: Ground): Coat {
  const spacing = spacingOf(ground);
  const factor = Math.max(1, Math.round((Math.max(spacing.x, spacing.y) * width) / size));
  const [across, down] = [Math.max(1, Math.round(width / factor)), Math.max(1, Math.round(height / factor))];
  const own: Ground = { width, depth: height, across: width, down: height, registration: 'area', datum: 0, sea: 0 };
  const channels = [0, 1, 2].map((c) => {
    const plane = new Float32Array(width * height);
    for (let i = 0; i < plane.length; i++) plane[i] = LINEAR_OF_CODE[rgb[3 * i + c]];
    return across === width && down === height ? plane : resample({ ground: own, height: plane }, { ...own, across, down }, 'average').height;
  });
  return { channels, across, down, size, tall: (size * height) / width };
}

/** The codes of linear light in 65 535 steps: some twenty to a code where it is darkest. */
const TO_SCREEN = new Uint8Array(65_536);
for (let i = 0, code = 0; i < TO_SCREEN.length; i++) {
  while (code < 255 && i / 65_535 > (LINEAR_OF_CODE[code] + LINEAR_OF_CODE[code + 1]) / 2) code++;
  TO_SCREEN[i] = code;
}

const toScreen = (light: number): number => TO_SCREEN[light <= 0 ? 0 : light >= 1 ? 65_535 : (light * 65_535 + 0.5) | 0];

/**
 * Weights as whole numbers that add up to exactly full scale at every sample: rounded down, and
 * the rest given to those that lost the most (largest remainder). Channels side by side in fours,
 * red to alpha, in one or two pictures; a channel that is not there is 0.
 */
export function packWeights(parts: readonly Float32Array[], bits: 8 | 16): (Uint8Array<ArrayBuffer> | Uint16Array<ArrayBuffer>)[] {
  if (parts.length < 2 || parts.length > 8) throw new UplandError('weights', `Weights go into two to eight channels; there are ${parts.length}.`);
  const full = bits === 16 ? 65_535 : 255;
  const count = parts[0].length;
  const pictures = Array.from({ length: Math.ceil(parts.length / 4) }, () => (bits === 16 ? new Uint16Array(4 * count) : new Uint8Array(4 * count)));
  const whole = new Int32Array(parts.length);
  const lost = new Float64Array(parts.length);
  for (let i = 0; i < count; i++) {
    let sum = 0;
    for (const part of parts) sum += Math.max(0, part[i]);
    let left = full;
    for (let k = 0; k < parts.length; k++) {
      const share = sum > 0 ? (Math.max(0, parts[k][i]) / sum) * full : k === 0 ? full : 0;
      whole[k] = Math.floor(share);
      lost[k] = share - whole[k];
      left -= whole[k];
    }
    for (; left > 0; left--) {
      let most = 0;
      for (let k = 1; k < parts.length; k++) if (lost[k] > lost[most]) most = k;
      whole[most]++;
      lost[most] = -1;
    }
    for (let k = 0; k < parts.length; k++) pictures[k >> 2][4 * i + (k & 3)] = whole[k];
  }
  return pictures;
}
