import { UplandError } from '../../errors';
import { spacingOf, type Ground } from '../../field/ground';
import { DEGREE, exactMath } from '../../kernels/math';
import { around, discRectangle, mirrored, type Brush, type BrushKind, type Rectangle, type StrokePlace } from './brush';
import { falloffAt } from './falloff';
import { addDetail, detailAround, type Detail } from './detail';
import { localMean, meanReach } from './mean';
import { brushRoom } from './room';
import { formOf } from './stamps';
import { Surface } from './surface';
import type { Tiles } from '../../field/tiles';

type Floats = Float32Array<ArrayBuffer>;

/** What a brush needs beside the ground. */
export interface StrokeTools {
  /** Weights, one a sample of the ground: where the stroke may act. */
  mask?: Float32Array;
  /** Values of 0 to 1 that `stamp` presses in where it names a file, `size` by `size`. */
  form?: { values: Float32Array; across: number; down: number };
  /** For the brushes that let rock slide or rain fall: the change of a piece of ground, metres a sample. */
  weather?: (kind: 'talus' | 'runoff', height: Floats, ground: Ground) => Promise<Floats>;
}

/** Where a stroke began: metres, and heights above the datum there and around it. */
interface Beginning {
  east: number;
  south: number;
  height: number;
  low: number;
  high: number;
}

/** One dab: its rectangle of samples, the heights there now, and how much it acts on each. */
interface Dab {
  place: StrokePlace;
  side: number;
  radius: number;
  rectangle: Rectangle;
  now: Floats;
  w: Floats;
  strength: number;
  first: Beginning;
}

/** What every sample that the weights reach is to be changed by, in their place. */
function each(w: Floats, amount: (i: number) => number): Floats {
  for (let i = 0; i < w.length; i++) if (w[i] !== 0) w[i] = amount(i);
  return w;
}

/** A share of the way to heights that lie in the room as all else does. */
function towardsAll({ now, w, strength }: Dab, target: Floats): Floats {
  const room = brushRoom();
  room.kernels.brushTowards(room.placeOf(w)!, room.placeOf(target)!, room.placeOf(now)!, w.length, strength);
  return w;
}

/** What stands over the plane through the dab's ground goes. */
function scraped({ rectangle, now, w, strength }: Dab): Floats {
  const width = rectangle.right - rectangle.left;
  const { at, x: gx, y: gy } = planeThrough(now, w, width);
  for (let i = 0, row = 0; i < w.length; row++) {
    for (let column = 0; column < width; column++, i++) {
      const over = at + gx * column + gy * row - now[i];
      w[i] = over < 0 ? over * Math.min(1, strength * w[i]) : 0;
    }
  }
  return w;
}

/**
 * One stroke of a brush: dabs that change the differences of a surface. What it needs to know
 * of its beginning (a height, a slope, the detail around) it takes from its first dab.
 *
 * Heights inside are metres above the ground's datum; those in the brush are as the staff has them.
 */
export class StrokeOnSurface {
  private readonly spacing: { x: number; y: number };
  private readonly pad: number;
  private first: Beginning | undefined;
  private detail: Detail | undefined;
  private readonly last: (StrokePlace | undefined)[] = [];
  /** The direction of the stroke, a unit vector. */
  private readonly along: [number, number][] = [];
  private readonly before: Tiles;

  constructor(
    readonly surface: Surface,
    readonly brush: Brush,
    private readonly seed: number,
    private readonly tools: StrokeTools = {},
  ) {
    this.spacing = spacingOf(surface.ground);
    this.pad = surface.ground.registration === 'area' ? 0.5 : 0;
    this.before = new Map(surface.tiles);
    if (brush.kind === 'ramp' && !brush.ramp) throw new UplandError('brush', 'The slope has no two ends yet. Take them from the ground first.');
    if (brush.kind === 'clone' && !brush.source) throw new UplandError('brush', 'There is no place to clone from yet. Take one from the ground first.');
    if (brush.kind === 'stamp' && brush.stamp.length === 64 && !tools.form) throw new UplandError('brush', 'The file of this stamp is not there.');
  }

