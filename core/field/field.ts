import { UplandError } from '../errors';
import type { Ground } from './ground';

/**
 * Heights on a ground: metres above the ground's datum, row after row from the north edge,
 * each row from the west. Immutable by convention: a function returns a new one.
 */
export interface Field {
  readonly ground: Ground;
  readonly height: Float32Array<ArrayBuffer>;
  /** 1 where the height is known, 0 where there is no data. Absent: known everywhere. */
  readonly valid?: Uint8Array<ArrayBuffer>;
}

/** A field over `ground`; refuses an array of another length. */
export function makeField(ground: Ground, height: Float32Array<ArrayBuffer>, valid?: Uint8Array<ArrayBuffer>): Field {
  const count = ground.across * ground.down;
  if (height.length !== count) {
    throw new UplandError(
      'field-size',
      `${height.length} heights were given for a ground of ${ground.across} × ${ground.down} samples, which needs ${count}.`,
      { given: height.length, needed: count },
    );
  }
  return valid ? { ground, height, valid } : { ground, height };
}

/** A level field at `elevation` metres, absolute. */
export function flatField(ground: Ground, elevation: number): Field {
  const height = new Float32Array(ground.across * ground.down);
  // It is 0 as it comes.
  if (elevation !== ground.datum) height.fill(elevation - ground.datum);
  return { ground, height };
}

/** A field from a function of metres east and south that gives metres, absolute. */
export function fieldFrom(ground: Ground, elevationAt: (east: number, south: number) => number): Field {
  const height = new Float32Array(ground.across * ground.down);
  const pad = ground.registration === 'point' ? 0 : 0.5;
  const stepX = ground.width / Math.max(1, ground.across - 1 + 2 * pad);
  const stepY = ground.depth / Math.max(1, ground.down - 1 + 2 * pad);
  for (let row = 0, i = 0; row < ground.down; row++) {
    for (let column = 0; column < ground.across; column++, i++) {
      height[i] = elevationAt((column + pad) * stepX, (row + pad) * stepY) - ground.datum;
    }
  }
  return { ground, height };
}
