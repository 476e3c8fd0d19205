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
  boundsOfPlaces: KernelExports['boundsOfPlaces'];
  same: KernelExports['sameFloats'];
  putCodes: KernelExports['putCodes'];
  measureCodes: KernelExports['measureCodes'];
  outstanding: KernelExports['outstanding'];
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
    boundsOfPlaces: kernels.boundsOfPlaces,
    same: kernels.sameFloats,
    putCodes: kernels.putCodes,
    measureCodes: kernels.measureCodes,
    outstanding: kernels.outstanding,
    at,
    values: new Float32Array(memory.buffer, at, SCANNED),
    others: new Float32Array(memory.buffer, at + 4 * SCANNED + 64, SCANNED),
    out: new Float64Array(memory.buffer, at + 4 * SCANNED, 7),
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

/** Lowest and highest x, y and z of places of three floats each, and whether all numbers are finite; those that are not count for neither. */
export function boundsOfPlaces(places: Float32Array): { min: [number, number, number]; max: [number, number, number]; finite: boolean } {
  scanner ??= load();
  const { boundsOfPlaces: bounds, at, values, out } = scanner;
  const min: [number, number, number] = [Infinity, Infinity, Infinity];
  const max: [number, number, number] = [-Infinity, -Infinity, -Infinity];
  let strange = 0;
  const block = SCANNED - (SCANNED % 12);
  for (let from = 0; from + 3 <= places.length; from += block) {
    const some = places.subarray(from, Math.min(places.length, from + block));
    values.set(some);
    bounds(at, Math.floor(some.length / 3), out.byteOffset);
    for (let axis = 0; axis < 3; axis++) {
      // Of an axis without a finite number the kernel gives the largest floats, the wrong way round.
      if (out[axis] > out[3 + axis]) continue;
      min[axis] = Math.min(min[axis], out[axis]);
      max[axis] = Math.max(max[axis], out[3 + axis]);
    }
    strange += out[6];
  }
  return { min, max, finite: strange === 0 };
}

/** Whether the floats `from` … `to` − 1, at most {@link SCANNED}, are all finite and the same in both, bit for bit. */
export function areSame(a: Float32Array, b: Float32Array, from: number, to: number): boolean {
  scanner ??= load();
  const { same, at, values, others } = scanner;
  values.set(a.subarray(from, to));
  others.set(b.subarray(from, to));
  return same(at, at + 4 * SCANNED + 64, to - from) === to - from;
}

/** Whole codes of the heights `from` … `to` − 1, at most {@link SCANNED}, into `samples`. Returns how many lay beyond the codes. */
export function putCodes(
  samples: Uint8Array | Uint16Array | Int16Array | Uint32Array | Int32Array,
  height: Float32Array,
  from: number,
  to: number,
  { low, perMetre, span, min }: { low: number; perMetre: number; span: number; min: number },
): number {
  scanner ??= load();
  const { putCodes: put, at, values, others } = scanner;
  values.set(height.subarray(from, to));
  const clipped = put(at, to - from, low, perMetre, span, min, others.byteOffset);
  samples.set(new Int32Array(others.buffer, others.byteOffset, to - from), from);
  return clipped;
}

/** How codes are held against heights: metres = offset + scale · (code − zero); heights count from `datum`. */
export interface Measuring {
  noData: number;
  datum: number;
  least: number;
  most: number;
  scale: number;
  zero: number;
  offset: number;
}

/** How far the codes `from` … `to` − 1, at most {@link SCANNED}, lie from their heights; null where one is unknown or out of range. */
export function measureCodes(
  samples: Uint8Array | Uint16Array | Int16Array | Uint32Array | Int32Array,
  height: Float32Array,
  from: number,
  to: number,
  by: Measuring,
): { farthest: number; squares: number; far: number } | null {
  scanner ??= load();
  const { measureCodes: measure, at, values, others, out } = scanner;
  values.set(height.subarray(from, to));
  new Int32Array(others.buffer, others.byteOffset, to - from).set(samples.subarray(from, to));
  const signed = samples instanceof Uint32Array ? 0 : 1;
  const { noData, datum, least, most, scale, zero, offset } = by;
  if (!measure(others.byteOffset, at, to - from, signed, noData, datum, least, most, scale, zero, offset, out.byteOffset)) return null;
  return { farthest: out[0], squares: out[1], far: out[2] };
}

/** Columns that are looked at together: with so many rows as fit. */
const TILE = 1_022;

/**
 * Samples inside a grid that lie above all of their eight neighbours, or below all of them, by more than `least` (0 or more), told as they are found; those of
 * its outer rows and columns are not looked at.
 */
export function eachOutstanding(values: Float32Array, across: number, down: number, least: number, tell: (i: number) => void): void {
  scanner ??= load();
  const { outstanding, at, others } = scanner;
  const found = new Int32Array(others.buffer, others.byteOffset, SCANNED);
  for (let left = 1; left + 1 < across; left += TILE) {
    const wide = Math.min(TILE, across - 1 - left) + 2;
    // Four at a time are read, past the last row's end too.
    const most = Math.floor((SCANNED - 4) / wide);
    for (let top = 1; top + 1 < down; top += most - 2) {
      const rows = Math.min(most - 2, down - 1 - top) + 2;
      for (let row = 0; row < rows; row++) {
        const from = (top - 1 + row) * across + left - 1;
        scanner.values.set(values.subarray(from, from + wide), row * wide);
      }
      const count = outstanding(at, wide, rows, least, others.byteOffset);
      for (let k = 0; k < count; k++) {
        const row = Math.floor(found[k] / wide);
        tell((top - 1 + row) * across + left - 1 + (found[k] - row * wide));
      }
    }
  }
}
