import { describe, expect, it } from 'vitest';
import { groundOf, hills, largestDifference, noiseField, range } from '../../../tests/helpers/grounds';
import { fieldFrom, makeField, type Field } from '../../field/field';
import { inlineKernels } from '../../kernels/pool';
import { meshFormatByName, meshFormats, readMesh, readMeshFiles } from '../formats';
import { writeModel } from '../formats/write';
import { compareMeshToField } from '../raster/measure';
import { boundsOf, mergeMeshes, triangleCount, triangleIndices, vertexCount, type Mesh } from '../mesh';
import { modelOf, boundaryLoops, type ModelOptions } from './model';
import { rasterizeMesh } from '../raster/rasterize';
import { rightAngledSurface } from '../surface/right-angled';
import { simplifiedSurface, switchDistance } from '../surface/simplify';
import { adaptiveSurface, gridSurface, type MeshSurface } from '../surface/surface';

const kernels = inlineKernels();
const field = hills(groundOf(65, 49, 7), 2, 120);

/** How far the surface is from the ground at every sample: by pressing its faces, which knows nothing of how they came about. */
const errorOf = (of: Field, surface: MeshSurface) => {
  const model = modelOf(of, surface, 'm', { normals: 'none', uvs: 'none' });
  return compareMeshToField(mergeMeshes(model.parts.map((p) => p.mesh)), of, model.frame);
};

/** Edges by the places of their ends; how often each is there, against its own direction counted below 0. */
function edgesOf(meshes: readonly Mesh[]): Map<string, number> {
  const edges = new Map<string, number>();
  for (const { positions, indices, corners } of meshes) {
    const place = (v: number) => `${positions[3 * v]},${positions[3 * v + 1]},${positions[3 * v + 2]}`;
    for (let i = 0; i < indices.length; i++) {
      const [a, b] = [place(indices[i]), place(indices[i % corners === corners - 1 ? i - corners + 1 : i + 1])];
      const [key, by] = a < b ? [`${a}|${b}`, 1] : [`${b}|${a}`, -1];
      edges.set(key, (edges.get(key) ?? 0) + by);
    }
  }
  return edges;
}

/** Every inner edge must lie between two faces that run along it in opposite ways: what is left over lies on the rim of the whole. */
function strayEdges(meshes: readonly Mesh[], up: 'y' | 'z' = 'y'): string[] {
  const { min, max } = boundsOf(mergeMeshes(meshes).positions);
  const plan = up === 'y' ? 2 : 1;
  const outside = (key: string) => {
    const [a, b] = key.split('|').map((p) => p.split(',').map(Number));
    return [0, plan].some((k) => a[k] === b[k] && (a[k] === min[k] || a[k] === max[k]));
  };
  return [...edgesOf(meshes)].filter(([key, count]) => count !== 0 && !outside(key)).map(([key]) => key);
}

describe('greedy insertion', () => {
  it.each([
    [10, groundOf(65, 49, 7)],
    [2, groundOf(65, 49, 7)],
    [0.3, groundOf(33, 57, 7)],
    [3, groundOf(40, 31, 7, 'area')],
  ])('leaves no sample further off than %d m', async (bound, ground) => {
    const own = hills(ground, 4, 120);
    const { surface, error } = await adaptiveSurface(kernels, own, { maxError: bound });
    const held = errorOf(own, surface);
    expect(held.holes).toBe(0);
    expect(held.maxError).toBeLessThanOrEqual(bound * (1 + 1e-5));
    expect(error).toBeLessThanOrEqual(bound);
    expect(surface.faces.length / 3).toBeLessThan(2 * ground.across * ground.down + 400);
  });

  it('takes two triangles for a plane, and all samples for noise without error', async () => {
    const plane = fieldFrom(groundOf(33, 17), (e, s) => 0.25 * e + 0.5 * s);
    expect((await adaptiveSurface(kernels, plane, { maxError: 0.001 })).surface.faces.length / 3).toBe(2);
    const noise = noiseField(groundOf(17), 3, 0, 50);
    const all = await adaptiveSurface(kernels, noise, { maxError: 0 });
    expect(all.surface.height.length).toBe(17 * 17);
    expect(all.surface.faces.length / 3).toBe(2 * 16 * 16);
  });

  it('is Delaunay: no corner lies within the circle of a neighbour', async () => {
    const { surface } = await adaptiveSurface(kernels, field, { maxError: 4 });
    const { faces, east, south } = surface;
    const at = (v: number) => [Math.round(east[v] * 64), Math.round(south[v] * 48)];
    let inside = 0;
    for (let t = 0; t < faces.length; t += 3) {
      const [[ax, ay], [bx, by], [cx, cy]] = [0, 1, 2].map((k) => at(faces[t + k]));
      const d = 2 * (ax * (by - cy) + bx * (cy - ay) + cx * (ay - by));
      const ux = ((ax * ax + ay * ay) * (by - cy) + (bx * bx + by * by) * (cy - ay) + (cx * cx + cy * cy) * (ay - by)) / d;
      const uy = ((ax * ax + ay * ay) * (cx - bx) + (bx * bx + by * by) * (ax - cx) + (cx * cx + cy * cy) * (bx - ax)) / d;
      const r = (ax - ux) ** 2 + (ay - uy) ** 2;
      for (let v = 0; v < east.length; v++) {
        const [x, y] = at(v);
        if ((x - ux) ** 2 + (y - uy) ** 2 < r - 1e-6) inside++;
      }
    }
    expect(inside).toBe(0);
  });

  it('stops at a count, and its course falls from the first error to the last', async () => {
    const { surface, course, error } = await adaptiveSurface(kernels, field, { maxError: 0, triangles: 300 });
    expect(surface.faces.length / 3).toBeGreaterThan(295);
    expect(surface.faces.length / 3).toBeLessThanOrEqual(300);
    expect(course[0][0]).toBe(2);
    expect(course.at(-1)![1]).toBe(error);
    for (let k = 1; k < course.length; k++) expect(course[k][0]).toBeGreaterThan(course[k - 1][0]);
  });

  it('in parts keeps the bound, and the parts meet corner to corner', async () => {
    for (const split of [
      { across: 2, down: 2 },
      { across: 5, down: 3 },
    ]) {
      const { surface } = await adaptiveSurface(kernels, field, { maxError: 2, split });
      expect(errorOf(field, surface).maxError).toBeLessThanOrEqual(2 * (1 + 1e-5));
      const model = modelOf(field, surface, 'm');
      expect(model.parts.length).toBe(split.across * split.down);
      expect(strayEdges(model.parts.map((p) => p.mesh))).toEqual([]);
    }
    await expect(adaptiveSurface(kernels, field, { maxError: 0, triangles: 10, split: { across: 2, down: 1 } })).rejects.toThrow(/by its error/);
  });

  it('refuses a bound that is none, and ground with holes', async () => {
    await expect(adaptiveSurface(kernels, field, { maxError: NaN })).rejects.toThrow(/0 m or more/);
    await expect(adaptiveSurface(kernels, makeField(field.ground, field.height, new Uint8Array(field.height.length)), { maxError: 1 })).rejects.toThrow(
      /have no height/,
    );
  });
});

