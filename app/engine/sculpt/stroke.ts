import {
  around,
  makeBrush,
  resample,
  StrokeOnSurface,
  STROKES_A_FILE,
  strokesFromBytes,
  strokesToBytes,
  Surface,
  TILE,
  tileFromBytes,
  tileKey,
  tileToBytes,
  unrollTiles,
  withSamples,
  type Brush,
  type Ground,
  type Rectangle,
  type StrokePlace,
  type StrokeRecord,
  type StrokeTools,
  type Tiles,
} from '@upland-cast/core';
import type { PaintedParams, Patch, SculptParams } from '../api';

type Bytes = Uint8Array<ArrayBuffer>;
type Floats = Float32Array<ArrayBuffer>;

/** Tiles by their hash: a stroke reads only what it has not seen yet. */
const known = new Map<string, Floats>();
/** 128 MiB of tiles of hand work. */
const MOST_KNOWN = 512;

function remember(sha: string, tile: Floats): void {
  known.delete(sha);
  known.set(sha, tile);
  if (known.size > MOST_KNOWN) known.delete(known.keys().next().value!);
}

async function tileOf(sha: string, load: (sha: string) => Promise<Bytes>, read: (bytes: Bytes) => Floats): Promise<Floats> {
  const tile = known.get(sha) ?? read(await load(sha));
  remember(sha, tile);
  return tile;
}

/** What a stroke may be on. */
export interface StrokeOn {
  ground: Ground;
  /** What lies under the hand work. */
  beneath: Float32Array;
  /** The ground as it is seen; changed in place. */
  seen: Floats;
  /** How strongly hand work counts at a sample. */
  strength: number;
}

/** One stroke of a hand step: its tiles while they change, and the ground as it is seen. */
export class Stroke {
  private readonly places: [number, number, number][] = [];
  private readonly seed = crypto.getRandomValues(new Uint32Array(1))[0];
  private readonly surface: Surface;
  private readonly stroke: StrokeOnSurface;

  private constructor(
    private readonly on: StrokeOn,
    private readonly params: SculptParams,
    private readonly brush: Brush,
    tiles: Tiles,
    tools: StrokeTools,
  ) {
    this.surface = new Surface(on.ground, on.beneath, tiles);
    this.stroke = new StrokeOnSurface(this.surface, brush, this.seed, tools);
  }

  static async begin(
    on: StrokeOn,
    params: SculptParams,
    brush: Parameters<typeof makeBrush>[0],
    tools: StrokeTools,
    load: (sha: string) => Promise<Bytes>,
  ): Promise<Stroke> {
    const tiles: Tiles = new Map();
    for (const [key, sha] of Object.entries(params.tiles)) tiles.set(key, await tileOf(sha, load, tileFromBytes));
    const { across, down, registration } = params.samples;
    const { ground } = on;
    const sameSamples = across === ground.across && down === ground.down && registration === ground.registration;
    const begun = makeBrush(brush);
    if (tiles.size && !sameSamples) return new Stroke(on, { ...params, tiles: {} }, begun, resampledTiles(tiles, params, ground), tools);
    return new Stroke(on, params, begun, tiles, tools);
  }

  /** Dabs at places; the heights that changed, and how much they did at the most. */
  async dab(places: StrokePlace[]): Promise<Patch | null> {
    const { ground, seen, strength } = this.on;
    let whole: Rectangle | undefined;
    for (const place of places) {
      const [east, south, pressure = 1] = place;
      this.places.push([east, south, pressure]);
      const reach = this.stroke.reachOf(place);
      const old = reach.map((r) => this.surface.differences(r));
      const rectangle = await this.stroke.dab(place);
      if (!rectangle) continue;
      // What lies after the hand work moves along until the course is worked out again.
      for (const [k, r] of reach.entries()) {
        const now = this.surface.differences(r);
        const width = r.right - r.left;
        for (let row = r.top; row < r.bottom; row++) {
          const [from, first] = [(row - r.top) * width - r.left, row * ground.across];
          for (let column = r.left; column < r.right; column++) {
            const change = now[from + column] - old[k][from + column];
            if (change !== 0) seen[first + column] += change * strength;
          }
        }
      }
      whole = whole ? around(whole, rectangle) : rectangle;
    }
    return whole ? cut(seen, ground.across, whole) : null;
  }

  /** Keeps the touched tiles and the record, and returns the step's new settings. */
  async end(keep: (bytes: Bytes) => Promise<string>, load: (sha: string) => Promise<Bytes>): Promise<SculptParams> {
    const tiles = { ...this.params.tiles };
    for (const [key, tile] of this.surface.tiles) {
      // Where the samples were changed, every tile is a new one.
      if (!this.surface.touched.has(key) && tiles[key]) continue;
      if (!tile.some((d) => d !== 0)) {
        delete tiles[key];
        continue;
      }
      tiles[key] = await keep(tileToBytes(tile));
      remember(tiles[key], tile);
    }
    const { across, down, registration } = this.on.ground;
    const made: StrokeRecord = { brush: this.brush, seed: this.seed, places: this.places };
    return {
      samples: { across, down, registration },
      tiles,
      strokes: this.params.strokes + 1,
      record: await recorded(this.params.record ?? [], made, keep, load),
      stamps: withStamp(this.params.stamps ?? [], this.brush),
    };
  }
}

const withStamp = (stamps: string[], { kind, stamp }: Brush) =>
  kind === 'stamp' && stamp.length === 64 && !stamps.includes(stamp) ? [...stamps, stamp] : stamps;

