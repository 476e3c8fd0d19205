import { UplandError } from '../../errors';
import type { Field } from '../../field/field';
import { triangleIndices } from '../mesh';
import { exactNormals } from './normals';
import type { MeshSurface, SurfacePart } from '../surface/surface';

export interface BakeOptions {
  /** Texels a side. */
  width: number;
  height: number;
  bits?: 8 | 16;
  /** Whether green grows to the north (+Y up, as glTF wants it) or to the south. */
  green?: 'up' | 'down';
  /** Of the mesh; normals depend on them. */
  strength?: number;
  extent?: { width: number; depth: number };
  /** Normals of the low mesh at its vertices: east, south, up; those of the ground there where left out. */
  normals?: Float32Array;
  /** The one part that the texture is laid over; left out: the whole. */
  part?: SurfacePart;
}

export interface Baked {
  /** Red, green and blue of every texel, rows from the north. */
  samples: Uint8Array<ArrayBuffer> | Uint16Array<ArrayBuffer>;
  /** Texels that no face covers and that took the one beside them. */
  dilated: number;
}

/** How far covered texels are carried on into what no face covers. */
const DILATION = 16;

/**
 * The normals of the full ground as a tangent-space map for a lighter mesh of it: red along the
 * mesh's tangent (the map's east), green along its bitangent (north), blue along its own normal,
 * each as the mesh's vertices have them in between (glTF 2.0, 3.9.3 and appendix B: bitangent =
 * normal × tangent × w, none of them made square again). So the lighter mesh, shaded with the map, is
 * lit as the full ground is.
 */
export function bakeNormals(field: Field, surface: MeshSurface, options: BakeOptions): Baked {
  const { width, height, bits = 8, green = 'up', strength = 1, part } = options;
  if (!(width >= 1 && height >= 1 && width * height <= 2 ** 28)) throw new UplandError('map-size', `A map of ${width} × ${height} texels cannot be made.`);
  const extent = options.extent ?? field.ground;
  const own = options.normals ?? exactNormals(field, surface.east, surface.south, strength, extent);
  const { faces, corners: each } = surface;
  const three = triangleIndices({ indices: part ? faces.slice(part.from, part.to) : faces, corners: each });
  const box = part ?? { west: 0, east: 1, north: 0, south: 1 };
  const [spanX, spanY] = [(box.east - box.west) / width, (box.south - box.north) / height];
  const count = width * height;
  const face = new Int32Array(count).fill(-1);
  const shares = new Float32Array(2 * count);
  cover(surface, three, box, width, height, face, shares);

  const full = bits === 16 ? 65_535 : 255;
  const samples = bits === 16 ? new Uint16Array(3 * count) : new Uint8Array(3 * count);
  const [east, south] = [new Float64Array(width), new Float64Array(width)];
  for (let column = 0; column < width; column++) east[column] = box.west + (column + 0.5) * spanX;
  for (let row = 0; row < height; row++) {
    south.fill(box.north + (row + 0.5) * spanY);
    const high = exactNormals(field, east, south, strength, extent);
    for (let column = 0; column < width; column++) {
      const i = row * width + column;
      if (face[i] < 0) continue;
      const corners = [three[face[i]], three[face[i] + 1], three[face[i] + 2]];
      const weights = [1 - shares[2 * i] - shares[2 * i + 1], shares[2 * i], shares[2 * i + 1]];
      let [nx, ny, nz, tx, tz] = [0, 0, 0, 0, 0];
      for (let k = 0; k < 3; k++) {
        const at = 3 * corners[k];
        const w = weights[k];
        // North instead of south, so that the axes are right-handed: east, north, up.
        nx += w * own[at];
        ny -= w * own[at + 1];
        nz += w * own[at + 2];
        const rise = -own[at] / Math.max(1e-9, own[at + 2]);
        const length = Math.sqrt(1 + rise * rise);
        tx += w / length;
        tz += (w * rise) / length;
      }
      // The bitangent: normal × tangent, with the tangent's north 0.
      const [bx, by, bz] = [ny * tz, nz * tx - nx * tz, -ny * tx];
      const [hx, hy, hz] = [high[3 * column], -high[3 * column + 1], high[3 * column + 2]];
      // What numbers of the three give the high normal: Cramer's rule.
      const det = tx * (by * nz - bz * ny) + tz * (bx * ny - by * nx);
      const x = (hx * (by * nz - bz * ny) - bx * (hy * nz - hz * ny) + nx * (hy * bz - hz * by)) / det;
      const y = (tx * (hy * nz - hz * ny) + tz * (hx * ny - hy * nx)) / det;
      const z = (tx * (by * hz - bz * hy) + tz * (bx * hy - by * hx)) / det;
      const length = Math.sqrt(x * x + y * y + z * z) || 1;
      samples[3 * i] = coded(x / length, full);
      samples[3 * i + 1] = coded((green === 'up' ? y : -y) / length, full);
      samples[3 * i + 2] = coded(z / length, full);
    }
  }
  return { samples, dilated: dilate(samples, face, width, height, full) };
}

