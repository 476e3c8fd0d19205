import { inBlocks } from '../../blocks';
import { grouped } from '../../grouped';
import { waterDepth, waterOf, waterWeights, type Waters } from '../../analysis/water';
import { ambientShade } from '../../analysis/ambient';
import { drainageOf, spreadAccumulation } from '../../analysis/drainage';
import { aspect, slopeOnKernels } from '../../analysis/slope';
import { curvatureOf, normalMap } from '../../analysis/surface';
import { waterRulesOf } from '../../course/water';
import { maskAt, type Evaluation } from '../../course/evaluate';
import type { Course } from '../../course/schema';
import { UplandError } from '../../errors';
import { makeField, type Field } from '../../field/field';
import { sha256 } from '../../field/hash';
import { spacingOf, type Ground } from '../../field/ground';
import { gaussian } from '../../field/gaussian';
import { statistics } from '../../field/statistics';
import { formatById } from '../../formats';
import { AS_PNG, decodePicture, encodePicture, packPicture, type PictureAs } from '../../formats/picture';
import type { Image } from '../../formats/png';
import type { Kernels } from '../../kernels/pool';
import { coverWeights, groundColour, packWeights, ranks, type CoverOptions } from './cover';
import { deliver } from '../heights/deliver';
import type { Statement } from '../heights/prepare';
import type { FileRole } from '../report/delivery-report';
import type { Proof } from '../heights/proof';
import type { Cover, MapSpec, Order } from '../../course/recipe';

export const MAPS: Record<MapSpec['kind'], { title: string; file: string; summary: string; finds: readonly string[]; colour?: boolean }> = {
  slope: { title: 'Slope', file: 'slope', summary: 'Degrees, 0 to 90 (Horn 1981).', finds: ['steepness', 'gradient', 'angle'] },
  aspect: { title: 'Aspect', file: 'aspect', summary: 'Where slopes face, degrees clockwise from north.', finds: ['facing', 'direction', 'orientation'] },
  curvature: {
    title: 'Curvature',
    file: 'curvature',
    summary: 'Ridges bright, hollows dark (Zevenbergen & Thorne 1987).',
    finds: ['cavity', 'convexity', 'convex', 'concave', 'edge wear'],
  },
  flow: {
    title: 'Flow accumulation',
    file: 'flow',
    summary: 'Land that drains through, by its logarithm in 8 and 16 bits.',
    finds: ['drainage', 'streams', 'accumulation', 'wetness', 'flow map'],
  },
  layer: {
    title: 'Layer of a step',
    file: 'layer',
    summary: 'Cut, fill, flow, water, sediment, loose, ice or till that weathering left.',
    finds: ['erosion', 'wear', 'deposition', 'sediment', 'data', 'output'],
  },
  mask: { title: 'Mask of a step', file: 'mask', summary: 'Where a step acts.', finds: ['splat', 'selection', 'weight', 'alpha'] },
  ambient: { title: 'Ambient shade', file: 'ambient', summary: 'The share of an even sky that is seen.', finds: ['ao', 'cavity', 'sky', 'ambient occlusion'] },
  height: {
    title: 'Height as a map',
    file: 'height-map',
    summary: 'Lowest to highest; equalised, every grey covers as much ground.',
    finds: ['displacement', 'bump', 'greyscale'],
  },
  'water mask': { title: 'Water mask', file: 'water', summary: 'White where the sea stands, a lake lies or a stream runs.', finds: ['sea', 'lake', 'river'] },
  'water depth': {
    title: 'Water depth',
    file: 'water-depth',
    summary: 'Metres of water over the ground: sea, lakes at their own levels, streams.',
    finds: ['bathymetry', 'sea', 'lake', 'depth'],
  },
  normal: { title: 'Normal map', file: 'normal', summary: 'The way the ground faces, as data in three channels.', finds: ['bump', 'normals', 'tangent space'] },
  colour: {
    title: 'Ground colour',
    file: 'colour',
    summary: 'The ground’s own colour, sRGB.',
    finds: ['albedo', 'diffuse', 'texture', 'satellite', 'base color'],
    colour: true,
  },
  weights: {
    title: 'Material weights',
    file: 'weights',
    summary: 'How much of each part of the ground colour; adds up to full scale.',
    finds: ['splat', 'splatmap', 'materials', 'blend', 'layers', 'masks'],
  },
};

