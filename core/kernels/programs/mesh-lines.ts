import type { Arena, Program } from '../program';

/** What the lines of a mesh are: places, texture coordinates, normals, faces. */
export type LineKind = 'v' | 'vt' | 'vn' | 'f';

export interface WriteLinesArgs {
  kind: LineKind;
  /** How many lines. */
  lines: number;
  /** Numbers in a line: three; two of texture coordinates; the corners of a face. */
  each: number;
  /** Colours come with the places. */
  coloured?: boolean;
  /** Of faces: the numbers that the first vertex has, 0 for what the mesh is without. */
  first?: Record<'v' | 'vt' | 'vn', number>;
}

export interface WriteLinesInputs {
  /** float32, or uint32 of faces. */
  numbers: Float32Array | Uint32Array;
  /** Red, green and blue of every place. */
  colours?: Uint8Array;
}

/** Lines that are put together by themselves. */
export const LINES_AT_ONCE = 4096;

/** Most characters of a number, with what stands before it. */
const NUMBER = 18;
const CORNER = 36;
const COLOUR = 8;

/** Lines of numbers as text, in stretches of `LINES_AT_ONCE`; null for a stretch with a number that these kernels do not print. */
export const writeLinesProgram: Program<WriteLinesArgs, WriteLinesInputs, (Uint8Array<ArrayBuffer> | null)[]> = {
  id: 'write-lines',
  bytes: (args) => writePlan(args).bytes,

  load(arena, args, { numbers, colours }) {
    const at = writePlan(args);
    const kept = args.kind === 'f' ? Uint32Array : Float32Array;
    new kept(arena.buffer as ArrayBuffer, arena.start, numbers.length).set(numbers);
    if (colours) new Uint8Array(arena.buffer, arena.start + at.colours, colours.length).set(colours);
  },

  *run(kernels, arena, args, band) {
    const { kind, lines, each, coloured, first } = args;
    const at = writePlan(args);
    const { start } = arena;
    const sizes = new Int32Array(arena.buffer, start + at.sizes, at.stretches);
    for (let k = band.index; k < at.stretches; k += band.count) {
      const [from, to] = [k * LINES_AT_ONCE, Math.min(lines, (k + 1) * LINES_AT_ONCE)];
      const out = start + at.out + k * at.room;
      if (kind === 'v') sizes[k] = kernels.placeLines(start, coloured ? start + at.colours : 0, from, to, out);
      else if (kind === 'vt') sizes[k] = kernels.textureLines(start, from, to, out);
      else if (kind === 'vn') sizes[k] = kernels.normalLines(start, from, to, out);
      else sizes[k] = kernels.faceLines(start, from, to, each, first!.v, first!.vt, first!.vn, out);
    }
    yield;
  },

  take(arena, args) {
    const at = writePlan(args);
    const sizes = new Int32Array(arena.buffer, arena.start + at.sizes, at.stretches);
    return Array.from(sizes, (size, k) => (size < 0 ? null : bytesAt(arena, at.out + k * at.room, size)));
  },
};

/** Where things lie: byte offsets from the arena's start. */
function writePlan({ kind, lines, each, coloured }: WriteLinesArgs) {
  const stretches = Math.ceil(lines / LINES_AT_ONCE);
  const room = LINES_AT_ONCE * (4 + each * (kind === 'f' ? CORNER : NUMBER) + (coloured ? 3 * COLOUR : 0));
  const colours = 4 * lines * each;
  const sizes = (colours + (coloured ? 3 * lines : 0) + 7) & ~7;
  const out = sizes + 4 * stretches;
  return { stretches, room, colours, sizes, out, bytes: out + stretches * room + 64 };
}

/** What some lines of a mesh's text hold. */
export interface ReadLines {
  /** x, y and z of every place. */
  places: Float64Array<ArrayBuffer>;
  /** Vertices of the faces, from 0 on. */
  corners: Uint32Array<ArrayBuffer>;
  /** Corners of a face; 0 where there is none. */
  each: number;
  lines: number;
}

/** Bytes that are read by themselves, more or less. */
const READ_AT_ONCE = 1 << 18;

/** Room before the text and behind it. */
const BESIDE = 64;
const COUNTS = 16;

/** Text of a mesh, whole lines of it, in stretches; null where a line is not as nearly all are. */
export const readLinesProgram: Program<{ length: number }, Uint8Array, ReadLines[] | null> = {
  id: 'read-lines',
  bytes: ({ length }) => readPlan(length).bytes,

  load(arena, { length }, text) {
    const bytes = new Uint8Array(arena.buffer, arena.start, length + 2 * BESIDE);
    bytes.fill(10);
    bytes.set(text, BESIDE);
  },

  *run(kernels, arena, { length }, band) {
    const at = readPlan(length);
    const begin = arena.start + BESIDE;
    const text = new Uint8Array(arena.buffer, begin, length);
    for (let k = band.index; k < at.stretches; k += band.count) {
      const [from, to] = [lineFrom(text, k * READ_AT_ONCE), lineFrom(text, (k + 1) * READ_AT_ONCE)];
      const counts = arena.start + at.counts + k * (COUNTS + 4);
      const { places, corners } = roomOf(at, from);
      const read = kernels.meshLines(begin + from, begin + to, arena.start + places, arena.start + corners, counts);
      new Int32Array(arena.buffer, counts + COUNTS, 1)[0] = read === begin + to ? 1 : 0;
    }
    yield;
  },

  take(arena, { length }) {
    const at = readPlan(length);
    const text = new Uint8Array(arena.buffer, arena.start + BESIDE, length);
    const found: ReadLines[] = [];
    for (let k = 0; k < at.stretches; k++) {
      const [count, corner, each, lines, whole] = new Int32Array(arena.buffer, arena.start + at.counts + k * (COUNTS + 4), 5);
      if (!whole) return null;
      const { places, corners } = roomOf(at, lineFrom(text, k * READ_AT_ONCE));
      found.push({
        places: new Float64Array(bytesAt(arena, places, 24 * count).buffer),
        corners: new Uint32Array(bytesAt(arena, corners, 4 * corner).buffer),
        each,
        lines,
      });
    }
    return found;
  },
};

/** Where the first line begins from a place on. */
function lineFrom(text: Uint8Array, place: number): number {
  if (place === 0) return 0;
  if (place >= text.length) return text.length;
  const end = text.indexOf(10, place - 1);
  return end < 0 ? text.length : end + 1;
}

/** A place takes three times its text at the most, a face less than twice. */
const roomOf = (at: ReturnType<typeof readPlan>, from: number) => ({
  places: at.places + 24 * Math.ceil(from / 8),
  corners: at.corners + 4 * Math.ceil(from / 2),
});

function readPlan(length: number) {
  const stretches = Math.max(1, Math.ceil(length / READ_AT_ONCE));
  const counts = (length + 2 * BESIDE + 15) & ~15;
  const places = (counts + stretches * (COUNTS + 4) + 15) & ~15;
  const corners = places + 24 * Math.ceil(length / 8 + 2);
  return { stretches, counts, places, corners, bytes: corners + 4 * Math.ceil(length / 2 + 4) + 64 };
}

function bytesAt(arena: Arena, offset: number, size: number): Uint8Array<ArrayBuffer> {
  return new Uint8Array(arena.buffer, arena.start + offset, size).slice() as Uint8Array<ArrayBuffer>;
}
