import { describe, expect, it } from 'vitest';
import { makeGround, type Registration } from '../../field/ground';
import { exactNormals } from './normals';

/** Ground of a height at every place, metres east and south of its corner. */
function groundOf(across: number, down: number, spacing: number, registration: Registration, at: (x: number, y: number) => number) {
  const area = registration === 'area';
  const [width, depth] = area ? [across * spacing, down * spacing] : [(across - 1) * spacing, (down - 1) * spacing];
  const ground = makeGround({ width, depth, across, down, registration });
  const pad = area ? 0.5 : 0;
  const height = Float32Array.from({ length: across * down }, (_, i) => at(((i % across) + pad) * spacing, (Math.floor(i / across) + pad) * spacing));
  return { ground, height };
}

/** The normal of a surface that rises by so much a metre, east, south and up. */
function normalOf(toEast: number, toSouth: number): number[] {
  const length = Math.sqrt(toEast * toEast + toSouth * toSouth + 1);
  return [-toEast / length, -toSouth / length, 1 / length];
}

const places = Float64Array.from({ length: 40 }, (_, i) => ((i * 17) % 41) / 40);
const others = Float64Array.from({ length: 40 }, (_, i) => ((i * 29) % 41) / 40);

function compare(found: Float32Array, wanted: (k: number) => number[], digits = 5) {
  for (let k = 0; k < found.length / 3; k++) {
    const normal = wanted(k);
    for (let c = 0; c < 3; c++) expect(found[3 * k + c], `vertex ${k}, ${c}`).toBeCloseTo(normal[c], digits);
  }
}

describe('normals of the ground itself', () => {
  it.each(['point', 'area'] as const)('of a plane are the plane’s, at its rim as well: %s', (registration) => {
    const field = groundOf(33, 25, 4, registration, (x, y) => 0.5 * x - 0.25 * y + 100);
    compare(exactNormals(field, places, others, 1, field.ground), () => normalOf(0.5, -0.25));
    // Twice as high and half as wide is four times as steep.
    const { width, depth } = field.ground;
    compare(exactNormals(field, places, others, 2, { width: width / 2, depth: depth / 2 }), () => normalOf(2, -1));
  });

  it('on the samples of a bowl are those of its derivative, where central differences have no error', () => {
    const field = groundOf(65, 65, 2, 'point', (x, y) => 0.01 * x * x + 0.02 * x * y - 0.005 * y * y);
    const inner = Float64Array.from({ length: 63 }, (_, i) => (i + 1) / 64);
    const south = inner.slice().reverse();
    const found = exactNormals(field, inner, south, 1, field.ground);
    compare(found, (k) => {
      const [x, y] = [inner[k] * 128, south[k] * 128];
      return normalOf(0.02 * x + 0.02 * y, 0.02 * x - 0.01 * y);
    });
  });

  it('between samples change straight from one to the next', () => {
    const field = groundOf(9, 9, 1, 'point', (x) => x * x);
    const between = Float64Array.of(0.3125);
    // At 2.5 m, midway between slopes of 4 and 6.
    compare(exactNormals(field, between, Float64Array.of(0.5), 1, field.ground), () => normalOf(5, 0));
  });

  it('are of unit length, and upright on level ground of more vertices than are made at a time', () => {
    const field = groundOf(5, 5, 10, 'point', () => 12);
    const many = Float64Array.from({ length: 40_000 }, (_, i) => (i % 101) / 100);
    const found = exactNormals(field, many, many, 3, field.ground);
    expect(found.every((v, i) => v === (i % 3 === 2 ? 1 : 0) || Object.is(v, -0))).toBe(true);
  });
});
