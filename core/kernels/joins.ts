import type { KernelExports } from './generated/exports';
import { instantiate } from './loader';

/** Floats that are joined in one go: they stay near the processor. */
const AT_ONCE = 16_384;

interface Joiner {
  run: KernelExports['joinFloats'];
  a: Float32Array;
  b: Float32Array;
  mask: Float32Array;
  out: Float32Array;
}

let joiner: Joiner | undefined;

function load(): Joiner {
  const memory = new WebAssembly.Memory({ initial: 8 });
  const kernels = instantiate('plain', memory);
  const at = Math.ceil(kernels.heapBase() / 64) * 64;
  const bytes = at + 16 * AT_ONCE;
  if (memory.buffer.byteLength < bytes) memory.grow(Math.ceil((bytes - memory.buffer.byteLength) / 65_536));
  const room = (k: number) => new Float32Array(memory.buffer, at + 4 * k * AT_ONCE, AT_ONCE);
  return { run: kernels.joinFloats, a: room(0), b: room(1), mask: room(2), out: room(3) };
}

/** The ways in which heights join, as the kernel counts them. */
export const JOIN_CODES = {
  replace: 0,
  add: 1,
  subtract: 2,
  multiply: 3,
  higher: 4,
  lower: 5,
  'smooth-higher': 6,
  'smooth-lower': 7,
  mean: 8,
  difference: 9,
} as const;

export interface JoinFloats {
  mode: keyof typeof JOIN_CODES;
  /** Added to what joins, before it does. */
  move: number;
  width?: number;
  zero?: number;
  scale?: number;
  datum?: number;
  /** mix(a, joined, strength × mask). */
  strength?: number;
  mask?: Float32Array | null;
}

/** Joins heights with others, sample by sample. */
export function joinFloats(
  a: Float32Array,
  b: Float32Array,
  { mode, move, width = 0, zero = 0, scale = 0, datum = 0, strength = 1, mask = null }: JoinFloats,
): Float32Array<ArrayBuffer> {
  joiner ??= load();
  const { run, a: first, b: second, mask: weights, out: made } = joiner;
  const out = new Float32Array(b.length);
  const weighed = mask ? 2 : strength === 1 ? 0 : 1;
  // What only replaces does not look at what was there.
  const alone = mode === 'replace' && weighed === 0;
  for (let from = 0; from < b.length; from += AT_ONCE) {
    const to = Math.min(b.length, from + AT_ONCE);
    if (!alone) first.set(a.subarray(from, to));
    second.set(b.subarray(from, to));
    if (mask) weights.set(mask.subarray(from, to));
    const at = [first, second, weights, made].map(({ byteOffset }) => byteOffset) as [number, number, number, number];
    run(JOIN_CODES[mode], weighed, ...at, to - from, move, width, zero, scale, datum, strength);
    out.set(to - from === AT_ONCE ? made : made.subarray(0, to - from), from);
  }
  return out;
}