/** A map as it is drawn: values of one kind, or a picture. */
export type DrawnMap =
  | { field: Field; low: number; high: number; unit: string; depth: '8' | '16' | '32f'; words: string[] }
  | { images: { image: Image; suffix: string; channels: string[] }[]; words: string[] };

const unitRange = (low: number, high: number) => ({ low, high: high > low ? high : low + 1 });

/** What a map is drawn of. */
interface Drawn {
  course: Course;
  evaluation: Evaluation;
  /** The ground of the evaluation under the course's sea. */
  field: Field;
  cover: Cover;
  options: CoverOptions;
}

type Depth = '8' | '16' | '32f';

/** Draws a map of a worked-out course, at its samples. */
export async function drawMap(spec: MapSpec, course: Course, evaluation: Evaluation, cover: Cover, options: CoverOptions): Promise<DrawnMap> {
  const { ground, height } = evaluation;
  const field: Field = { ground: { ...ground, sea: course.ground.sea }, height };
  const draw = DRAWERS[spec.kind] as (spec: MapSpec, of: Drawn) => DrawnMap | Promise<DrawnMap>;
  return draw(spec, { course, evaluation, field, cover, options });
}

/** A map of one value a sample, over a range or from its lowest to its highest. */
function values(
  { field }: Drawn,
  of: Float32Array<ArrayBuffer>,
  range: { low: number; high: number } | null,
  unit: string,
  depth: Depth,
  ...words: string[]
): DrawnMap {
  const own = makeField({ ...field.ground, datum: 0 }, of);
  const { lowest, highest } = range ? { lowest: range.low, highest: range.high } : statistics(own);
  return { field: own, ...unitRange(lowest, highest), unit, depth, words };
}

const DRAWERS: { [K in MapSpec['kind']]: (spec: Extract<MapSpec, { kind: K }>, of: Drawn) => DrawnMap | Promise<DrawnMap> } = {
  slope: async ({ depth }, of) =>
    values(of, await slopeOnKernels(of.options.kernels, of.field, { signal: of.options.signal }), { low: 0, high: 90 }, '°', depth),
  aspect: ({ depth }, of) => {
    const facing = each(aspect(of.field), (a) => (a < 0 ? 0 : a));
    return values(of, facing, { low: 0, high: 360 }, '°', depth, 'Level ground faces nowhere; it is written as 0.');
  },
  curvature: curvatureMap,
  flow: flowMap,
  layer: (spec, of) => {
    const { evaluation } = of;
    const stage = evaluation.stages.find(({ use }) => use.id === spec.after);
    if (spec.after && !stage) throw new UplandError('layer', 'The step that this layer is taken after is not on this ground’s line, or is off.');
    const layer = (stage ?? evaluation).layers[spec.layer];
    if (!layer) throw new UplandError('layer', `No step ${stage ? 'up to there' : 'of this course'} leaves a layer “${spec.layer}”.`);
    return values(of, layer.slice(), null, spec.layer === 'flow' ? 'm²' : 'm', spec.depth);
  },
  mask: async ({ use, depth }, of) => {
    const weights = await maskAt(of.course, of.evaluation, use, of.options);
    if (!weights) throw new UplandError('mask', 'This step acts everywhere: it has no mask to hand on.');
    return values(of, weights.slice(), { low: 0, high: 1 }, '', depth);
  },
  ambient: async ({ directions, depth }, of) => {
    const { kernels, signal } = of.options;
    return values(of, await ambientShade(kernels, of.field, { directions, exaggeration: 1 }, { signal }), { low: 0, high: 1 }, '', depth);
  },
  height: ({ equalised, depth }, of) => {
    const { ground, height } = of.field;
    if (equalised) return values(of, ranks(height), { low: 0, high: 1 }, '', depth, 'Each value is the share of the ground that lies lower.');
    const elevations = each(height, (h) => h + ground.datum);
    return values(of, elevations, null, 'm', depth);
  },
  'water mask': async (spec, of) => values(of, waterWeights(await waterFor(spec.of, of), spec.of), { low: 0, high: 1 }, '', '8'),
  'water depth': async (spec, of) => values(of, waterDepth(await waterFor(spec.of, of), spec.of), null, 'm', spec.depth),
  normal: async (spec, { field, options: { kernels, signal } }) => ({
    images: [
      {
        image: { width: field.ground.across, height: field.ground.down, channels: 3, samples: await normalMap(kernels, field, spec, { signal }) },
        suffix: '',
        channels: ['red', 'green', 'blue'],
      },
    ],
    words: [
      {
        tangent: `Tangent space: red east, green ${spec.green === 'up' ? 'north (+Y up)' : 'south (+Y down)'}, blue up.`,
        'world-y': 'World space: red east, green up, blue south.',
        'world-z': 'World space: red east, green north, blue up.',
      }[spec.space],
      'Data and not colour: to be read as linear.',
    ],
  }),
  colour: async (_, { course, evaluation, cover, options }) => colourMap(await groundColour(course, evaluation, cover, options), evaluation.ground),
  weights: async ({ bits }, { course, evaluation, cover, options }) =>
    weightsMap(await coverWeights(course, evaluation, cover, options), cover, bits, evaluation.ground),
};

