/** RGBA pixels. */
export interface Pixels {
  width: number;
  height: number;
  pixels: Uint8ClampedArray<ArrayBuffer>;
}

/** A mesh light enough to draw. */
export interface MeshPicture {
  positions: Float32Array<ArrayBuffer>;
  indices: Uint32Array<ArrayBuffer>;
  up: 'y' | 'z';
  normals?: Float32Array<ArrayBuffer>;
  uvs?: Float32Array<ArrayBuffer>;
  tangents?: Float32Array<ArrayBuffer>;
  /** The faces where they have four corners, for their edges. */
  quads?: Uint32Array<ArrayBuffer>;
}
