import { describe, expect, it } from 'vitest';
import { firstWrong } from '../../tests/helpers/grounds';
import { instantiate } from './loader';
import { overBands, type Band } from './program';

/** Kernels over grids with one sample of border, laid out one after the other. */
function bench(across: number, down: number) {
  const stride = across + 2;
  const size = stride * (down + 2);
  const memory = new WebAssembly.Memory({ initial: 64 });
  const kernels = instantiate('plain', memory);
  let at = (kernels.heapBase() + 63) & ~63;
  const claim = (bytes: number) => {
    const place = at;
    at += (bytes + 79) & ~63;
    return place;
  };
  const grid = (of?: (x: number, y: number) => number) => {
    const offset = claim(4 * size);
    const values = new Float32Array(memory.buffer, offset, size);
    if (of) for (let y = 0; y < down; y++) for (let x = 0; x < across; x++) values[(y + 1) * stride + 1 + x] = of(x, y);
    return { offset, values };
  };
  const whole = (of?: (x: number, y: number) => number) => {
    const { offset } = grid();
    const values = new Int32Array(memory.buffer, offset, size);
    if (of) for (let y = 0; y < down; y++) for (let x = 0; x < across; x++) values[(y + 1) * stride + 1 + x] = of(x, y);
    return { offset, values };
  };
  const bytes = () => {
    const offset = claim(size);
    return { offset, values: new Uint8Array(memory.buffer, offset, size) };
  };
  return { kernels, memory, stride, size, grid, whole, bytes, index: (x: number, y: number) => (y + 1) * stride + 1 + x };
}

const rough = (x: number, y: number) => 40 * Math.sin(0.7 * x + 0.2 * y) + 25 * Math.cos(0.31 * x - 0.9 * y) + 3 * Math.sin(7.1 * x + 3.3 * y);
const thick = (x: number, y: number) => Math.max(0, 60 * Math.sin(0.4 * x) * Math.cos(0.3 * y));

/**
 * What a kernel leaves at the inner samples of a ground that begins `shift` columns further west: four samples that were worked on together are others
 * for every shift, and the last ones of a row one by one.
 */
function innerOf(
  shift: number,
  work: (b: ReturnType<typeof bench>, of: (f: (x: number, y: number) => number) => (x: number, y: number) => number) => Float32Array[],
): number[] {
  const [across, down] = [21 + shift, 9];
  const b = bench(across, down);
  const results = work(b, (f) => (x, y) => f(x - shift, y));
  const out: number[] = [];
  // Six columns in the middle, none of them beside an edge.
  for (const values of results) for (let y = 1; y < down - 1; y++) for (let x = 8; x < 16; x++) out.push(values[b.index(x + shift, y)]);
  return out;
}

