import type {
  AssetReading,
  Band,
  Bounds,
  Course,
  PartsReport,
  StepUse,
  FittedComparison,
  SidesCompared,
  DeliveryReport,
  ReportedFile,
  Ground,
  Histogram,
  Mend,
  Registration,
  SampleType,
  Statement,
  Seam,
  Rectangle,
  DrainageReport,
  StageReport,
  Statistics,
  Symptom,
  makeBrush,
  blockWaysOut,
  Sampling,
  SamplingReport,
} from '@upland-cast/core';
import type { LayerDrapeId } from '../drawing/drapes';
import type { MeshPicture, Pixels } from '../drawing/pictures';

/** The ground worked out, ready to be drawn. */
export interface Picture {
  ground: Ground;
  /** Metres above the datum. */
  height: Float32Array<ArrayBuffer>;
  statistics: Statistics;
  histogram: Histogram;
  shareUnderWater: number;
  /** A preview stands for the full ground until that is worked out. */
  preview: boolean;
  took: number;
  /** How far the patches that it is drawn with lie off the ground. */
  patchErrors?: Float32Array<ArrayBuffer>;
  /** 1 where a sample has a height; absent where all have. Holes are drawn closed, and read as none. */
  valid?: Uint8Array<ArrayBuffer>;
}

/** A heightmap that was kept as an asset. */
export interface TakenIn {
  sha: string;
  across: number;
  down: number;
  /** Metres, or codes where the file holds those. */
  lowest: number;
  highest: number;
  /** The file does not say how many metres its numbers stand for. */
  inCodes: boolean;
  words: string[];
}

/** Where a step acts, a byte a sample: 255 is 1. */
export interface MaskPicture {
  use: string;
  weights: Uint8Array<ArrayBuffer>;
  /** Share of the ground that it covers, 0 to 1, by weight. */
  share: number;
}

/** A step that was ended early, and the settings that end it there again. */
export interface Reached {
  use: string;
  params: Record<string, unknown>;
}

/** What is to be worked out for the screen. */
export interface PictureRequest {
  preview: boolean;
  /** The step that the view stands after; null: the end of the stem. */
  standing: string | null;
  /** The step whose mask is shown. */
  mask: string | null;
  /** The layer that is laid over the ground. */
  layer: LayerDrapeId | null;
  /** The step whose layer it is, where it leaves one; else that of the last step that does. */
  of: string | null;
}

/** Where the sun of the view stands: degrees from north, over the horizon, across; heights are drawn so many times as large. */
export interface LightRequest {
  azimuth: number;
  altitude: number;
  disc: number;
  exaggeration: number;
  /** It is the first light on a ground that is opened: kept for the next time. */
  first?: boolean;
}

/** A step's relief picture and whether it could be done. */
export interface StagePicture {
  id: string;
  key: string;
  fault?: string;
  words: string[];
  /** RGBA, `THUMBNAIL` in size; absent where the page has this key already. */
  relief?: Uint8ClampedArray<ArrayBuffer>;
  took: number;
}

/** A roll's relief, pixels. */
export const ROLL_PICTURE = { width: 104, height: 56 } as const;

export const THUMBNAIL = { width: 208, height: 78 } as const;

export interface Listener {
  /** `keeps`: the step can be ended as it is. */
  progress(step: string, share: number, keeps: boolean): void;
  /** The ground as it stands while a long step works. */
  standing(ground: Ground, height: Float32Array<ArrayBuffer>): void;
  stage(stage: StagePicture): void;
}

export type Outcome<T> = { ok: true; value: T } | { ok: false; stopped: boolean; code: string; sentence: string };

/** Samples that a dab changed, in the full ground, with their new heights. */
export interface Patch {
  rectangle: Rectangle;
  height: Float32Array<ArrayBuffer>;
  /** Weights of a mask, and not heights. */
  painted?: boolean;
}

/** A brush, with what is not as usual about it. */
export type BrushParts = Parameters<typeof makeBrush>[0];

/** What a painted mask's settings become after a stroke. */
export interface PaintedParams {
  samples: SculptParams['samples'];
  tiles: Record<string, string>;
}

/** What a hand step's settings become after a stroke. */
export interface SculptParams {
  samples: { across: number; down: number; registration: Ground['registration'] };
  tiles: Record<string, string>;
  strokes: number;
  record?: string[];
  stamps?: string[];
  [key: string]: unknown;
}

