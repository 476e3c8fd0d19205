import type { Field } from '../field/field';
import type { Ground } from '../field/ground';
import { spacingOf } from '../field/ground';
import type { Window } from '../field/window';
import { readHeightmap } from '../formats';
import { toField } from '../formats/heights';
import { UplandError } from '../errors';
import { tileField } from './finish';
import { tileFile, type World } from './manifest';
import { pyramidLevels, pyramidTile, type PyramidLevel } from './pyramid';
import type { WorldTile } from './plan';
import type { WorldStore } from './store';

/** Samples of tiles that are kept for the next look. */
const MOST_HELD = 48 * 1024 * 1024;
/** Samples a side of what is looked at, at the most. */
export const MOST_LOOKED_AT = 2049;

/** Looks into a world, finished or not: heights at any coarseness, of the tiles and overviews that are there, read when they are wanted. */
export class WorldReader {
  private readonly held = new Map<string, Field>();
  private readonly levels: PyramidLevel[];

  constructor(
    private readonly store: WorldStore,
    private readonly world: World,
  ) {
    this.levels = pyramidLevels(world.ground, world.tile);
  }

  /**
   * Heights (metres) at every `stride`-th sample from (left, top), row by row; NaN where there is none yet, or beyond the ground. `stride`
   * is a power of two.
   */
  async heights({ left, top, across, down }: Window, stride: number): Promise<Float32Array<ArrayBuffer>> {
    if (!(across >= 1 && down >= 1 && across <= MOST_LOOKED_AT && down <= MOST_LOOKED_AT) || stride < 1 || (stride & (stride - 1)) !== 0)
      throw new UplandError('world-look', `A look at a world has 1 to ${MOST_LOOKED_AT} samples a side, every one, or every second, fourth and so on.`);
    const out = new Float32Array(across * down).fill(NaN);
    const level = this.levels.find((l) => 2 ** l.level === stride);
    if (level && (await this.store.has(pyramidTile(level.level, 0, 0)))) await this.fromLevel(level, { left, top, across, down }, out);
    else await this.fromTiles({ left, top, across, down }, stride, out);
    return out;
  }

  /** The ground under such a look, where it lies within the world's. */
  groundOf({ across, down }: Window, stride: number): Ground {
    const { x, y } = spacingOf(this.world.ground);
    const ground: Ground = { ...this.world.ground, registration: 'area', datum: 0, across, down, width: across * stride * x, depth: down * stride * y };
    delete ground.georeference;
    return ground;
  }

  private async fromTiles({ left, top, across, down }: Window, stride: number, out: Float32Array): Promise<void> {
    for (const tile of this.world.tiles) {
      const { window } = tile;
      const columns = placesWithin(left, stride, across, window.left, window.across);
      const rows = placesWithin(top, stride, down, window.top, window.down);
      if (columns.from >= columns.to || rows.from >= rows.to) continue;
      const field = await this.tile(tile);
      if (!field) continue;
      const { height, valid, ground } = field;
      for (let row = rows.from; row < rows.to; row++) {
        const start = (top + row * stride - window.top) * window.across - window.left;
        for (let column = columns.from; column < columns.to; column++) {
          const at = start + left + column * stride;
          if (!valid || valid[at]) out[row * across + column] = height[at] + ground.datum;
        }
      }
    }
  }

  private async fromLevel({ level, ground, across: tiles }: PyramidLevel, { left, top, across, down }: Window, out: Float32Array): Promise<void> {
    const { tile } = this.world;
    const [firstColumn, firstRow] = [Math.floor(left / 2 ** level), Math.floor(top / 2 ** level)];
    for (let row = Math.max(0, Math.floor(firstRow / tile)); row * tile < Math.min(ground.down, firstRow + down); row++) {
      for (let column = Math.max(0, Math.floor(firstColumn / tile)); column < tiles && column * tile < firstColumn + across; column++) {
        const field = await this.kept(pyramidTile(level, row, column), async (bytes) => toField(await readHeightmap(bytes), {}));
        if (!field) continue;
        const own = { left: column * tile, top: row * tile, across: field.ground.across, down: field.ground.down };
        const [x, y] = [placesWithin(firstColumn, 1, across, own.left, own.across), placesWithin(firstRow, 1, down, own.top, own.down)];
        for (let r = y.from; r < y.to; r++) {
          for (let c = x.from; c < x.to; c++) {
            const at = (firstRow + r - own.top) * own.across + firstColumn + c - own.left;
            if (!field.valid || field.valid[at]) out[r * across + c] = field.height[at];
          }
        }
      }
    }
  }

  private tile(tile: WorldTile): Promise<Field | null> {
    return this.kept(tileFile(this.world, tile), () => tileField(this.store, this.world, tile));
  }

  private async kept(name: string, read: (bytes: Uint8Array<ArrayBuffer>) => Promise<Field>): Promise<Field | null> {
    const known = this.held.get(name);
    if (known) {
      this.held.delete(name);
      this.held.set(name, known);
      return known;
    }
    const bytes = await this.store.read(name);
    if (!bytes) return null;
    const field = await read(bytes);
    this.held.set(name, field);
    let samples = [...this.held.values()].reduce((sum, { height }) => sum + height.length, 0);
    for (const [old, { height }] of this.held) {
      if (samples <= MOST_HELD || old === name) break;
      this.held.delete(old);
      samples -= height.length;
    }
    return field;
  }
}

/** Which of `count` places, `stride` samples apart from `first`, lie in so many samples from `start`. */
function placesWithin(first: number, stride: number, count: number, start: number, samples: number): { from: number; to: number } {
  return { from: Math.max(0, Math.ceil((start - first) / stride)), to: Math.min(count, Math.ceil((start + samples - first) / stride)) };
}