/** The waters that are asked for, by the course's own rules. */
function waterFor(of: Waters, { course, field, options: { kernels, signal } }: Drawn) {
  const rules = waterRulesOf(course);
  const only = (kind: Waters) => of === 'all' || of === kind;
  return waterOf(kernels, field, { ...rules, lakes: rules.lakes && only('lakes'), streams: rules.streams && only('streams') }, { signal });
}

async function curvatureMap({ size, way, depth }: Extract<MapSpec, { kind: 'curvature' }>, of: Drawn): Promise<DrawnMap> {
  const { ground, height } = of.field;
  const { kernels, signal } = of.options;
  const spacing = spacingOf(ground);
  const smooth = size > 0 ? await gaussian(kernels, height, ground.across, ground.down, size / 2 / spacing.x, size / 2 / spacing.y, { signal }) : height;
  const curved = curvatureOf(smooth, ground.across, ground.down, spacing, way);
  let sum = 0;
  for (let i = 0; i < curved.length; i++) {
    curved[i] *= -1_000;
    sum += curved[i] * curved[i];
  }
  // Three deviations either way, so that a single edge does not take all the codes.
  const reach = Math.max(0.01, Number((3 * Math.sqrt(sum / curved.length)).toPrecision(3)));
  const words = ['Above 0 the ground stands out, below 0 it is hollow.', `Beyond ±${reach} it stands at the end of the codes.`];
  return values(of, curved, { low: -reach, high: reach }, '1/km', depth, ...words);
}

async function flowMap({ depth }: Extract<MapSpec, { kind: 'flow' }>, of: Drawn): Promise<DrawnMap> {
  const { field } = of;
  const { kernels, signal } = of.options;
  const spacing = spacingOf(field.ground);
  const toSea = statistics(field).lowest < field.ground.sea;
  const flow = spreadAccumulation(field, await drainageOf(kernels, field, { toSea, signal }), 'multiple');
  const cell = spacing.x * spacing.y;
  for (let i = 0; i < flow.length; i++) flow[i] *= cell;
  if (depth === '32f') return values(of, flow, null, 'm²', depth);
  // Steps of the binary logarithm, exact at powers of two and straight between them.
  for (let i = 0; i < flow.length; i++) flow[i] = logarithm2(flow[i] / cell);
  return values(of, flow, null, 'log2', depth, `Land that drains through is ${cell} m² × 2 to this power, straight between whole powers.`);
}

