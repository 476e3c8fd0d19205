import { DEFLATE_ROOM, mostPacked, packJob, type DeflateJob } from '../deflate-parts';
import type { Arena, Program } from '../program';

export interface DeflateArgs {
  /** Of all bytes. */
  length: number;
  jobs: readonly DeflateJob[];
}

/** More bands than this have nothing to do. */
const MOST_BANDS = 16;

/** What jobs over some bytes come to, shared out to all bands. */
export const deflateProgram: Program<DeflateArgs, Uint8Array, Uint8Array<ArrayBuffer>[]> = {
  id: 'deflate',
  bytes: (args) => plan(args).bytes,

  load(arena, args, bytes) {
    new Uint8Array(arena.buffer, arena.start, args.length).set(bytes);
  },

  *run(kernels, arena, args, band) {
    const { jobs } = args;
    const { sizes: sizesAt, outs, rooms } = plan(args);
    const { start } = arena;
    const sizes = new Uint32Array(arena.buffer, start + sizesAt, jobs.length);
    const room = start + rooms + band.index * DEFLATE_ROOM;
    const step = Math.min(MOST_BANDS, band.count);
    for (let k = band.index; k < jobs.length && band.index < MOST_BANDS; k += step) {
      sizes[k] = packJob(kernels, jobs[k], start, room, start + outs[k]);
      band.progress((k + 1) / jobs.length);
    }
    yield;
  },

  take(arena: Arena, args) {
    const { sizes: sizesAt, outs } = plan(args);
    const sizes = new Uint32Array(arena.buffer, arena.start + sizesAt, args.jobs.length);
    return outs.map((at, k) => new Uint8Array(arena.buffer, arena.start + at, sizes[k]).slice() as Uint8Array<ArrayBuffer>);
  },
};

/** Where things lie: byte offsets from the arena's start. */
function plan({ length, jobs }: DeflateArgs) {
  const sizes = Math.ceil((length + 8) / 16) * 16;
  let at = sizes + 4 * jobs.length;
  const outs = jobs.map((job) => {
    const here = at;
    at += mostPacked(job);
    return here;
  });
  return { sizes, outs, rooms: at, bytes: at + Math.min(jobs.length, MOST_BANDS) * DEFLATE_ROOM };
}