/** What an order will cost. Metres. */
export interface OrderCost {
  across: number;
  down: number;
  spacing: number;
  /** The samples that the whole ground is worked out at. */
  workedAt: [number, number];
  statistics: Statistics;
  /** The same over all grounds that share their range. */
  over: Statistics;
  /** Of a block world: what can be done where land reaches beyond it. */
  waysOut?: ReturnType<typeof blockWaysOut>;
  /** Layers that steps leave. */
  layers: string[];
  /** What is done to the ground, and what the receiver asks for beside the range. */
  words: string[];
  toTypeIn: Statement[];
  clipped: number;
  metresPerCode: number;
  codes: number;
  range?: { low: number; high: number };
  border: string[];
  /** Samples without a height. */
  holes: number;
  /** Samples of flat strip. */
  strip: number;
  /** At other samples than the terrain's: how they come about, and how far that lies from what is seen; null: not measured yet. */
  sampling?: { how: Sampling; report: SamplingReport | null };
  /** The ground as it will look, where that is not as it is. */
  picture?: Pixels;
}

/** The metres that the ends of a file's codes stood for when it came in. */
export interface CameIn {
  name: string;
  low: number;
  high: number;
}

/** A map laid over the ground on fewer samples; colours with four bytes a sample. */
export interface MapDrape {
  ground: Ground;
  height: Float32Array<ArrayBuffer>;
  statistics: Statistics;
  rgb: Uint8Array<ArrayBuffer> | null;
  legend: { low: number; high: number; unit: string } | null;
  words: string[];
}

export interface HandedOn {
  /** `blob`: the file itself, where it did not go to disk. */
  files: (ReportedFile & { size: number; blob?: Blob })[];
  docket: DeliveryReport;
  docketHtml: string;
  docketJson: string;
  /** Of a single file; empty for a bundle. */
  name: string;
  mediaType: string;
  /** What was written, where it did not go to disk. */
  blob?: Blob;
  /** The file on disk that it went into. */
  written?: string;
}

export interface TrialResult {
  truth: Pixels;
  got: Pixels;
  symptoms: Symptom[];
  lowest: number;
  highest: number;
  /** Degrees. */
  meanSlope: number;
  trueSlope: number;
  hasNormal: boolean;
}

export interface MeshFacts {
  vertices: number;
  faces: number;
  triangles: number;
  parts: number;
  /** Vertices of the part with the most. */
  largestPart: number;
  bounds: Bounds;
  maxError: number;
  rmse: number;
  ratio: number;
  /** Bytes that making it holds at the most, estimated. */
  memory: number;
  bytes?: number;
}

/** The mesh as it will be. */
export interface MeshPreview {
  facts: MeshFacts;
  split: { across: number; down: number };
  /** What is drawn, where that is lighter than what is written. */
  words: string;
  /** Why the format cannot hold it. */
  refused?: string;
  picture: MeshPicture;
  /** The full ground as densely as a screen shows it. */
  high: MeshPicture;
  /** Where it is off, over the ground: red above, blue below. */
  error: Pixels;
  largest: number;
  /** The full ground's normals for the mesh that is drawn. */
  normal: Pixels;
}

export interface WrittenMesh {
  name: string;
  mediaType: string;
  bytes: Uint8Array<ArrayBuffer>;
  /** The mesh's own files, to press it again. */
  mesh: { name: string; bytes: Uint8Array<ArrayBuffer> }[];
  facts: MeshFacts;
  levels: { name: string; triangles: number; bytes: number; maxError: number; rmse: number; distance: number }[];
  error: Pixels;
}

/** Triangles and the largest error in metres, for every way of making them. */
export interface MeshCurve {
  grid: [number, number][];
  adaptive: [number, number][];
  simplified: [number, number][];
}

/** Land in a mesh's own plan: metres east and south of its origin. */
export interface Extent {
  west: number;
  north: number;
  east: number;
  south: number;
}

export interface PressRequest {
  files: { name: string; bytes: Uint8Array<ArrayBuffer> }[];
  across?: number;
  down?: number;
  up?: 'y' | 'z';
  scale: { by: 'factor'; factor: number } | { by: 'width'; width: number } | { by: 'ground' };
  smooth: boolean;
  /** The land that is looked at; left out: all that the mesh lies over. */
  extent?: Extent;
  /** Holes that are given heights which carry the ground around them on: none, those inside, or all there is no surface over. */
  fill: 'none' | 'inside' | 'all';
  /** Where the samples lie, where they are not the terrain's own. */
  registration: Ground['registration'];
  /** Hold the heights against the terrain's ground, and press to its samples and extent. */
  againstGround: boolean;
}

export interface PressResult {
  ground: Ground;
  statistics: Statistics;
  holes: number;
  overhangs: number;
  upright: number;
  facing: { up: number; down: number };
  /** Holes that were given heights. */
  filled: number;
  /** The side of a square cell that its triangles average, metres. */
  spacing: number;
  size: { width: number; depth: number };
  /** Its plan in its own units, and metres to one of them. */
  own: { width: number; depth: number };
  plan: Extent;
  scale: number;
  vertices: number;
  triangles: number;
  up: 'y' | 'z';
  /** RGBA hillshade. */
  relief: { width: number; height: number; pixels: Uint8ClampedArray<ArrayBuffer> };
  /** As large: where it covers the ground, lies over itself, and leaves holes. */
  cover: Uint8ClampedArray<ArrayBuffer>;
  mesh: MeshPicture;
  /** What was out of the ordinary in the files. */
  odd: string[];
  /** Against the terrain's ground, metres. */
  difference?: { maxAbs: number; rmse: number; samples: number };
  /** The heights as an asset: a float32 TIFF. */
  asset: string;
}

