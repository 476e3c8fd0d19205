import { instantiate } from '../kernels/loader';
import type { KernelExports } from '../kernels/generated/exports';

/** Samples that are counted in one go: of fewer the lots are so small that every page is fetched for a few values. */
const PIECE = 2 ** 21;
const UPPERS = 65_536;
const PAGE = 8192;
const WASM_PAGE = 65_536;
/** Pages that are made room for beyond what is needed. */
const SPARE = 256;

/**
 * How many different values there are among samples of 32 bits that come in pieces: what `countDistinct`
 * counts of all of them. A bit of each value is kept, in pages that are there once a value of theirs came: a few MiB for heights,
 * 512 MiB at the very most.
 */
export class DistinctCount {
  /** Different values so far. */
  count = 0;
  private readonly memory = new WebAssembly.Memory({ initial: 4 });
  private readonly kernels: KernelExports = instantiate('plain', this.memory);
  private readonly starts = (this.kernels.heapBase() + 63) & ~63;
  private readonly pages = this.starts + 4 * (UPPERS + 16);
  private readonly lower = this.pages + 4 * UPPERS;
  private readonly bits = this.lower + 2 * PIECE;
  private free = this.bits + 4 * PIECE;

  add(samples: Float32Array | Uint32Array | Int32Array): void {
    for (let from = 0; from < samples.length; from += PIECE) this.addPiece(samples.subarray(from, from + PIECE));
  }

  private addPiece(samples: Float32Array | Uint32Array | Int32Array): void {
    const { memory, kernels, starts, pages, lower, bits } = this;
    const floats = samples instanceof Float32Array ? 1 : 0;
    this.room(this.free);
    new Uint32Array(memory.buffer, bits, samples.length).set(new Uint32Array(samples.buffer, samples.byteOffset, samples.length));
    const missing = kernels.distinctLots(bits, samples.length, floats, starts, pages);
    this.room(this.free + missing * PAGE);
    this.count += kernels.distinctNew(bits, samples.length, floats, starts, pages, lower, this.free);
    this.free += missing * PAGE;
  }

  private room(bytes: number): void {
    const short = bytes - this.memory.buffer.byteLength;
    if (short > 0) this.memory.grow(Math.ceil((short + SPARE * PAGE) / WASM_PAGE));
  }
}
