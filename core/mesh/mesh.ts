import { boundsOfPlaces } from '../kernels/scan';

/**
 * A mesh of triangles or of quads. Right-handed; positions in metres. `up` says which axis
 * points away from the ground: with y up, x runs east and z south; with z up, x runs east and
 * y north.
 */
export interface Mesh {
  /** x, y, z of every vertex. */
  positions: Float32Array<ArrayBuffer>;
  normals?: Float32Array<ArrayBuffer>;
  /** u, v of every vertex, 0 to 1; v runs from the north edge (0) to the south edge (1). */
  uvs?: Float32Array<ArrayBuffer>;
  /** Red, green and blue of every vertex, sRGB. */
  colours?: Uint8Array<ArrayBuffer>;
  /** Along +u of every vertex, and which way the other goes: bitangent = normal × tangent × the fourth number. */
  tangents?: Float32Array<ArrayBuffer>;
  /** Corners of the faces, counter-clockwise seen from outside. */
  indices: Uint32Array<ArrayBuffer>;
  /** Corners a face. */
  corners: 3 | 4;
  up: 'y' | 'z';
  /** Taken from x, y and z on reading, so that float32 keeps their fractions. */
  origin?: [number, number, number];
  /** What was out of the ordinary in its file, a sentence each. */
  odd?: string[];
}

export const vertexCount = (mesh: Mesh) => mesh.positions.length / 3;
export const faceCount = (mesh: Mesh) => mesh.indices.length / mesh.corners;
export const triangleCount = (mesh: Mesh) => faceCount(mesh) * (mesh.corners - 2);

/** The faces as triangles; quads are cut from their first to their third corner. */
export function triangleIndices(mesh: Pick<Mesh, 'indices' | 'corners'>): Uint32Array<ArrayBuffer> {
  if (mesh.corners === 3) return mesh.indices;
  const quads = mesh.indices;
  const out = new Uint32Array((quads.length / 4) * 6);
  for (let i = 0, o = 0; i < quads.length; i += 4, o += 6) {
    out[o] = quads[i];
    out[o + 1] = quads[i + 1];
    out[o + 2] = quads[i + 2];
    out[o + 3] = quads[i];
    out[o + 4] = quads[i + 2];
    out[o + 5] = quads[i + 3];
  }
  return out;
}

export interface Bounds {
  min: [number, number, number];
  max: [number, number, number];
}

export function boundsOf(positions: Float32Array): Bounds {
  const { min, max } = boundsOfPlaces(positions);
  return { min, max };
}

/** Normals of faces that share no corner: one for each, given to all its corners. */
export function faceNormals({ positions: p, indices, corners }: Pick<Mesh, 'positions' | 'indices' | 'corners'>): Float32Array<ArrayBuffer> {
  const out = new Float32Array(p.length);
  for (let i = 0; i < indices.length; i += corners) {
    const [a, b, c] = [3 * indices[i], 3 * indices[i + 1], 3 * indices[i + 2]];
    // By the two diagonals of a quad, by two sides of a triangle.
    const d = corners === 4 ? 3 * indices[i + 3] : c;
    const [u0, u1, u2] = corners === 4 ? [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]] : [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const from = corners === 4 ? b : a;
    const [v0, v1, v2] = [p[d] - p[from], p[d + 1] - p[from + 1], p[d + 2] - p[from + 2]];
    const n = [u1 * v2 - u2 * v1, u2 * v0 - u0 * v2, u0 * v1 - u1 * v0];
    const length = Math.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2]) || 1;
    for (let k = 0; k < corners; k++) for (let axis = 0; axis < 3; axis++) out[3 * indices[i + k] + axis] = n[axis] / length;
  }
  return out;
}

/** Several meshes as one, their vertices one after the other; what not all of them have is left out. */
export function mergeMeshes(meshes: readonly Mesh[]): Mesh {
  if (meshes.length === 1) return meshes[0];
  const quads = meshes.every((m) => m.corners === 4);
  const lists = meshes.map((m) => (quads ? m.indices : triangleIndices(m)));
  const gather = <T extends Float32Array<ArrayBuffer> | Uint8Array<ArrayBuffer>>(of: (mesh: Mesh) => T | undefined): T | undefined => {
    const all = meshes.map(of);
    if (!all.every((a) => a)) return undefined;
    const out = new (all[0]!.constructor as new (n: number) => T)(all.reduce((n, a) => n + a!.length, 0));
    let at = 0;
    for (const a of all) {
      out.set(a!, at);
      at += a!.length;
    }
    return out;
  };
  const indices = new Uint32Array(lists.reduce((n, l) => n + l.length, 0));
  let [at, first] = [0, 0];
  for (const [k, list] of lists.entries()) {
    for (let i = 0; i < list.length; i++) indices[at++] = list[i] + first;
    first += meshes[k].positions.length / 3;
  }
  const odd = [...new Set(meshes.flatMap((m) => m.odd ?? []))];
  const origin = meshes.find((m) => m.origin)?.origin;
  return {
    positions: gather((m) => (origin ? fromOrigin(m, origin) : m.positions))!,
    ...(origin ? { origin } : {}),
    ...(odd.length ? { odd } : {}),
    normals: gather((m) => m.normals),
    uvs: gather((m) => m.uvs),
    colours: gather((m) => m.colours),
    tangents: gather((m) => m.tangents),
    indices,
    corners: quads ? 4 : 3,
    up: meshes[0].up,
  };
}

/** The places of a mesh counted from another origin than its own. */
function fromOrigin({ positions, origin = [0, 0, 0] }: Mesh, to: [number, number, number]): Float32Array<ArrayBuffer> {
  const move = [0, 1, 2].map((axis) => origin[axis] - to[axis]);
  return move.every((m) => m === 0) ? positions : Float32Array.from(positions, (v, i) => v + move[i % 3]);
}
