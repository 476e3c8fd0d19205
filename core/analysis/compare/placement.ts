import type { Field } from '../../field/field';
import type { Ground } from '../../field/ground';
import { flipColumns, flipRows, turn } from '../../field/turn';

/** How B was turned or mirrored against A. */
export const ORIENTATIONS = ['none', 'flip-rows', 'flip-columns', 'turn-90', 'turn-180', 'turn-270', 'transpose', 'anti-transpose'] as const;
export type Orientation = (typeof ORIENTATIONS)[number];

/** B as it would be without its turn or flip. */
export function turnedBack(b: Field, orientation: Orientation): Field {
  switch (orientation) {
    case 'none':
      return b;
    case 'flip-rows':
      return flipRows(b);
    case 'flip-columns':
      return flipColumns(b);
    case 'turn-90':
      return turn(b, 270);
    case 'turn-180':
      return turn(b, 180);
    case 'turn-270':
      return turn(b, 90);
    case 'transpose':
      return turn(flipRows(b), 90);
    case 'anti-transpose':
      return turn(flipRows(b), 270);
  }
}

/** The ground of B without its turn. */
export const groundTurnedBack = (ground: Ground, orientation: Orientation): Ground =>
  /90|270|transpose/.test(orientation) ? { ...ground, across: ground.down, down: ground.across, width: ground.depth, depth: ground.width } : ground;

/** A quarter turn clockwise so many times, after rows were turned over or not. */
interface Turning {
  flip: boolean;
  quarters: number;
}

/** Flipped and turned as it is read now, and then turned back: what a file has to be read with so that its turn or flip against A is gone. */
export function readTurnedBack(
  reading: { flip?: 'rows' | 'columns'; turn?: 90 | 180 | 270 },
  orientation: Orientation,
): { flip?: 'rows'; turn?: 90 | 180 | 270 } {
  // Columns turned over are rows turned over and half a turn.
  const read: Turning = { flip: reading.flip !== undefined, quarters: (reading.turn ?? 0) / 90 + (reading.flip === 'columns' ? 2 : 0) };
  const back: Record<Orientation, Turning> = {
    none: { flip: false, quarters: 0 },
    'flip-rows': { flip: true, quarters: 0 },
    'flip-columns': { flip: true, quarters: 2 },
    'turn-90': { flip: false, quarters: 3 },
    'turn-180': { flip: false, quarters: 2 },
    'turn-270': { flip: false, quarters: 1 },
    transpose: { flip: true, quarters: 1 },
    'anti-transpose': { flip: true, quarters: 3 },
  };
  const { flip, quarters } = back[orientation];
  // A flip that comes after turns turns them about.
  const whole = (((flip ? quarters - read.quarters : quarters + read.quarters) % 4) + 4) % 4;
  return { ...(flip === read.flip ? {} : { flip: 'rows' as const }), ...(whole === 0 ? {} : { turn: (whole * 90) as 90 | 180 | 270 }) };
}

/** Where A's samples lie among those of B, once B has been turned back: sample x of A at `scaleX` · x + `offsetX`. */
export interface Placement {
  orientation: Orientation;
  scaleX: number;
  scaleY: number;
  offsetX: number;
  offsetY: number;
}

/** How two grounds are laid on each other before anything is measured. */
export const LAID = ['ground', 'georeference', 'size', 'corner'] as const;
export type Laid = (typeof LAID)[number];

/** A and B stretched to the same extent. */
export function bySize(a: Ground, b: Ground): Omit<Placement, 'orientation'> {
  const axis = (from: number, to: number) => {
    if (a.registration === 'point' && b.registration === 'point') return { scale: from > 1 ? (to - 1) / (from - 1) : 1, offset: 0 };
    const pad = (ground: Ground) => (ground.registration === 'area' ? 0.5 : 0);
    const cells = (count: number, ground: Ground) => (ground.registration === 'area' ? count : Math.max(1, count - 1));
    const scale = cells(to, b) / cells(from, a);
    return { scale, offset: pad(a) * scale - pad(b) };
  };
  const [x, y] = [axis(a.across, b.across), axis(a.down, b.down)];
  return { scaleX: x.scale, scaleY: y.scale, offsetX: x.offset, offsetY: y.offset };
}

/** Their north-west samples on each other, and as many metres (or, where neither says, samples) from there. */
export function byCorner(a: Ground, b: Ground, metres: boolean): Omit<Placement, 'orientation'> {
  if (!metres) return { scaleX: 1, scaleY: 1, offsetX: 0, offsetY: 0 };
  const step = (length: number, count: number, ground: Ground) => length / (ground.registration === 'area' ? count : Math.max(1, count - 1));
  return {
    scaleX: step(a.width, a.across, a) / step(b.width, b.across, b),
    scaleY: step(a.depth, a.down, a) / step(b.depth, b.down, b),
    offsetX: 0,
    offsetY: 0,
  };
}

