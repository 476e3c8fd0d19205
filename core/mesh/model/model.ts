import { inBlocks } from '../../blocks';
import { UplandError } from '../../errors';
import type { Field } from '../../field/field';
import type { Ground } from '../../field/ground';
import { faceNormals, type Mesh } from '../mesh';
import { exactNormals } from './normals';
import type { MeshSurface, SurfacePart } from '../surface/surface';

/** How a surface becomes a mesh. Lengths in metres of the ground before `scale`. */
export interface ModelOptions {
  /** Width and depth; left out: the ground's own. */
  extent?: { width: number; depth: number };
  /** y = base + strength × (height − zero). */
  strength?: number;
  /** The elevation that becomes the base, metres; left out: the ground's datum. */
  zero?: number;
  base?: number;
  /** Units of the mesh to a metre: 1 metres, 100 centimetres, 0.001 for 1 : 1000 in metres. */
  scale?: number;
  up?: 'y' | 'z';
  handed?: 'right' | 'left';
  /** What lies at the origin: the middle, the corner from which everything counts upwards, or the middle with the ground there at height 0. */
  pivot?: 'centre' | 'corner' | 'ground';
  normals?: 'smooth' | 'flat' | 'exact' | 'none';
  uvs?: 'whole' | 'part' | 'metres' | 'none';
  /** Colours at the ground's samples, three bytes each, for the vertices. */
  colours?: Uint8Array;
  /** Walls that hang so far down from the edges of every part, to hide cracks. */
  skirt?: number;
  /** Closed below, so far under the lowest point: a solid. */
  closed?: number;
  /** A plane of its own at the ground's sea level. */
  water?: boolean;
  /** Directions along the map's east for a normal map, as glTF wants them. */
  tangents?: boolean;
}

export interface ModelPart {
  name: string;
  mesh: Mesh;
  kind: 'ground' | 'water';
}

export interface Model {
  parts: ModelPart[];
  up: 'y' | 'z';
  /** Metres of the ground to where the mesh has it: multiply, then add; undone to hold it against the ground. */
  frame: MeshFrame;
}

/** From the map to the mesh: east = (share − ½) × width, and so on, then moved by the pivot and scaled. */
export interface MeshFrame {
  width: number;
  depth: number;
  strength: number;
  zero: number;
  base: number;
  scale: number;
  up: 'y' | 'z';
  handed: 'right' | 'left';
  /** Added to east, south and height, metres, before the scale. */
  move: [east: number, south: number, height: number];
}

/** The frame that options ask for. */
export function frameOf(field: Field, surface: MeshSurface, options: ModelOptions): MeshFrame {
  const { ground } = field;
  const { strength = 1, zero = ground.datum, base = 0, scale = 1, up = 'y', handed = 'right', pivot = 'centre' } = options;
  const { width, depth } = options.extent ?? ground;
  for (const [name, value] of Object.entries({ width, depth, scale })) {
    if (!(value > 0 && value < 1e12)) throw new UplandError('mesh-frame', `The ${name} of a mesh is a number above 0; ${value} was given.`);
  }
  if (!(strength > 0)) throw new UplandError('mesh-frame', `The strength of a mesh is a number above 0; ${strength} was given.`);
  const frame: MeshFrame = { width, depth, strength, zero, base, scale, up, handed, move: [0, 0, 0] };
  if (pivot === 'corner') {
    const lowest = lowestOf(surface) - (options.closed ?? 0);
    // Where the second plan axis runs north, its smallest end is the south edge.
    frame.move = [width / 2, runsNorth(frame) ? -depth / 2 : depth / 2, -heightIn(frame, lowest, ground)];
  } else if (pivot === 'ground') frame.move = [0, 0, -heightIn(frame, middleOf(field), ground)];
  return frame;
}

const lowestOf = ({ height }: MeshSurface): number => {
  let lowest = Infinity;
  inBlocks(height.length, (from, to) => {
    for (let i = from; i < to; i++) if (height[i] < lowest) lowest = height[i];
  });
  return lowest;
};

/** Whether the second axis of the plan runs north: y with z up, z with y up and left-handed. */
const runsNorth = ({ up, handed }: Pick<MeshFrame, 'up' | 'handed'>) => (up === 'z') === (handed === 'right');

