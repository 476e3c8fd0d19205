import { describe, expect, it } from 'vitest';
import { inlineKernels } from '../pool';
import { greedyProgram, type GreedyArgs } from './greedy';

const kernels = inlineKernels();
const across = 83;
const down = 61;
const hills = Float32Array.from({ length: across * down }, (_, i) => {
  const [x, y] = [i % across, Math.floor(i / across)];
  return 90 * Math.sin(x / 9) * Math.cos(y / 7) + 12 * Math.sin(x * 1.3 + y * 0.7) + ((x * 7919 + y * 104_729) % 13);
});
/** Whole metres: many samples are equally far off. */
const stepped = hills.map((h) => Math.round(h / 10) * 10);

const grow = (height: Float32Array, args: Partial<GreedyArgs>) =>
  kernels.run(greedyProgram, { across, down, maxError: 0, triangles: Infinity, rim: null, ...args }, height);

/** By the definition: every sample against the plane of a triangle that it lies in, sides among them; and how many lie in none. */
function farthest(height: Float32Array, corners: Uint32Array): { error: number; outside: number } {
  const errors = new Float64Array(height.length).fill(Infinity);
  for (let t = 0; t < corners.length; t += 3) {
    const [a, b, c] = [corners[t], corners[t + 1], corners[t + 2]];
    const place = (p: number): [number, number] => [p % across, Math.floor(p / across)];
    const [[ax, ay], [bx, by], [cx, cy]] = [place(a), place(b), place(c)];
    const area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax);
    expect(area).toBeGreaterThan(0);
    for (let y = Math.min(ay, by, cy); y <= Math.max(ay, by, cy); y++) {
      for (let x = Math.min(ax, bx, cx); x <= Math.max(ax, bx, cx); x++) {
        const [wa, wb] = [(bx - x) * (cy - y) - (by - y) * (cx - x), (cx - x) * (ay - y) - (cy - y) * (ax - x)];
        const wc = area - wa - wb;
        if (wa < 0 || wb < 0 || wc < 0) continue;
        const i = y * across + x;
        errors[i] = Math.min(errors[i], Math.abs((wa * height[a] + wb * height[b] + wc * height[c]) / area - height[i]));
      }
    }
  }
  const inside = errors.filter((e) => e !== Infinity);
  return { error: inside.reduce((most, e) => Math.max(most, e), 0), outside: errors.length - inside.length };
}

describe('greedy insertion in the kernels', () => {
  it.each([
    ['hills', hills, 40],
    ['hills', hills, 6],
    ['hills', hills, 0.5],
    ['whole steps', stepped, 9],
    ['whole steps', stepped, 4.999],
  ])('%s: the error that it tells is the largest there is by definition, and within the bound', async (_, height, maxError) => {
    const { corners, error, course } = await grow(height, { maxError });
    const found = farthest(height, corners);
    expect(found.outside).toBe(0);
    expect(Math.abs(found.error - error)).toBeLessThanOrEqual(1e-4);
    expect(error).toBeLessThanOrEqual(maxError);
    // One triangle less would not have done: the entry before the last is above the bound.
    expect(course.at(-2)![1]).toBeGreaterThan(maxError);
  });

  it('by a count of triangles: no more than that, the error told is the largest, and more of them leave less', async () => {
    const told: number[] = [];
    for (const triangles of [12, 200, 1500]) {
      const { corners, error } = await grow(hills, { triangles });
      expect(corners.length / 3).toBeLessThanOrEqual(triangles);
      expect(corners.length / 3).toBeGreaterThan(triangles - 3);
      expect(Math.abs(farthest(hills, corners).error - error)).toBeLessThanOrEqual(1e-4);
      told.push(error);
    }
    expect(told[0]).toBeGreaterThan(told[1]);
    expect(told[1]).toBeGreaterThan(told[2]);
  });

  it('to no error at all: every sample is met, of level ground by two triangles', async () => {
    const whole = await grow(hills, {});
    expect(whole.error).toBe(0);
    expect(farthest(hills, whole.corners).error).toBeLessThan(1e-4);
    expect((await grow(new Float32Array(across * down).fill(7), {})).corners).toHaveLength(6);
  });

  it('with a rim that is given: its corners are there and no others', async () => {
    const corner = (x: number, y: number) => y * across + x;
    const rim = Int32Array.of(corner(20, 0), corner(82, 30), corner(41, 60), corner(0, 15));
    const { corners, error } = await grow(hills, { maxError: 5, rim });
    const onRim = [...new Set(corners)].filter((p) => p % across === 0 || p % across === across - 1 || p < across || p >= across * (down - 1));
    expect(new Set(onRim)).toEqual(new Set([...rim, corner(0, 0), corner(82, 0), corner(0, 60), corner(82, 60)]));
    expect(error).toBeLessThanOrEqual(5);
  });

  it('again and again, and beside the one before, the same', async () => {
    const once = await grow(stepped, { maxError: 4.999 });
    await grow(hills, { maxError: 30 });
    expect((await grow(stepped, { maxError: 4.999 })).corners).toEqual(once.corners);
  });
});
