import type { Field } from '../../field/field';
import type { Kernels } from '../../kernels/pool';
import type { Mesh } from '../mesh';
import type { MeshFrame } from '../model/model';
import { rasterizeMesh, rasterizeMeshOnKernels, type RasterizeOptions, type Rasterized } from './rasterize';

/** A mesh as the ground has it: metres, y up, x east, z south of the middle; heights from the ground's datum. */
export function undoFrame(mesh: Mesh, frame: MeshFrame, datum: number): Mesh {
  const { positions } = mesh;
  const { scale, move, strength, base, zero, up, handed } = frame;
  const north = (up === 'z') === (handed === 'right') ? -1 : 1;
  const [plan, above] = up === 'y' ? [2, 1] : [1, 2];
  const out = new Float32Array(positions.length);
  for (let i = 0; i < positions.length; i += 3) {
    out[i] = positions[i] / scale - move[0];
    out[i + 1] = (positions[i + above] / scale - move[2] - base) / strength + (zero - datum);
    out[i + 2] = (north * positions[i + plan]) / scale - move[1];
  }
  return { positions: out, indices: mesh.indices, corners: mesh.corners, up: 'y' };
}

export interface MeshError {
  /** Metres against the field, at its samples. */
  maxError: number;
  rmse: number;
  holes: number;
  /** Metres from the field to the mesh, up is positive; at its samples. */
  off: Float32Array<ArrayBuffer>;
}

/** A mesh in a frame pressed to the field's samples and held against it, whatever lies below its topmost surface. */
export function compareMeshToField(mesh: Mesh, field: Field, frame: MeshFrame): MeshError {
  return differences(rasterizeMesh(undoFrame(mesh, frame, field.ground.datum), over(field, frame)), field);
}

/** The same, pressed on the kernels' threads. */
export async function compareMeshToFieldOnKernels(kernels: Kernels, mesh: Mesh, field: Field, frame: MeshFrame, signal?: AbortSignal): Promise<MeshError> {
  return differences(await rasterizeMeshOnKernels(kernels, undoFrame(mesh, frame, field.ground.datum), { ...over(field, frame), signal }), field);
}

/** The field's own samples. */
const over = ({ ground }: Field, { width, depth }: MeshFrame): RasterizeOptions => ({
  size: { across: ground.across, down: ground.down },
  registration: ground.registration,
  extent: { west: -width / 2, east: width / 2, north: -depth / 2, south: depth / 2 },
  up: 'y',
});

function differences({ field: pressed, holes }: Rasterized, { height }: Field): MeshError {
  const off = new Float32Array(height.length);
  let [worst, sum, count] = [0, 0, 0];
  for (let i = 0; i < off.length; i++) {
    if (pressed.valid && !pressed.valid[i]) continue;
    const by = pressed.height[i] + pressed.ground.datum - height[i];
    off[i] = by;
    sum += by * by;
    count++;
    if (Math.abs(by) > worst) worst = Math.abs(by);
  }
  return { maxError: worst, rmse: Math.sqrt(sum / Math.max(1, count)), holes, off };
}
