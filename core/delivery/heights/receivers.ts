import type { z } from 'zod';
import { receiverSchema, type Receiver } from '../../course/receiver';
import { UplandError } from '../../errors';
import { withSamples, spacingOf, type Ground } from '../../field/ground';
import { formatById } from '../../formats';

const DATA_FORMATS: Receiver['formats'] = [
  { format: 'png', types: ['u16', 'u8'] },
  { format: 'raw', types: ['u16', 'f32', 'u8', 's16', 'u32', 's32', 'f64'] },
  { format: 'tiff', types: ['f32', 'u16'] },
  { format: 'asc', types: ['f32'] },
];

const make = (receiver: z.input<typeof receiverSchema>): Receiver => receiverSchema.parse(receiver);

/** The trade's other words for what takes heights, by the receivers' ids. */
export const RECEIVER_FINDS: Readonly<Record<string, readonly string[]>> = {
  'power-of-two-plus-one': ['game', 'real time', 'terrain', 'raw', '16-bit', 'heightmap', '1025', '2049'],
  'power-of-two': ['texture', 'picture', 'heightmap', '1024', '2048', '4096', 'game', 'real time'],
  'patch-grid': ['patches', 'heightmap', 'middle code', '16-bit', 'game', 'real time'],
  'displacement-plane': ['displacement', 'render', 'texture', 'exr', 'plane', 'subdivision', '0 to 1'],
  'displacement-metres': ['displacement', 'render', 'exr', 'float', 'true scale', '32-bit'],
  'block-world': ['voxel', 'blocks', 'game', 'map', 'cubes'],
  'elevation-grid': ['gis', 'dem', 'geotiff', 'survey', 'georeferenced', 'asc'],
  'printed-model': ['3d print', 'printing', 'stl', 'cnc', 'model'],
};

/** Receivers that ship; sizes are common practice, computed and never listed. */
export const receivers: readonly Receiver[] = [
  make({
    id: 'power-of-two-plus-one',
    title: 'Power of two plus one',
    summary: 'A square heightmap whose outer samples lie on the edge: 257, 513, 1025, 2049 … a side.',
    sizes: { kind: 'power of two plus one' },
    registration: 'point',
    square: true,
    formats: DATA_FORMATS,
    heights: { by: 'range' },
    fileName: '{terrain}-{size}.{ending}',
  }),
  make({
    id: 'power-of-two',
    title: 'Power of two',
    summary: 'A square picture of heights, one sample a pixel: 256, 512, 1024, 2048 … a side.',
    sizes: { kind: 'power of two' },
    registration: 'area',
    square: true,
    formats: [...DATA_FORMATS, { format: 'exr', types: ['f32'] }],
    heights: { by: 'range' },
    fileName: '{terrain}-{size}.{ending}',
  }),
  make({
    id: 'patch-grid',
    title: 'Patch grid',
    summary: 'Patches × split × faces a side + 1 samples; heights count from a middle code.',
    sizes: { kind: 'patches', faces: [7, 15, 31, 63, 127, 255], splits: [1, 2], most: 8_193 },
    registration: 'point',
    square: true,
    formats: [
      { format: 'png', types: ['u16'] },
      { format: 'raw', types: ['u16'] },
    ],
    heights: { by: 'zero', code: 32_768, overAll: 512, steps: '2^b' },
    fileName: '{terrain}-{size}.{ending}',
    note: 'Type in how many metres its codes span at a vertical scale of 1.',
  }),
  make({
    id: 'displacement-plane',
    title: 'Displacement plane',
    summary: 'A texture from 0 to 1, or in metres, that moves the vertices of a plane up.',
    sizes: { kind: 'any' },
    registration: 'either',
    square: false,
    formats: [
      { format: 'exr', types: ['f32'] },
      { format: 'tiff', types: ['f32', 'u16'] },
      { format: 'png', types: ['u16'] },
      { format: 'pfm', types: ['f32'] },
      { format: 'npy', types: ['f32', 'f64', 'u16'] },
    ],
    heights: { by: 'unit', zero: 0 },
    fileName: '{terrain}-displacement-{size}.{ending}',
  }),
  make({
    id: 'displacement-metres',
    title: 'Displacement in metres',
    summary: 'The same texture with metres in it, so that a strength of 1 is true to size.',
    sizes: { kind: 'any' },
    registration: 'either',
    square: false,
    formats: [
      { format: 'exr', types: ['f32'] },
      { format: 'tiff', types: ['f32'] },
      { format: 'pfm', types: ['f32'] },
    ],
    heights: { by: 'metres' },
    fileName: '{terrain}-metres-{size}.{ending}',
  }),
  make({
    id: 'block-world',
    title: 'Block world',
    summary: 'Whole blocks between a floor and a ceiling; the sea stays at its row and the land moves.',
    sizes: { kind: 'any' },
    registration: 'area',
    square: false,
    formats: [
      { format: 'png', types: ['u16', 'u8'] },
      { format: 'raw', types: ['u16', 'u8'] },
    ],
    heights: { by: 'blocks', floor: -64, ceiling: 319, water: 62, edge: 1 },
    fileName: '{terrain}-blocks-{size}.{ending}',
    around: 62,
  }),
  make({
    id: 'elevation-grid',
    title: 'Elevation grid',
    summary: 'Metres with their place on the map and a value for no data, for programs that know about elevation.',
    sizes: { kind: 'any' },
    registration: 'either',
    square: false,
    formats: [
      { format: 'tiff', types: ['f32', 's16', 'f64'] },
      { format: 'asc', types: ['f32'] },
      { format: 'flt', types: ['f32'] },
      { format: 'xyz', types: ['f64'] },
    ],
    heights: { by: 'metres' },
    fileName: '{terrain}-{size}.{ending}',
  }),
  make({
    id: 'printed-model',
    title: 'Printed model',
    summary: 'A closed solid in millimetres, to scale, on a base of its own.',
    sizes: { kind: 'any' },
    registration: 'point',
    square: false,
    formats: [{ format: 'stl', types: [] }],
    heights: { by: 'print', scale: 50_000, base: 3 },
    fileName: '{terrain}-1-to-{scale}.{ending}',
  }),
];

