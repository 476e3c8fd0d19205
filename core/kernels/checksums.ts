import type { KernelExports } from './generated/exports';
import { instantiate } from './loader';

/** Bytes that are summed at a time. */
const BLOCK = 1 << 18;

let kernels: KernelExports | undefined;
let tables = 0;
let memory = new Uint8Array(0);

function ready(): KernelExports {
  if (kernels) return kernels;
  const own = new WebAssembly.Memory({ initial: 8 });
  kernels = instantiate('plain', own);
  tables = (kernels.heapBase() + 63) & ~63;
  memory = new Uint8Array(own.buffer, tables + 8192, BLOCK);
  kernels.crcTables(tables);
  return kernels;
}

/** Block after block of some bytes, in the kernels' memory. */
function sumOf(bytes: Uint8Array, before: number, sum: (at: number, length: number, before: number) => number): number {
  let found = before;
  for (let from = 0; from < bytes.length; from += BLOCK) {
    const block = bytes.subarray(from, from + BLOCK);
    memory.set(block);
    found = sum(memory.byteOffset, block.length, found);
  }
  return found >>> 0;
}

/** CRC-32 (ISO 3309; PNG, 3rd edition, annex D) of some bytes; `before`: the sum of what stands before them. */
export function crc32(bytes: Uint8Array, before = 0): number {
  const own = ready();
  return sumOf(bytes, before, (at, length, found) => own.crc32(tables, at, length, found));
}

/** Adler-32 (RFC 1950, 9) of some bytes; `before`: the sum of what stands before them. */
export function adler32(bytes: Uint8Array, before = 1): number {
  const own = ready();
  return sumOf(bytes, before, (at, length, found) => own.adler32(at, length, found));
}
