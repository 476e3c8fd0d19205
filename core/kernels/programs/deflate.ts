import { MOST_PACKED, packPart, partsOf, zlibOf, type Level } from '../deflate-parts';
import type { Arena, Program } from '../program';

export interface DeflateArgs {
  length: number;
  level: Level;
}

/** A zlib stream of bytes, part by part on every band. */
export const deflateProgram: Program<DeflateArgs, Uint8Array, Uint8Array<ArrayBuffer>> = {
  id: 'deflate',
  bytes: (args) => plan(args).bytes,

  load(arena, args, bytes) {
    new Uint8Array(arena.buffer, arena.start, args.length).set(bytes);
  },

  *run(_, arena, args, band) {
    const { parts, lengths, packed } = plan(args);
    const bytes = new Uint8Array(arena.buffer, arena.start, args.length);
    for (let k = band.index; k < parts; k += band.count) {
      const part = packPart(bytes, k, args.level);
      new Uint8Array(arena.buffer, arena.start + packed + k * MOST_PACKED, part.length).set(part);
      new Uint32Array(arena.buffer, arena.start + lengths, parts)[k] = part.length;
      band.progress((k + 1) / parts);
    }
    yield;
  },

  take(arena: Arena, args) {
    const { parts, lengths, packed } = plan(args);
    const sizes = new Uint32Array(arena.buffer, arena.start + lengths, parts);
    const pieces = Array.from(sizes, (size, k) => new Uint8Array(arena.buffer, arena.start + packed + k * MOST_PACKED, size));
    return zlibOf(pieces, new Uint8Array(arena.buffer, arena.start, args.length), args.level);
  },
};

function plan({ length }: DeflateArgs) {
  const parts = partsOf(length);
  const lengths = Math.ceil(length / 16) * 16;
  const packed = lengths + Math.ceil(parts / 4) * 16;
  return { parts, lengths, packed, bytes: packed + parts * MOST_PACKED };
}