const heightIn = ({ strength, zero, base }: MeshFrame, height: number, { datum }: Ground) => base + strength * (height + (datum - zero));

function middleOf({ ground: { across, down }, height }: Field): number {
  const at = (c: number, r: number) => height[r * across + c];
  const [c, r] = [(across - 1) / 2, (down - 1) / 2];
  const [c0, c1, r0, r1] = [Math.floor(c), Math.ceil(c), Math.floor(r), Math.ceil(r)];
  return (at(c0, r0) + at(c1, r0) + at(c0, r1) + at(c1, r1)) / 4;
}

/** A surface dressed as meshes, one for each part, and one for the water where it is asked for. */
export function modelOf(field: Field, surface: MeshSurface, name: string, options: ModelOptions = {}): Model {
  const frame = frameOf(field, surface, options);
  const { normals = 'smooth', uvs = 'whole', skirt = 0, closed } = options;
  if (skirt > 0 && closed !== undefined) throw new UplandError('mesh-frame', 'A mesh has a skirt or is closed below, not both.');
  const { positions, vectors } = placed(field, surface, frame, normals);
  const turned = frame.handed === 'left';
  const lowest = lowestOf(surface);
  const floor = closed === undefined ? undefined : lowest - closed;
  const parts: ModelPart[] = surface.parts.map((part) => {
    const own = cutOut(surface, part, positions, vectors);
    const { mesh, used } = own;
    mesh.up = frame.up;
    if (uvs !== 'none') mesh.uvs = uvsOf(surface, part, used, uvs, frame);
    if (options.colours) mesh.colours = coloursOf(field.ground, surface, used, options.colours);
    if (options.tangents && mesh.normals && mesh.uvs) mesh.tangents = tangentsOf(mesh.normals, frame);
    // The fall is along the up axis, in the mesh's own units.
    const down = frame.up === 'y' ? 1 : 2;
    if (skirt > 0) hang(mesh, down, skirt * frame.strength * frame.scale);
    if (floor !== undefined) close(mesh, down, (heightIn(frame, floor, field.ground) + frame.move[2]) * frame.scale);
    const flat = normals === 'flat' ? flattened(mesh) : mesh;
    if (turned) turnOver(flat);
    return { name: surface.parts.length === 1 ? name : `${name}_${part.column}_${part.row}`, mesh: flat, kind: 'ground' };
  });
  if (options.water) {
    const water = waterOf(field.ground, frame, uvs);
    if (lowest + field.ground.datum < field.ground.sea) {
      if (turned) turnOver(water);
      parts.push({ name: `${name}_water`, mesh: water, kind: 'water' });
    }
  }
  return { parts, up: frame.up, frame };
}

/** All vertices of a surface where the frame has them, and their normals. */
function placed(field: Field, surface: MeshSurface, frame: MeshFrame, normals: NonNullable<ModelOptions['normals']>) {
  const count = surface.height.length;
  const positions = new Float32Array(3 * count);
  const { width, depth, scale, move, up } = frame;
  const north = runsNorth(frame) ? -1 : 1;
  const lift = field.ground.datum - frame.zero;
  const [plan, above] = up === 'y' ? ([2, 1] as const) : ([1, 2] as const);
  inBlocks(count, (from, to) => {
    for (let i = from, at = 3 * from; i < to; i++, at += 3) {
      positions[at] = ((surface.east[i] - 0.5) * width + move[0]) * scale;
      positions[at + plan] = north * ((surface.south[i] - 0.5) * depth + move[1]) * scale;
      positions[at + above] = (frame.base + frame.strength * (surface.height[i] + lift) + move[2]) * scale;
    }
  });
  if (normals === 'none' || normals === 'flat') return { positions, vectors: undefined };
  const size = { width, depth };
  if (normals === 'exact') return { positions, vectors: exactNormals(field, surface.east, surface.south, frame.strength, size, { plan, above, north }) };
  // East, south and up first; the axes after.
  const vectors = smoothNormals(surface, { ...size, strength: frame.strength });
  inBlocks(vectors.length / 3, (from, to) => {
    for (let i = 3 * from; i < 3 * to; i += 3) {
      const [southwards, height] = [north * vectors[i + 1], vectors[i + 2]];
      vectors[i + plan] = southwards;
      vectors[i + above] = height;
    }
  });
  return { positions, vectors };
}