export interface EngineFacts {
  threads: number;
  isolated: boolean;
  /** Bytes of stages that are held, and the most that may be. */
  held: number;
  limit: number;
}

export type ReportOutcome = (StageReport & { took: number; fault?: string; words: string[]; layers: string[]; drainage?: DrainageReport }) | null;

/** A file that was brought in and is looked at. */
export interface OpenedFile {
  id: number;
  name: string;
  bytes: number;
}

export interface RawPicture extends Pixels {
  as: string;
  score: number;
}

/** What a file holds as it would be read: heights, or bytes that need a layout. */
export type Look = { kind: 'raw'; bytes: number; readings: RawPicture[] } | HeightsLook;

export interface HeightsLook {
  kind: 'heights';
  facts: {
    format: string;
    width: number;
    height: number;
    channels: number;
    band?: Band;
    type: SampleType;
    /** The numbers in the file. */
    low: number;
    high: number;
    codes: { min: number; max: number } | null;
    /** Nobody has said how many metres they stand for. */
    inCodes: boolean;
    distinct: number;
    spacing: { x: number; y: number } | null;
    registration: Registration | null;
    feet: boolean;
    crs: string;
    place: { west: number; north: number } | null;
    as?: string;
    odd: string[];
  };
  /** metres = offset + scale × number. */
  scale: number;
  offset: number;
  ground: Ground;
  lowest: number;
  highest: number;
  holes: number;
  /** Degrees. */
  steepest: number;
  relief: Pixels;
  /** What goes with the asset. */
  settled: AssetReading;
}

export interface LookFinding {
  id: string;
  severity: 'note' | 'caution' | 'fault';
  message: string;
  count: number;
  mend?: Mend;
  drape?: Pixels;
}

export interface Kept {
  sha: string;
  name: string;
  bytes: number;
}

/** Several files as one ground. Metres. */
export interface MosaicLook {
  layout: 'place' | 'names' | 'hand';
  possible: { place: boolean; names: boolean };
  width: number;
  depth: number;
  spacing: { x: number; y: number };
  registration: Registration;
  lowest: number;
  highest: number;
  seams: Seam[];
  georeference: Ground['georeference'];
  pieces: { id: number; name: string; east: number; south: number; width: number; depth: number; row: number; column: number }[];
  relief: Pixels;
}

/** Where a side of a comparison comes from. */
export type SideSource =
  | { kind: 'step'; course: Course; id: string }
  | { kind: 'course'; course: Course } /** Its heights are the ground's times `scale`, and `lift` more. */
  | { kind: 'file'; name: string; bytes: Uint8Array<ArrayBuffer>; reading: AssetReading; steps: StepUse[]; scale: number; lift: number }
  | { kind: 'mesh'; files: { name: string; bytes: Uint8Array<ArrayBuffer> }[]; scale: number; lift: number };

/** What is known of a side beside its heights. */
export interface SideFacts {
  /** A file of codes: how its samples are stored, the codes that it uses, and the metres that one stands for; null: it does not say. */
  codes?: { type: SampleType; lowest: number; highest: number; metresACode: number | null };
  /** A mesh: its parts, and what is wrong with them. */
  parts?: PartsReport;
}

/** Bins of the two sides' histogram. */
export const SIDE_BINS = 96;

/** Two sides as they are compared: figures of the whole grounds, and both on A's samples as they are drawn. */
export interface ComparedPicture extends Omit<SidesCompared, 'on' | 'fitted'> {
  /** By which its grounds are asked for again, until others are compared. */
  id: number;
  facts: { a: SideFacts; b: SideFacts };
  fit: FittedComparison['fit'];
  relation: FittedComparison['relation'];
  left: number;
  findings: FittedComparison['findings'];
  sizes: { a: Ground; b: Ground };
  ground: Ground;
  heightA: Float32Array<ArrayBuffer>;
  heightB: Float32Array<ArrayBuffer>;
  /** B − A, metres, where `valid` is not 0. */
  difference: Float32Array<ArrayBuffer>;
  valid?: Uint8Array<ArrayBuffer>;
  /** Metres that the colours of the difference reach to, either way. */
  span: number;
  /** The shares of the samples of each side by elevation. */
  histogram: { low: number; high: number; a: number[]; b: number[] };
}
