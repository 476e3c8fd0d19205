import type { Field } from '../field/field';
import { spacingOf } from '../field/ground';
import { flipColumns, flipRows, turn } from '../field/turn';

/** A field laid among others: its north-west corner in metres from the common one. */
export interface Piece {
  name: string;
  field: Field;
  east: number;
  south: number;
}

/** Where two pieces meet, and how well. */
export interface Seam {
  a: string;
  b: string;
  /** Metres along which they lie over or against each other. */
  length: number;
  /** Samples compared; metres. */
  samples: number;
  mean: number;
  rmse: number;
  largest: number;
  /** What the second one would need to fit better, where something would by far: an orientation. */
  better?: { flip?: 'rows' | 'columns'; turn?: 90 | 180 | 270; rmse: number };
}

/** Names that count rows and columns: the two last numbers in them, as `fell_2_3` or `fell-x3-y2`; null where they do not make a full rectangle. */
export function layoutByNames(names: string[]): { row: number; column: number }[] | null {
  const found = names.map((name) => {
    const stem = name.replace(/\.[^.]*$/, '');
    const xy = /x[-_ ]?(\d+)\D+y[-_ ]?(\d+)/i.exec(stem);
    if (xy) return { column: Number(xy[1]), row: Number(xy[2]) };
    const numbers = stem.match(/\d+/g);
    return numbers && numbers.length >= 2 ? { row: Number(numbers[numbers.length - 2]), column: Number(numbers[numbers.length - 1]) } : null;
  });
  if (found.some((f) => f === null)) return null;
  const places = found as { row: number; column: number }[];
  const rows = places.map((p) => p.row);
  const columns = places.map((p) => p.column);
  const [top, left] = [Math.min(...rows), Math.min(...columns)];
  const [down, across] = [Math.max(...rows) - top + 1, Math.max(...columns) - left + 1];
  const taken = new Set(places.map((p) => `${p.row}:${p.column}`));
  if (taken.size !== names.length || across * down > 4 * names.length) return null;
  return places.map((p) => ({ row: p.row - top, column: p.column - left }));
}

/** Pieces laid out by rows and columns. Ones whose outer samples lie on the edge share them with their neighbours. */
export function laidByNames(fields: { name: string; field: Field }[], places: { row: number; column: number }[]): Piece[] {
  const width = Math.max(...fields.map((f) => f.field.ground.width));
  const depth = Math.max(...fields.map((f) => f.field.ground.depth));
  return fields.map((f, i) => ({ ...f, east: places[i].column * width, south: places[i].row * depth }));
}

/** Pieces laid out by where they say they lie; null where one does not, or they do not share a map. */
export function laidByPlace(fields: { name: string; field: Field }[]): Piece[] | null {
  const places = fields.map((f) => f.field.ground.georeference);
  if (places.some((p) => !p) || new Set(places.map((p) => p!.crs)).size > 1) return null;
  const known = places as NonNullable<(typeof places)[number]>[];
  const west = Math.min(...known.map((p) => p.west));
  const north = Math.max(...known.map((p) => p.north));
  // All in the first one's metres: degrees of one latitude, or they would not meet.
  const per = known[0].perMetre ?? { x: 1, y: 1 };
  return fields.map((f, i) => ({ ...f, east: (known[i].west - west) / per.x, south: (north - known[i].north) / per.y }));
}

/** The width and depth that the pieces cover together, metres, and the finest spacing among them. */
export function extentOf(pieces: Piece[]): { width: number; depth: number; spacing: { x: number; y: number } } {
  const spacings = pieces.map((p) => spacingOf(p.field.ground));
  return {
    width: Math.max(...pieces.map((p) => p.east + p.field.ground.width)) - Math.min(...pieces.map((p) => p.east)),
    depth: Math.max(...pieces.map((p) => p.south + p.field.ground.depth)) - Math.min(...pieces.map((p) => p.south)),
    spacing: { x: Math.min(...spacings.map((s) => s.x)), y: Math.min(...spacings.map((s) => s.y)) },
  };
}

