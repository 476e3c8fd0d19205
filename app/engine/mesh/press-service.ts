import {
  boundsOf,
  enclosedHoles,
  encode,
  fillVoids,
  gridMesh,
  makeField,
  rasterizeMeshOnKernels,
  readMeshFiles,
  spacingOf,
  statistics,
  triangleCount,
  triangleIndices,
  UplandError,
  vertexCount,
  type Bounds,
  type Field,
  type Ground,
  type Mesh,
} from '@upland-cast/core';
import type { MeshPicture } from '../../drawing/pictures';
import { reliefPixels } from '../../drawing/relief';
import { keepAsset } from '../../storage/assets';
import type { Extent, PressRequest, PressResult } from '../api';
import { turn, type MeshWork } from './work';

/** A mesh file, or several, looked at from above. */
export async function press(work: Omit<MeshWork, 'field'> & { field: () => Promise<Field> }, request: PressRequest): Promise<PressResult> {
  const { tools, course, field, signal, onWork } = work;
  onWork('Reading the mesh', 0);
  await turn(signal);
  const read = await readMeshFiles(request.files, tools.kernels);
  const up = request.up ?? read.up;
  const plan = boundsOf(read.positions);
  const own = { width: plan.max[0] - plan.min[0], depth: up === 'y' ? plan.max[2] - plan.min[2] : plan.max[1] - plan.min[1] };
  const scale = scaleOf(request.scale, own, course.ground);
  await turn(signal);
  const pressed = await rasterizeMeshOnKernels(tools.kernels, read, {
    progress: (share) => onWork('Pressing', 0.3 + 0.5 * share),
    up,
    scale,
    smooth: request.smooth,
    signal,
    ...placeOf(request, course.ground),
  });
  onWork('Pressing', 0.8);
  await turn(signal);
  const { made, filled } = await holesFilled(pressed.field, request.fill, signal);
  const { bytes } = await encode(made, { format: 'tiff', type: 'f32', options: { compression: 'deflate' } });
  const width = 420;
  const height = Math.max(40, Math.min(420, Math.round((width * made.ground.depth) / made.ground.width)));
  const { holes, overhangs, upright, facing, spacing, size } = pressed;
  return {
    ...{ holes, overhangs, upright, facing, spacing, size, filled, own, scale, up },
    ground: made.ground,
    statistics: statistics(made),
    plan: planOfMesh(plan, up, scale),
    vertices: vertexCount(read),
    triangles: triangleCount(read),
    relief: { width, height, pixels: reliefPixels(made, width, height) },
    cover: coverPixels(pressed.field, pressed.gap, width, height),
    mesh: drawable({ ...read, up }, scale, made),
    odd: read.odd ?? [],
    difference: request.againstGround ? differenceFrom(await field(), pressed.field) : undefined,
    asset: await keepAsset(bytes),
  };
}

/** Metres that a unit of the mesh becomes. Aspect kept: the larger of the two sides fits. */
function scaleOf(asked: PressRequest['scale'], own: { width: number; depth: number }, ground: Ground): number {
  const scale =
    asked.by === 'width' ? asked.width / own.width : asked.by === 'ground' ? Math.min(ground.width / own.width, ground.depth / own.depth) : asked.factor;
  if (!(scale > 0 && scale < 1e9))
    throw new UplandError('mesh-scale', 'Seen from above this mesh has no width, so there is no ground in it. Is the other axis up?');
  return scale;
}

/** The samples that are looked for: the terrain's own where the mesh is held against it. */
function placeOf({ againstGround, across, down, registration, extent }: PressRequest, ground: Ground) {
  if (!againstGround) return { size: across && down ? { across, down } : undefined, registration, extent };
  return {
    size: { across: ground.across, down: ground.down },
    registration: ground.registration,
    extent: { west: -ground.width / 2, east: ground.width / 2, north: -ground.depth / 2, south: ground.depth / 2 },
  };
}