/** A receiver out of JSON, such as somebody else's; the sentence names what is wrong with it. */
export function readReceiver(text: string): Receiver {
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch {
    throw new UplandError('receiver', 'This is not a receiver: it is not JSON.');
  }
  const parsed = receiverSchema.safeParse(json);
  if (!parsed.success) {
    const issue = parsed.error.issues[0];
    throw new UplandError('receiver', `This receiver cannot be used: ${issue.path.join(' › ') || 'all of it'}: ${issue.message}.`);
  }
  const receiver = parsed.data;
  const { heights, sizes } = receiver;
  if (heights.by === 'blocks' && !(heights.ceiling > heights.floor)) {
    throw new UplandError('receiver', `This receiver cannot be used: its ceiling (${heights.ceiling}) has to lie above its floor (${heights.floor}).`);
  }
  if (heights.by === 'range' && heights.codes && !(heights.codes.high > heights.codes.low)) {
    throw new UplandError('receiver', 'This receiver cannot be used: its higher code has to be larger than its lower one.');
  }
  for (const { format, types } of receiver.formats) {
    if (heights.by === 'print') continue;
    const known = formatById(format);
    const odd = types.find((t) => !known.writes.includes(t));
    if (odd) throw new UplandError('receiver', `This receiver cannot be used: ${known.title} is not written with ${odd} samples.`);
    if (types.length === 0) throw new UplandError('receiver', `This receiver cannot be used: it names no sample type for ${known.title}.`);
  }
  if (sizes.kind === 'patches' && patchSizes(sizes).length === 0) {
    throw new UplandError('receiver', 'This receiver cannot be used: no count of patches gives a size that it takes.');
  }
  return receiver;
}

/** One way that a count comes about: patches × split × faces + 1. */
export interface Patching {
  patches: number;
  split: number;
  faces: number;
}

function patchSizes({ faces, splits, most }: Extract<Receiver['sizes'], { kind: 'patches' }>): Map<number, Patching> & { length: number } {
  const out = new Map<number, Patching>();
  for (const f of faces) {
    for (const split of splits) {
      for (let patches = 1; patches <= 32 && patches * split * f + 1 <= most; patches++) {
        const count = patches * split * f + 1;
        const old = out.get(count);
        // Of the ways to a count the one with the largest patches has the fewest of them.
        if (!old || f * split > old.faces * old.split) out.set(count, { patches, split, faces: f });
      }
    }
  }
  return Object.assign(out, { length: out.size });
}

/** A count that a receiver takes, and what it costs to come to it. */
export interface SizeOffer {
  samples: number;
  patching?: Patching;
  /** Metres from sample to sample when the ground is worked out anew at this count. */
  spacing: number;
  /** Metres of the ground that cutting to this count at the present spacing leaves out along one side; negative: what carrying the outer value on would add as a flat strip. */
  leavesOut: number;
  /** The ground has this count already. */
  own: boolean;
}

const POWERS = Array.from({ length: 8 }, (_, i) => 2 ** (i + 6));