describe('kernels that work on four samples at a time', () => {
  const slopes = (b: ReturnType<typeof bench>, of: (f: (x: number, y: number) => number) => (x: number, y: number) => number) => {
    const [height, ease, bank, east, south] = [
      b.grid(of(rough)),
      b.grid(of((x) => (x % 5 === 0 ? 0.4 : 1))),
      b.grid(of((_, y) => 0.6 + 0.1 * (y % 3))),
      b.grid(),
      b.grid(),
    ];
    const state = b.bytes();
    b.kernels.hillslopeFaces(height.offset, ease.offset, bank.offset, state.offset, east.offset, south.offset, b.stride, 9, 0, 9, 8, 8, 0.7, 0.7);
    return [east.values, south.values];
  };
  const ice = (b: ReturnType<typeof bench>, of: (f: (x: number, y: number) => number) => (x: number, y: number) => number) => {
    const lies = of(thick);
    const [surface, bed, depth, ease] = [b.grid((x, y) => of(rough)(x, y) + lies(x, y)), b.grid(of(rough)), b.grid(lies), b.grid(() => 1)];
    const [east, south, worn] = [b.grid(), b.grid(), b.grid()];
    b.kernels.iceFaces(surface.offset, depth.offset, east.offset, south.offset, b.stride, 9, 0, 9, 8, 8, 2e-5, 1e-4, 0.01, 0.01);
    b.kernels.iceWear(surface.offset, bed.offset, depth.offset, ease.offset, worn.offset, b.stride, 9, 0, 9, 8, 8, 1e-4, 200, 0.01);
    return [east.values, south.values, worn.values];
  };
  const beds = (b: ReturnType<typeof bench>, of: (f: (x: number, y: number) => number) => (x: number, y: number) => number) => {
    const [height, uplift, ease, bank, given] = [b.grid(of(rough)), b.grid(of((x, y) => 0.3 * x - y)), b.grid(), b.grid(), b.grid(() => 1.2)];
    const table = b.grid();
    table.values.set([0, 0.2, 1, 0.4, 0.9, 0.1]);
    b.kernels.rockRows(
      height.offset,
      0,
      uplift.offset,
      0,
      table.offset,
      0,
      ease.offset,
      given.offset,
      bank.offset,
      0,
      0,
      b.stride,
      1,
      0,
      9,
      6,
      -60,
      0.04,
      0.9,
      1.3,
      0.03,
      0.4,
      2.2,
    );
    return [ease.values, bank.values];
  };

  it.each([
    ['slopes', slopes],
    ['ice', ice],
    ['beds', beds],
  ])('give %s the same bits wherever a row begins', (_, work) => {
    const first = innerOf(0, work);
    expect(first.filter((v) => v > 0).length).toBeGreaterThan(40);
    for (const shift of [1, 2, 3, 5]) {
      const other = innerOf(shift, work);
      expect(
        firstWrong(first.length, (i) => Object.is(first[i], other[i])),
        `${shift} columns`,
      ).toBe(-1);
    }
  });

  it('take powers of catchments to 2e-6, from a quarter of a sample to a continent', () => {
    const [across, down] = [23, 4];
    const b = bench(across, down);
    const areaAt = (x: number, y: number) => 0.25 * 10 ** ((x + across * y) / 8);
    const [area, ease, pull] = [b.grid(areaAt), b.grid(() => 1), b.grid()];
    const receiver = b.whole((x, y) => b.index(x, y) + (x % 3 === 0 ? 1 : x % 3 === 1 ? b.stride : b.stride + 1));
    b.kernels.pullRows(receiver.offset, area.offset, ease.offset, pull.offset, b.stride, 0, down, 30, 40, 1200, 9e4, 0.02, 0.45);
    let worst = 0;
    for (let y = 0; y < down; y++) {
      for (let x = 0; x < across; x++) {
        const a = 1200 * Math.fround(areaAt(x, y));
        const wanted = (0.02 * ((a * a) / (a + 9e4)) ** 0.45) / [30, 40, 50][x % 3];
        worst = Math.max(worst, Math.abs(pull.values[b.index(x, y)] / wanted - 1));
      }
    }
    expect(worst).toBeGreaterThan(0);
    expect(worst).toBeLessThan(2e-6);
  });

  it('draw no receiver that lies higher, none across a wall, and give the true way on the mean', () => {
    const [across, down] = [101, 67];
    const b = bench(across, down);
    const turn = 0.4;
    const plane = b.grid((x, y) => 500 - 3 * (x * Math.cos(turn) + y * Math.sin(turn)));
    for (let i = 0; i < b.size; i++) if (plane.values[i] === 0) plane.values[i] = 1e30;
    const receiver = b.whole();
    let [east, south] = [0, 0];
    for (let draw = 0; draw < 20; draw++) {
      receiver.values.fill(0);
      b.kernels.receiveByFacet(plane.offset, receiver.offset, b.stride, 0, down, 8, 8, 77 + draw, 0.5, 0, b.stride);
      for (let y = 0; y < down - 1; y++) {
        for (let x = 0; x < across - 1; x++) {
          const p = b.index(x, y);
          const r = receiver.values[p];
          expect(plane.values[r] < plane.values[p], `${x}, ${y}`).toBe(true);
          const [dy, dx] = [Math.round((r - p) / b.stride), r - p - b.stride * Math.round((r - p) / b.stride)];
          if (x > 0 && y > 0) [east, south] = [east + dx, south + dy];
        }
      }
    }
    expect(Math.atan2(south, east)).toBeCloseTo(turn, 1);
    // Samples that have a receiver keep it.
    receiver.values.fill(0);
    receiver.values[b.index(40, 30)] = 7;
    b.kernels.receiveByFacet(plane.offset, receiver.offset, b.stride, 0, down, 8, 8, 1, 0.5, 0, b.stride);
    expect(receiver.values[b.index(40, 30)]).toBe(7);
    expect(receiver.values[b.index(41, 30)]).toBeGreaterThan(0);
  });

  it('draw in a window what the whole grid draws there', () => {
    const [left, top, across, down] = [23, 11, 40, 30];
    const drawn = (b: ReturnType<typeof bench>, rows: number, x: number, y: number, from: number, stride: number) => {
      const height = b.grid((column, row) => 900 - 3 * (column + x) - 2 * (row + y) + rough(column + x, row + y) / 50);
      for (let i = 0; i < b.size; i++) if (height.values[i] === 0) height.values[i] = 1e30;
      const receiver = b.whole();
      b.kernels.receiveByFacet(height.offset, receiver.offset, b.stride, 0, rows, 8, 8, 4711, 0.5, from, stride);
      return receiver.values;
    };
    const all = bench(101, 67);
    const whole = drawn(all, 67, 0, 0, 0, all.stride);
    const part = bench(across, down);
    const window = drawn(part, down, left, top, top * all.stride + left, all.stride);
    const elsewhere = drawn(bench(across, down), down, left, top, 0, part.stride);
    const away = (values: Int32Array, p: number, stride: number) => {
      const south = Math.round((values[p] - p) / stride);
      return `${values[p] - p - south * stride} ${south}`;
    };
    let other = 0;
    for (let y = 1; y < down - 1; y++) {
      for (let x = 1; x < across - 1; x++) {
        const wanted = away(whole, all.index(x + left, y + top), all.stride);
        expect(away(window, part.index(x, y), part.stride), `${x}, ${y}`).toBe(wanted);
        if (away(elsewhere, part.index(x, y), part.stride) !== wanted) other++;
      }
    }
    // Counted from its own corner it would draw something else.
    expect(other).toBeGreaterThan(100);
  });

  it('find as many hollows as one by one', () => {
    const [across, down] = [37, 19];
    const b = bench(across, down);
    const [height, filled, receiver] = [b.grid(rough), b.grid(), b.whole()];
    for (let y = -1; y <= down; y++) for (let x = -1; x <= across; x++) if (x < 0 || y < 0 || x === across || y === down) height.values[b.index(x, y)] = 1e30;
    const state = b.bytes();
    const marks = state.values;
    marks[b.index(5, 5)] = 2;
    let wanted = 0;
    for (let y = 0; y < down; y++) {
      for (let x = 0; x < across; x++) {
        const p = b.index(x, y);
        const around = [-1, 1, -b.stride - 1, -b.stride, -b.stride + 1, b.stride - 1, b.stride, b.stride + 1].map((by) => height.values[p + by]);
        if (marks[p] !== 2 && !(Math.min(...around) < height.values[p])) wanted++;
      }
    }
    expect(wanted).toBeGreaterThan(3);
    const listed = b.whole();
    expect(b.kernels.hollows(height.offset, filled.offset, state.offset, receiver.offset, listed.offset, b.stride, 0, down)).toBe(wanted);
    expect([...listed.values.subarray(0, wanted)].every((p, i, all) => i === 0 || p > all[i - 1])).toBe(true);
    expect(receiver.values[b.index(5, 5)]).toBe(b.index(5, 5));
    expect(filled.values[b.index(7, 7)]).toBe(height.values[b.index(7, 7)]);
  });

  it('take off the bed what ice wore, near the rim no more than further in, and nothing of what gives no way', () => {
    const [across, down, margin, most] = [29, 17, 3, 0.8];
    const b = bench(across, down);
    const wornAt = (x: number, y: number) => 0.05 * (x + y);
    const [worn, bed, surface, ease] = [b.grid(wornAt), b.grid(rough), b.grid((x, y) => rough(x, y) + 20), b.grid((x) => (x === 11 ? 0 : 1))];
    b.kernels.iceTake(worn.offset, bed.offset, surface.offset, ease.offset, b.stride, across, down, 0, down, margin, most);
    const inside = (i: number, count: number) => Math.max(margin, Math.min(count - 1 - margin, i));
    for (let y = 0; y < down; y++) {
      for (let x = 0; x < across; x++) {
        const by = x === 11 ? 0 : Math.min(most, wornAt(x, y), wornAt(inside(x, across), inside(y, down)));
        expect(bed.values[b.index(x, y)], `${x}, ${y}`).toBeCloseTo(rough(x, y) - by, 4);
        expect(surface.values[b.index(x, y)]).toBeCloseTo(rough(x, y) + 20 - by, 4);
      }
    }
  });

  it('smooth by 1 4 6 4 1 both ways, the edge carried on, on grounds of any width', () => {
    for (const [across, down] of [
      [1, 1],
      [2, 5],
      [5, 3],
      [13, 11],
    ]) {
      const b = bench(across, down);
      const [values, between, out] = [b.grid(rough), b.grid(), b.grid()];
      b.kernels.smoothAlong(values.offset, between.offset, b.stride, 1, 1, across, 0, down);
      b.kernels.smoothDown(between.offset, out.offset, b.stride, 1, 1, across, down, 0, down);
      const held = (i: number, count: number) => Math.max(0, Math.min(count - 1, i));
      const weights = [1, 4, 6, 4, 1];
      for (let y = 0; y < down; y++) {
        for (let x = 0; x < across; x++) {
          let sum = 0;
          weights.forEach((wy, j) => weights.forEach((wx, i) => (sum += wy * wx * rough(held(x + i - 2, across), held(y + j - 2, down)))));
          expect(out.values[b.index(x, y)], `${across} × ${down}: ${x}, ${y}`).toBeCloseTo(sum / 256, 3);
        }
      }
    }
  });
});

describe('work over bands', () => {
  it('is the first band’s alone on a small grid, and everyone meets once', () => {
    const done: string[] = [];
    const run = (index: number, grid: { across: number; down: number }) => {
      const band: Band = { index, count: 2, progress: () => undefined, halting: () => false };
      let meetings = 0;
      for (const _ of overBands(grid, band, function* (shared) {
        done.push(`${index} of ${shared.count}`);
        yield;
        done.push('again');
        yield;
      }))
        meetings++;
      return meetings;
    };
    const small = { across: 65, down: 65 };
    expect([run(0, small), run(1, small)]).toEqual([1, 1]);
    expect(done).toEqual(['0 of 1', 'again']);
    done.length = 0;
    const large = { across: 513, down: 513 };
    expect([run(0, large), run(1, large)]).toEqual([2, 2]);
    expect(done).toEqual(['0 of 2', 'again', '1 of 2', 'again']);
  });
});
