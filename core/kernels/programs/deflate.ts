import { DEFLATE_ROOM, MOST_PACKED, packPart, partsOf, zlibOf } from '../deflate-parts';
import type { Arena, Program } from '../program';

export interface DeflateArgs {
  length: number;
}

/** More bands than this have nothing to do. */
const MOST_BANDS = 16;

/** A zlib stream of bytes, part by part on every band. */
export const deflateProgram: Program<DeflateArgs, Uint8Array, Uint8Array<ArrayBuffer>> = {
  id: 'deflate',
  bytes: (args) => plan(args).bytes,

  load(arena, args, bytes) {
    new Uint8Array(arena.buffer, arena.start, args.length).set(bytes);
  },

  *run(kernels, arena, { length }, band) {
    const { parts, lengths, packed, rooms } = plan({ length });
    const { start } = arena;
    const sizes = new Uint32Array(arena.buffer, start + lengths, parts);
    const room = start + rooms + band.index * DEFLATE_ROOM;
    const step = Math.min(MOST_BANDS, band.count);
    for (let k = band.index; k < parts && band.index < MOST_BANDS; k += step) {
      sizes[k] = packPart(kernels, { bytes: start, length, k, room, out: start + packed + k * MOST_PACKED });
      band.progress((k + 1) / parts);
    }
    yield;
  },

  take(arena: Arena, args) {
    const { parts, lengths, packed } = plan(args);
    const sizes = new Uint32Array(arena.buffer, arena.start + lengths, parts);
    const pieces = Array.from(sizes, (size, k) => new Uint8Array(arena.buffer, arena.start + packed + k * MOST_PACKED, size));
    return zlibOf(pieces, new Uint8Array(arena.buffer, arena.start, args.length));
  },
};

function plan({ length }: DeflateArgs) {
  const parts = partsOf(length);
  const lengths = Math.ceil((length + 8) / 16) * 16;
  const packed = lengths + Math.ceil(parts / 4) * 16;
  const rooms = packed + parts * MOST_PACKED;
  return { parts, lengths, packed, rooms, bytes: rooms + Math.min(parts, MOST_BANDS) * DEFLATE_ROOM };
}