const coded = (v: number, full: number) => Math.min(full, Math.max(0, Math.round((v * 0.5 + 0.5) * full)));

/** Which triangle lies over the middle of every texel, and the shares of its second and third corner there. */
function cover(
  { east, south }: MeshSurface,
  three: Uint32Array,
  box: { west: number; east: number; north: number; south: number },
  width: number,
  height: number,
  face: Int32Array,
  shares: Float32Array,
): void {
  const column = (v: number) => ((east[v] - box.west) / (box.east - box.west)) * width - 0.5;
  const row = (v: number) => ((south[v] - box.north) / (box.south - box.north)) * height - 0.5;
  for (let t = 0; t < three.length; t += 3) {
    const [ax, ay, bx, by, cx, cy] = [column(three[t]), row(three[t]), column(three[t + 1]), row(three[t + 1]), column(three[t + 2]), row(three[t + 2])];
    const area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax);
    if (area === 0) continue;
    const first = Math.max(0, Math.ceil(Math.min(ay, by, cy) - 1e-9));
    const last = Math.min(height - 1, Math.floor(Math.max(ay, by, cy) + 1e-9));
    const left = Math.max(0, Math.ceil(Math.min(ax, bx, cx) - 1e-9));
    const right = Math.min(width - 1, Math.floor(Math.max(ax, bx, cx) + 1e-9));
    for (let y = first; y <= last; y++) {
      for (let x = left; x <= right; x++) {
        const wb = ((x - ax) * (cy - ay) - (y - ay) * (cx - ax)) / area;
        const wc = ((bx - ax) * (y - ay) - (by - ay) * (x - ax)) / area;
        if (wb < -1e-9 || wc < -1e-9 || wb + wc > 1 + 1e-9) continue;
        const i = y * width + x;
        face[i] = t;
        shares[2 * i] = wb;
        shares[2 * i + 1] = wc;
      }
    }
  }
}

/** Carries covered texels on, one ring after the other; what is further away points straight up. */
function dilate(samples: Uint8Array | Uint16Array, face: Int32Array, width: number, height: number, full: number): number {
  let open: number[] = [];
  for (let i = 0; i < face.length; i++) if (face[i] < 0) open.push(i);
  const dilated = open.length;
  for (let ring = 0; ring < DILATION && open.length; ring++) {
    const filled: number[] = [];
    const rest: number[] = [];
    for (const i of open) {
      const [x, y] = [i % width, Math.floor(i / width)];
      const from = [x > 0 ? i - 1 : -1, x < width - 1 ? i + 1 : -1, y > 0 ? i - width : -1, y < height - 1 ? i + width : -1].find(
        (n) => n >= 0 && face[n] >= 0,
      );
      if (from === undefined) rest.push(i);
      else {
        for (let k = 0; k < 3; k++) samples[3 * i + k] = samples[3 * from + k];
        filled.push(i);
      }
    }
    for (const i of filled) face[i] = 0;
    open = rest;
  }
  const half = Math.round(full / 2);
  for (const i of open) samples.set([half, half, full], 3 * i);
  return dilated;
}
