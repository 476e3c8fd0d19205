import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../../tests/helpers/grounds';
import { statistics } from '../../field/statistics';
import { boundsOf } from '../mesh';
import { solidOf } from './solid';
import { stl } from '../formats/stl';

const field = hills(groundOf(65, 65, 8), 3);

const { lowest, highest } = statistics(field);

describe('a printed model', () => {
  const solid = solidOf(field, { scale: 5_000, base: 3 });

  it('is closed: every edge has two triangles, once each way', () => {
    const edges = new Map<number, number>();
    const { indices } = solid;
    for (let t = 0; t < indices.length; t += 3) {
      for (let k = 0; k < 3; k++) {
        const [a, b] = [indices[t + k], indices[t + ((k + 1) % 3)]];
        edges.set(a * 1e6 + b, (edges.get(a * 1e6 + b) ?? 0) + 1);
      }
    }
    let wrong = 0;
    for (const [edge, count] of edges) if (count !== 1 || edges.get((edge % 1e6) * 1e6 + Math.floor(edge / 1e6)) !== 1) wrong++;
    expect(wrong).toBe(0);
  });

  it('has the volume of its heights on their base, within 1e-4', () => {
    const { positions, indices } = solid;
    let volume = 0;
    for (let t = 0; t < indices.length; t += 3) {
      const [a, b, c] = [0, 1, 2].map((k) => positions.subarray(3 * indices[t + k], 3 * indices[t + k] + 3));
      volume += (a[0] * (b[1] * c[2] - b[2] * c[1]) - a[1] * (b[0] * c[2] - b[2] * c[0]) + a[2] * (b[0] * c[1] - b[1] * c[0])) / 6;
    }
    // The integral over the triangles of a grid: each corner of a cell by its third of the triangles it has.
    let integral = 0;
    for (let row = 0; row < 64; row++) {
      for (let column = 0; column < 64; column++) {
        const h = (x: number, y: number) => field.height[(row + y) * 65 + column + x] - Math.min(...field.height);
        integral += (8 * 8 * (h(0, 0) + 2 * h(1, 0) + 2 * h(0, 1) + h(1, 1))) / 6;
      }
    }
    const millimetres = 1000 / 5_000;
    expect(volume / (integral * millimetres ** 3 + 3 * (512 * millimetres) ** 2)).toBeCloseTo(1, 4);
  });

  it('is in millimetres, to scale, and comes back from STL', () => {
    const { min, max } = boundsOf(solid.positions);
    expect(max[0] - min[0]).toBeCloseTo((512 / 5_000) * 1000, 3);
    expect(max[2]).toBeCloseTo(3 + ((highest - lowest) / 5_000) * 1000, 3);
    expect(min[2]).toBe(0);
    const back = stl.read(stl.encode(solid, 'x'));
    expect(back.indices.length).toBe(solid.indices.length);
    expect(back.positions.length).toBe(solid.positions.length);
  });
});