/** The record with one more stroke: in its last file, or in a new one when that is full. */
async function recorded(
  record: string[],
  stroke: StrokeRecord,
  keep: (bytes: Bytes) => Promise<string>,
  load: (sha: string) => Promise<Bytes>,
): Promise<string[]> {
  const last = record.length ? strokesFromBytes(await load(record[record.length - 1])) : [];
  if (record.length === 0 || last.length >= STROKES_A_FILE) return [...record, await keep(strokesToBytes([stroke]))];
  return [...record.slice(0, -1), await keep(strokesToBytes([...last, stroke]))];
}

/** All strokes of a record, in their order. */
export async function strokesOf(record: readonly string[], load: (sha: string) => Promise<Bytes>): Promise<StrokeRecord[]> {
  const out: StrokeRecord[] = [];
  for (const sha of record) out.push(...strokesFromBytes(await load(sha)));
  return out;
}

/** Tiles as a hand step keeps them. */
export async function keptTiles(tiles: Tiles, keep: (bytes: Bytes) => Promise<string>): Promise<Record<string, string>> {
  const out: Record<string, string> = {};
  for (const [key, tile] of tiles) {
    if (!tile.some((d) => d !== 0)) continue;
    out[key] = await keep(tileToBytes(tile));
    remember(out[key], tile);
  }
  return out;
}

const weightsFromBytes = (bytes: Bytes): Floats => Float32Array.from(bytes, (b) => b / 255);
const weightsToBytes = (tile: Floats): Bytes => Uint8Array.from(tile, (w) => Math.round(Math.min(1, Math.max(0, w)) * 255));

let level: Floats = new Float32Array(0);
/** Level ground at zero, for weights to be painted on. */
const levelOf = (count: number): Floats => (level.length === count ? level : (level = new Float32Array(count)));

/** One stroke that paints weights: the same brushes, on ground that is level at 0 and goes up to 1. */
export class PaintStroke {
  private readonly surface: Surface;
  private readonly stroke: StrokeOnSurface;

  private constructor(
    private readonly ground: Ground,
    private readonly params: PaintedParams,
    tiles: Tiles,
    brush: Brush,
    tools: StrokeTools,
  ) {
    this.surface = new Surface(ground, levelOf(ground.across * ground.down), tiles);
    this.stroke = new StrokeOnSurface(this.surface, brush, 1, tools);
  }

  static async begin(
    seen: Ground,
    params: PaintedParams,
    brush: Parameters<typeof makeBrush>[0],
    tools: StrokeTools,
    load: (sha: string) => Promise<Bytes>,
  ): Promise<PaintStroke> {
    const ground = { ...seen, datum: 0 };
    const { across, down, registration } = params.samples;
    const same = across === ground.across && down === ground.down && registration === ground.registration;
    let tiles: Tiles = new Map();
    for (const [key, sha] of Object.entries(params.tiles)) tiles.set(key, weightsFromBytes(await load(sha)));
    if (tiles.size && !same) tiles = resampledTiles(tiles, params, ground);
    return new PaintStroke(ground, same ? params : { ...params, tiles: {} }, tiles, makeBrush({ ...brush, above: 1, below: 0 }), tools);
  }

  async dab(places: StrokePlace[]): Promise<Patch | null> {
    let whole: Rectangle | undefined;
    for (const place of places) {
      const rectangle = await this.stroke.dab(place);
      if (rectangle) whole = whole ? around(whole, rectangle) : rectangle;
    }
    return whole ? { rectangle: whole, height: this.surface.differences(whole), painted: true } : null;
  }

  async end(keep: (bytes: Bytes) => Promise<string>): Promise<PaintedParams> {
    const tiles = { ...this.params.tiles };
    for (const [key, tile] of this.surface.tiles) {
      if (!this.surface.touched.has(key) && tiles[key]) continue;
      const bytes = weightsToBytes(tile);
      if (bytes.some((b) => b !== 0)) tiles[key] = await keep(bytes);
      else delete tiles[key];
    }
    const { across, down, registration } = this.ground;
    return { samples: { across, down, registration }, tiles };
  }

  /** The painted weights of the whole ground, a byte a sample. */
  weights(): Uint8Array<ArrayBuffer> {
    return Uint8Array.from(unrollTiles(this.surface.tiles, this.ground.across, this.ground.down), (w) => Math.round(w * 255));
  }
}

function cut(height: Floats, across: number, rectangle: Rectangle): Patch {
  const { left, top, right, bottom } = rectangle;
  const width = right - left;
  const out = new Float32Array(width * (bottom - top));
  for (let row = top; row < bottom; row++) out.set(height.subarray(row * across + left, row * across + right), (row - top) * width);
  return { rectangle, height: out };
}

/** Hand work made at other sample counts, brought to the ground's own before it is worked on. */
function resampledTiles(tiles: Tiles, { samples }: { samples: SculptParams['samples'] }, ground: Ground): Tiles {
  const laid = unrollTiles(tiles, samples.across, samples.down);
  const made = { ...withSamples(ground, samples.across, samples.down), registration: samples.registration };
  const { height } = resample({ ground: made, height: laid }, ground);
  const out: Tiles = new Map();
  for (let row = 0; row < ground.down; row++) {
    for (let column = 0; column < ground.across; column++) {
      const value = height[row * ground.across + column];
      if (value === 0) continue;
      const key = tileKey(Math.floor(column / TILE), Math.floor(row / TILE));
      let tile = out.get(key);
      if (!tile) out.set(key, (tile = new Float32Array(TILE * TILE)));
      tile[(row % TILE) * TILE + (column % TILE)] = value;
    }
  }
  return out;
}
