import type { KernelExports } from './generated/exports';
import { instantiate } from './loader';

/** Bytes of a part. Parts are packed each by itself, so that threads share them out; the stream is the same with any number of threads. */
export const PART = 1 << 20;

/** Bytes before a part that its matches may reach back into (RFC 1951). */
const WINDOW = 32_768;

/** Places that are tried for a match, where bytes cost much and where they cost little, and the bytes of one that is enough: more of any leaves hardly less. */
const TRIED = 4;
const TRIED_DEEP = 12;
const ENOUGH = 64;

/** Bytes of memory that packing works in, beside what goes in and comes out. */
export const DEFLATE_ROOM = 720_896;

/** A stretch of bytes that is packed by itself. */
export interface DeflateJob {
  from: number;
  length: number;
  /** How many of the bytes before it are known to whoever unpacks it. */
  known: number;
  /** The stream ends with it. */
  last: boolean;
}

/** The parts of one stream over `length` bytes; where they lie among others, from `start` on. */
export function partsOf(length: number, start = 0): DeflateJob[] {
  return Array.from({ length: Math.max(1, Math.ceil(length / PART)) }, (_, k) => {
    const from = k * PART;
    const to = Math.min(length, from + PART);
    return { from: start + from, length: to - from, known: Math.min(WINDOW, from), last: to === length };
  });
}

/** The most bytes that a job comes to, where nothing of it can be packed, with what is touched behind them. */
export const mostPacked = ({ length }: DeflateJob): number => length + (length >> 13) + 128;

/** Packs a job whose bytes are in the kernels' memory, counted from `bytes` on: into `out`, with `room` to work in. Returns how many it comes to. */
export const packJob = (kernels: KernelExports, { from, length, known, last }: DeflateJob, bytes: number, room: number, out: number): number =>
  kernels.deflatePart(bytes + from, known, length, TRIED, TRIED_DEEP, ENOUGH, last ? 1 : 0, room, out);

/** Packs jobs on this thread, one after the other, in a memory of its own. */
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

  /** Of at most the length of a part. */
  pack(bytes: Uint8Array, job: DeflateJob): Uint8Array<ArrayBuffer> {
    const { kernels, memory, out, room } = this;
    const { from, length, known } = job;
    memory.set(bytes.subarray(from - known, from + length), this.bytes - known);
    const size = packJob(kernels, job, this.bytes - from, room, out);
    return memory.slice(out, out + size);
  }
}

let packer: Packer | undefined;

/** What jobs over some bytes come to, packed on this thread. */
export function packedHere(bytes: Uint8Array, jobs: readonly DeflateJob[]): Uint8Array<ArrayBuffer>[] {
  const here = (packer ??= new Packer());
  return jobs.map((job) => here.pack(bytes, job));
}

/** What stands before the parts of a zlib stream (RFC 1950). */
export const ZLIB_HEAD = Uint8Array.of(0x78, 0x9c);
