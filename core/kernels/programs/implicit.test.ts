import { describe, expect, it } from 'vitest';
import { random as randomOf } from '../../../tests/helpers/grounds';
import { instantiate } from '../loader';
import type { Arena, Band } from '../program';
import { FLOW_BORDER } from './flow';
import { passImplicit, scratchBytes } from './implicit';
import { rungOf } from './ladder';
import { bytesOf, claims, lay, lift } from './levels';

const alone: Band = { index: 0, count: 1, progress: () => undefined, halting: () => false };

interface Lines {
  across: number;
  down: number;
  point: boolean;
  values: Float32Array;
  east: Float32Array;
  south: Float32Array;
  /** Samples that stand still. */
  still: Uint8Array;
}

/** One step as the kernels take it. */
function stepped({ across, down, point, values, east, south, still }: Lines, options: { held?: number; columnsFirst?: boolean }): Float32Array {
  const grid = rungOf({ across, down, point, spacingX: 1, spacingY: 1 }, FLOW_BORDER);
  const memory = new WebAssembly.Memory({ initial: 64 });
  const kernels = instantiate('plain', memory);
  const arena: Arena = { buffer: memory.buffer, start: (kernels.heapBase() + 63) & ~63 };
  const room = claims();
  const at = {
    values: room.claim(bytesOf(grid)),
    east: room.claim(bytesOf(grid)),
    south: room.claim(bytesOf(grid)),
    state: room.claim(bytesOf(grid) / 4),
    scratch: room.claim(scratchBytes(grid)),
  };
  lay(arena, at.values, grid, values);
  lay(arena, at.east, grid, east);
  lay(arena, at.south, grid, south);
  const state = new Uint8Array(arena.buffer, arena.start + at.state, bytesOf(grid) / 4);
  for (let i = 0; i < still.length; i++) state[(Math.floor(i / across) + 1) * grid.stride + 1 + (i % across)] = 2 * still[i];
  for (const _ of passImplicit(kernels, arena, grid, at, alone, options));
  return lift(arena, at.values, grid);
}

/** The same by Thomas’ algorithm in doubles: every sample keeps its weight times what it had, and takes what passes between it and its neighbours as they come to be. */
function solved({ across, down, point, values, east, south, still }: Lines, { held = 0, columnsFirst = false }): Float64Array {
  const out = Float64Array.from(values);
  const along = (first: number, by: number, count: number, faces: Float32Array) => {
    const at = (k: number) => first + k * by;
    const weight = (k: number) => (still[at(k)] ? 1e8 : point && (k === 0 || k === count - 1) ? 0.5 : 1);
    const face = (k: number) => (k < 0 || k >= count - 1 ? 0 : faces[at(k)]);
    const goes = (k: number) => (k < 0 || k >= count - 1 ? 0 : held * face(k) * (out[at(k + 1)] - out[at(k)]));
    const [upper, right] = [new Float64Array(count), new Float64Array(count)];
    for (let k = 0; k < count; k++) {
      const middle = weight(k) + face(k - 1) + face(k) - (k > 0 ? face(k - 1) * upper[k - 1] : 0);
      upper[k] = face(k) / middle;
      right[k] = (weight(k) * out[at(k)] + goes(k - 1) - goes(k) + (k > 0 ? face(k - 1) * right[k - 1] : 0)) / middle;
    }
    for (let k = count - 1; k >= 0; k--) out[at(k)] = right[k] + (k < count - 1 ? upper[k] * out[at(k + 1)] : 0);
  };
  const rows = () => Array.from({ length: down }, (_, y) => along(y * across, 1, across, east));
  const columns = () => Array.from({ length: across }, (_, x) => along(x, across, down, south));
  for (const pass of columnsFirst ? [columns, rows] : [rows, columns]) pass();
  return out;
}

const made = (across: number, down: number, { point = true, stiff = 3, stillShare = 0, seed = 1 } = {}): Lines => {
  const random = randomOf(seed);
  const drawn = (scale: number) => Float32Array.from({ length: across * down }, () => scale * random());
  const still = Uint8Array.from({ length: across * down }, () => (random() < stillShare ? 1 : 0));
  return { across, down, point, values: drawn(400), east: drawn(stiff), south: drawn(stiff), still };
};

/** What all samples hold together; at point registration those of the rim stand for half a cell. */
function held({ across, down, point }: Lines, values: ArrayLike<number>): number {
  let sum = 0;
  for (let i = 0; i < values.length; i++) {
    const [x, y] = [i % across, Math.floor(i / across)];
    sum += values[i] * (point && (x === 0 || x === across - 1) ? 0.5 : 1) * (point && (y === 0 || y === down - 1) ? 0.5 : 1);
  }
  return sum;
}

const furthest = (a: ArrayLike<number>, b: ArrayLike<number>) => Array.from(a).reduce((most, v, i) => Math.max(most, Math.abs(v - b[i])), 0);

describe('an implicit step along rows and columns', () => {
  // Rows and columns go four and eight at a time: every remainder of both.
  it.each([
    [4, 4],
    [5, 9],
    [6, 7],
    [7, 6],
    [8, 5],
    [9, 13],
    [12, 11],
    [17, 10],
    [33, 16],
  ])('%i × %i samples come to what Thomas’ algorithm in doubles comes to', (across, down) => {
    for (const options of [{}, { columnsFirst: true }, { held: 0.5 }]) {
      for (const point of [true, false]) {
        const lines = made(across, down, { point, seed: across + 100 * down });
        expect(furthest(stepped(lines, options), solved(lines, options))).toBeLessThan(2e-3);
      }
    }
  });

  it.each([3, 300, 3e4])('neither makes nor loses anything, where up to %f times a sample passes', (stiff) => {
    for (const point of [true, false]) {
      const lines = made(21, 14, { point, stiff });
      expect(held(lines, stepped(lines, {})) / held(lines, lines.values)).toBeCloseTo(1, 3);
    }
  });

  it('brings all to one level where everything passes', () => {
    const lines = { ...made(13, 11, { stiff: 0 }), east: new Float32Array(143).fill(1e5), south: new Float32Array(143).fill(1e5) };
    const out = stepped(lines, {});
    const mean = held(lines, lines.values) / (12 * 10);
    out.forEach((value) => expect(Math.abs(value - mean)).toBeLessThan(2));
  });

  it('leaves what stands still, and passes on what comes by', () => {
    const lines = made(19, 15, { stillShare: 0.2 });
    const out = stepped(lines, {});
    out.forEach((value, i) => lines.still[i] && expect(value).toBeCloseTo(lines.values[i], 2));
    expect(furthest(out, solved(lines, {}))).toBeLessThan(5e-3);
    expect(furthest(out, lines.values)).toBeGreaterThan(50);
  });

  it('leaves level ground level to the bit, and ground that lets nothing pass as it is', () => {
    const level = { ...made(11, 10), values: new Float32Array(110).fill(123.456) };
    expect(stepped(level, { held: 0.5 }).every((value) => value === level.values[0])).toBe(true);
    const shut = made(11, 10, { stiff: 0 });
    expect(furthest(stepped(shut, {}), shut.values)).toBeLessThan(1e-4);
  });

  it('does along the columns of ground turned over what it does along its rows', () => {
    const lines = made(22, 22);
    const turned = (of: Float32Array) => Float32Array.from(of, (_, i) => of[(i % 22) * 22 + Math.floor(i / 22)]);
    const other = { ...lines, values: turned(lines.values), east: turned(lines.south), south: turned(lines.east) };
    expect(furthest(turned(stepped(other, { columnsFirst: true })), stepped(lines, {}))).toBeLessThan(1e-3);
  });
});