/** The counts that a receiver takes around what the ground has, smallest first: its own, where it takes any. */
export function sizesOfReceiver(receiver: Receiver, ground: Ground): SizeOffer[] {
  const longest = Math.max(ground.across, ground.down);
  const spacing = Math.max(spacingOf(ground).x, spacingOf(ground).y);
  const edge = receiver.registration === 'either' ? ground.registration : receiver.registration;
  const width = Math.max(ground.width, ground.depth);
  const offer = (count: number, patching?: Patching): SizeOffer => ({
    samples: count,
    patching,
    spacing: width / Math.max(1, edge === 'point' ? count - 1 : count),
    leavesOut: (longest - count) * spacing,
    own: count === longest && edge === ground.registration,
  });
  const { sizes } = receiver;
  if (sizes.kind === 'any') return [...new Set([512, 1024, longest, 2048, 4096])].sort((a, b) => a - b).map((n) => offer(n));
  const all =
    sizes.kind === 'patches'
      ? [...patchSizes(sizes)].sort((a, b) => a[0] - b[0])
      : POWERS.map((n): [number, undefined] => [sizes.kind === 'power of two' ? n : n + 1, undefined]);
  const after = all.findIndex(([count]) => count > longest);
  const at = after < 0 ? all.length : after;
  return all.slice(Math.max(0, at - 3), at + 2).map(([count, patching]) => offer(count, patching));
}

/** The smallest count that a receiver takes and that is larger; null: there is none. */
export function nextSize({ sizes }: Pick<Receiver, 'sizes'>, count: number): number | null {
  if (sizes.kind === 'any') return count + 1;
  const all = sizes.kind === 'patches' ? [...patchSizes(sizes).keys()] : POWERS.map((n) => (sizes.kind === 'power of two' ? n : n + 1));
  const larger = all.filter((n) => n > count);
  return larger.length ? Math.min(...larger) : null;
}

/** Whether a receiver takes a count; a sentence where it does not. */
export function whyReceiverRefuses(receiver: Receiver, count: number): string | null {
  const { sizes } = receiver;
  const power = (n: number) => n > 0 && (n & (n - 1)) === 0;
  if (sizes.kind === 'power of two' && !power(count)) return `${count} is not a power of two.`;
  if (sizes.kind === 'power of two plus one' && !power(count - 1)) return `${count} is not a power of two plus one.`;
  if (sizes.kind === 'patches') {
    const known = patchSizes(sizes);
    if (known.has(count)) return null;
    const larger = nextSize({ sizes }, count);
    return larger
      ? `${count} samples fill no whole patches. The receiver would take ${larger} and carry the outer value on: a flat strip of ${larger - count} samples along two sides.`
      : `${count} samples are more than this receiver takes.`;
  }
  return null;
}

/** The ground a receiver's file is worked out on. */
export function groundForReceiver(receiver: Receiver, ground: Ground, size: number): Ground {
  const registration = receiver.registration === 'either' ? ground.registration : receiver.registration;
  const resized = receiver.square ? withSamples(ground, size, size) : sized(ground, size, registration);
  return { ...resized, registration };
}

/** `size` samples along the longer side. */
function sized(ground: Ground, size: number, registration: Ground['registration']): Ground {
  const extra = registration === 'point' ? 1 : 0;
  const share = Math.min(ground.width, ground.depth) / Math.max(ground.width, ground.depth);
  const other = Math.max(1, Math.round((size - extra) * share)) + extra;
  return ground.width >= ground.depth ? withSamples(ground, size, other) : withSamples(ground, other, size);
}

/** A word that every file system takes. */
export function safeName(text: string): string {
  const safe = text
    .normalize('NFKD')
    .replace(/[^A-Za-z0-9._-]+/g, '-')
    .replace(/^[-.]+|[-.]+$/g, '')
    .toLowerCase()
    .slice(0, 80);
  return /^(con|prn|aux|nul|com\d|lpt\d)$/.test(safe) ? `${safe}-file` : safe || 'terrain';
}

/** Why a file system refuses a name; null where it takes it. */
export function badName(name: string): string | null {
  if (name.trim() === '') return 'A file needs a name.';
  const sign = /[\\/:*?"<>|\x00-\x1f]/.exec(name);
  if (sign) return `A file name cannot hold ${sign[0] < ' ' ? 'a control sign' : `“${sign[0]}”`}.`;
  if (/[. ]$/.test(name)) return 'A file name cannot end in a dot or a space.';
  if (/^(con|prn|aux|nul|com\d|lpt\d)(\.|$)/i.test(name)) return `“${name}” is a name that some systems keep for themselves.`;
  return name.length > 200 ? 'This file name is longer than 200 signs.' : null;
}

/** A file name that every file system takes. */
export function fileNameFor(receiver: Receiver, terrain: string, size: number, format: string, type: string): string {
  const ending = receiver.heights.by === 'print' ? format : formatById(format).endings[0].slice(1);
  const { heights } = receiver;
  return receiver.fileName
    .replaceAll('{terrain}', safeName(terrain))
    .replaceAll('{size}', String(size))
    .replaceAll('{type}', type)
    .replaceAll('{scale}', heights.by === 'print' ? String(heights.scale) : '1')
    .replaceAll('{ending}', ending);
}
