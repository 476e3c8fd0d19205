import { grouped } from '../../grouped';
import { UplandError } from '../../errors';
import type { Field } from '../../field/field';
import { spacingOf, type Ground } from '../../field/ground';
import type { Kernels, RunOptions } from '../../kernels/pool';
import { greedyProgram, MOST_TRIANGLES } from '../../kernels/programs/greedy';
import { faceIndices, MAX_VERTICES, refuseHoles, vertexHeights } from './grid';

/**
 * A ground as faces, before it has a size and a way up: vertices by their place on the map, in
 * parts that share the vertices on their borders.
 */
export interface MeshSurface {
  /** Where a vertex stands: 0 at the west edge to 1 at the east edge, and 0 north to 1 south. */
  east: Float64Array<ArrayBuffer>;
  south: Float64Array<ArrayBuffer>;
  /** Metres over the ground's datum. */
  height: Float32Array<ArrayBuffer>;
  /** Corners of the faces, counter-clockwise seen from above; those of a part one after the other. */
  faces: Uint32Array<ArrayBuffer>;
  corners: 3 | 4;
  parts: SurfacePart[];
}

export interface SurfacePart {
  /** Place of the part, from the north-west. */
  column: number;
  row: number;
  /** Entries of `faces` from … to − 1. */
  from: number;
  to: number;
  /** Its edges, as shares of the ground. */
  west: number;
  east: number;
  north: number;
  south: number;
}

export interface Split {
  across: number;
  down: number;
}

export const WHOLE: Split = { across: 1, down: 1 };

/** Where parts meet, in whole steps of a length; every part at least one step. */
function borders(steps: number, parts: number): number[] {
  if (!(Number.isInteger(parts) && parts >= 1 && parts <= steps)) {
    throw new UplandError('parts', `${steps} faces cannot be shared out over ${parts} parts. Take fewer parts or more faces.`);
  }
  return Array.from({ length: parts + 1 }, (_, k) => Math.round((k * steps) / parts));
}

/**
 * A regular grid of faces, square cells if it is asked for so, cut along the diagonal whose ends
 * differ less in height. Without `segments` every sample is a vertex: of samples that are the
 * middles of cells the outer half cell carries the edge on.
 */
export function gridSurface(
  field: Field,
  segments: { x: number; y: number } | null,
  faces: 'triangles' | 'quads' = 'triangles',
  split: Split = WHOLE,
): MeshSurface {
  if (!segments) {
    const inner = betweenSamples(field);
    const { across, down } = inner.ground;
    if (across < 2 || down < 2) throw new UplandError('segments', 'A mesh needs two samples each way at least.');
    return ontoEdge(field, gridSurface(inner, { x: across - 1, y: down - 1 }, faces, split));
  }
  const { x: nx, y: ny } = segments;
  if (!(Number.isInteger(nx) && Number.isInteger(ny) && nx >= 1 && ny >= 1)) {
    throw new UplandError('segments', `A mesh needs at least one face each way; ${nx} × ${ny} were asked for.`);
  }
  const [columns, rows] = [nx + 1, ny + 1];
  if (columns * rows > MAX_VERTICES) {
    throw new UplandError('mesh-size', `${nx} × ${ny} faces have ${grouped(columns * rows)} vertices; ${grouped(MAX_VERTICES)} are the most. Use fewer faces.`);
  }
  const height = vertexHeights(field, columns, rows);
  const east = new Float64Array(columns * rows);
  const south = new Float64Array(columns * rows);
  for (let column = 0; column < columns; column++) east[column] = column / nx;
  for (let row = 0; row < rows; row++) {
    if (row > 0) east.copyWithin(row * columns, 0, columns);
    south.fill(row / ny, row * columns, (row + 1) * columns);
  }
  const [lines, levels] = [borders(nx, split.across), borders(ny, split.down)];
  const all = new Uint32Array(nx * ny * (faces === 'quads' ? 4 : 6));
  const parts: SurfacePart[] = [];
  let at = 0;
  for (let row = 0; row < split.down; row++) {
    for (let column = 0; column < split.across; column++) {
      const from = at;
      at = faceIndices(height, columns, faces, { left: lines[column], right: lines[column + 1], top: levels[row], bottom: levels[row + 1] }, all, at);
      parts.push({
        column,
        row,
        from,
        to: at,
        west: lines[column] / nx,
        east: lines[column + 1] / nx,
        north: levels[row] / ny,
        south: levels[row + 1] / ny,
      });
    }
  }
  return { east, south, height: height as Float32Array<ArrayBuffer>, faces: all, corners: faces === 'quads' ? 4 : 3, parts };
}

