import { concat } from '../concat';
import type { KernelExports } from './generated/exports';
import { instantiate } from './loader';

/** Bytes of a part. Parts are packed each by itself, so that threads share them out; the stream is the same with any number of threads. */
export const PART = 1 << 20;

/** Bytes before a part that its matches may reach back into (RFC 1951). */
const WINDOW = 32_768;

/** Places that are tried for a match, and the bytes of one that is enough: of ground more of either leaves hardly less. */
const TRIED = 3;
const ENOUGH = 64;

/** Bytes that a part is packed in beside what goes in and comes out. */
export const DEFLATE_ROOM = 720_896;

/** The most bytes that a part comes to, where nothing of it can be packed, and what is touched behind them. */
export const MOST_PACKED = PART + 1024;

export const partsOf = (length: number): number => Math.max(1, Math.ceil(length / PART));

/** Packs part `k` of so many bytes that lie at `bytes`, in the kernels' memory: into `out`, with `room` to work in. Returns how many it comes to. */
export function packPart(kernels: KernelExports, { bytes, length, k, room, out }: PartToPack): number {
  const from = k * PART;
  const to = Math.min(length, from + PART);
  return kernels.deflatePart(bytes + from, Math.min(WINDOW, from), to - from, TRIED, ENOUGH, to === length ? 1 : 0, room, out);
}

export interface PartToPack {
  bytes: number;
  length: number;
  k: number;
  room: number;
  out: number;
}

/** Packs parts on this thread, one after the other, in a memory of its own. */
class Packer {
  private readonly kernels: KernelExports;
  private readonly memory: Uint8Array;
  private readonly bytes: number;
  private readonly out: number;
  private readonly room: number;

  constructor() {
    const memory = new WebAssembly.Memory({ initial: 64 });
    this.kernels = instantiate('plain', memory);
    this.memory = new Uint8Array(memory.buffer);
    this.room = (this.kernels.heapBase() + 63) & ~63;
    this.bytes = this.room + DEFLATE_ROOM + WINDOW;
    this.out = this.bytes + PART + 64;
  }

  /** Part `k` of some bytes; it ends at a whole byte, and the last one ends the stream. */
  pack(bytes: Uint8Array, k: number): Uint8Array<ArrayBuffer> {
    const { kernels, memory, out, room } = this;
    const from = k * PART;
    const known = Math.min(WINDOW, from);
    memory.set(bytes.subarray(from - known, Math.min(bytes.length, from + PART)), this.bytes - known);
    const size = packPart(kernels, { bytes: this.bytes - from, length: bytes.length, k, room, out });
    return memory.slice(out, out + size);
  }
}

let packer: Packer | undefined;

/** Some bytes as a zlib stream (RFC 1950), packed on this thread. */
export function packed(bytes: Uint8Array): Uint8Array<ArrayBuffer> {
  packer ??= new Packer();
  const parts: Uint8Array[] = [];
  for (let k = 0; k < partsOf(bytes.length); k++) parts.push(packer.pack(bytes, k));
  return zlibOf(parts, bytes);
}

/** A zlib stream (RFC 1950) of packed parts. */
export function zlibOf(parts: readonly Uint8Array[], bytes: Uint8Array): Uint8Array<ArrayBuffer> {
  const sum = adler32(bytes);
  return concat([Uint8Array.of(0x78, 0x9c), ...parts, Uint8Array.of(sum >>> 24, sum >>> 16, sum >>> 8, sum)]);
}

/** Bytes whose sums stay within 32 bits (RFC 1950, 9). */
const SUMMED = 3800;

function adler32(bytes: Uint8Array): number {
  let [a, b] = [1, 0];
  for (let from = 0; from < bytes.length; from += SUMMED) {
    const to = Math.min(bytes.length, from + SUMMED);
    for (let i = from; i < to; i++) b += a += bytes[i];
    a %= 65_521;
    b %= 65_521;
  }
  return ((b << 16) | a) >>> 0;
}
