import { eastOf, southOf, spacingOf, type Ground } from '../field/ground';
import { cropSamples, groundOfWindow, growWindow, type Window } from '../field/window';
import { ladderOf } from '../kernels/programs/ladder';
import { samplesOf } from '../steps/weather/common';
import type { Begun, Layers } from '../steps/step';
import type { LineHeights } from '../course/run-step';
import type { BaseStage } from './base';
import { valuesAt } from './upsample';

/**
 * The windows over which weather goes on from the whole ground's coarse grids to the samples of a world: the ground in squares of `side` samples,
 * each grown by `margin`. They lie the same whatever tiles are asked for, so that what comes out does not depend on who works out what.
 */
export interface FineWindows {
  side: number;
  margin: number;
}

export const USUAL_WINDOWS: FineWindows = { side: 2048, margin: 256 };

/** A square of the ground, without what it is grown by. */
interface Square {
  row: number;
  column: number;
  window: Window;
}

/** Where squares begin along a side, and where the last ends; what is left over goes to the last. */
function bordersOf(samples: number, side: number): number[] {
  const count = Math.max(1, Math.round(samples / side));
  return [...Array.from({ length: count }, (_, k) => k * side), samples];
}

/** Neighbours change over into one another over half of the margin on either side of their border; what lies farther out is worked out for the rest only. */
const blendOf = ({ margin }: FineWindows) => Math.floor(margin / 2);

/** The ground as a step left it over a square and as far around as neighbours change over. */
export interface FineResult extends LineHeights {
  window: Window;
}

/** The squares that have a part in a window. */
export function squaresOver(ground: Ground, windows: FineWindows, window: Window): Square[] {
  const blend = blendOf(windows);
  const of = (samples: number, from: number, count: number) => {
    const borders = bordersOf(samples, windows.side);
    return borders.slice(0, -1).flatMap((begin, k) => {
      const end = borders[k + 1];
      return begin - blend < from + count && end + blend > from ? [{ k, begin, count: end - begin }] : [];
    });
  };
  const columns = of(ground.across, window.left, window.across);
  return of(ground.down, window.top, window.down).flatMap((y) =>
    columns.map((x) => ({ row: y.k, column: x.k, window: { left: x.begin, top: y.begin, across: x.count, down: y.count } })),
  );
}

/** What a square's step is worked out from, and what is kept of it. */
export function windowsOf(ground: Ground, windows: FineWindows, { window }: Square): { wide: Window; kept: Window } {
  const blend = blendOf(windows);
  return { wide: growWindow(window, windows.margin, windows.margin, ground), kept: growWindow(window, blend, blend, ground) };
}

/** How much of a sample along one side comes from a square: 1 within, changing over smoothly to nothing around its borders. */
function shareAt(at: number, begin: number, end: number, samples: number, blend: number): number {
  const over = (border: number) => {
    if (blend === 0) return at >= border ? 1 : 0;
    const t = Math.min(1, Math.max(0, (at + 0.5 - border + blend) / (2 * blend)));
    return t * t * (3 - 2 * t);
  };
  const began = begin === 0 ? 1 : over(begin);
  return end === samples ? began : Math.min(began, 1 - over(end));
}

/** Squares' results laid together over a window: every sample by the same sum in the same order, whatever window it is asked in. */
export function blendSquares(ground: Ground, windows: FineWindows, window: Window, parts: readonly (FineResult & { square: Square })[]): LineHeights {
  const blend = blendOf(windows);
  const names = [...new Set(parts.flatMap(({ layers }) => Object.keys(layers)))];
  const laid = (of: (part: LineHeights) => Float32Array | undefined) => {
    const sum = new Float64Array(window.across * window.down);
    for (const part of parts) {
      const values = of(part);
      if (values) addPart(sum, window, values, part, ground, blend);
    }
    return Float32Array.from(sum);
  };
  return { height: laid((part) => part.height), layers: Object.fromEntries(names.map((name) => [name, laid((part) => part.layers[name])])) };
}