/** Normals of the faces around each vertex, by their area; over the borders of parts. East, south, up. */
function smoothNormals(surface: MeshSurface, { width, depth, strength }: { width: number; depth: number; strength: number }): Float32Array<ArrayBuffer> {
  const { east, south, height, faces, corners } = surface;
  const out = new Float32Array(3 * height.length);
  for (let i = 0; i < faces.length; i += corners) {
    // By two sides of a triangle; by the diagonals of a quad, which is twice the mean of its halves.
    const [from, p, other, q] = corners === 4 ? [faces[i], faces[i + 2], faces[i + 1], faces[i + 3]] : [faces[i], faces[i + 1], faces[i], faces[i + 2]];
    const ux = (east[p] - east[from]) * width;
    const us = (south[p] - south[from]) * depth;
    const uh = (height[p] - height[from]) * strength;
    const vx = (east[q] - east[other]) * width;
    const vs = (south[q] - south[other]) * depth;
    const vh = (height[q] - height[other]) * strength;
    const [nx, ns, nh] = [us * vh - uh * vs, uh * vx - ux * vh, ux * vs - us * vx];
    // South instead of north makes this basis left-handed.
    for (let k = 0; k < corners; k++) {
      const at = 3 * faces[i + k];
      out[at] -= nx;
      out[at + 1] -= ns;
      out[at + 2] -= nh;
    }
  }
  for (let i = 0; i < out.length; i += 3) {
    const length = Math.sqrt(out[i] * out[i] + out[i + 1] * out[i + 1] + out[i + 2] * out[i + 2]) || 1;
    out[i] /= length;
    out[i + 1] /= length;
    out[i + 2] /= length;
  }
  return out;
}

/** The faces of a part with the vertices they have, and which those are. */
function cutOut(
  surface: MeshSurface,
  part: SurfacePart,
  positions: Float32Array<ArrayBuffer>,
  vectors?: Float32Array<ArrayBuffer>,
): { mesh: Mesh; used: Uint32Array } {
  const { corners } = surface;
  if (surface.parts.length === 1) {
    const used = new Uint32Array(surface.height.length);
    for (let i = 0; i < used.length; i++) used[i] = i;
    return { mesh: { positions, normals: vectors, indices: surface.faces, corners, up: 'y' }, used };
  }
  const number = new Int32Array(surface.height.length).fill(-1);
  const indices = surface.faces.slice(part.from, part.to);
  const kept = new Uint32Array(Math.min(number.length, indices.length));
  let count = 0;
  for (let i = 0; i < indices.length; i++) {
    const v = indices[i];
    if (number[v] < 0) {
      kept[count] = v;
      number[v] = count++;
    }
    indices[i] = number[v];
  }
  const used = kept.slice(0, count);
  return { mesh: { positions: picked(positions, 3, used), normals: vectors && picked(vectors, 3, used), indices, corners, up: 'y' }, used };
}

function uvsOf(
  { east, south }: MeshSurface,
  part: SurfacePart,
  used: Uint32Array,
  mode: 'whole' | 'part' | 'metres',
  { width, depth }: MeshFrame,
): Float32Array<ArrayBuffer> {
  const out = new Float32Array(2 * used.length);
  const [u0, us, v0, vs] =
    mode === 'part'
      ? [part.west, 1 / (part.east - part.west), part.north, 1 / (part.south - part.north)]
      : mode === 'metres'
        ? [0, width, 0, depth]
        : [0, 1, 0, 1];
  inBlocks(used.length, (from, to) => {
    for (let i = from; i < to; i++) {
      out[2 * i] = (east[used[i]] - u0) * us;
      out[2 * i + 1] = (south[used[i]] - v0) * vs;
    }
  });
  return out;
}

