import type { Field } from '../field/field';
import type { Mesh } from './mesh';
import { pressMesh } from './press';

export interface MeshError {
  /** Metres against the field, at its samples. */
  maxError: number;
  rmse: number;
  holes: number;
}

/** The mesh pressed back to the field's samples and held against it; strength, zero and base are undone first. */
export function meshError(
  mesh: Mesh,
  field: Field,
  { strength = 1, zero = field.ground.datum, base = 0, extent = { width: field.ground.width, depth: field.ground.depth } } = {},
): MeshError {
  const { ground } = field;
  const { field: pressed, holes } = pressMesh(mesh, {
    size: { across: ground.across, down: ground.down },
    registration: ground.registration,
    extent: { west: -extent.width / 2, east: extent.width / 2, north: -extent.depth / 2, south: extent.depth / 2 },
  });
  let worst = 0;
  let sum = 0;
  for (let i = 0; i < field.height.length; i++) {
    if (pressed.valid && !pressed.valid[i]) continue;
    const height = (pressed.height[i] + pressed.ground.datum - base) / strength + zero;
    const off = Math.abs(height - (field.height[i] + ground.datum));
    if (off > worst) worst = off;
    sum += off * off;
  }
  return { maxError: worst, rmse: Math.sqrt(sum / field.height.length), holes };
}
