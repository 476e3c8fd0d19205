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
  /** Corners of the faces, counter-clockwise seen from outside. */
  indices: Uint32Array<ArrayBuffer>;
  /** Corners a face. */
  corners: 3 | 4;
  up: 'y' | 'z';
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
  const min: [number, number, number] = [Infinity, Infinity, Infinity];
  const max: [number, number, number] = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < positions.length; i += 3) {
    for (let k = 0; k < 3; k++) {
      const v = positions[i + k];
      if (v < min[k]) min[k] = v;
      if (v > max[k]) max[k] = v;
    }
  }
  return { min, max };
}
