import { encode } from '../delivery/heights/encode';
import { makeField, type Field } from '../field/field';
import { spacingOf, type Ground } from '../field/ground';
import type { Window } from '../field/window';
import type { WorldStore } from './store';
import { virtualRaster } from './virtual-raster';

/** Levels go on until the whole fits into this many samples a side. */
const TOP = 512;

/** A level of a pyramid: its ground, and the tiles that it lies in. */
export interface PyramidLevel {
  /** 1 is the first, half as many samples a side as the world. */
  level: number;
  ground: Ground;
  across: number;
  down: number;
}

/** A ground whose samples are means of squares of `scale` samples a side of another, which lie in their middles. */
export function groundOfMeans(ground: Ground, scale: number): Ground {
  const { x, y } = spacingOf(ground);
  const across = Math.ceil(ground.across / scale);
  const down = Math.ceil(ground.down / scale);
  const place = ground.georeference ?? { west: 0, north: ground.depth, crs: '' };
  const per = place.perMetre ?? { x: 1, y: 1 };
  const half = ground.registration === 'point' ? 0.5 : 0;
  return {
    ...ground,
    datum: 0,
    registration: 'area',
    across,
    down,
    width: across * scale * x,
    depth: down * scale * y,
    georeference: { ...place, west: place.west - half * x * per.x, north: place.north + half * y * per.y },
  };
}

/** The levels over a ground whose tiles have so many samples a side. */
export function pyramidLevels(ground: Ground, tile: number): PyramidLevel[] {
  const levels: PyramidLevel[] = [];
  for (let level = 1; Math.max(ground.across, ground.down) > TOP * 2 ** (level - 1); level++) {
    const own = groundOfMeans(ground, 2 ** level);
    levels.push({ level, ground: own, across: Math.ceil(own.across / tile), down: Math.ceil(own.down / tile) });
  }
  return levels;
}

const digits = (n: number) => String(n).padStart(3, '0');
export const pyramidTile = (level: number, row: number, column: number): string => `pyramid/${level}/r${digits(row)}-c${digits(column)}.tif`;
export const pyramidRaster = (level: number): string => `pyramid/${level}.vrt`;

/** The window of a level that one of its tiles holds. */
export function windowInLevel({ across, down }: Ground, tile: number, row: number, column: number): Window {
  return {
    left: column * tile,
    top: row * tile,
    across: Math.min(tile, across - column * tile),
    down: Math.min(tile, down - row * tile),
  };
}

interface Begun {
  row: number;
  column: number;
  window: Window;
  means: Float32Array<ArrayBuffer>;
  known: Uint8Array<ArrayBuffer>;
  /** Samples of the level below that are still to come. */
  missing: number;
}

/**
 * The overviews of a world, each half of the one below, as tiles of GeoTIFF floats: made while its tiles are read once, one after the
 * other. A tile is written as soon as all that it is made of was there.
 */
export class Pyramid {
  readonly levels: PyramidLevel[];
  private readonly begun = new Map<string, Begun>();

  constructor(
    private readonly store: WorldStore,
    private readonly ground: Ground,
    private readonly tile: number,
  ) {
    this.levels = pyramidLevels(ground, tile);
  }

  /** Takes samples of the world; each once. */
  take(window: Window, { ground, height, valid }: Field): Promise<void> {
    const heights = ground.datum === 0 ? height : height.map((h) => h + ground.datum);
    return this.add(0, window, heights, valid);
  }

  private async add(n: number, window: Window, height: Float32Array, valid: Uint8Array | undefined): Promise<void> {
    const level = this.levels[n];
    if (!level) return;
    const { tile } = this;
    // A tile of a level is made of squares of two tiles a side of the one below.
    const [left, top] = [Math.floor(window.left / 2 / tile), Math.floor(window.top / 2 / tile)];
    const [right, bottom] = [Math.floor((window.left + window.across - 1) / 2 / tile), Math.floor((window.top + window.down - 1) / 2 / tile)];
    for (let row = top; row <= bottom; row++) {
      for (let column = left; column <= right; column++) {
        const name = `${n}:${row}:${column}`;
        const own = this.begun.get(name) ?? this.begin(n, row, column);
        this.begun.set(name, own);
        gather(own, window, height, valid);
        if (own.missing > 0) continue;
        this.begun.delete(name);
        await this.end(n, own);
      }
    }
  }

  private begin(n: number, row: number, column: number): Begun {
    const window = windowInLevel(this.levels[n].ground, this.tile, row, column);
    const below = n === 0 ? this.ground : this.levels[n - 1].ground;
    const count = window.across * window.down;
    const missing = Math.min(2 * window.across, below.across - 2 * window.left) * Math.min(2 * window.down, below.down - 2 * window.top);
    return { row, column, window, means: new Float32Array(count), known: new Uint8Array(count), missing };
  }

  private async end(n: number, { row, column, window, means, known }: Begun): Promise<void> {
    const { level, ground } = this.levels[n];
    const { x, y } = spacingOf(ground);
    const place = ground.georeference!;
    const per = place.perMetre ?? { x: 1, y: 1 };
    const own: Ground = {
      ...ground,
      across: window.across,
      down: window.down,
      width: window.across * x,
      depth: window.down * y,
      georeference: { ...place, west: place.west + window.left * x * per.x, north: place.north - window.top * y * per.y },
    };
    const valid = known.includes(0) ? known.map((n) => Math.min(1, n)) : undefined;
    await this.store.write(pyramidTile(level, row, column), (await encode(makeField(own, means, valid), { format: 'tiff', type: 'f32' })).bytes);
    await this.add(n + 1, window, means, valid);
  }

  /** Writes every level as one raster; their files, largest first. */
  async finish(): Promise<string[]> {
    const files: string[] = [];
    for (const { level, ground, across, down } of this.levels) {
      const sources = Array.from({ length: across * down }, (_, i) => {
        const [row, column] = [Math.floor(i / across), i % across];
        return { file: pyramidTile(level, row, column).replace(/^pyramid\//, ''), window: windowInLevel(ground, this.tile, row, column) };
      });
      await this.store.write(pyramidRaster(level), new TextEncoder().encode(virtualRaster({ ground, encoding: { type: 'f32' }, sources })));
      files.push(pyramidRaster(level));
    }
    return files;
  }
}

/** Adds what of a window of the level below lies under a tile. */
function gather(own: Begun, from: Window, height: Float32Array, valid: Uint8Array | undefined): void {
  const { window, means, known } = own;
  const left = Math.max(from.left, 2 * window.left);
  const right = Math.min(from.left + from.across, 2 * (window.left + window.across));
  const top = Math.max(from.top, 2 * window.top);
  const bottom = Math.min(from.top + from.down, 2 * (window.top + window.down));
  for (let y = top; y < bottom; y++) {
    const to = ((y >> 1) - window.top) * window.across - window.left;
    const at = (y - from.top) * from.across - from.left;
    for (let x = left; x < right; x++) {
      if (valid && !valid[at + x]) continue;
      const i = to + (x >> 1);
      // A mean as it grows, so that floats keep what they hold.
      means[i] += (height[at + x] - means[i]) / ++known[i];
    }
  }
  own.missing -= Math.max(0, right - left) * Math.max(0, bottom - top);
}