/** Elevation of a piece at a place, straight between its samples; NaN outside of it (by more than a spacing) and on holes. */
function elevationAt({ field, east, south }: Piece, x: number, y: number): number {
  const { ground, height, valid } = field;
  const spacing = spacingOf(ground);
  const pad = ground.registration === 'point' ? 0 : 0.5;
  const u = (x - east) / spacing.x - pad;
  const v = (y - south) / spacing.y - pad;
  if (u < -1.01 || v < -1.01 || u > ground.across + 0.01 || v > ground.down + 0.01) return NaN;
  const cu = Math.min(ground.across - 1, Math.max(0, u));
  const cv = Math.min(ground.down - 1, Math.max(0, v));
  const column = Math.min(ground.across - 2, Math.floor(cu));
  const row = Math.min(ground.down - 2, Math.floor(cv));
  const [fx, fy] = [cu - column, cv - row];
  const i = row * ground.across + column;
  if (valid && !(valid[i] && valid[i + 1] && valid[i + ground.across] && valid[i + ground.across + 1])) return NaN;
  const top = height[i] * (1 - fx) + height[i + 1] * fx;
  const bottom = height[i + ground.across] * (1 - fx) + height[i + ground.across + 1] * fx;
  return top * (1 - fy) + bottom * fy + ground.datum;
}

/**
 * Every pair of pieces that overlap or touch: by how much their elevations differ along the
 * line they share. Where a flip or a turn of one of them makes it fit its neighbour more than
 * four times as well, that is named.
 */
export function seamsOf(pieces: Piece[]): Seam[] {
  const seams: Seam[] = [];
  for (let i = 0; i < pieces.length; i++) {
    for (let j = i + 1; j < pieces.length; j++) {
      const line = sharedLine(pieces[i], pieces[j]);
      if (!line) continue;
      const plain = along(line, pieces[i], pieces[j]);
      if (!plain) continue;
      const seam: Seam = { a: pieces[i].name, b: pieces[j].name, length: line.length, ...plain };
      for (const [way, field] of orientations(pieces[j].field)) {
        const other = along(line, pieces[i], { ...pieces[j], field });
        if (other && other.rmse < plain.rmse / 4 && (!seam.better || other.rmse < seam.better.rmse)) seam.better = { ...way, rmse: other.rmse };
      }
      seams.push(seam);
    }
  }
  return seams;
}

function orientations(field: Field): [{ flip?: 'rows' | 'columns'; turn?: 90 | 180 | 270 }, Field][] {
  const out: [{ flip?: 'rows' | 'columns'; turn?: 90 | 180 | 270 }, Field][] = [
    [{ flip: 'rows' }, flipRows(field)],
    [{ flip: 'columns' }, flipColumns(field)],
    [{ turn: 180 }, turn(field, 180)],
  ];
  if (Math.abs(field.ground.width / field.ground.depth - 1) < 1e-6) {
    out.push([{ turn: 90 }, turn(field, 90)], [{ turn: 270 }, turn(field, 270)]);
  }
  return out;
}

interface Line {
  points: [number, number][];
  length: number;
}

/** The middle line of what two pieces share. */
function sharedLine(a: Piece, b: Piece): Line | null {
  const west = Math.max(a.east, b.east);
  const east = Math.min(a.east + a.field.ground.width, b.east + b.field.ground.width);
  const north = Math.max(a.south, b.south);
  const south = Math.min(a.south + a.field.ground.depth, b.south + b.field.ground.depth);
  const { x, y } = spacingOf(a.field.ground);
  const [wide, deep] = [east - west, south - north];
  if (wide < -1.5 * x || deep < -1.5 * y) return null;
  const upright = deep > wide;
  const length = upright ? deep : wide;
  if (length < 4 * Math.max(x, y)) return null;
  const count = Math.min(2048, Math.max(8, Math.round(length / (upright ? y : x))));
  const points = Array.from({ length: count }, (_, k): [number, number] => {
    const t = (k + 0.5) / count;
    return upright ? [(west + east) / 2, north + t * deep] : [west + t * wide, (north + south) / 2];
  });
  return { points, length };
}

function along({ points }: Line, a: Piece, b: Piece): Pick<Seam, 'samples' | 'mean' | 'rmse' | 'largest'> | null {
  let sum = 0;
  let squares = 0;
  let largest = 0;
  let n = 0;
  for (const [x, y] of points) {
    const d = elevationAt(b, x, y) - elevationAt(a, x, y);
    if (!(d - d === 0)) continue;
    sum += d;
    squares += d * d;
    largest = Math.max(largest, Math.abs(d));
    n++;
  }
  return n < 4 ? null : { samples: n, mean: sum / n, rmse: Math.sqrt(squares / n), largest };
}