  /** The place, and its image in the mirror. */
  private both(place: StrokePlace): StrokePlace[] {
    const { sin, cos } = exactMath();
    const image = mirrored(this.brush, place, (degrees) => [sin(degrees * DEGREE), cos(degrees * DEGREE)]);
    return image ? [place, image] : [place];
  }

  /** The samples that a dab at a place can touch: rectangles that do not overlap. */
  reachOf(place: StrokePlace): Rectangle[] {
    const { ground } = this.surface;
    const [one, other] = this.both(place).map(([east, south]) => discRectangle(this.brush.radius, ground, east, south));
    if (!one || !other) return [one, other].filter((r) => r !== undefined);
    const apart = one.right <= other.left || other.right <= one.left || one.bottom <= other.top || other.bottom <= one.top;
    return apart ? [one, other] : [around(one, other)];
  }

  /** Dabs at a place, and at the one in the mirror; the samples that may have changed. */
  async dab(place: StrokePlace): Promise<Rectangle | undefined> {
    let whole: Rectangle | undefined;
    const { kind } = this.brush;
    for (const [side, at] of this.both(place).entries()) {
      const done = kind === 'talus' || kind === 'runoff' ? await this.weathered(kind, at) : this.dry(kind, at, side);
      this.last[side] = at;
      if (done) whole = whole ? around(whole, done) : done;
    }
    return whole;
  }

  private radiusAt([, , pressure = 1]: StrokePlace): number {
    const { radius, pressure: what } = this.brush;
    return what === 'radius' || what === 'both' ? radius * Math.max(0.05, pressure) : radius;
  }

  private strengthAt([, , pressure = 1]: StrokePlace): number {
    const { strength, pressure: what } = this.brush;
    return what === 'strength' || what === 'both' ? strength * pressure : strength;
  }

  /** Weights over the rectangle: the falloff, and where the mask lets the stroke act; times `strength`. */
  private weights(rectangle: Rectangle, place: StrokePlace, radius: number, strength = 1): Floats {
    const { left, top, right, bottom } = rectangle;
    const { softness, falloff } = this.brush;
    const [width, height] = [right - left, bottom - top];
    const room = brushRoom();
    const { at, view: out } = room.floats(width * height);
    const [x, y] = [((left + this.pad) * this.spacing.x - place[0]) / radius, ((top + this.pad) * this.spacing.y - place[1]) / radius];
    const [stepX, stepY] = [this.spacing.x / radius, this.spacing.y / radius];
    if (falloff === 'shoulder') room.kernels.brushWeights(at, width, height, x, y, stepX, stepY, softness, strength);
    else {
      for (let row = 0, i = 0; row < height; row++) {
        const dy = y + row * stepY;
        for (let column = 0; column < width; column++, i++) {
          const dx = x + column * stepX;
          const t2 = dx * dx + dy * dy;
          out[i] = t2 > 1 ? 0 : strength * falloffAt(Math.sqrt(t2), softness, falloff);
        }
      }
    }
    const { mask } = this.tools;
    if (mask) {
      const { across } = this.surface.ground;
      for (let row = top; row < bottom; row++) {
        const from = row * across;
        const first = (row - top) * width - left;
        for (let column = left; column < right; column++) out[first + column] *= mask[from + column];
      }
    }
    return out;
  }

  /** Room for a dab and the ground around it. */
  private room(rectangle: Rectangle, radius: number): void {
    const [width, height] = [rectangle.right - rectangle.left, rectangle.bottom - rectangle.top];
    const reach = meanReach(this.surface, radius / 6);
    brushRoom().begin(5 * (width + 2) * (height + 2) + 3 * (width + 4 * reach.x + 8) * (height + 4 * reach.y + 4));
  }