/** What the mesh does not cover is carried on, all of it or what lies inside; and how many samples that were. */
async function holesFilled(field: Field, fill: PressRequest['fill'], signal?: AbortSignal): Promise<{ made: Field; filled: number }> {
  const { ground, valid } = field;
  if (fill === 'none' || !valid) return { made: field, filled: 0 };
  const { across, down } = ground;
  const { x, y } = spacingOf(ground);
  const voids = fill === 'inside' ? enclosedHoles(valid, across, down) : (valid.map((v) => 1 - v) as Uint8Array<ArrayBuffer>);
  let filled = 0;
  for (const v of voids) filled += v;
  if (filled === 0) return { made: field, filled };
  const { height } = await fillVoids(field.height, across, down, voids, { aspect: x / y, stiffness: 'bending', signal });
  const known = valid.map((v, i) => v | voids[i]);
  return { made: makeField(ground, height, known), filled };
}

/** The land that a mesh lies over, metres. */
function planOfMesh({ min, max }: Bounds, up: 'y' | 'z', scale: number): Extent {
  const [north, south] = up === 'y' ? [min[2], max[2]] : [-max[1], -min[1]];
  return { west: min[0] * scale, north: north * scale, east: max[0] * scale, south: south * scale };
}

/** Where the mesh covers the ground once, where it lies over itself, and where it does not cover it. */
function coverPixels({ ground: { across, down }, valid }: Field, gap: Float32Array, width: number, height: number): Uint8ClampedArray<ArrayBuffer> {
  const out = new Uint8ClampedArray(4 * width * height);
  let deepest = 1e-9;
  for (const g of gap) if (g > deepest) deepest = g;
  for (let y = 0, o = 0; y < height; y++) {
    for (let x = 0; x < width; x++, o += 4) {
      // The most telling of the samples that a pixel covers.
      let [over, hole] = [0, false];
      const [r1, c1] = [
        Math.max(Math.floor((y * down) / height) + 1, Math.floor(((y + 1) * down) / height)),
        Math.max(Math.floor((x * across) / width) + 1, Math.floor(((x + 1) * across) / width)),
      ];
      for (let r = Math.floor((y * down) / height); r < Math.min(down, r1); r++) {
        for (let c = Math.floor((x * across) / width); c < Math.min(across, c1); c++) {
          const i = r * across + c;
          over = Math.max(over, gap[i]);
          hole ||= valid ? valid[i] === 0 : false;
        }
      }
      const t = 0.45 + 0.55 * Math.min(1, over / deepest);
      const colour = hole ? [178, 44, 30] : over > 0 ? [214 - 60 * t, 168 - 90 * t, 60] : [222, 218, 206];
      for (let k = 0; k < 3; k++) out[o + k] = colour[k];
      out[o + 3] = 255;
    }
  }
  return out;
}

function differenceFrom(whole: Field, made: Field): PressResult['difference'] {
  let [worst, sum, count] = [0, 0, 0];
  for (let i = 0; i < made.height.length; i++) {
    if (made.valid && !made.valid[i]) continue;
    const off = Math.abs(made.height[i] + made.ground.datum - whole.height[i] - whole.ground.datum);
    if (off > worst) worst = off;
    sum += off * off;
    count++;
  }
  return { maxAbs: worst, rmse: Math.sqrt(sum / Math.max(1, count)), samples: count };
}

/** A mesh to draw. One that is too heavy for the screen is shown as the surface that pressing found. */
function drawable(mesh: Mesh, scale: number, pressed: Field): MeshPicture {
  if (triangleCount(mesh) > 200_000) {
    const segments = { x: Math.min(192, pressed.ground.across - 1), y: Math.min(192, pressed.ground.down - 1) };
    const { positions, indices } = gridMesh({ ...pressed, valid: undefined }, { segments, normals: false, uvs: false });
    return { positions, indices, up: 'y' };
  }
  return { positions: mesh.positions.map((v) => v * scale), indices: triangleIndices(mesh).slice(), up: mesh.up };
}
