import { describe, expect, it } from 'vitest';
import { groundOf, hills, range } from '../../../tests/helpers/grounds';
import { fieldFrom } from '../../field/field';
import { inlineKernels } from '../../kernels/pool';
import { compareMeshToField } from '../raster/measure';
import { boundsOf, mergeMeshes, triangleCount, triangleIndices, vertexCount } from '../mesh';
import { modelOf, boundaryLoops, type ModelOptions } from './model';
import { adaptiveSurface, gridSurface } from '../surface/surface';
import { edgesOf, strayEdges } from '../../../tests/helpers/mesh-edges';

const kernels = inlineKernels();

const field = hills(groundOf(65, 49, 7), 2, 120);

describe('a model', () => {
  const grid = gridSurface(field, { x: 32, y: 24 });
  const frames: ModelOptions[] = [
    {},
    { up: 'z' },
    { handed: 'left' },
    { up: 'z', handed: 'left' },
    { pivot: 'corner', scale: 100 },
    { up: 'z', pivot: 'corner', scale: 0.001, strength: 2, base: 3, zero: 400 },
    { pivot: 'ground', handed: 'left', extent: { width: 100, depth: 75 } },
    { up: 'z', handed: 'left', pivot: 'corner' },
  ];
  it.each(frames.map((f) => [JSON.stringify(f), f] as const))('in the frame %s comes back to the ground, and faces outwards', (_, options) => {
    const gentle = hills(groundOf(65, 49, 70), 2, 60);
    const { parts, frame } = modelOf(gentle, gridSurface(gentle, { x: 64, y: 48 }), 'm', { ...options, extent: options.extent && { width: 1000, depth: 750 } });
    const { maxError, holes } = compareMeshToField(parts[0].mesh, gentle, frame);
    const [low, high] = range(gentle.height);
    expect(maxError).toBeLessThan(2e-6 * (high - low) * (options.scale === 0.001 ? 2 : 1));
    expect(holes).toBe(0);
    const { positions: p, normals, up } = parts[0].mesh;
    const t = triangleIndices(parts[0].mesh);
    const axis = up === 'y' ? 1 : 2;
    for (let i = 0; i < t.length; i += 3) {
      const [a, b, c] = [t[i] * 3, t[i + 1] * 3, t[i + 2] * 3];
      const u = [0, 1, 2].map((j) => p[b + j] - p[a + j]);
      const v = [0, 1, 2].map((j) => p[c + j] - p[a + j]);
      const n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
      if (!(n[axis] > 0)) expect(n[axis]).toBeGreaterThan(0);
      const along = [0, 1, 2].reduce((sum, j) => sum + n[j] * normals![a + j], 0);
      if (!(along > 0)) expect(along).toBeGreaterThan(0);
    }
    if (options.pivot === 'corner') for (const v of boundsOf(p).min) expect(Math.abs(v)).toBeLessThan(1e-3);
  });

  it('with its pivot on the ground has the middle of the ground at height 0', () => {
    const odd = hills(groundOf(65), 3);
    const { parts } = modelOf(odd, gridSurface(odd, { x: 64, y: 64 }), 'm', { pivot: 'ground' });
    const { positions } = parts[0].mesh;
    const middle = 32 * 65 + 32;
    for (let k = 0; k < 3; k++) expect(positions[3 * middle + k]).toBeCloseTo(0, 4);
  });

  it('in parts has the same borders to the bit, normals included', () => {
    for (const normals of ['smooth', 'exact'] as const) {
      const split = gridSurface(field, { x: 32, y: 24 }, 'triangles', { across: 4, down: 3 });
      const { parts } = modelOf(field, split, 'm', { normals });
      expect(strayEdges(parts.map((p) => p.mesh))).toEqual([]);
      const seen = new Map<string, string>();
      let shared = 0;
      for (const { mesh } of parts) {
        for (let v = 0; v < vertexCount(mesh); v++) {
          const place = String([...mesh.positions.subarray(3 * v, 3 * v + 3)]);
          const normal = String([...mesh.normals!.subarray(3 * v, 3 * v + 3)]);
          if (seen.has(place)) shared++;
          if (seen.has(place) && seen.get(place) !== normal) expect(normal).toBe(seen.get(place));
          seen.set(place, normal);
        }
      }
      expect(shared).toBeGreaterThan(100);
      const whole = modelOf(field, grid, 'm', { normals }).parts[0].mesh;
      expect(mergeMeshes(parts.map((p) => p.mesh)).indices.length).toBe(whole.indices.length);
      expect(seen.size).toBe(vertexCount(whole));
    }
  });

  it('has exact normals: those of the analytic surface, also between samples and on few vertices', () => {
    const fine = fieldFrom(groundOf(257, 257, 1), (e, s) => 20 * Math.sin(e / 30) + 10 * Math.cos(s / 25));
    const surface = gridSurface(fine, { x: 13, y: 11 });
    const { normals } = modelOf(fine, surface, 'm', { normals: 'exact' }).parts[0].mesh;
    let worst = 0;
    for (let v = 0; v < surface.height.length; v++) {
      const [e, s] = [surface.east[v] * 256, surface.south[v] * 256];
      if (e === 0 || s === 0 || e === 256 || s === 256) continue;
      const slope = [(20 / 30) * Math.cos(e / 30), (-10 / 25) * Math.sin(s / 25)];
      const length = Math.hypot(slope[0], slope[1], 1);
      const true3 = [-slope[0] / length, 1 / length, -slope[1] / length];
      worst = Math.max(worst, ...true3.map((n, k) => Math.abs(n - normals![3 * v + k])));
    }
    expect(worst).toBeLessThan(5e-4);
  });

  it('has flat normals: each face its own, square to it', () => {
    const { mesh } = modelOf(field, grid, 'm', { normals: 'flat' }).parts[0];
    expect(vertexCount(mesh)).toBe(3 * triangleCount(mesh));
    const { positions: p, normals: n } = mesh;
    let worst = 0;
    for (let i = 0; i < p.length; i += 9) {
      for (const side of [3, 6]) worst = Math.max(worst, Math.abs([0, 1, 2].reduce((sum, k) => sum + (p[i + side + k] - p[i + k]) * n![i + k], 0)));
    }
    expect(worst).toBeLessThan(1e-4);
  });

  it('has texture coordinates over the whole, over each part, or in metres', () => {
    const split = gridSurface(field, { x: 32, y: 24 }, 'triangles', { across: 2, down: 2 });
    const spans = (uvs: 'whole' | 'part' | 'metres') =>
      modelOf(field, split, 'm', { uvs }).parts.map(({ mesh }) => {
        const u = range(mesh.uvs!.filter((_, i) => i % 2 === 0));
        const v = range(mesh.uvs!.filter((_, i) => i % 2 === 1));
        return [...u, ...v];
      });
    expect(spans('whole')[3]).toEqual([0.5, 1, 0.5, 1]);
    for (const span of spans('part')) expect(span).toEqual([0, 1, 0, 1]);
    expect(spans('metres')[3]).toEqual([224, 448, 168, 336]);
  });

  it('takes the colours of its samples', () => {
    const colours = new Uint8Array(3 * 65 * 49);
    for (let i = 0; i < 65 * 49; i++) colours[3 * i] = i % 65;
    const { mesh } = modelOf(field, gridSurface(field, { x: 64, y: 48 }), 'm', { colours }).parts[0];
    for (let i = 0; i < 65 * 49; i += 7) expect(mesh.colours![3 * i]).toBe(i % 65);
    expect(() => modelOf(field, grid, 'm', { colours: new Uint8Array(5) })).toThrow(/not those of this ground/);
  });

  it('with a skirt hangs walls from the edges of every part, that far down', () => {
    for (const faces of ['triangles', 'quads'] as const) {
      const split = gridSurface(field, { x: 32, y: 24 }, faces, { across: 2, down: 2 });
      for (const { mesh } of modelOf(field, split, 'm', { skirt: 25 }).parts) {
        const rim = boundaryLoops(mesh.indices, mesh.corners, vertexCount(mesh));
        // The rim is the lower edge of the skirt: vertices right under those of the surface.
        const own = 17 * 13;
        const below = new Set(rim);
        expect(below.size).toBe(2 * 16 + 2 * 12);
        for (const v of below) expect(v).toBeGreaterThanOrEqual(own);
        const places = new Map<string, number>();
        for (let v = 0; v < own; v++) places.set(`${mesh.positions[3 * v]},${mesh.positions[3 * v + 2]}`, mesh.positions[3 * v + 1]);
        for (const v of below) {
          const over = places.get(`${mesh.positions[3 * v]},${mesh.positions[3 * v + 2]}`)!;
          if (Math.abs(over - 25 - mesh.positions[3 * v + 1]) > 1e-3) expect(mesh.positions[3 * v + 1]).toBeCloseTo(over - 25, 3);
        }
      }
    }
    expect(() => modelOf(field, grid, 'm', { skirt: 5, closed: 5 })).toThrow(/not both/);
  });

  it('closed below is watertight, and its volume is that of its heights within 1e-4', async () => {
    const adaptive = (await adaptiveSurface(kernels, field, { maxError: 1 })).surface;
    const quads = gridSurface(field, { x: 64, y: 48 }, 'quads');
    for (const surface of [gridSurface(field, { x: 64, y: 48 }), adaptive, quads]) {
      for (const options of [
        { up: 'z' as const, scale: 0.1, closed: 40 },
        { closed: 40, handed: 'left' as const },
      ]) {
        const { mesh } = modelOf(field, surface, 'm', options).parts[0];
        expect(boundaryLoops(mesh.indices, mesh.corners, vertexCount(mesh)).length).toBe(0);
        expect([...edgesOf([mesh]).values()].every((n) => n === 0)).toBe(true);
        const { positions: p } = mesh;
        const t = triangleIndices(mesh);
        let volume = 0;
        for (let i = 0; i < t.length; i += 3) {
          const [a, b, c] = [t[i] * 3, t[i + 1] * 3, t[i + 2] * 3];
          volume +=
            (p[a] * (p[b + 1] * p[c + 2] - p[b + 2] * p[c + 1]) +
              p[a + 1] * (p[b + 2] * p[c] - p[b] * p[c + 2]) +
              p[a + 2] * (p[b] * p[c + 1] - p[b + 1] * p[c])) /
            6;
        }
        // The integral of what the faces span, face by face: area in plan × mean height over the floor.
        const { east, south, height, faces } = surface;
        const [low] = range(height);
        let integral = 0;
        const three = surface.corners === 4 ? triangleIndices({ indices: faces, corners: 4 }) : faces;
        for (let i = 0; i < three.length; i += 3) {
          const [a, b, c] = [three[i], three[i + 1], three[i + 2]];
          const area = Math.abs((east[b] - east[a]) * (south[c] - south[a]) - (east[c] - east[a]) * (south[b] - south[a])) / 2;
          integral += area * field.ground.width * field.ground.depth * ((height[a] + height[b] + height[c]) / 3 - low + 40);
        }
        const scale = ('scale' in options && options.scale) || 1;
        expect(volume / (integral * scale ** 3)).toBeCloseTo(1, 4);
      }
    }
  });

  it('has its water as a plane of its own, where the ground goes below the sea', () => {
    const wet = { ...field, ground: { ...field.ground, sea: 520 } };
    const { parts } = modelOf(wet, grid, 'm', { water: true, up: 'z', base: 2 });
    expect(parts.map((p) => p.kind)).toEqual(['ground', 'water']);
    expect(boundsOf(parts[1].mesh.positions).min[2]).toBeCloseTo(522 - field.ground.datum, 4);
    const dry = { ...field, ground: { ...field.ground, sea: -100 } };
    expect(modelOf(dry, grid, 'm', { water: true }).parts.length).toBe(1);
  });
});