/** The colour of the nearest sample. */
function coloursOf({ across, down, registration }: Ground, { east, south }: MeshSurface, used: Uint32Array, colours: Uint8Array): Uint8Array<ArrayBuffer> {
  if (colours.length !== 3 * across * down) throw new UplandError('colours', 'The colours for the vertices are not those of this ground’s samples.');
  const out = new Uint8Array(3 * used.length);
  const at = (share: number, count: number) =>
    Math.min(count - 1, Math.max(0, Math.round(registration === 'area' ? share * count - 0.5 : share * (count - 1))));
  for (let i = 0; i < used.length; i++) {
    const from = 3 * (at(south[used[i]], down) * across + at(east[used[i]], across));
    for (let k = 0; k < 3; k++) out[3 * i + k] = colours[from + k];
  }
  return out;
}

/** Along the map's east, square to the normal; the fourth number says that the map's north is to its left. */
function tangentsOf(normals: Float32Array, { up }: MeshFrame): Float32Array<ArrayBuffer> {
  const out = new Float32Array((normals.length / 3) * 4);
  const above = up === 'y' ? 1 : 2;
  for (let i = 0, o = 0; i < normals.length; i += 3, o += 4) {
    const rise = -normals[i] / Math.max(1e-9, normals[i + above]);
    const length = Math.sqrt(1 + rise * rise);
    out[o] = 1 / length;
    out[o + above] = rise / length;
    out[o + 3] = 1;
  }
  return out;
}

/** The edges that only one face has, as pairs in that face's order. */
export function boundaryLoops(indices: Uint32Array, corners: 3 | 4, vertices: number): Uint32Array {
  // For every vertex, where the edges that leave it end.
  const starts = new Uint32Array(vertices + 1);
  for (let i = 0; i < indices.length; i++) starts[indices[i] + 1]++;
  for (let v = 0; v < vertices; v++) starts[v + 1] += starts[v];
  const ends = new Uint32Array(indices.length);
  const fill = starts.slice(0, vertices);
  const next = (i: number) => (i % corners === corners - 1 ? i - corners + 1 : i + 1);
  for (let i = 0; i < indices.length; i++) ends[fill[indices[i]]++] = indices[next(i)];
  const rim: number[] = [];
  for (let v = 0; v < vertices; v++) {
    for (let k = starts[v]; k < starts[v + 1]; k++) {
      const to = ends[k];
      let back = false;
      for (let j = starts[to]; j < starts[to + 1] && !back; j++) back = ends[j] === v;
      if (!back) rim.push(v, to);
    }
  }
  return Uint32Array.from(rim);
}

/** Walls down from the rim of a mesh, by a length. */
function hang(mesh: Mesh, axis: number, length: number): void {
  const rim = boundaryLoops(mesh.indices, mesh.corners, mesh.positions.length / 3);
  const copy = new Map<number, number>();
  const origin: number[] = [];
  const first = mesh.positions.length / 3;
  const lower = (v: number) => {
    let own = copy.get(v);
    if (own === undefined) {
      own = first + origin.length;
      copy.set(v, own);
      origin.push(v);
    }
    return own;
  };
  const walls = wallsOf(rim, mesh.corners, lower);
  grow(mesh, origin, walls);
  for (let k = 0; k < origin.length; k++) mesh.positions[3 * (first + k) + axis] -= length;
}

/** Walls down to a level floor, and the floor: its vertices are those of the surface, so that no wall meets it within an edge. */
function close(mesh: Mesh, axis: number, level: number): void {
  const count = mesh.positions.length / 3;
  const rim = boundaryLoops(mesh.indices, mesh.corners, count);
  const { corners } = mesh;
  const walls = wallsOf(rim, corners, (v) => count + v);
  const floor = new Uint32Array(mesh.indices.length);
  for (let i = 0; i < floor.length; i += corners) for (let k = 0; k < corners; k++) floor[i + k] = count + mesh.indices[i + corners - 1 - k];
  const origin = new Uint32Array(count);
  for (let i = 0; i < count; i++) origin[i] = i;
  grow(mesh, origin, walls, floor);
  for (let i = count; i < 2 * count; i++) mesh.positions[3 * i + axis] = level;
  // One normal a vertex cannot be both the ground's and the wall's.
  delete mesh.normals;
  delete mesh.tangents;
}

function wallsOf(rim: Uint32Array, corners: 3 | 4, lower: (v: number) => number): Uint32Array {
  const walls = new Uint32Array(rim.length * (corners === 4 ? 2 : 3));
  for (let i = 0, o = 0; i < rim.length; i += 2) {
    const [a, b] = [rim[i], rim[i + 1]];
    for (const v of corners === 4 ? [b, a, lower(a), lower(b)] : [b, a, lower(a), b, lower(a), lower(b)]) walls[o++] = v;
  }
  return walls;
}