export interface AdaptiveOptions extends RunOptions {
  /** The largest vertical error that may be left at any sample, metres. */
  maxError: number;
  /** Triangles at the most; left out: as many as it takes. Of the whole, and only where it is in one part. */
  triangles?: number;
  split?: Split;
}

export interface Adaptive {
  surface: MeshSurface;
  /** The largest error that is left at a sample, metres, by the triangulation's own measure. */
  error: number;
  /** Triangles and the largest error as it grew. */
  course: [triangles: number, error: number][];
}

/**
 * Triangles as large as the ground allows: greedy insertion (Garland & Heckbert 1995) until no
 * sample is further than `maxError` from the surface, straight down. Vertices are samples. In
 * parts, each border is a line of samples that is thinned first, by the same bound, and that both
 * its neighbours keep: no vertex of one lies within an edge of the other.
 */
export async function adaptiveSurface(kernels: Kernels, field: Field, options: AdaptiveOptions): Promise<Adaptive> {
  const { triangles = Infinity } = options;
  return withinCount(triangles, (most) => insertedSurface(kernels, field, { ...options, triangles: most }));
}

/** Made again with fewer where what carries it on to the edge takes it over the count that was asked for. */
export async function withinCount<T extends { surface: MeshSurface }>(triangles: number, make: (most: number) => Promise<T> | T): Promise<T> {
  let most = triangles;
  for (let tries = 0; ; tries++) {
    const made = await make(most);
    const over = made.surface.faces.length / 3 - triangles;
    if (!(over > 0) || tries === 4 || most - over < 2) return made;
    most -= Math.ceil(over);
  }
}

async function insertedSurface(kernels: Kernels, field: Field, options: AdaptiveOptions): Promise<Adaptive> {
  const { ground, height } = field;
  const { across, down } = ground;
  const { maxError, triangles = Infinity, split = WHOLE, ...run } = options;
  refuseHoles(field);
  if (!(maxError >= 0)) throw new UplandError('error', `The largest error is a length of 0 m or more; ${maxError} was given.`);
  if (across < 2 || down < 2) throw new UplandError('segments', 'A mesh needs two samples each way at least.');
  const whole = split.across * split.down === 1;
  if (!whole && triangles !== Infinity) throw new UplandError('parts', 'In parts, a mesh is asked for by its error, not by its count.');
  const [lines, levels] = [borders(across - 1, split.across), borders(down - 1, split.down)];
  const kept = whole ? undefined : thinnedBorders(height, across, lines, levels, maxError);

  const found: Uint32Array<ArrayBuffer>[] = [];
  let error = 0;
  let course: Adaptive['course'] = [];
  for (let row = 0; row < split.down; row++) {
    for (let column = 0; column < split.across; column++) {
      const box = { left: lines[column], top: levels[row], across: lines[column + 1] - lines[column] + 1, down: levels[row + 1] - levels[row] + 1 };
      const own = whole ? height : pieceOfHeights(height, across, box);
      const result = await kernels.run(
        greedyProgram,
        { across: box.across, down: box.down, maxError, triangles, rim: kept ? rimOfBox(kept, across, box) : null },
        own,
        { ...run, progress: run.progress && ((share) => run.progress!((found.length + share) / (split.across * split.down))) },
      );
      if (result.full) {
        throw new UplandError(
          'mesh-size',
          `Within ${maxError} m this ground needs more than ${grouped(MOST_TRIANGLES)} triangles. Allow a larger error, cut it into parts, or take a regular grid.`,
        );
      }
      const { corners } = result;
      if (!whole)
        for (let i = 0; i < corners.length; i++) corners[i] = (box.top + Math.floor(corners[i] / box.across)) * across + box.left + (corners[i] % box.across);
      found.push(corners);
      error = Math.max(error, result.error);
      course = result.course;
    }
  }
  return { surface: fromSamples(field, found, split, lines, levels), error, course };
}