/** The ground colour over a piece of ground as a picture. */
export const colourMap = (samples: Uint8Array<ArrayBuffer>, ground: Ground): DrawnMap => ({
  images: [{ image: { width: ground.across, height: ground.down, channels: 3, samples }, suffix: '', channels: ['red', 'green', 'blue'] }],
  words: ['Colour: sRGB.', `One texel covers ${Number(spacingOf(ground).x.toPrecision(5))} m of the ground.`],
});

/** The parts of a cover over a piece of ground as pictures of four channels. */
export function weightsMap(parts: readonly Float32Array[], cover: Cover, bits: 8 | 16, ground: Ground): DrawnMap {
  const names = ['ground', ...cover.layers.map((l) => l.name)];
  return {
    images: packWeights(parts, bits).map((samples, k) => ({
      image: { width: ground.across, height: ground.down, channels: 4, samples },
      suffix: parts.length > 4 ? `-${k + 1}` : '',
      channels: ['red', 'green', 'blue', 'alpha'].filter((_, c) => names[4 * k + c]).map((c, i) => `${c}: ${names[4 * k + i]}`),
    })),
    words: [
      `The channels of a sample add up to exactly ${bits === 16 ? 65_535 : 255}.`,
      'Data and not colour: to be read as linear, the alpha channel as it is.',
    ],
  };
}

/** A value for each sample; typed arrays' own `from` takes ten times as long. */
function each(values: Float32Array, of: (value: number) => number): Float32Array<ArrayBuffer> {
  const out = new Float32Array(values.length);
  for (let i = 0; i < out.length; i++) out[i] = of(values[i]);
  return out;
}

/** log2, exact at powers of two and straight between them, so that every engine agrees. */
function logarithm2(value: number): number {
  let [power, scale] = [0, 1];
  while (scale * 2 <= value && power < 60) {
    scale *= 2;
    power++;
  }
  return value >= 1 ? power + value / scale - 1 : 0;
}

/** A written map, proofed. */
export interface MapFile {
  name: string;
  role: FileRole;
  unit: '';
  bytes: Uint8Array<ArrayBuffer>;
  mediaType: string;
  meaning: 'data' | 'colour';
  title: string;
  toTypeIn: Statement[];
  words: string[];
  proof: Pick<Proof, 'ok' | 'maxAbs' | 'rmse' | 'clipped' | 'codesUsed' | 'sha256' | 'bytes' | 'faults'>;
}

/** A map, what its files are called after the name of the delivery, and what it is written as. */
export type NamedMap = MapSpec & { file?: string; as?: Order['mapsAs'] };

/** Writes a drawn map, reads the bytes back and holds every sample against what was drawn. `stem` is the name without an ending. */
export async function writeMap(spec: NamedMap, drawn: DrawnMap, stem: string, kernels?: Kernels): Promise<MapFile[]> {
  const { title, file, colour } = MAPS[spec.kind];
  const part = spec.file ?? (spec.kind === 'layer' ? spec.layer : file);
  const base = { role: roleOf(spec), unit: '' as const, title, meaning: colour ? ('colour' as const) : ('data' as const), words: drawn.words };
  const as = spec.as ?? AS_PNG;
  if ('field' in drawn) {
    const { format: wanted, order, rows } = as;
    const format = wanted === 'png' && drawn.depth === '32f' ? 'tiff' : wanted;
    const type = drawn.depth === '32f' ? ('f32' as const) : drawn.depth === '16' ? ('u16' as const) : ('u8' as const);
    const name = `${stem}-${part}${formatById(format).endings[0]}`;
    const range = type === 'f32' ? undefined : { low: drawn.low, high: drawn.high };
    const noData = drawn.field.valid && type === 'f32' ? NO_DATA : undefined;
    const { bytes, proof } = await deliver(drawn.field, name, { format, type, range, noData, options: { order, rows } });
    const number = (v: number) => `${Number(v.toPrecision(7))}${drawn.unit && drawn.unit !== 'log2' ? ` ${drawn.unit}` : ''}`;
    const toTypeIn = range
      ? [
          { label: 'Lowest code', value: number(drawn.low) },
          { label: 'Highest code', value: number(drawn.high) },
        ]
      : [{ label: 'Values', value: drawn.unit || 'shares, 0 to 1' }];
    if (noData !== undefined) toTypeIn.push({ label: 'No data', value: String(noData) });
    if (format === 'raw') {
      const { across, down } = drawn.field.ground;
      toTypeIn.push(...laidRaw(`${across} × ${down}, ${type === 'f32' ? '32-bit floats' : `${drawn.depth}-bit whole numbers`}, one channel`, as));
    }
    return [{ ...base, name, bytes, mediaType: formatById(format).mediaType, toTypeIn, proof }];
  }
  const files: MapFile[] = [];
  for (const { image, suffix, channels } of drawn.images) {
    const { endings, mediaType } = formatById(as.format);
    const name = `${stem}-${part}${suffix}${endings[0]}`;
    const bytes = kernels ? await packPicture(image, as, kernels) : encodePicture(image, as);
    const proof = await proveImage(bytes, image, as);
    if (!proof.ok) throw new UplandError('proof-failed', `${name} was not handed on: its proof failed. ${proof.faults.join(' ')}`, { proof });
    const bits = image.samples instanceof Uint16Array ? 16 : 8;
    const toTypeIn = [{ label: 'Channels', value: `${channels.join(', ')}; ${bits} bits each` }];
    if (as.format === 'raw') toTypeIn.push(...laidRaw(`${image.width} × ${image.height}, ${image.channels} channels side by side`, as));
    files.push({ ...base, name, bytes, mediaType, toTypeIn, proof });
  }
  return files;
}

