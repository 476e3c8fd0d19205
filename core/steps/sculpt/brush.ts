import { z } from 'zod';
import type { Ground } from '../../field/ground';
import { spacingOf } from '../../field/ground';
import { FALLOFFS, type Falloff } from './falloff';

export interface BrushFacts {
  title: string;
  help: string;
  /** The trade's other words for it. */
  finds: readonly string[];
  /** What its strength is: metres a dab, or a share of the way that a dab goes. */
  strength: 'metres' | 'share';
  /** A strength to begin with. */
  begin: number;
}

/** The brushes, in the order they are offered. */
export const BRUSHES = {
  raise: { title: 'Raise', help: 'Lifts the ground.', finds: ['add', 'up', 'build', 'pull'], strength: 'metres', begin: 2 },
  lower: { title: 'Lower', help: 'Sinks the ground.', finds: ['subtract', 'dig', 'down', 'carve', 'push'], strength: 'metres', begin: 2 },
  smooth: { title: 'Smooth', help: 'Towards the mean around each sample.', finds: ['blur', 'soften', 'relax', 'average'], strength: 'share', begin: 0.4 },
  roughen: { title: 'Roughen', help: 'Adds detail of the kind that the ground around has.', finds: ['noise', 'detail'], strength: 'share', begin: 0.25 },
  flatten: { title: 'Flatten', help: 'Towards the height where the stroke began.', finds: ['plane', 'level', 'plateau'], strength: 'share', begin: 0.5 },
  level: { title: 'To a height', help: 'Towards a height that you type.', finds: ['flatten', 'set height', 'target elevation'], strength: 'share', begin: 0.5 },
  ramp: { title: 'To a slope', help: 'Towards a slope between two points.', finds: ['slope', 'road', 'gradient'], strength: 'share', begin: 0.5 },
  scrape: {
    title: 'Scrape',
    help: 'Cuts what stands above the plane under the brush.',
    finds: ['plane', 'cut', 'trim', 'peaks'],
    strength: 'share',
    begin: 0.4,
  },
  sharpen: {
    title: 'Sharpen ridges',
    help: 'Lifts what stands above the ground around it.',
    finds: ['crest', 'ridge', 'crisp'],
    strength: 'share',
    begin: 0.3,
  },
  'lift-highs': { title: 'Raise high ground', help: 'Lifts high ground more than low.', finds: ['contrast', 'dodge'], strength: 'metres', begin: 2 },
  'lift-lows': { title: 'Raise low ground', help: 'Lifts low ground more than high.', finds: ['fill', 'shadows'], strength: 'metres', begin: 2 },
  'sink-highs': { title: 'Lower high ground', help: 'Sinks high ground more than low.', finds: ['burn'], strength: 'metres', begin: 2 },
  'sink-lows': { title: 'Lower low ground', help: 'Sinks low ground more than high.', finds: ['deepen'], strength: 'metres', begin: 2 },
  smear: { title: 'Smear', help: 'Drags the ground along the stroke.', finds: ['smudge', 'drag', 'push', 'warp'], strength: 'share', begin: 0.6 },
  clone: { title: 'Clone', help: 'Copies the ground from another place.', finds: ['copy', 'heal', 'duplicate'], strength: 'share', begin: 0.7 },
  stamp: {
    title: 'Stamp',
    help: 'Presses a form into the ground, turned along the stroke.',
    finds: ['alpha', 'pattern', 'imprint'],
    strength: 'metres',
    begin: 20,
  },
  talus: { title: 'Slide', help: 'Lets loose rock slide, under the brush alone.', finds: ['thermal', 'erosion', 'landslide'], strength: 'share', begin: 1 },
  runoff: { title: 'Rain', help: 'Lets rain wear the ground, under the brush alone.', finds: ['hydraulic', 'erosion', 'rain'], strength: 'share', begin: 1 },
  restore: { title: 'Restore', help: 'Takes hand work away again.', finds: ['erase', 'undo', 'eraser'], strength: 'share', begin: 0.5 },
} as const satisfies Record<string, BrushFacts>;

export type BrushKind = keyof typeof BRUSHES;

export const STAMPS = { mound: 'Mound', cone: 'Cone', crater: 'Crater', ridge: 'Ridge', dune: 'Dune', tor: 'Tor' } as const;
export type StampForm = keyof typeof STAMPS;

const metres = z.number().finite();
const placeSchema = z.object({ east: metres, south: metres });