/** A surface of triangles between samples, given clockwise on the map's paper. */
export function fromSamples(field: Field, found: Uint32Array<ArrayBuffer>[], split: Split, lines: number[], levels: number[]): MeshSurface {
  const { ground, height } = field;
  const { across, down } = ground;
  const number = new Int32Array(across * down).fill(-1);
  const total = found.reduce((sum, corners) => sum + corners.length, 0);
  const faces = new Uint32Array(total);
  const samples = new Uint32Array(Math.min(across * down, total));
  const parts: SurfacePart[] = [];
  let [count, at] = [0, 0];
  for (const [k, corners] of found.entries()) {
    const from = at;
    for (let i = 0; i < corners.length; i += 3) {
      // Clockwise on paper, rows downwards, is counter-clockwise from above once turned over.
      for (const which of [0, 2, 1]) {
        const sample = corners[i + which];
        if (number[sample] < 0) {
          samples[count] = sample;
          number[sample] = count++;
        }
        faces[at++] = number[sample];
      }
    }
    const [column, row] = [k % split.across, Math.floor(k / split.across)];
    const [w, n] = [across - 1, down - 1];
    parts.push({ column, row, from, to: at, west: lines[column] / w, east: lines[column + 1] / w, north: levels[row] / n, south: levels[row + 1] / n });
  }
  const east = new Float64Array(count);
  const south = new Float64Array(count);
  const own = new Float32Array(count);
  for (let i = 0; i < count; i++) {
    const row = Math.floor(samples[i] / across);
    east[i] = (samples[i] - row * across) / (across - 1);
    south[i] = row / (down - 1);
    own[i] = height[samples[i]];
  }
  return ontoEdge(field, { east, south, height: own, faces, corners: 3, parts });
}

/** The stretch of a field between its outermost samples, as a ground whose outer samples lie on its edge. */
export function betweenSamples(field: Field): Field {
  const { ground } = field;
  if (ground.registration === 'point') return field;
  const { x, y } = spacingOf(ground);
  const inner: Ground = { ...ground, width: x * Math.max(1, ground.across - 1), depth: y * Math.max(1, ground.down - 1), registration: 'point' };
  return { ...field, ground: inner };
}

/** A surface between the outermost samples, carried on to the ground's edge where they do not lie on it. */
export const ontoEdge = ({ ground: { registration, across, down } }: Field, surface: MeshSurface): MeshSurface =>
  registration === 'area' ? withApron(surface, across, down) : surface;

/**
 * Samples that are the middles of cells end half a cell inside the edge: an apron carries the
 * outer values on to it, and the places become shares of the whole ground.
 */