type Numbers = Float32Array<ArrayBuffer> | Uint8Array<ArrayBuffer>;

/** What vertices have, in the order that they are named; `each` numbers a vertex. */
function picked<T extends Numbers>(of: T, each: number, which: ArrayLike<number>): T {
  const out = new (of.constructor as new (n: number) => T)(each * which.length);
  for (let i = 0; i < which.length; i++) for (let k = 0; k < each; k++) out[each * i + k] = of[each * which[i] + k];
  return out;
}

/** Adds copies of vertices, and faces. */
function grow(mesh: Mesh, origin: ArrayLike<number>, ...faces: Uint32Array[]): void {
  const more = <T extends Numbers>(of: T | undefined, each: number): T | undefined => {
    if (!of) return undefined;
    const out = new (of.constructor as new (n: number) => T)(of.length + each * origin.length);
    out.set(of);
    out.set(picked(of, each, origin), of.length);
    return out;
  };
  mesh.positions = more(mesh.positions, 3)!;
  mesh.normals = more(mesh.normals, 3);
  mesh.uvs = more(mesh.uvs, 2);
  mesh.colours = more(mesh.colours, 3);
  mesh.tangents = more(mesh.tangents, 4);
  const all = new Uint32Array(mesh.indices.length + faces.reduce((n, f) => n + f.length, 0));
  all.set(mesh.indices);
  let at = mesh.indices.length;
  for (const list of faces) {
    all.set(list, at);
    at += list.length;
  }
  mesh.indices = all;
}

/** Every face with corners of its own and its own normal. */
function flattened(mesh: Mesh): Mesh {
  const { indices, corners, positions } = mesh;
  const own = picked(positions, 3, indices);
  const order = new Uint32Array(indices.length);
  for (let i = 0; i < order.length; i++) order[i] = i;
  const flat: Mesh = {
    positions: own,
    uvs: mesh.uvs && picked(mesh.uvs, 2, indices),
    colours: mesh.colours && picked(mesh.colours, 3, indices),
    indices: order,
    corners,
    up: mesh.up,
  };
  flat.normals = faceNormals(flat);
  return flat;
}

/** The other way round, for left-handed axes: seen from outside their faces turn clockwise there, and their cross product points outwards as it does in right-handed ones. */
function turnOver(mesh: Mesh): void {
  const { indices, corners } = mesh;
  for (let i = 0; i < indices.length; i += corners) {
    for (let k = 0; k < corners >> 1; k++) {
      const [a, b] = [i + k, i + corners - 1 - k];
      [indices[a], indices[b]] = [indices[b], indices[a]];
    }
  }
  if (mesh.tangents) for (let i = 3; i < mesh.tangents.length; i += 4) mesh.tangents[i] *= -1;
}

function waterOf(ground: Ground, frame: MeshFrame, uvs: NonNullable<ModelOptions['uvs']>): Mesh {
  const { width, depth, scale, move, up } = frame;
  const north = runsNorth(frame) ? -1 : 1;
  const level = (heightIn(frame, ground.sea - ground.datum, ground) + move[2]) * scale;
  const positions = new Float32Array(12);
  const vectors = new Float32Array(12);
  const places = [
    [0, 0],
    [0, 1],
    [1, 1],
    [1, 0],
  ];
  for (const [i, [e, s]] of places.entries()) {
    const plan = north * ((s - 0.5) * depth + move[1]) * scale;
    positions.set([((e - 0.5) * width + move[0]) * scale, up === 'y' ? level : plan, up === 'y' ? plan : level], 3 * i);
    vectors[3 * i + (up === 'y' ? 1 : 2)] = 1;
  }
  const mesh: Mesh = { positions, normals: vectors, indices: Uint32Array.from([0, 1, 2, 0, 2, 3]), corners: 3, up };
  if (uvs !== 'none') mesh.uvs = Float32Array.from(places.flatMap(([e, s]) => (uvs === 'metres' ? [e * width, s * depth] : [e, s])));
  return mesh;
}
