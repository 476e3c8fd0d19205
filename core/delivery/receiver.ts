import { z } from 'zod';
import { withSamples, type Ground } from '../field/ground';
import { formatById } from '../formats';
import { SAMPLE_TYPES } from '../formats/format';

/** What a file is for: the sample counts it takes and how it turns codes into height. */
export const receiverSchema = z.object({
  id: z.string(),
  title: z.string(),
  summary: z.string(),
  /** The sample counts a side that it takes. */
  sizes: z.enum(['power of two plus one', 'any']),
  registration: z.enum(['point', 'area', 'either']),
  square: z.boolean(),
  /** Formats and the sample types it takes in them, the usual one first. */
  formats: z.array(z.object({ format: z.string(), types: z.array(z.enum(SAMPLE_TYPES)).min(1) })).min(1),
  /** {terrain}, {size}, {type} and {ending} are put in. */
  fileName: z.string(),
});

export type Receiver = z.infer<typeof receiverSchema>;

/** Receivers that ship; sizes are common practice, computed and never listed. */
export const receivers: readonly Receiver[] = [
  {
    id: 'power-of-two-plus-one',
    title: 'Power of two plus one',
    summary: 'A square heightmap whose outer samples lie on the edge: 257, 513, 1025, 2049 … a side.',
    sizes: 'power of two plus one',
    registration: 'point',
    square: true,
    formats: [
      { format: 'png', types: ['u16', 'u8'] },
      { format: 'raw', types: ['u16', 'f32', 'u8', 's16', 'u32', 's32', 'f64'] },
      { format: 'tiff', types: ['f32', 'u16'] },
      { format: 'asc', types: ['f32'] },
    ],
    fileName: '{terrain}-{size}.{ending}',
  },
];

/** The sample counts that a receiver takes around what the ground has, smallest first. */
export function sizesFor(receiver: Receiver, ground: Ground): number[] {
  const longest = Math.max(ground.across, ground.down);
  if (receiver.sizes === 'any') return [longest];
  const sizes: number[] = [];
  for (let steps = 64; steps <= 8192; steps *= 2) sizes.push(steps + 1);
  const nearest = sizes.reduce((best, s) => (Math.abs(s - longest) < Math.abs(best - longest) ? s : best));
  const at = sizes.indexOf(nearest);
  return sizes.slice(Math.max(0, at - 2), at + 2);
}

/** The ground a receiver's file is worked out on. */
export function groundFor(receiver: Receiver, ground: Ground, size: number): Ground {
  const registration = receiver.registration === 'either' ? ground.registration : receiver.registration;
  const resized = receiver.square ? withSamples(ground, size, size) : withSamples(ground, size, Math.max(1, Math.round((size * ground.down) / ground.across)));
  return { ...resized, registration };
}

/** A file name that every file system takes. */
export function fileNameFor(receiver: Receiver, terrain: string, size: number, format: string, type: string): string {
  const safe =
    terrain
      .normalize('NFKD')
      .replace(/[^A-Za-z0-9._-]+/g, '-')
      .replace(/^[-.]+|[-.]+$/g, '')
      .toLowerCase() || 'terrain';
  return receiver.fileName
    .replaceAll('{terrain}', safe)
    .replaceAll('{size}', String(size))
    .replaceAll('{type}', type)
    .replaceAll('{ending}', formatById(format).endings[0].slice(1));
}
