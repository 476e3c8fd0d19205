import { resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { describe, expect, it } from 'vitest';
import { groundOf, hills, largestDifference, range } from '../../../tests/helpers/grounds';
import { fieldFrom, type Field } from '../../field/field';
import { bakeNormals } from '../model/bake';
import { readMeshFiles } from '../formats';
import type { Mesh } from '../mesh';
import { gridMesh } from '../surface/grid';
import { exactNormals } from '../model/normals';
import { rasterizeMesh, rasterizeMeshOnKernels } from './rasterize';
import { inlineKernels } from '../../kernels/pool';
import { nodeKernels } from '../../../cli/node-kernels';
import { gridSurface } from '../surface/surface';

const centred = (w: number, d = w) => ({ west: -w / 2, east: w / 2, north: -d / 2, south: d / 2 });
const inside = (across: number, down: number, margin: number) => (i: number) => {
  const [c, r] = [i % across, Math.floor(i / across)];
  return c >= margin && r >= margin && c < across - margin && r < down - margin;
};

describe('smooth between the corners', () => {
  const bowl = (ground: Parameters<typeof fieldFrom>[0]) => fieldFrom(ground, (e, s) => 40 + 0.3 * e - 0.2 * s + (e * e - 0.5 * e * s + 0.7 * s * s) / 900);

  it('brings a quadratic back: faceted it is off by the tessellation, smooth by rounding (Clough & Tocher 1965: exact for quadratics)', () => {
    // All diagonals one way: six faces around a corner whose errors of slope cancel.
    const mesh = gridMesh(bowl(groundOf(17, 17, 16)));
    for (let cell = 0; cell < 256; cell++) {
      const nw = Math.floor(cell / 16) * 17 + (cell % 16);
      mesh.indices.set([nw, nw + 17, nw + 18, nw, nw + 18, nw + 1], 6 * cell);
    }
    const fine = bowl(groundOf(129, 129, 2));
    const keep = inside(129, 129, 18);
    const off = (smooth: boolean) => {
      const { field } = rasterizeMesh(mesh, { size: { across: 129, down: 129 }, extent: centred(256), smooth });
      let worst = 0;
      for (let i = 0; i < field.height.length; i++) {
        if (keep(i)) worst = Math.max(worst, Math.abs(field.height[i] + field.ground.datum - fine.height[i] - fine.ground.datum));
      }
      return worst;
    };
    expect(off(false)).toBeGreaterThan(0.02);
    expect(off(true)).toBeLessThan(1e-4);
  });

  it('keeps every corner, and has no crease: the slope hardly changes from sample to sample across an edge', () => {
    const ground = groundOf(17, 13, 16);
    const rough = hills(ground, 7, 60);
    const mesh = gridMesh(rough);
    const size = { across: 16 * 32 + 1, down: 12 * 32 + 1 };
    const press = (smooth: boolean) => rasterizeMesh(mesh, { size, smooth }).field;
    const [flat, smooth] = [press(false), press(true)];
    const at = (f: Field, c: number, r: number) => f.height[r * size.across + c] + f.ground.datum;
    let worst = 0;
    for (let r = 0; r < 13; r++)
      for (let c = 0; c < 17; c++) worst = Math.max(worst, Math.abs(at(smooth, 32 * c, 32 * r) - rough.height[17 * r + c] - rough.ground.datum));
    expect(worst).toBeLessThan(1e-4);
    // The largest change of slope in a row, half a metre apart.
    const crease = (f: Field) => {
      let most = 0;
      for (let r = 40; r < size.down - 40; r += 7) {
        for (let c = 40; c < size.across - 40; c++) most = Math.max(most, Math.abs(at(f, c - 1, r) - 2 * at(f, c, r) + at(f, c + 1, r)) / 0.5);
      }
      return most;
    };
    expect(crease(smooth)).toBeLessThan(0.35 * crease(flat));
  });

  it('of a hemisphere cap is closer to it than its facets are', () => {
    const cap = (ground: Parameters<typeof fieldFrom>[0]) =>
      fieldFrom(ground, (e, s) => Math.sqrt(200 ** 2 - (e - ground.width / 2) ** 2 - (s - ground.depth / 2) ** 2));
    const mesh = gridMesh(cap(groundOf(21, 21, 10)));
    const fine = cap(groundOf(101, 101, 2));
    const off = (smooth: boolean) => rms(rasterizeMesh(mesh, { size: { across: 101, down: 101 }, smooth }).field, fine);
    expect(off(true)).toBeLessThan(0.4 * off(false));
    // A chord of 10 m on a radius of 200 m lies r − √(r² − (c/2)²) = 62.5 mm under the arc, that of a cell's diagonal 125 mm (arithmetic).
    expect(off(false)).toBeLessThan(0.2);
  });

  it('in parts is the same as in one piece: corners at one place are one corner', async () => {
    const whole = gridMesh(hills(groundOf(17, 13, 16), 7, 60));
    const half = whole.indices.length / 2;
    const parts = [whole.indices.slice(0, half), whole.indices.slice(half)].map((indices): Mesh => ({
      positions: whole.positions.slice(),
      indices,
      corners: 3,
      up: 'y',
    }));
    const both: Mesh = {
      positions: Float32Array.from([...parts[0].positions, ...parts[1].positions]),
      indices: Uint32Array.from([...parts[0].indices, ...parts[1].indices.map((i) => i + whole.positions.length / 3)]),
      corners: 3,
      up: 'y',
    };
    const options = { size: { across: 100, down: 70 }, smooth: true };
    expect(largestDifference(rasterizeMesh(both, options).field.height, rasterizeMesh(whole, options).field.height)).toBe(0);
  });
});

const rms = (a: Field, b: Field) => {
  let sum = 0;
  for (let i = 0; i < a.height.length; i++) sum += (a.height[i] + a.ground.datum - b.height[i] - b.ground.datum) ** 2;
  return Math.sqrt(sum / a.height.length);
};

describe('what pressing tells', () => {
  // A floor at 1 m with a roof at 9 m over its western part, wound the wrong way, and an upright wall.
  const mesh: Mesh = {
    positions: Float32Array.from([0, 1, 0, 10, 1, 0, 10, 1, 10, 0, 1, 10, 0, 9, 0, 4.6, 9, 0, 4.6, 9, 10, 0, 9, 10]),
    indices: Uint32Array.from([0, 3, 2, 0, 2, 1, 4, 6, 7, 4, 5, 6, 5, 6, 1]),
    corners: 3,
    up: 'y',
  };
  it('where surfaces lie over one another, how far apart, and which way faces look', () => {
    const { gap, overhangs, facing, upright } = rasterizeMesh(mesh, { size: { across: 11, down: 11 } });
    expect(gap[0]).toBe(8);
    expect(gap[10]).toBe(0);
    expect(overhangs).toBeGreaterThanOrEqual(55);
    expect(facing.up).toBe(3);
    expect(facing.down).toBe(2);
    expect(upright).toBe(0);
  });
  it('how large its triangles are: cells of 7 m make a spacing of 7 m', () => {
    const { spacing, field } = rasterizeMesh(gridMesh(hills(groundOf(30, 20, 7), 1)));
    expect(spacing).toBeCloseTo(7, 4);
    expect([field.ground.across, field.ground.down]).toEqual([30, 20]);
  });
  it('and takes a scale: centimetres become metres, heights with them', () => {
    const [low, high] = range(rasterizeMesh(mesh, { size: { across: 11, down: 11 }, scale: 0.01 }).field.height);
    expect(high - low).toBeCloseTo(0.08, 6);
    expect(rasterizeMesh(mesh, { size: { across: 11, down: 11 }, scale: 0.01 }).size.width).toBeCloseTo(0.1, 6);
    expect(() => rasterizeMesh(mesh, { scale: 0 })).toThrow(/above 0/);
  });
});

describe('several files', () => {
  const gltf = (uri: string) =>
    new TextEncoder().encode(
      JSON.stringify({
        asset: { version: '2.0' },
        scenes: [{ nodes: [0] }],
        nodes: [{ mesh: 0 }],
        meshes: [{ primitives: [{ attributes: { POSITION: 0 } }] }],
        accessors: [{ bufferView: 0, componentType: 5126, count: 3, type: 'VEC3' }],
        bufferViews: [{ buffer: 0, byteLength: 36 }],
        buffers: [{ byteLength: 36, uri }],
      }),
    ) as Uint8Array<ArrayBuffer>;
  const corners = new Uint8Array(Float32Array.from([0, 0, 0, 0, 1, 5, 5, 2, 0]).buffer);

  it('a glTF finds its buffer beside it or inside, and says which one is missing', async () => {
    const beside = await readMeshFiles([
      { name: 'pit.gltf', bytes: gltf('Pit%20data.bin') },
      { name: 'pit data.BIN', bytes: corners },
    ]);
    expect(beside.indices.length).toBe(3);
    const inside = await readMeshFiles([{ name: 'pit.gltf', bytes: gltf(`data:application/octet-stream;base64,${btoa(String.fromCharCode(...corners))}`) }]);
    expect([...inside.positions]).toEqual([...beside.positions]);
    await expect(readMeshFiles([{ name: 'pit.gltf', bytes: gltf('pit.bin') }])).rejects.toThrow(/bring "pit\.bin" in together with it/);
  });
  it('a file among them that is no mesh is named', async () => {
    await expect(readMeshFiles([{ name: 'notes.txt', bytes: new TextEncoder().encode('hello') as Uint8Array<ArrayBuffer> }])).rejects.toThrow(/not a mesh/);
  });
});

describe('a normal map from the full ground to a light mesh', () => {
  const field = fieldFrom(groundOf(129, 129, 4), (e, s) => 30 * Math.sin(e / 60) + 18 * Math.cos(s / 45) + 3 * Math.sin(e / 9 + s / 13));
  const low = gridSurface(field, { x: 12, y: 10 });
  const size = 96;
  const sun = [-0.5, 0.5, 0.7071];
  const lit = (n: ArrayLike<number>, at: number) => Math.max(0, n[at] * sun[0] + n[at + 1] * sun[1] + n[at + 2] * sun[2]);

  it.each([8, 16] as const)('in %d bits, lights the light mesh as the full ground is lit', (bits) => {
    const { samples, dilated } = bakeNormals(field, low, { width: size, height: size, bits });
    expect(dilated).toBe(0);
    const own = exactNormals(field, low.east, low.south, 1, field.ground);
    const full = bits === 16 ? 65_535 : 255;
    let [worst, without] = [0, 0];
    for (let row = 0; row < size; row += 3) {
      for (let column = 0; column < size; column += 3) {
        const [u, v] = [(column + 0.5) / size, (row + 0.5) / size];
        const high = exactNormals(field, Float64Array.of(u), Float64Array.of(v), 1, field.ground);
        // The light mesh's frame at the texel, found anew: its cell, its triangle, its corners.
        const [cx, cy] = [Math.floor(u * 12), Math.floor(v * 10)];
        const four = [cy * 13 + cx, cy * 13 + cx + 1, (cy + 1) * 13 + cx, (cy + 1) * 13 + cx + 1];
        const [fx, fy] = [u * 12 - cx, v * 10 - cy];
        const h = (k: number) => low.height[four[k]];
        const falling = Math.abs(h(0) - h(3)) <= Math.abs(h(1) - h(2));
        const weights = falling
          ? fx > fy
            ? [1 - fx, fx - fy, 0, fy]
            : [1 - fy, 0, fy - fx, fx]
          : fx + fy <= 1
            ? [1 - fx - fy, fx, fy, 0]
            : [0, 1 - fy, 1 - fx, fx + fy - 1];
        const n = [0, 0, 0];
        const t = [0, 0, 0];
        for (let k = 0; k < 4; k++) {
          const at = 3 * four[k];
          const rise = -own[at] / own[at + 2];
          n[0] += weights[k] * own[at];
          n[1] -= weights[k] * own[at + 1];
          n[2] += weights[k] * own[at + 2];
          t[0] += weights[k] / Math.hypot(1, rise);
          t[2] += (weights[k] * rise) / Math.hypot(1, rise);
        }
        const b = [n[1] * t[2] - n[2] * t[1], n[2] * t[0] - n[0] * t[2], n[0] * t[1] - n[1] * t[0]];
        const map = [0, 1, 2].map((k) => (samples[3 * (row * size + column) + k] / full) * 2 - 1);
        const shaded = [0, 1, 2].map((k) => t[k] * map[0] + b[k] * map[1] + n[k] * map[2]);
        const length = Math.hypot(...shaded);
        const plain = Math.hypot(...n);
        const truth = lit([high[0], -high[1], high[2]], 0);
        worst = Math.max(
          worst,
          Math.abs(
            truth -
              lit(
                shaded.map((s) => s / length),
                0,
              ),
          ),
        );
        without = Math.max(
          without,
          Math.abs(
            truth -
              lit(
                n.map((s) => s / plain),
                0,
              ),
          ),
        );
      }
    }
    expect(without).toBeGreaterThan(0.2);
    expect(worst).toBeLessThan(bits === 16 ? 1e-4 : 0.012);
  });

  it('of a mesh that has all samples is straight up, and of one without slopes the ground’s own normals', () => {
    const plane = fieldFrom(groundOf(9, 9, 1), (e) => e);
    const flat = { ...gridSurface(plane, { x: 1, y: 1 }) };
    const up = bakeNormals(plane, flat, { width: 4, height: 4 });
    expect([...up.samples.slice(0, 3)]).toEqual([128, 128, 255]);
    // A plane rising 45° to the east, seen from a level mesh: (37, 128, 218), within 1.
    const level = Float32Array.from({ length: 12 }, (_, i) => (i % 3 === 2 ? 1 : 0));
    const seen = bakeNormals(plane, flat, { width: 4, height: 4, normals: level });
    for (const [k, code] of [37, 128, 218].entries()) expect(Math.abs(seen.samples[k] - code)).toBeLessThanOrEqual(1);
  });

  it('carries its border on where no face covers a texel', () => {
    const half = { ...low, faces: low.faces.subarray(0, low.faces.length / 2), parts: [{ ...low.parts[0], to: low.faces.length / 2 }] };
    const { samples, dilated } = bakeNormals(field, half, { width: size, height: size });
    expect(dilated).toBe((size * size) / 2);
    const at = (row: number) => [...samples.slice(3 * (row * size + 40), 3 * (row * size + 40) + 3)];
    expect(at(size / 2 + 3)).toEqual(at(size / 2 - 1));
    expect(at(size - 1)).toEqual([128, 128, 255]);
  });
});

describe('meshes as people really have them', () => {
  const text = (of: string) => new TextEncoder().encode(of) as Uint8Array<ArrayBuffer>;
  const read = (of: string) => readMeshFiles([{ name: 'm.obj', bytes: text(of) }]);

  it('an OBJ with a million short lines is read, or refused with a sentence', async () => {
    await expect(read('v 0 0 0\n'.repeat(1_000_000))).rejects.toThrow(/vertices but no faces/);
    const many = await read(`v 0 0 0\nv 9 1 0\nv 9 1 9\nv 0 0 9\n${'f 1 4 3\n'.repeat(500_000)}f 1 3 2\n`);
    expect(many.indices.length / 3).toBe(500_001);
    expect(rasterizeMesh(many, { size: { across: 5, down: 5 } }).holes).toBe(0);
  });

  it('polygons with many corners, quads and triangles side by side are all cut into triangles', async () => {
    const ring = Array.from({ length: 12 }, (_, k) => `v ${10 * Math.cos(k / 1.9099)} 3 ${10 * Math.sin(k / 1.9099)}`).join('\n');
    const mixed = await read(`${ring}\nv 20 3 -5\nv 20 3 5\nf 12 11 10 9 8 7 6 5 4 3 2 1\nf 1 2 14 13\nf 1 13 12\n`);
    expect(mixed.corners).toBe(3);
    expect(mixed.indices.length / 3).toBe(10 + 2 + 1);
    expect(range(rasterizeMesh(mixed, { size: { across: 9, down: 9 }, up: 'y' }).field.height)[1]).toBeCloseTo(3, 5);
  });

  it('faces without area and upright ones are counted and passed over', async () => {
    const mesh = await read('v 0 0 0\nv 9 0 0\nv 9 0 9\nv 0 0 9\nv 9 7 0\nf 1 4 3\nf 1 3 2\nf 1 1 2\nf 1 2 5\n');
    const { upright, holes, field } = rasterizeMesh(mesh, { size: { across: 10, down: 10 }, up: 'y' });
    expect([upright, holes]).toEqual([2, 0]);
    expect(range(field.height)).toEqual([0, 0]);
  });

  it('a mesh 4, 4 000 or 400 000 across is pressed alike, in its own units', () => {
    for (const width of [4, 4_000, 400_000]) {
      const spacing = width / 64;
      const own = fieldFrom(groundOf(65, 65, spacing), (e, s) => (e * e - s * 0.3 * width) / width / 8);
      const { field, spacing: found } = rasterizeMesh(gridMesh(own), { size: { across: 65, down: 65 } });
      let worst = 0;
      for (let i = 0; i < own.height.length; i++) worst = Math.max(worst, Math.abs(field.height[i] + field.ground.datum - own.height[i] - own.ground.datum));
      expect(worst / width).toBeLessThan(1e-7);
      expect(found / spacing).toBeCloseTo(1, 3);
    }
  });

  it('heights on cliffs are not smeared: a wall between two plateaus stays a wall', () => {
    const cliff = fieldFrom(groundOf(41, 41, 0.37), (e) => (e > 7.4 ? 100 : 0));
    const { field } = rasterizeMesh(gridMesh(cliff), { size: { across: 41, down: 41 } });
    expect(
      largestDifference(
        field.height.map((h) => h + field.ground.datum),
        cliff.height,
      ),
    ).toBeLessThanOrEqual(1e-4);
  });
});

describe('pressing on the kernels’ threads', () => {
  const pool = nodeKernels(pathToFileURL(resolve('cli/dist/pool-worker.mjs')), 3);
  let state = 7;
  const random = () => (state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0) / 2 ** 32;
  /** Faces at random: over one another, upright, without area, reaching beyond what is looked at. */
  const soup = (up: 'y' | 'z', vertices: number, faces: number): Mesh => {
    const positions = Float32Array.from({ length: 3 * vertices }, () => random() * 200 - 100);
    const indices = Uint32Array.from({ length: 3 * faces }, () => Math.floor(random() * vertices));
    // Some vertices stand on samples, some faces upright, some corners twice.
    for (let i = 0; i < vertices; i += 5) for (let k = 0; k < 3; k++) positions[3 * i + k] = Math.round(positions[3 * i + k] / 10) * 10;
    for (let f = 0; f < faces; f += 17) indices[3 * f] = indices[3 * f + 1];
    return { positions, indices, corners: 3, up };
  };
  const size = { across: 97, down: 130 };
  const ways = [
    { size },
    { size, registration: 'area' as const },
    { size, extent: { west: -20, east: 35, north: -70, south: 10 } },
    { size, scale: 0.37 },
    { size, extent: { west: -400, east: 300, north: -300, south: 400 } },
  ];

  it.each(['y', 'z'] as const)('gives the same as in place, to the bit, with %s up, on one band and on three', async (up) => {
    const mesh = soup(up, 900, 2_500);
    for (const way of ways) {
      const here = rasterizeMesh(mesh, way);
      for (const kernels of [inlineKernels(), pool]) {
        const there = await rasterizeMeshOnKernels(kernels, mesh, way);
        expect(there).toEqual(here);
      }
    }
    expect(rasterizeMesh(mesh, ways[0]).overhangs).toBeGreaterThan(1000);
    expect(rasterizeMesh(mesh, ways[0]).upright).toBeGreaterThan(100);
  });

  it('refuses a face that names a vertex which is not there, and can be stopped', async () => {
    const mesh = soup('y', 300, 2000);
    mesh.indices[4321] = 300;
    await expect(rasterizeMeshOnKernels(pool, mesh, { size })).rejects.toThrow(/Face 1441 names vertex 300, and there are 300/);
    // Small ones, and many.
    const many: Mesh = { ...soup('y', 300, 1), indices: new Uint32Array(6_000_000) };
    for (let i = 0; i < many.indices.length; i++) many.indices[i] = i % 300;
    for (let i = 0; i < many.positions.length; i++) many.positions[i] = (i % 3) + (i % 70) / 100;
    const control = new AbortController();
    const shares: number[] = [];
    const work = rasterizeMeshOnKernels(pool, many, {
      size,
      signal: control.signal,
      progress: (share) => {
        shares.push(share);
        control.abort();
      },
    });
    await expect(work).rejects.toThrow(/stopped/i);
    expect(shares[0]).toBeLessThan(1);
  });
});