function addPart(sum: Float64Array, window: Window, values: Float32Array, part: FineResult & { square: Square }, ground: Ground, blend: number): void {
  const { window: kept, square } = part;
  const { left, top, across, down } = square.window;
  const [fromColumn, toColumn] = [Math.max(window.left, kept.left), Math.min(window.left + window.across, kept.left + kept.across)];
  const [fromRow, toRow] = [Math.max(window.top, kept.top), Math.min(window.top + window.down, kept.top + kept.down)];
  const shares = Float64Array.from({ length: Math.max(0, toColumn - fromColumn) }, (_, i) =>
    shareAt(fromColumn + i, left, left + across, ground.across, blend),
  );
  for (let row = fromRow; row < toRow; row++) {
    const share = shareAt(row, top, top + down, ground.down, blend);
    const from = (row - kept.top) * kept.across - kept.left;
    const to = (row - window.top) * window.across - window.left;
    for (let column = fromColumn; column < toColumn; column++) sum[to + column] += share * shares[column - fromColumn] * values[from + column];
  }
}

/** What a step did to the whole ground, at the samples of its base's spacing that lie in a window of the world. */
export function begunOver(base: Ground, ground: Ground, window: Window, stage: BaseStage, strength: number): Begun {
  const { before } = stage;
  const { change, layers = {} } = stage.begun ?? stage;
  const here = groundOfWindow(ground, window);
  const { x, y } = spacingOf(ground);
  const coarse = spacingOf(base);
  const cells = (metres: number, spacing: number) => Math.max(1, Math.round(metres / spacing));
  const [columns, rows] = [cells(here.width, coarse.x), cells(here.depth, coarse.y)];
  const [stepX, stepY] = [here.width / columns, here.depth / rows];
  // A window of cells begins at its first one's edge, a window of points at the first.
  const half = ground.registration === 'point' ? 0 : 0.5;
  const [west, north] = [eastOf(ground, window.left) - half * x, southOf(ground, window.top) - half * y];
  const places = {
    columns: Float64Array.from({ length: columns + 1 }, (_, i) => west + i * stepX),
    rows: Float64Array.from({ length: rows + 1 }, (_, i) => north + i * stepY),
  };
  const at = (values: Float32Array) => valuesAt(values, base, places);
  const whole = (values: Float32Array) => {
    const out = at(values);
    if (strength !== 1) for (let i = 0; i < out.length; i++) out[i] /= strength;
    return out;
  };
  let [lowest, highest] = [Infinity, -Infinity];
  for (const h of before!) [lowest, highest] = [Math.min(lowest, h), Math.max(highest, h)];
  return {
    args: {
      grid: { across: columns + 1, down: rows + 1, spacingX: stepX, spacingY: stepY, point: true },
      grids: ladderOf(samplesOf(base), { left: 0, above: 0, aligned: 1 }).length,
      west,
      north,
      width: ground.width,
      depth: ground.depth,
      rim: {
        west: window.left === 0,
        north: window.top === 0,
        east: window.left + window.across === ground.across,
        south: window.top + window.down === ground.down,
      },
    },
    before: at(before!),
    change: whole(change!),
    // Depths and areas: a curve's weights take them below nothing by a hair.
    layers: Object.fromEntries(Object.entries(layers).map(([name, layer]) => [name, whole(layer).map((v) => (v > 0 ? v : 0))])),
    bounds: { lowest, highest },
  };
}

/** What is kept of a square: the ground and those layers that somebody asks for. */
export function keptOf({ height, layers }: LineHeights, wide: Window, kept: Window, names: (name: string) => boolean): FineResult {
  const inner = { ...kept, left: kept.left - wide.left, top: kept.top - wide.top };
  const cut = (values: Float32Array<ArrayBuffer>) => cropSamples(values, wide.across, inner);
  const own: Layers = Object.fromEntries(Object.entries(layers).flatMap(([name, layer]) => (names(name) ? [[name, cut(layer)]] : [])));
  return { window: kept, height: cut(height), layers: own };
}