describe('right-angled halving', () => {
  it.each([
    [8, groundOf(65)],
    [2, groundOf(65)],
    [0.5, groundOf(33)],
    [9, groundOf(149, 137)],
    [9, groundOf(128, 128, 10, 'area')],
  ])('leaves no sample further off than %d m, without a T-junction', (bound, ground) => {
    const own = hills(ground, 5, ground.across > 100 ? 60 : 120);
    const { surface, error } = rightAngledSurface(own, { maxError: bound });
    const held = errorOf(own, surface);
    expect(error).toBeLessThanOrEqual(bound);
    expect(held.maxError).toBeLessThanOrEqual(bound * (1 + 1e-5));
    expect(held.holes).toBe(0);
    expect(strayEdges(modelOf(own, surface, 'm').parts.map((p) => p.mesh))).toEqual([]);
  });

  it('has right angles only, takes two triangles for a plane, and as few as are asked for', () => {
    const own = hills(groundOf(65), 5, 120);
    const { surface } = rightAngledSurface(own, { maxError: 0, triangles: 500 });
    expect(surface.faces.length / 3).toBeLessThanOrEqual(500);
    expect(surface.faces.length / 3).toBeGreaterThan(400);
    const { faces, east, south } = surface;
    for (let t = 0; t < faces.length; t += 3) {
      const p = [0, 1, 2].map((k) => [east[faces[t + k]], south[faces[t + k]]]);
      const dots = p.map((q, k) => (p[(k + 1) % 3][0] - q[0]) * (p[(k + 2) % 3][0] - q[0]) + (p[(k + 1) % 3][1] - q[1]) * (p[(k + 2) % 3][1] - q[1]));
      expect(Math.min(...dots.map(Math.abs))).toBeLessThan(1e-12);
    }
    const plane = fieldFrom(groundOf(33), (e) => e);
    expect(rightAngledSurface(plane, { maxError: 0.001 }).surface.faces.length / 3).toBe(2);
  });

  it('parts in powers of two that meet corner to corner', () => {
    const own = hills(groundOf(65), 5, 120);
    const { surface } = rightAngledSurface(own, { maxError: 5, parts: 4 });
    const { parts } = modelOf(own, surface, 'm');
    expect(parts.length).toBe(16);
    expect(strayEdges(parts.map((p) => p.mesh))).toEqual([]);
    expect(() => rightAngledSurface(own, { maxError: 5, parts: 3 })).toThrow(/1, 2, 4, 8/);
    // Corners that are no samples cannot come as close as one likes.
    expect(() => rightAngledSurface(hills(groundOf(50), 5), { maxError: 0.001 })).toThrow(/stay up to [\d.]+ m off/);
  });
});