function roleOf({ kind }: MapSpec): FileRole {
  if (kind === 'normal' || kind === 'colour' || kind === 'weights') return kind;
  return kind === 'mask' || kind === 'water mask' ? 'mask' : 'map';
}

/** What stands in a map of floats where nothing is known (common practice). */
const NO_DATA = -9999;

/** What the other side has to be told of raw bytes. */
const laidRaw = (samples: string, { order, rows }: PictureAs): Statement[] => [
  { label: 'Samples', value: samples },
  { label: 'Byte order', value: order === 'be' ? 'big-endian' : 'little-endian' },
  { label: 'First row', value: rows === 'south' ? 'the south edge' : 'the north edge' },
];

/** Reads a picture back, through the reader of any stranger's file, and holds every sample against what was to be written. */
export async function proveImage(bytes: Uint8Array<ArrayBuffer>, image: Image, as = AS_PNG): Promise<MapFile['proof']> {
  const proof: MapFile['proof'] = { ok: false, maxAbs: 0, rmse: 0, clipped: 0, codesUsed: 0, sha256: await sha256(bytes), bytes: bytes.length, faults: [] };
  const { width, height, channels, samples } = image;
  const used = new Uint8Array(65_536);
  let [wrong, sum] = [0, 0];
  const read = await decodePicture(bytes, as, image).catch((error: unknown) => error as Error);
  if (read instanceof Error) {
    proof.faults.push(`The file cannot be read back: ${read.message}`);
    return proof;
  }
  if (read.width !== width || read.height !== height || read.channels !== channels) {
    proof.faults.push(
      `The file has ${read.width} × ${read.height} samples in ${read.channels} channels; ${width} × ${height} in ${channels} were to be written.`,
    );
    return proof;
  }
  const back = read.samples;
  if (back instanceof Uint16Array !== samples instanceof Uint16Array) proof.faults.push(`The file has samples of another depth.`);
  inBlocks(samples.length, (from, to) => {
    for (let i = from; i < to; i++) {
      used[samples[i]] = 1;
      if (back[i] === samples[i]) continue;
      const off = Math.abs(back[i] - samples[i]);
      wrong++;
      sum += off * off;
      if (off > proof.maxAbs) proof.maxAbs = off;
    }
  });
  proof.rmse = Math.sqrt(sum / (width * height * channels));
  for (const u of used) proof.codesUsed += u;
  if (wrong) proof.faults.push(`${grouped(wrong)} of its numbers read back otherwise, by up to ${proof.maxAbs} codes.`);
  proof.ok = proof.faults.length === 0;
  return proof;
}
