import type { KernelExports } from './generated/exports';
import { instantiate } from './loader';

const PAGE = 65_536;
/** Bytes before a row and behind it: they are read and written sixteen at a time. */
const MARGIN = 64;

/** Kernels over a memory of their own with room for so many rows of `size` bytes, and where each begins. */
function roomForRows(size: number, count: number): { kernels: KernelExports; memory: WebAssembly.Memory; rows: number[] } {
  const memory = new WebAssembly.Memory({ initial: 4 });
  const kernels = instantiate('plain', memory);
  const room = ((size + 63) & ~63) + 2 * MARGIN;
  const at = ((kernels.heapBase() + 63) & ~63) + MARGIN;
  const missing = at + count * room - memory.buffer.byteLength;
  if (missing > 0) memory.grow(Math.ceil(missing / PAGE));
  return { kernels, memory, rows: Array.from({ length: count }, (_, k) => at + k * room) };
}

/** The rows of a PNG one after the other, each under the filter that suits it. */
export class PngRows {
  private readonly kernels: KernelExports;
  private readonly bytes: Uint8Array;
  private readonly codes: Uint16Array;
  private readonly out: number;
  private row: number;
  private above: number;
  private first = true;

  /** Rows of `size` bytes, pixels of `back`; of every `stride`-th sixteen bytes it is taken which filter suits. */
  constructor(
    private readonly size: number,
    private readonly back: number,
    private readonly stride: number,
  ) {
    const { kernels, memory, rows } = roomForRows(size, 4);
    this.kernels = kernels;
    this.bytes = new Uint8Array(memory.buffer);
    [this.row, this.above, this.out] = rows;
    this.codes = new Uint16Array(memory.buffer, rows[3], size >> 1);
  }

  /** The next row, of 8 or of 16 bits, filtered into `into`; returns the filter's number. */
  take(samples: Uint8Array | Uint16Array, into: Uint8Array): number {
    const { kernels, bytes, codes, size, back, stride, out } = this;
    [this.row, this.above] = [this.above, this.row];
    if (samples instanceof Uint8Array) bytes.set(samples, this.row);
    else {
      codes.set(samples);
      kernels.highFirst(codes.byteOffset, samples.length, this.row);
    }
    const filter = kernels.filterRow(this.row, this.above, size, back, stride, this.first ? 1 : 0, out);
    this.first = false;
    into.set(bytes.subarray(out, out + size));
    return filter;
  }
}

/** Rows of a PNG as they were before they went under their filters, one after the other. */
export class PngRowsBack {
  private readonly kernels: KernelExports;
  private readonly bytes: Uint8Array;
  private readonly swapped: Uint16Array;
  private row: number;
  private above: number;

  /** Rows of `size` bytes, pixels of `back`. */
  constructor(
    private readonly size: number,
    private readonly back: number,
  ) {
    const { kernels, memory, rows } = roomForRows(size, 3);
    this.kernels = kernels;
    this.bytes = new Uint8Array(memory.buffer);
    [this.row, this.above] = rows;
    this.swapped = new Uint16Array(memory.buffer, rows[2], size >> 1);
  }

  /** The next row out of what its filter made of it; it stands until the one after the next is taken. */
  take(filter: number, filtered: Uint8Array): Uint8Array {
    const { kernels, bytes, size, back } = this;
    [this.row, this.above] = [this.above, this.row];
    bytes.set(filtered, this.row);
    if (filter > 0) kernels.unfilterRow(filter, this.row, this.above, size, back);
    return bytes.subarray(this.row, this.row + size);
  }

  /** The row taken last as codes of 16 bits, of which the high byte comes first. */
  codes(): Uint16Array {
    this.kernels.highFirst(this.row, this.size >> 1, this.swapped.byteOffset);
    return this.swapped;
  }
}