describe('simplified levels', () => {
  it('have about the triangles that are asked for, borders that are kept, and an error that is measured', async () => {
    const own = hills(groundOf(129), 5, 200);
    const whole = gridSurface(own, { x: 128, y: 128 }, 'triangles', { across: 2, down: 2 });
    let before = -1;
    const meshes: Mesh[][] = [];
    for (const share of [0.5, 0.25, 0.125]) {
      const level = await simplifiedSurface(own.ground, whole, share);
      expect(level.faces.length / whole.faces.length).toBeLessThan(share * 1.1 + 0.02);
      const { maxError, holes } = errorOf(own, level);
      expect(holes).toBe(0);
      expect(maxError).toBeGreaterThan(before);
      before = maxError;
      meshes.push(modelOf(own, level, 'm').parts.map((p) => p.mesh));
    }
    // Any level of one part beside any level of the others.
    expect(strayEdges([meshes[0][0], meshes[2][1], meshes[1][2], meshes[0][3]])).toEqual([]);
  });

  it('switch where the error is a pixel: 1 m at 1 080 lines and 60° is 935.3 m away (1080 / (2 tan 30°), arithmetic)', () => {
    expect(switchDistance(1)).toBeCloseTo(1080 / (2 * Math.tan(Math.PI / 6)), 6);
    expect(switchDistance(1)).toBeCloseTo(935.3, 1);
  });
});

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

describe('files of a model', () => {
  const parts = gridSurface(field, { x: 64, y: 48 }, 'triangles', { across: 4, down: 3 });
  it.each(meshFormats.map((f) => [f.title, f] as const))('%s holds forty parts or one with the same heights, to the bit', async (_, format) => {
    const options: ModelOptions = { up: format.id === 'stl' ? 'z' : 'y' };
    const model = modelOf(field, gridSurface(field, { x: 64, y: 48 }, 'triangles', { across: 8, down: 5 }), 'ground', options);
    const whole = modelOf(field, gridSurface(field, { x: 64, y: 48 }), 'ground', options);
    expect(model.parts.length).toBe(40);
    const size = { across: 130, down: 97 };
    const pressed = async (of: typeof model) => {
      const files = await writeModel(format, of, 'ground');
      return rasterizeMesh(await readMeshFiles(files), { size, up: options.up });
    };
    const [a, b] = [await pressed(model), await pressed(whole)];
    expect([a.holes, b.holes]).toEqual([0, 0]);
    expect(largestDifference(a.field.height, b.field.height)).toBe(0);
    // And as forty files.
    const separate = (await Promise.all(model.parts.map((part) => writeModel(format, { ...model, parts: [part] }, part.name)))).flat();
    const c = rasterizeMesh(await readMeshFiles(separate), { size, up: options.up });
    expect(largestDifference(c.field.height, b.field.height)).toBe(0);
  });

  it('GLB packed is the same mesh to the bit; quantised it is off by half a code, and its parts still meet', async () => {
    const [glb] = meshFormats;
    const model = modelOf(field, parts, 'ground', { tangents: true });
    const plain = await readMeshFiles(await writeModel(glb, model, 'g'));
    const packedFiles = await writeModel(glb, model, 'g', {}, { packed: true });
    const packed = await readMeshFiles(packedFiles);
    expect(largestDifference(packed.positions, plain.positions)).toBe(0);
    expect(packedFiles[0].bytes.length).toBeLessThan(0.8 * (await writeModel(glb, model, 'g'))[0].bytes.length);
    for (const options of [{ quantised: true }, { quantised: true, packed: true }]) {
      const back = await readMeshFiles(await writeModel(glb, model, 'g', {}, options));
      const { min, max } = boundsOf(plain.positions);
      for (let k = 0; k < 3; k++) {
        const step = (max[k] - min[k]) / 65_535;
        const off = largestDifference(
          back.positions.filter((_, i) => i % 3 === k),
          plain.positions.filter((_, i) => i % 3 === k),
        );
        expect(off).toBeLessThanOrEqual(step * 0.51 + 1e-4);
      }
      expect(strayEdges([back])).toEqual([]);
    }
  });

  it('OBJ comes with its materials and pictures; what a format cannot be is refused', async () => {
    const obj = meshFormats.find((f) => f.id === 'obj')!;
    const wet = { ...field, ground: { ...field.ground, sea: 520 } };
    const model = modelOf(wet, parts, 'my ground', { water: true });
    const picture = Uint8Array.of(1, 2, 3);
    const files = await writeModel(obj, model, 'my ground', { colour: picture, normal: picture });
    expect(files.map((f) => f.name)).toEqual(['my ground.obj', 'my_ground.mtl', 'my_ground-colour.png', 'my_ground-normal.png']);
    const text = new TextDecoder().decode(files[0].bytes);
    expect(text).toContain('mtllib my_ground.mtl');
    expect(text.match(/^o /gm)!.length).toBe(13);
    expect(readMesh(files[0].bytes).indices.length / 3).toBe(64 * 48 * 2 + 2);
    await expect(writeModel(meshFormats[0], modelOf(field, parts, 'm', { up: 'z' }), 'm')).rejects.toThrow(/y up/);
    await expect(writeModel(meshFormatByName('m.stl'), modelOf(field, parts, 'm'), 'm')).rejects.toThrow(/z up/);
  });
});