  private begin(place: StrokePlace, rectangle: Rectangle, now: Floats): Beginning {
    if (this.first) return this.first;
    const { brush, surface } = this;
    const [east, south] = place;
    let [low, high] = [Infinity, -Infinity];
    for (const h of now) {
      if (h < low) low = h;
      if (h > high) high = h;
    }
    const { datum } = surface.ground;
    if (brush.bounds) [low, high] = brush.bounds.map((b) => b - datum);
    const height = surface.between(east / this.spacing.x - this.pad, south / this.spacing.y - this.pad);
    if (brush.kind === 'roughen') this.detail = detailAround(surface, rectangle);
    return (this.first = { east, south, height, low, high });
  }

  private dry(kind: Exclude<BrushKind, 'talus' | 'runoff'>, place: StrokePlace, side: number): Rectangle | undefined {
    const { brush, surface } = this;
    const { ground } = surface;
    const radius = this.radiusAt(place);
    const rectangle = discRectangle(radius, ground, place[0], place[1]);
    if (!rectangle) return undefined;
    this.room(rectangle, radius);
    const strength = this.strengthAt(place);
    const free = brush.above === null && brush.below === null;
    if ((kind === 'raise' || kind === 'lower') && free) {
      surface.add(rectangle, this.weights(rectangle, place, radius, kind === 'raise' ? strength : -strength));
      return rectangle;
    }
    const w = this.weights(rectangle, place, radius);
    if (kind === 'restore') {
      const share = w;
      for (let i = 0; i < share.length; i++) share[i] = Math.min(1, share[i] * strength);
      surface.fade(rectangle, share);
      return rectangle;
    }
    const now = surface.heights(rectangle, brushRoom().floats(w.length).view);
    const first = this.begin(place, rectangle, now);
    this.turn(place, side);
    const change = this.change(kind, { place, side, radius, rectangle, now, w, strength, first });
    if (!change) return undefined;
    if (!free) this.keepBounds(now, change);
    surface.add(rectangle, change);
    return rectangle;
  }

  /** What lies outside the bounds is left alone, and nothing is brought across them. */
  private keepBounds(now: Floats, change: Floats): void {
    const { datum } = this.surface.ground;
    const top = this.brush.above === null ? Infinity : this.brush.above - datum;
    const foot = this.brush.below === null ? -Infinity : this.brush.below - datum;
    for (let i = 0; i < now.length; i++) {
      const h = now[i];
      if (h > top || h < foot) change[i] = 0;
      else if (h + change[i] > top) change[i] = top - h;
      else if (h + change[i] < foot) change[i] = foot - h;
    }
  }

  /** Which way the stroke goes. It turns slowly, so that a shaking hand does not show. */
  private turn([east, south]: StrokePlace, side: number): void {
    const last = this.last[side];
    if (!last) return;
    const [dx, dy] = [east - last[0], south - last[1]];
    const length = Math.sqrt(dx * dx + dy * dy);
    if (length === 0) return;
    const old = this.along[side];
    let [x, y] = [dx / length, dy / length];
    if (old) {
      [x, y] = [0.5 * old[0] + 0.5 * x, 0.5 * old[1] + 0.5 * y];
      const size = Math.sqrt(x * x + y * y);
      if (size < 1e-3) return;
      [x, y] = [x / size, y / size];
    }
    this.along[side] = [x, y];
  }

