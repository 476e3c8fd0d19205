import type { KernelExports } from './generated/exports';
import { instantiate } from './loader';

/**
 * Transcendental functions with the same bits in every engine, for use where their result ends
 * up in a height or in bytes. Angles in radians.
 */
export type ExactMath = Pick<KernelExports, 'sin' | 'cos' | 'tan' | 'atan' | 'atan2' | 'exp' | 'log' | 'pow'>;

let instance: ExactMath | undefined;

/** The functions, loaded on first use. */
export function exactMath(): ExactMath {
  return (instance ??= instantiate('plain', new WebAssembly.Memory({ initial: 2 })));
}

export const DEGREE = Math.PI / 180;
