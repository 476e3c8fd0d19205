import {
  dab,
  dabRectangle,
  resample,
  TILE,
  tileFromBytes,
  tileKey,
  tileToBytes,
  unrollTiles,
  withSamples,
  type Brush,
  type Ground,
  type Rectangle,
  type Tiles,
} from '@upland-cast/core';
import type { Patch, SculptParams } from './protocol';

type Bytes = Uint8Array<ArrayBuffer>;

/** One stroke of a hand step: its tiles while they change, and the ground as it is seen. */
export class Stroke {
  private readonly touched = new Set<string>();

  private constructor(
    private readonly beneath: Float32Array,
    private readonly seen: Float32Array<ArrayBuffer>,
    private readonly ground: Ground,
    private readonly tiles: Tiles,
    private readonly params: SculptParams,
    private readonly strength: number,
  ) {}

  static async begin(
    beneath: Float32Array,
    seen: Float32Array<ArrayBuffer>,
    ground: Ground,
    params: SculptParams,
    strength: number,
    load: (sha: string) => Promise<Bytes>,
  ): Promise<Stroke> {
    const tiles: Tiles = new Map();
    for (const [key, sha] of Object.entries(params.tiles)) tiles.set(key, tileFromBytes(await load(sha)));
    const { across, down, registration } = params.samples;
    const sameSamples = across === ground.across && down === ground.down && registration === ground.registration;
    if (tiles.size && !sameSamples) return new Stroke(beneath, seen, ground, resampledTiles(tiles, params, ground), { ...params, tiles: {} }, strength);
    return new Stroke(beneath, seen, ground, tiles, params, strength);
  }

  /** Dabs at places (east, south in metres); returns the heights that changed. */
  dab(brush: Brush, places: [number, number][]): Patch | null {
    let whole: Rectangle | undefined;
    for (const [east, south] of places) {
      const rectangle = this.oneDab(brush, east, south);
      if (!rectangle) continue;
      whole = whole
        ? {
            left: Math.min(whole.left, rectangle.left),
            top: Math.min(whole.top, rectangle.top),
            right: Math.max(whole.right, rectangle.right),
            bottom: Math.max(whole.bottom, rectangle.bottom),
          }
        : rectangle;
    }
    if (!whole) return null;
    const width = whole.right - whole.left;
    const height = new Float32Array(width * (whole.bottom - whole.top));
    for (let row = whole.top; row < whole.bottom; row++) {
      const from = row * this.ground.across;
      height.set(this.seen.subarray(from + whole.left, from + whole.right), (row - whole.top) * width);
    }
    return { rectangle: whole, height };
  }

  /** Keeps the touched tiles and returns the step's new settings. */
  async end(keep: (bytes: Bytes) => Promise<string>): Promise<SculptParams> {
    const tiles = { ...this.params.tiles };
    for (const key of this.touched) tiles[key] = await keep(tileToBytes(this.tiles.get(key)!));
    // Where the samples were changed, every tile is a new one.
    for (const [key, tile] of this.tiles) if (!tiles[key] && tile.some((d) => d !== 0)) tiles[key] = await keep(tileToBytes(tile));
    const { across, down, registration } = this.ground;
    return { samples: { across, down, registration }, tiles, strokes: this.params.strokes + 1 };
  }

  private oneDab(brush: Brush, east: number, south: number): Rectangle | undefined {
    const spread = dabRectangle(brush, this.ground, east, south);
    const old = spread && this.differencesIn(spread);
    const rectangle = dab(this.tiles, this.beneath, this.ground, brush, east, south);
    if (!rectangle || !old || !spread) return undefined;
    const now = this.differencesIn(spread);
    const width = spread.right - spread.left;
    // What lies after the hand work moves along until the course is worked out again.
    for (let row = spread.top; row < spread.bottom; row++) {
      for (let column = spread.left; column < spread.right; column++) {
        const i = (row - spread.top) * width + column - spread.left;
        const change = now[i] - old[i];
        if (change === 0) continue;
        this.seen[row * this.ground.across + column] += change * this.strength;
        this.touched.add(tileKey(Math.floor(column / TILE), Math.floor(row / TILE)));
      }
    }
    return rectangle;
  }

  private differencesIn({ left, top, right, bottom }: Rectangle): Float32Array {
    const width = right - left;
    const out = new Float32Array(width * (bottom - top));
    for (let row = top; row < bottom; row++) {
      for (let column = left; column < right; column++) {
        const tile = this.tiles.get(tileKey(Math.floor(column / TILE), Math.floor(row / TILE)));
        if (tile) out[(row - top) * width + column - left] = tile[(row % TILE) * TILE + (column % TILE)];
      }
    }
    return out;
  }
}

/** Hand work made at other sample counts, brought to the ground's own before it is worked on. */
function resampledTiles(tiles: Tiles, { samples }: SculptParams, ground: Ground): Tiles {
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