  /** Metres to add over the rectangle. The dab's weights are given away. */
  private change(kind: Exclude<BrushKind, 'restore' | 'talus' | 'runoff'>, dab: Dab): Floats | undefined {
    const { place, side, rectangle, now, w, strength, first } = dab;
    const { brush, surface } = this;
    switch (kind) {
      case 'raise':
        return each(w, (i) => strength * w[i]);
      case 'lower':
        return each(w, (i) => -strength * w[i]);
      case 'smooth':
        return towardsAll(dab, localMean(brushRoom(), surface, rectangle, dab.radius / 6));
      case 'sharpen': {
        const mean = localMean(brushRoom(), surface, rectangle, dab.radius / 8);
        return each(w, (i) => Math.max(0, now[i] - mean[i]) * strength * w[i]);
      }
      case 'roughen':
        return this.roughened(dab);
      case 'flatten':
        return towardsAll(dab, brushRoom().floats(w.length).view.fill(first.height));
      case 'level':
        return towardsAll(
          dab,
          brushRoom()
            .floats(w.length)
            .view.fill(brush.height - surface.ground.datum),
        );
      case 'ramp':
        return this.onRamp(dab);
      case 'scrape':
        return scraped(dab);
      case 'lift-highs':
      case 'lift-lows':
      case 'sink-highs':
      case 'sink-lows': {
        const span = Math.max(1e-6, first.high - first.low);
        const sign = kind.startsWith('lift') ? strength : -strength;
        const highs = kind.endsWith('highs');
        return each(w, (i) => {
          const t = Math.min(1, Math.max(0, (now[i] - first.low) / span));
          return sign * w[i] * (highs ? t : 1 - t);
        });
      }
      case 'smear': {
        const last = this.last[side];
        if (!last) return undefined;
        const [x, y] = [(place[0] - last[0]) / this.spacing.x, (place[1] - last[1]) / this.spacing.y];
        return towardsAll(dab, shifted(surface, rectangle, -x, -y));
      }
      case 'clone':
        return this.cloned(dab);
      case 'stamp':
        return this.stamped(dab);
    }
  }

  /** Metres from the west edge of the `i`-th sample of a rectangle, and from the north edge. */
  private eastOf({ left, right }: Rectangle, i: number): number {
    return (left + (i % (right - left)) + this.pad) * this.spacing.x;
  }

  private southOf({ left, right, top }: Rectangle, i: number): number {
    return (top + Math.floor(i / (right - left)) + this.pad) * this.spacing.y;
  }

  private roughened({ rectangle, w, strength }: Dab): Floats | undefined {
    if (!this.detail) return undefined;
    const noise = brushRoom().floats(w.length);
    noise.view.fill(0);
    const width = rectangle.right - rectangle.left;
    const [east, south] = [this.eastOf(rectangle, 0), this.southOf(rectangle, 0)];
    const piece = { width, height: w.length / width, east, south, stepX: this.spacing.x, stepY: this.spacing.y };
    addDetail(brushRoom(), noise.at, this.detail, this.seed, piece);
    for (let i = 0; i < w.length; i++) w[i] *= noise.view[i] * strength;
    return w;
  }

  private onRamp({ rectangle, now, w, strength }: Dab): Floats {
    const { datum } = this.surface.ground;
    const [a, b] = this.brush.ramp!;
    const [dx, dy] = [b.east - a.east, b.south - a.south];
    const length = dx * dx + dy * dy;
    const along = (i: number) => (this.eastOf(rectangle, i) - a.east) * dx + (this.southOf(rectangle, i) - a.south) * dy;
    return each(w, (i) => {
      const t = length > 0 ? Math.min(1, Math.max(0, along(i) / length)) : 0;
      return (a.height + t * (b.height - a.height) - datum - now[i]) * Math.min(1, strength * w[i]);
    });
  }

  private cloned(dab: Dab): Floats {
    const { brush, surface } = this;
    const { rectangle, first } = dab;
    const source = brush.source!;
    const [x, y] = [(source.east - first.east) / this.spacing.x, (source.south - first.south) / this.spacing.y];
    // As it was before the stroke, so that a copy is not copied again.
    const old = new Surface(surface.ground, surface.beneath, this.before);
    const lift = brush.onto ? first.height - old.between(source.east / this.spacing.x - this.pad, source.south / this.spacing.y - this.pad) : 0;
    const from = shifted(old, rectangle, x, y);
    for (let i = 0; i < from.length; i++) from[i] += lift;
    return towardsAll(dab, from);
  }

