import type { KernelExports } from './generated/exports';
import { instantiate } from './loader';

/** What a pass over floats finds: of the finite ones, and where the first lies that is too far for a height. */
export interface Scan {
  lowest: number;
  highest: number;
  /** In doubles, one after the other. */
  sum: number;
  count: number;
  /** Counted from the first that was looked at; −1: none. */
  beyond: number;
}

/** No height reaches so far. */
export const NO_HEIGHT = 1e37;

/** Floats that are looked at in one go: they stay near the processor. */
export const SCANNED = 65_536;

interface Scanner {
  run: KernelExports['scanFloats'];
  bounds: KernelExports['boundsOfFloats'];
  same: KernelExports['sameFloats'];
  at: number;
  values: Float32Array;
  others: Float32Array;
  out: Float64Array;
}

let scanner: Scanner | undefined;

function load(): Scanner {
  const memory = new WebAssembly.Memory({ initial: 8 });
  const kernels = instantiate('plain', memory);
  const at = Math.ceil(kernels.heapBase() / 64) * 64;
  const bytes = at + 8 * SCANNED + 64;
  if (memory.buffer.byteLength < bytes) memory.grow(Math.ceil((bytes - memory.buffer.byteLength) / 65_536));
  return {
    run: kernels.scanFloats,
    bounds: kernels.boundsOfFloats,
    same: kernels.sameFloats,
    at,
    values: new Float32Array(memory.buffer, at, SCANNED),
    others: new Float32Array(memory.buffer, at + 4 * SCANNED + 64, SCANNED),
    out: new Float64Array(memory.buffer, at + 4 * SCANNED, 5),
  };
}

/** One pass over the floats `from` … `to` − 1, at most {@link SCANNED} of them. */
export function scan(values: Float32Array, from: number, to: number): Scan {
  scanner ??= load();
  const { run, at, out } = scanner;
  scanner.values.set(values.subarray(from, to));
  run(at, to - from, NO_HEIGHT, at + 4 * SCANNED);
  const [lowest, highest, sum, count, beyond] = out;
  return { lowest, highest, sum, count, beyond };
}

/** Lowest, highest and count of the finite ones among the floats `from` … `to` − 1, at most {@link SCANNED}: without the sum several times as fast. */
export function boundsIn(values: Float32Array, from: number, to: number): Pick<Scan, 'lowest' | 'highest' | 'count'> {
  scanner ??= load();
  const { bounds, at, out } = scanner;
  scanner.values.set(values.subarray(from, to));
  bounds(at, to - from, at + 4 * SCANNED);
  const [lowest, highest, count] = out;
  return { lowest, highest, count };
}

/** Whether the floats `from` … `to` − 1, at most {@link SCANNED}, are all finite and the same in both, bit for bit. */
export function areSame(a: Float32Array, b: Float32Array, from: number, to: number): boolean {
  scanner ??= load();
  const { same, at, values, others } = scanner;
  values.set(a.subarray(from, to));
  others.set(b.subarray(from, to));
  return same(at, at + 4 * SCANNED + 64, to - from) === to - from;
}
