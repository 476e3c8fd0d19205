import type { KernelExports } from '../../kernels/generated/exports';
import { instantiate } from '../../kernels/loader';
import { TILE } from '../../field/tiles';

const PAGE = 65_536;

/** Memory in which brushes work: begun anew for every dab, so that nothing is made and thrown away. */
export class BrushRoom {
  readonly kernels: KernelExports;
  private readonly memory = new WebAssembly.Memory({ initial: 16 });
  private next = 0;
  /** A tile's worth of floats that every dab may use between two of its other uses. */
  private tile: { at: number; view: Float32Array<ArrayBuffer> } | undefined;

  constructor() {
    this.kernels = instantiate('plain', this.memory);
  }

  /** Room for so many floats in all; what was handed out before is gone. */
  begin(floats: number): void {
    this.next = (this.kernels.heapBase() + 63) & ~63;
    // Every piece begins on a line of its own.
    const missing = this.next + (floats + TILE * TILE) * 4 + 16 * 64 - this.memory.buffer.byteLength;
    if (missing > 0) this.memory.grow(Math.ceil(missing / PAGE));
    this.tile = this.floats(TILE * TILE);
  }

  get oneTile(): { at: number; view: Float32Array<ArrayBuffer> } {
    if (!this.tile) this.begin(0);
    return this.tile!;
  }

  /** Where floats of this room begin; undefined for any others. */
  placeOf(floats: Float32Array): number | undefined {
    return floats.buffer === this.memory.buffer ? floats.byteOffset : undefined;
  }

  floats(count: number): { at: number; view: Float32Array<ArrayBuffer> } {
    const at = this.next;
    this.next = (at + count * 4 + 63) & ~63;
    return { at, view: new Float32Array(this.memory.buffer, at, count) };
  }
}

let room: BrushRoom | undefined;

/** The one room; dabs are made one after the other. */
export const brushRoom = (): BrushRoom => (room ??= new BrushRoom());