export const brushSchema = z.object({
  kind: z.enum(Object.keys(BRUSHES) as [BrushKind, ...BrushKind[]]),
  /** Metres from the middle to where it ends. */
  radius: metres.positive(),
  /** By its kind metres a dab at the middle, or the share of the way that a dab goes there. */
  strength: metres.min(0),
  /** Share of the radius over which it fades out: 0 is a flat disc, 1 fades from the middle. */
  softness: metres.min(0).max(1),
  /** The form of that fading. */
  falloff: z.enum(Object.keys(FALLOFFS) as [Falloff, ...Falloff[]]).default('shoulder'),
  /** Share of the radius from dab to dab. */
  spacing: metres.min(0.02).max(2).default(0.25),
  /** What the pressure of a pen does. */
  pressure: z.enum(['none', 'strength', 'radius', 'both']).default('none'),
  /** Metres, as the staff has them: ground above or below is left alone, and nothing is brought across. */
  above: metres.nullable().default(null),
  below: metres.nullable().default(null),
  /** Mirrored about a line through a place, degrees clockwise from north. */
  mirror: placeSchema.extend({ angle: metres }).nullable().default(null),
  /** The height of `level`, metres as the staff has them. */
  height: metres.default(0),
  /** The two ends of `ramp`, with their heights. */
  ramp: z
    .tuple([placeSchema.extend({ height: metres }), placeSchema.extend({ height: metres })])
    .nullable()
    .default(null),
  /** Heights that count as low and as high for the highs and lows; null: those under the first dab. */
  bounds: z.tuple([metres, metres]).nullable().default(null),
  /** Where `clone` takes the ground from. */
  source: placeSchema.nullable().default(null),
  /** Clone: brings the form onto the height of the ground here, and not the heights themselves. */
  onto: z.boolean().default(true),
  /** What `stamp` presses in: a form of its own, or the asset of a file. */
  stamp: z.union([z.enum(Object.keys(STAMPS) as [StampForm, ...StampForm[]]), z.string().regex(/^[0-9a-f]{64}$/)]).default('mound'),
  /** Only where the masks of this step let it act. */
  within: z.string().nullable().default(null),
});

/** A brush in full. */
export type Brush = z.output<typeof brushSchema>;

/** A brush from what is not as usual about it. Throws where it is no brush. */
export const makeBrush = (parts: z.input<typeof brushSchema>): Brush => brushSchema.parse(parts);

/** Samples from (left, top) to before (right, bottom). */
export interface Rectangle {
  left: number;
  top: number;
  right: number;
  bottom: number;
}

/** The samples that a disc about (east, south) metres can touch; undefined when it misses the ground. */
export function discRectangle(radius: number, ground: Ground, east: number, south: number): Rectangle | undefined {
  const spacing = spacingOf(ground);
  const pad = ground.registration === 'area' ? 0.5 : 0;
  const rectangle = {
    left: Math.max(0, Math.ceil((east - radius) / spacing.x - pad)),
    top: Math.max(0, Math.ceil((south - radius) / spacing.y - pad)),
    right: Math.min(ground.across, Math.floor((east + radius) / spacing.x - pad) + 1),
    bottom: Math.min(ground.down, Math.floor((south + radius) / spacing.y - pad) + 1),
  };
  return rectangle.left < rectangle.right && rectangle.top < rectangle.bottom ? rectangle : undefined;
}

/** What holds both. */
export const around = (a: Rectangle, b: Rectangle): Rectangle => ({
  left: Math.min(a.left, b.left),
  top: Math.min(a.top, b.top),
  right: Math.max(a.right, b.right),
  bottom: Math.max(a.bottom, b.bottom),
});

/** A place of a stroke: metres east and south, and the pressure of a pen (1: that of a mouse). */
export type StrokePlace = readonly [east: number, south: number, pressure?: number];

/** The place seen in the mirror of the brush; undefined where it has none. */
export function mirrored({ mirror }: Brush, [east, south, pressure]: StrokePlace, sincos: (degrees: number) => [number, number]): StrokePlace | undefined {
  if (!mirror) return undefined;
  const [sin, cos] = sincos(mirror.angle);
  // The line runs along (sin, −cos): north is up, south counts down.
  const [dx, dy] = [east - mirror.east, south - mirror.south];
  const along = dx * sin - dy * cos;
  return [mirror.east + 2 * along * sin - dx, mirror.south - 2 * along * cos - dy, pressure];
}
