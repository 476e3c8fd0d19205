import { MeshoptSimplifier } from 'meshoptimizer';
import { UplandError } from '../../errors';
import type { Ground } from '../../field/ground';
import { DEGREE, exactMath } from '../../kernels/math';
import type { MeshSurface } from './surface';

/**
 * Fewer triangles by quadric error (Garland & Heckbert 1997, through meshoptimizer), part by part;
 * the borders of parts are kept as they are, so that parts and levels of detail meet without a
 * gap. `share` of the triangles is what is aimed at; fewer than the borders need cannot be had.
 */
export async function simplifiedSurface({ width, depth }: Ground, surface: MeshSurface, share: number): Promise<MeshSurface> {
  if (!(share > 0 && share <= 1)) throw new UplandError('simplify', `The share of triangles to keep is above 0 and at most 1; ${share} was given.`);
  if (surface.corners !== 3) throw new UplandError('simplify', 'Levels are made out of triangles.');
  await MeshoptSimplifier.ready;
  const { height, east, south } = surface;
  const positions = new Float32Array(3 * height.length);
  for (let i = 0; i < height.length; i++) {
    positions[3 * i] = (east[i] - 0.5) * width;
    positions[3 * i + 1] = height[i];
    positions[3 * i + 2] = (south[i] - 0.5) * depth;
  }
  const found = surface.parts.map((part) => {
    const own = surface.faces.slice(part.from, part.to);
    const wanted = 3 * Math.max(2, Math.round((share * own.length) / 3));
    const [indices] = MeshoptSimplifier.simplify(own, positions, 3, wanted, 1, ['LockBorder']);
    return indices;
  });
  const number = new Int32Array(height.length).fill(-1);
  const faces = new Uint32Array(found.reduce((n, f) => n + f.length, 0));
  const kept = new Uint32Array(Math.min(height.length, faces.length));
  let [count, at] = [0, 0];
  const parts = surface.parts.map((part, k) => {
    const from = at;
    for (const v of found[k]) {
      if (number[v] < 0) {
        kept[count] = v;
        number[v] = count++;
      }
      faces[at++] = number[v];
    }
    return { ...part, from, to: at };
  });
  const [e, s, h] = [new Float64Array(count), new Float64Array(count), new Float32Array(count)];
  for (let i = 0; i < count; i++) [e[i], s[i], h[i]] = [east[kept[i]], south[kept[i]], height[kept[i]]];
  return { east: e, south: s, height: h, faces, corners: 3, parts };
}

/**
 * From how far away an error is no larger than a pixel: metres, for a picture `pixels` high with a
 * field of view of `degrees` from top to bottom (common practice).
 */
export function switchDistance(error: number, pixels = 1080, degrees = 60): number {
  const { tan } = exactMath();
  return (error * pixels) / (2 * tan((degrees * DEGREE) / 2));
}