/** By where each says that it lies on the map; null where one does not, or they count in different systems. */
export function byGeoreference(a: Ground, b: Ground): Omit<Placement, 'orientation'> | null {
  const [ga, gb] = [a.georeference, b.georeference];
  if (!ga || !gb || ga.crs !== gb.crs || ga.perMetre?.x !== gb.perMetre?.x || ga.perMetre?.y !== gb.perMetre?.y) return null;
  const corner = byCorner(a, b, true);
  const perX = ga.perMetre?.x ?? 1;
  const perY = ga.perMetre?.y ?? 1;
  const stepX = b.width / (b.registration === 'area' ? b.across : Math.max(1, b.across - 1));
  const stepY = b.depth / (b.registration === 'area' ? b.down : Math.max(1, b.down - 1));
  const [padA, padB] = [a, b].map((ground) => (ground.registration === 'area' ? 0.5 : 0));
  return {
    ...corner,
    offsetX: (ga.west - gb.west) / perX / stepX + padA * corner.scaleX - padB,
    offsetY: (gb.north - ga.north) / perY / stepY + padA * corner.scaleY - padB,
  };
}

/** Catmull and Rom's weights for a share of the way, for four neighbours. */
export function cubicWeights(t: number, out: Float64Array): void {
  out[0] = ((2 - t) * t - 1) * t * 0.5;
  out[1] = ((3 * t - 5) * t * t + 2) * 0.5;
  out[2] = ((4 - 3 * t) * t + 1) * t * 0.5;
  out[3] = (t - 1) * t * t * 0.5;
}

/** B's heights at A's samples, metres over A's datum, between its own by Catmull and Rom; without a height where B has none. Where the two grids are one it is B to the bit. */
export function layOn(a: Ground, b: Field, { orientation, scaleX, scaleY, offsetX, offsetY }: Placement): Field {
  const back = turnedBack(b, orientation);
  const { across, down } = back.ground;
  const { height, valid } = back;
  const move = b.ground.datum - a.datum;
  const out = new Float32Array(a.across * a.down);
  const known = new Uint8Array(out.length).fill(1);
  let gaps = false;
  // Places of columns, once.
  const first = new Int32Array(a.across);
  const weights = new Float64Array(4 * a.across);
  const four = new Float64Array(4);
  if (scaleX === 1 && scaleY === 1 && Number.isInteger(offsetX) && Number.isInteger(offsetY) && !valid) return pieceOf(a, back, offsetX, offsetY, move);
  for (let x = 0; x < a.across; x++) {
    const at = scaleX * x + offsetX;
    first[x] = at < -1e-6 || at > across - 1 + 1e-6 ? -9 : Math.max(0, Math.min(across - 1, Math.floor(at + 1e-9)));
    cubicWeights(Math.max(0, at - first[x]), four);
    weights.set(four, 4 * x);
  }
  const rows = new Float64Array(4);
  for (let y = 0; y < a.down; y++) {
    const at = scaleY * y + offsetY;
    const row = Math.max(0, Math.min(down - 1, Math.floor(at + 1e-9)));
    const off = at < -1e-6 || at > down - 1 + 1e-6;
    cubicWeights(Math.max(0, at - row), rows);
    for (let x = 0; x < a.across; x++) {
      const i = y * a.across + x;
      const column = first[x];
      const nearest = column >= 0 && !off ? nearestOf(row, column, rows, weights, x, across, down) : -1;
      if (nearest < 0 || (valid && !valid[nearest])) {
        known[i] = 0;
        gaps = true;
        continue;
      }
      if (weights[4 * x + 1] === 1 && rows[1] === 1) {
        out[i] = height[row * across + column] + move;
        continue;
      }
      let sum = 0;
      for (let k = 0; k < 4; k++) {
        if (rows[k] === 0) continue;
        const from = Math.max(0, Math.min(down - 1, row + k - 1)) * across;
        let line = 0;
        for (let m = 0; m < 4; m++) line += weights[4 * x + m] * height[from + Math.max(0, Math.min(across - 1, column + m - 1))];
        sum += rows[k] * line;
      }
      out[i] = sum + move;
    }
  }
  return gaps ? { ground: a, height: out, valid: known } : { ground: a, height: out };
}

/** B's own samples where A's lie. */
function pieceOf(a: Ground, { ground, height }: Field, offsetX: number, offsetY: number, move: number): Field {
  const out = new Float32Array(a.across * a.down);
  const whole = offsetX >= 0 && offsetY >= 0 && offsetX + a.across <= ground.across && offsetY + a.down <= ground.down;
  const known = whole ? undefined : new Uint8Array(out.length);
  const [left, right] = [Math.max(0, -offsetX), Math.min(a.across, ground.across - offsetX)];
  for (let y = Math.max(0, -offsetY); y < Math.min(a.down, ground.down - offsetY); y++) {
    const from = (y + offsetY) * ground.across + offsetX;
    if (right > left) out.set(height.subarray(from + left, from + right), y * a.across + left);
    if (known && right > left) known.fill(1, y * a.across + left, y * a.across + right);
  }
  if (move !== 0) for (let i = 0; i < out.length; i++) out[i] += move;
  return known ? { ground: a, height: out, valid: known } : { ground: a, height: out };
}

function nearestOf(row: number, column: number, rows: Float64Array, weights: Float64Array, x: number, across: number, down: number): number {
  const r = rows[2] > rows[1] ? Math.min(down - 1, row + 1) : row;
  const c = weights[4 * x + 2] > weights[4 * x + 1] ? Math.min(across - 1, column + 1) : column;
  return r * across + c;
}
