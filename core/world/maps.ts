import type { Evaluation } from '../course/evaluate';
import type { MapSpec } from '../course/recipe';
import type { Course } from '../course/schema';
import { reachOfWhere } from '../course/where';
import { defaultCover, layCover, paintCover, type CoverOptions, type Picture } from '../delivery/maps/cover';
import { colourMap, drawMap, weightsMap, type DrawnMap } from '../delivery/maps/draw';
import { cutMapToWindow } from '../delivery/order/window';
import { makeField } from '../field/field';
import { GAUSSIAN_ALIGN } from '../field/gaussian';
import { spacingOf, type Ground } from '../field/ground';
import { cropSamples, groundOfWindow, growWindow, type Window } from '../field/window';
import type { LineHeights } from '../course/run-step';
import type { WorldBase } from './base';
import { isNear, reachOfMap, type BaseMap } from './base-maps';
import { upsampled } from './upsample';
import { shares, type WindowWork } from './window';

/** The window of a world that its maps read to draw a tile, or what else reads as far as `least` samples around. */
export function windowOfMaps(specs: readonly MapSpec[], course: Course, ground: Ground, tile: Window, least = 0): Window {
  const reach = Math.max(least, ...specs.map((spec) => reachOfMap(spec, course, ground)).filter((samples) => samples < Infinity));
  return reach === 0 ? tile : growWindow(tile, reach, reach, ground, GAUSSIAN_ALIGN);
}

/** What the maps of a tile are drawn of. */
export interface TileGround {
  course: Course;
  ground: Ground;
  base: WorldBase;
  work: WindowWork;
  /** The tile; and the window that its maps read, with the end of the course over it. */
  tile: Window;
  wide: Window;
  end: LineHeights;
}

/** Draws one map of a tile: on the range that all tiles share, of what lies around it, or of the whole ground at fewer samples. */
export async function drawTileMap(spec: MapSpec, n: number, of: TileGround, options: CoverOptions): Promise<DrawnMap> {
  const base = of.base.maps[n];
  if (spec.kind === 'colour' || spec.kind === 'weights') return drawTileCover(spec, of, options);
  if (base.values) return laid(spec, base, clamped(upsampled(base.values, of.base.ground, of.ground, of.tile), base), of);
  if (spec.kind === 'layer' && spec.after) {
    const { line, index } = of.work.placeOf(spec.after);
    const { layers } = await of.work.upTo(line, index + 1, of.tile);
    return laid(spec, base, layers[spec.layer] ?? new Float32Array(of.tile.across * of.tile.down), of);
  }
  if (spec.kind === 'mask') return laid(spec, base, await maskOfStep(spec.use, of), of);
  const { course, ground, wide, tile, end } = of;
  const evaluation: Evaluation = { ground: { ...groundOfWindow(ground, wide), sea: course.ground.sea }, height: end.height, layers: end.layers, stages: [] };
  const drawn = await drawMap(spec, course, evaluation, course.cover ?? defaultCover(), options);
  const inner = { ...tile, left: tile.left - wide.left, top: tile.top - wide.top };
  const cut = cutMapToWindow(drawn, { ground: evaluation.ground, window: inner });
  return 'field' in cut ? { ...cut, low: base.low, high: base.high, words: base.words } : cut;
}

/** Where a step acts over a tile. */
async function maskOfStep(id: string, { work, ground, tile }: TileGround): Promise<Float32Array<ArrayBuffer>> {
  const { line, index } = work.placeOf(id);
  const { x, y } = spacingOf(ground);
  const { where, name } = line.steps[index];
  const reach = reachOfWhere(where, ground);
  const wide = growWindow(tile, Math.ceil(reach / x) + 2, Math.ceil(reach / y) + 2, ground, GAUSSIAN_ALIGN);
  const weights = await work.weights(name, where, wide, await work.upTo(line, index, wide));
  const inner = { ...tile, left: tile.left - wide.left, top: tile.top - wide.top };
  return weights ? cropSamples(weights, wide.across, inner) : new Float32Array(tile.across * tile.down).fill(1);
}

async function drawTileCover(spec: Extract<MapSpec, { kind: 'colour' | 'weights' }>, of: TileGround, options: CoverOptions): Promise<DrawnMap> {
  const { course, ground, base, work, tile, wide, end } = of;
  const cover = course.cover ?? defaultCover();
  const inner = { ...tile, left: tile.left - wide.left, top: tile.top - wide.top };
  const parts = await layCover(cover, tile.across * tile.down, async (layer) => {
    const known = base.cover.weights.get(layer.id);
    if (known) return shares(upsampled(known, base.ground, ground, tile));
    if (!isNear(layer, ground)) return null;
    const weights = await work.weights(layer.name, layer.where, wide, end);
    return weights && cropSamples(weights, wide.across, inner);
  });
  const piece = groundOfWindow(ground, tile);
  if (spec.kind === 'weights') return weightsMap(parts, cover, spec.bits, piece);
  const ramp = shares(upsampled(base.cover.ramp!, base.ground, ground, tile));
  const samples = await paintCover(parts, ramp, cover, { ground, window: tile }, options as { picture?(sha: string): Promise<Picture> });
  return colourMap(samples, piece);
}

/** Beyond what the whole ground has of a map there is nothing: a curve through its samples goes over that by a hair. */
function clamped(values: Float32Array<ArrayBuffer>, { values: known }: BaseMap): Float32Array<ArrayBuffer> {
  let [low, high] = [Infinity, -Infinity];
  for (const v of known!) {
    if (v < low) low = v;
    if (v > high) high = v;
  }
  for (let i = 0; i < values.length; i++) values[i] = values[i] < low ? low : values[i] > high ? high : values[i];
  return values;
}

function laid(spec: MapSpec, { low, high, unit, words }: BaseMap, values: Float32Array<ArrayBuffer>, { ground, tile }: TileGround): DrawnMap {
  const depth = 'depth' in spec ? spec.depth : '8';
  return { field: makeField({ ...groundOfWindow(ground, tile), datum: 0 }, values), low, high, unit, depth, words };
}