  private stamped({ place, side, radius, rectangle, w, strength }: Dab): Floats {
    const form = formOf(this.brush.stamp, this.tools.form);
    const [x, y] = this.along[side] ?? [0, -1];
    return each(w, (i) => {
      const [dx, dy] = [(this.eastOf(rectangle, i) - place[0]) / radius, (this.southOf(rectangle, i) - place[1]) / radius];
      // The form's own up lies along the stroke.
      return strength * w[i] * form(-dx * y + dy * x, dx * x + dy * y);
    });
  }

  private async weathered(kind: 'talus' | 'runoff', place: StrokePlace): Promise<Rectangle | undefined> {
    const { surface, brush } = this;
    const { ground } = surface;
    const radius = this.radiusAt(place);
    const rectangle = discRectangle(radius, ground, place[0], place[1]);
    if (!rectangle || !this.tools.weather) return undefined;
    const [width, height] = [rectangle.right - rectangle.left, rectangle.bottom - rectangle.top];
    if (width < 3 || height < 3) return undefined;
    const now = surface.heights(rectangle);
    const piece: Ground = {
      ...ground,
      across: width,
      down: height,
      registration: 'area',
      width: width * this.spacing.x,
      depth: height * this.spacing.y,
    };
    const strength = this.strengthAt(place);
    const change = await this.tools.weather(kind, now.slice(), piece);
    this.room(rectangle, radius);
    const w = this.weights(rectangle, place, radius);
    for (let i = 0; i < w.length; i++) change[i] *= Math.min(1, strength * w[i]);
    if (brush.above !== null || brush.below !== null) this.keepBounds(now, change);
    surface.add(rectangle, change);
    return rectangle;
  }
}

/** The heights of a rectangle that lies (x, y) samples away, bilinear between them. */
function shifted(surface: Surface, rectangle: Rectangle, x: number, y: number): Floats {
  const [x0, y0] = [Math.floor(x), Math.floor(y)];
  const [u, v] = [x - x0, y - y0];
  const { left, top, right, bottom } = rectangle;
  const wide = { left: left + x0, top: top + y0, right: right + x0 + 1, bottom: bottom + y0 + 1 };
  const [width, height] = [right - left, bottom - top];
  const room = brushRoom();
  const from = surface.heights(wide, room.floats((width + 1) * (height + 1)).view);
  const { view: out } = room.floats(width * height);
  for (let row = 0, i = 0; row < height; row++) {
    for (let column = 0, at = row * (width + 1); column < width; column++, at++, i++) {
      const north = from[at] * (1 - u) + from[at + 1] * u;
      const south = from[at + width + 1] * (1 - u) + from[at + width + 2] * u;
      out[i] = north * (1 - v) + south * v;
    }
  }
  return out;
}

/** The plane of least squares through heights, weighted: its height at the first sample, and its rise by column and row. */
function planeThrough(heights: Floats, weights: Floats, width: number): { at: number; x: number; y: number } {
  let [n, sx, sy, sh, xx, xy, yy, xh, yh] = [0, 0, 0, 0, 0, 0, 0, 0, 0];
  const base = heights[0];
  for (let i = 0, row = 0; i < heights.length; row++) {
    for (let column = 0; column < width; column++, i++) {
      const w = weights[i];
      if (w === 0) continue;
      const h = heights[i] - base;
      n += w;
      sx += w * column;
      sy += w * row;
      sh += w * h;
      xx += w * column * column;
      xy += w * column * row;
      yy += w * row * row;
      xh += w * column * h;
      yh += w * row * h;
    }
  }
  if (n === 0) return { at: Infinity, x: 0, y: 0 };
  const [mx, my, mh] = [sx / n, sy / n, sh / n];
  [xx, xy, yy, xh, yh] = [xx - n * mx * mx, xy - n * mx * my, yy - n * my * my, xh - n * mx * mh, yh - n * my * mh];
  const det = xx * yy - xy * xy;
  const [x, y] = det > 1e-9 * xx * yy ? [(xh * yy - yh * xy) / det, (yh * xx - xh * xy) / det] : [0, 0];
  return { at: base + mh - x * mx - y * my, x, y };
}
