import type { Ground } from '../../field/ground';
import { spacingOf } from '../../field/ground';
import { TILE, tileKey, type Tiles } from './tiles';

export const BRUSHES = { raise: 'Raise', lower: 'Lower', smooth: 'Smooth' } as const;
export type BrushKind = keyof typeof BRUSHES;

export interface Brush {
  kind: BrushKind;
  /** Metres from the middle to where it ends. */
  radius: number;
  /** Raise and lower: metres a dab at the middle. Smooth: share of the way to the local mean, 0 to 1. */
  strength: number;
  /** Share of the radius over which it fades out: 0 is a flat disc, 1 fades from the middle. */
  softness: number;
}

/** Samples from (left, top) to before (right, bottom). */
export interface Rectangle {
  left: number;
  top: number;
  right: number;
  bottom: number;
}

/** The samples that a dab at (east, south) metres can touch; undefined when it misses the ground. */
export function dabRectangle(brush: Brush, ground: Ground, east: number, south: number): Rectangle | undefined {
  const spacing = spacingOf(ground);
  const pad = ground.registration === 'area' ? 0.5 : 0;
  const rectangle = {
    left: Math.max(0, Math.ceil((east - brush.radius) / spacing.x - pad)),
    top: Math.max(0, Math.ceil((south - brush.radius) / spacing.y - pad)),
    right: Math.min(ground.across, Math.floor((east + brush.radius) / spacing.x - pad) + 1),
    bottom: Math.min(ground.down, Math.floor((south + brush.radius) / spacing.y - pad) + 1),
  };
  return rectangle.left < rectangle.right && rectangle.top < rectangle.bottom ? rectangle : undefined;
}

/**
 * One dab of a brush: changes the differences in `tiles` (made where the dab first touches
 * them) and returns the samples that it may have changed. `beneath` is the ground that the
 * hand work lies on, metres above the datum; smoothing looks at the sum of both.
 */
export function dab(tiles: Tiles, beneath: Float32Array, ground: Ground, brush: Brush, east: number, south: number): Rectangle | undefined {
  const rectangle = dabRectangle(brush, ground, east, south);
  if (!rectangle) return undefined;
  const spacing = spacingOf(ground);
  const pad = ground.registration === 'area' ? 0.5 : 0;
  const mean = brush.kind === 'smooth' ? localMean(tiles, beneath, ground, rectangle, brush.radius) : undefined;
  const width = rectangle.right - rectangle.left;
  const sign = brush.kind === 'lower' ? -1 : 1;

  for (let row = rectangle.top; row < rectangle.bottom; row++) {
    const dy = (row + pad) * spacing.y - south;
    for (let column = rectangle.left; column < rectangle.right; column++) {
      const dx = (column + pad) * spacing.x - east;
      const weight = falloff(Math.sqrt(dx * dx + dy * dy) / brush.radius, brush.softness);
      if (weight === 0) continue;
      const tile = tileAt(tiles, column, row);
      const at = (row % TILE) * TILE + (column % TILE);
      if (mean) {
        const now = beneath[row * ground.across + column] + tile[at];
        const target = mean[(row - rectangle.top) * width + column - rectangle.left];
        tile[at] += (target - now) * Math.min(1, brush.strength * weight);
      } else {
        // Rounded before it is added, so that lowering by as much leaves exactly zero.
        tile[at] += Math.fround(sign * brush.strength * weight);
      }
    }
  }
  return rectangle;
}

/** 1 in the middle, 0 at the rim, by a smooth shoulder over the last `softness` of the radius. */
export function falloff(t: number, softness: number): number {
  if (t > 1) return 0;
  const inner = 1 - softness;
  if (t <= inner) return 1;
  const u = (1 - t) / softness;
  return u * u * (3 - 2 * u);
}

function tileAt(tiles: Tiles, column: number, row: number) {
  const key = tileKey(Math.floor(column / TILE), Math.floor(row / TILE));
  let tile = tiles.get(key);
  if (!tile) tiles.set(key, (tile = new Float32Array(TILE * TILE)));
  return tile;
}

function differenceAt(tiles: Tiles, column: number, row: number): number {
  const tile = tiles.get(tileKey(Math.floor(column / TILE), Math.floor(row / TILE)));
  return tile ? tile[(row % TILE) * TILE + (column % TILE)] : 0;
}

/**
 * The mean of the ground around every sample of the rectangle: two passes of a box whose half
 * width is a sixth of the radius, at least one sample. A mean with positive weights lies
 * between the ground's own extremes, so that smoothing makes no new ones.
 */
function localMean(tiles: Tiles, beneath: Float32Array, ground: Ground, rectangle: Rectangle, radius: number): Float64Array {
  const spacing = spacingOf(ground);
  const rx = Math.max(1, Math.round(radius / 6 / spacing.x));
  const ry = Math.max(1, Math.round(radius / 6 / spacing.y));
  const left = rectangle.left - 2 * rx;
  const top = rectangle.top - 2 * ry;
  const width = rectangle.right - rectangle.left + 4 * rx;
  const height = rectangle.bottom - rectangle.top + 4 * ry;
  const clampX = (x: number) => Math.min(ground.across - 1, Math.max(0, x));
  const clampY = (y: number) => Math.min(ground.down - 1, Math.max(0, y));
  let window = new Float64Array(width * height);
  for (let y = 0; y < height; y++) {
    const row = clampY(top + y);
    for (let x = 0; x < width; x++) {
      const column = clampX(left + x);
      window[y * width + x] = beneath[row * ground.across + column] + differenceAt(tiles, column, row);
    }
  }
  for (let pass = 0; pass < 2; pass++) {
    window = boxAlong(window, width, height, 1, width, rx);
    window = boxAlong(window, height, width, width, 1, ry);
  }
  const out = new Float64Array((width - 4 * rx) * (height - 4 * ry));
  const outWidth = width - 4 * rx;
  for (let y = 0; y < height - 4 * ry; y++) {
    out.set(window.subarray((y + 2 * ry) * width + 2 * rx, (y + 2 * ry) * width + 2 * rx + outWidth), y * outWidth);
  }
  return out;
}

/** Running mean over 2·radius + 1 samples along lines of `length` samples, `step` apart; `lines` of them, `jump` apart. */
function boxAlong(source: Float64Array, length: number, lines: number, step: number, jump: number, radius: number): Float64Array<ArrayBuffer> {
  const out = new Float64Array(source.length);
  for (let line = 0; line < lines; line++) {
    const start = line * jump;
    const at = (i: number) => source[start + Math.min(length - 1, Math.max(0, i)) * step];
    let sum = 0;
    for (let i = -radius; i <= radius; i++) sum += at(i);
    for (let i = 0; i < length; i++) {
      out[start + i * step] = sum / (2 * radius + 1);
      sum += at(i + radius + 1) - at(i - radius);
    }
  }
  return out;
}