function withApron({ east, south, height, faces, corners, parts }: MeshSurface, across: number, down: number): MeshSurface {
  const count = height.length;
  const inner = (share: number, samples: number) => (share * (samples - 1) + 0.5) / samples;
  const outer: number[] = [];
  const twin = new Map<number, number>();
  const copy = (v: number) => {
    let own = twin.get(v);
    if (own === undefined) {
      own = count + outer.length;
      twin.set(v, own);
      outer.push(v);
    }
    return own;
  };
  const all: number[][] = [];
  const onOneSide = (a: number, b: number) =>
    (east[a] === east[b] && (east[a] === 0 || east[a] === 1)) || (south[a] === south[b] && (south[a] === 0 || south[a] === 1));
  const newParts: SurfacePart[] = [];
  let at = 0;
  for (const part of parts) {
    const own: number[] = [];
    for (let i = part.from; i < part.to; i += corners) {
      for (let k = 0; k < corners; k++) {
        const [a, b] = [faces[i + k], faces[i + ((k + 1) % corners)]];
        if (!onOneSide(a, b)) continue;
        if (corners === 4) own.push(b, a, copy(a), copy(b));
        else own.push(b, a, copy(a), b, copy(a), copy(b));
      }
    }
    all.push(own);
    const edge = (share: number, samples: number) => (share === 0 || share === 1 ? share : inner(share, samples));
    const to = at + part.to - part.from + own.length;
    newParts.push({
      ...part,
      from: at,
      to,
      west: edge(part.west, across),
      east: edge(part.east, across),
      north: edge(part.north, down),
      south: edge(part.south, down),
    });
    at = to;
  }
  const joined = new Uint32Array(at);
  for (const [k, part] of parts.entries()) {
    joined.set(faces.subarray(part.from, part.to), newParts[k].from);
    joined.set(all[k], newParts[k].from + part.to - part.from);
  }
  const [e, s, h] = [new Float64Array(count + outer.length), new Float64Array(count + outer.length), new Float32Array(count + outer.length)];
  for (let i = 0; i < count; i++) [e[i], s[i], h[i]] = [inner(east[i], across), inner(south[i], down), height[i]];
  for (const [k, v] of outer.entries()) {
    const place = (share: number, samples: number) => (share === 0 || share === 1 ? share : inner(share, samples));
    [e[count + k], s[count + k], h[count + k]] = [place(east[v], across), place(south[v], down), height[v]];
  }
  return { east: e, south: s, height: h, faces: joined, corners, parts: newParts };
}

/** The samples on part borders that are kept, as marks: each line thinned by the bound, straight between crossings (Douglas & Peucker 1973, by height). */
function thinnedBorders(height: Float32Array, across: number, lines: number[], levels: number[], bound: number): Uint8Array {
  const marks = new Uint8Array(height.length);
  const thin = (start: number, step: number, count: number) => {
    marks[start] = marks[start + step * count] = 1;
    const open: [number, number][] = [[0, count]];
    for (let range = open.pop(); range; range = open.pop()) {
      const [from, to] = range;
      const [a, b] = [height[start + step * from], height[start + step * to]];
      let [worst, where] = [bound, -1];
      for (let k = from + 1; k < to; k++) {
        const off = Math.abs(height[start + step * k] - (a + ((b - a) * (k - from)) / (to - from)));
        if (off > worst) [worst, where] = [off, k];
      }
      if (where < 0) continue;
      marks[start + step * where] = 1;
      open.push([from, where], [where, to]);
    }
  };
  for (const column of lines) for (let k = 0; k + 1 < levels.length; k++) thin(levels[k] * across + column, across, levels[k + 1] - levels[k]);
  for (const row of levels) for (let k = 0; k + 1 < lines.length; k++) thin(row * across + lines[k], 1, lines[k + 1] - lines[k]);
  return marks;
}

interface Box {
  left: number;
  top: number;
  across: number;
  down: number;
}

function pieceOfHeights(height: Float32Array, stride: number, { left, top, across, down }: Box): Float32Array {
  const out = new Float32Array(across * down);
  for (let row = 0; row < down; row++) out.set(height.subarray((top + row) * stride + left, (top + row) * stride + left + across), row * across);
  return out;
}

/** The kept samples around a part, in order, by their place in it. */
function rimOfBox(marks: Uint8Array, stride: number, { left, top, across, down }: Box): Int32Array {
  const out: number[] = [];
  const look = (column: number, row: number) => {
    if (marks[(top + row) * stride + left + column]) out.push(row * across + column);
  };
  for (let c = 0; c < across; c++) look(c, 0);
  for (let r = 1; r < down; r++) look(across - 1, r);
  for (let c = across - 2; c >= 0; c--) look(c, down - 1);
  for (let r = down - 2; r > 0; r--) look(0, r);
  return Int32Array.from(out);
}
