import { UplandError } from '../../errors';
import type { Field } from '../../field/field';
import type { Kernels } from '../../kernels/pool';
import { rightAngledSurface } from './right-angled';
import { adaptiveSurface, gridSurface, type MeshSurface } from './surface';

/** How the faces of a mesh are to be made. */
export interface SurfaceSettings {
  /** A regular grid; triangles as large as the ground allows; right-angled triangles, each half of a larger one. */
  kind: 'grid' | 'adaptive' | 'halved';
  /** Faces of a grid across and down; left out: one vertex a sample. */
  segments?: { x: number; y: number };
  faces?: 'triangles' | 'quads';
  /** Not of grids: metres that no sample may be further off than, or how many triangles are to do their best. */
  maxError?: number;
  triangles?: number;
  /** Parts across and down, with the same borders. */
  split?: { across: number; down: number };
  signal?: AbortSignal;
}

/** The faces that were asked for. Refuses with a sentence what cannot be together. */
export async function buildSurface(kernels: Kernels, field: Field, choice: SurfaceSettings): Promise<MeshSurface> {
  const { kind, segments, faces = 'triangles', maxError = 0, triangles, split, signal } = choice;
  if (kind === 'grid') {
    return gridSurface(field, segments ?? null, faces, split);
  }
  if (faces === 'quads') throw new UplandError('quads', 'Triangles of different sizes cannot be quads: only a regular grid can have them.');
  if (kind === 'adaptive') return (await adaptiveSurface(kernels, field, { maxError, triangles, split, signal })).surface;
  if (split && split.across !== split.down) throw new UplandError('parts', 'Right-angled triangles part in as many across as down.');
  return rightAngledSurface(field, { maxError, triangles, parts: split?.across, signal }).surface;
}
