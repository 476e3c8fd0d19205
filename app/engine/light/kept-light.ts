import { endStage, sha256, spacingOf, type Field } from '@upland-cast/core';
import { keptStages } from '../../storage/kept';

/** The name that light on a ground is kept by: the same heights are lit alike, whatever course they are of. */
async function nameOf({ ground, height }: Field, ...of: (string | number)[]): Promise<string> {
  const bytes = new Uint8Array(height.buffer, height.byteOffset, height.byteLength);
  const { width, depth, across } = ground;
  return `light ${await sha256(bytes)} ${[width, depth, across, ...of].join(' ')}`;
}

/** The shares of the sky or of a sun (its own settings behind its name) that a ground's samples had, in this visit or one before; undefined: not known. */
export async function keptShares(field: Field, ...of: (string | number)[]): Promise<Float32Array<ArrayBuffer> | undefined> {
  const shares = (await keptStages.get(await nameOf(field, ...of)))?.height;
  return shares?.length === field.height.length ? shares.slice() : undefined;
}

/** Keeps them; what is made of the shares later does not touch what is kept. */
export async function keepShares(shares: Float32Array, field: Field, ...of: (string | number)[]): Promise<void> {
  keptStages.set(await nameOf(field, ...of), endStage({ height: Float32Array.from(shares), layers: {} }));
}

/** Every second sample of a ground, to be lit before all of them are. */
export function everySecond({ ground, height, valid }: Field): Field {
  const [across, down] = [Math.ceil(ground.across / 2), Math.ceil(ground.down / 2)];
  const fewer = <T extends Float32Array | Uint8Array>(all: T, into: T): T => {
    for (let row = 0; row < down; row++) for (let x = 0; x < across; x++) into[row * across + x] = all[2 * row * ground.across + 2 * x];
    return into;
  };
  // Twice as far apart: the last of an even count has no place among them, and the ground ends before it.
  const { x, y } = spacingOf(ground);
  const steps = (count: number) => (ground.registration === 'area' ? count : Math.max(1, count - 1));
  const part = { ...ground, across, down, width: 2 * x * steps(across), depth: 2 * y * steps(down) };
  const field = { ground: part, height: fewer(height, new Float32Array(across * down)) };
  return valid ? { ...field, valid: fewer(valid, new Uint8Array(across * down)) } : field;
}

/** What `everySecond` left out has what its neighbour has. */
export function spread(fewer: Float32Array, across: number, down: number): Float32Array<ArrayBuffer> {
  const all = new Float32Array(across * down);
  const half = Math.ceil(across / 2);
  for (let row = 0, i = 0; row < down; row++) for (let x = 0; x < across; x++) all[i++] = fewer[(row >> 1) * half + (x >> 1)];
  return all;
}
