import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { groundOf, hills, largestDifference, range } from '../../../tests/helpers/grounds';
import { UplandError } from '../../errors';
import { meshFormatByName, meshFormats, readMesh } from './';
import { gridMesh } from '../surface/grid';
import { boundsOf, triangleCount, vertexCount } from '../mesh';
import { rasterizeMesh } from '../raster/rasterize';

const field = hills(groundOf(65, 49, 7), 2);

const [low, high] = range(field.height);

const objOf = meshFormats.find((f) => f.id === 'obj')!;

describe('every mesh format', () => {
  for (const format of meshFormats) {
    for (const faces of ['triangles', 'quads'] as const) {
      for (const up of ['y', 'z'] as const) {
        it(`${format.title} with ${faces}, ${up} up: heights there and back`, () => {
          const bytes = format.encode(gridMesh(field, { faces, up }), 'ground');
          const mesh = readMesh(bytes);
          expect(vertexCount(mesh)).toBe(65 * 49);
          expect(triangleCount(mesh)).toBe(64 * 48 * 2);
          const { field: back } = rasterizeMesh(mesh, { size: { across: 65, down: 49 }, up: format.axes?.up ?? up });
          const bound = format.id === 'obj' ? 1e-5 : 1e-6;
          expect(
            largestDifference(
              back.height.map((h) => h + back.ground.datum),
              field.height,
            ),
          ).toBeLessThanOrEqual(bound * (high - low));
        });
      }
    }
  }

  it('PLY is read as text and in both byte orders', () => {
    const text =
      'ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n0 0 0\n4 1 0\n4 2 4\n3 0 2 1\n';
    expect(readMesh(new TextEncoder().encode(text) as Uint8Array<ArrayBuffer>).positions[7]).toBe(2);
    const head = new TextEncoder().encode(
      'ply\nformat binary_big_endian 1.0\nelement vertex 3\nproperty double x\nproperty double y\nproperty double z\nelement face 1\nproperty list uchar uint vertex_index\nend_header\n',
    );
    const bytes = new Uint8Array(head.length + 72 + 13);
    bytes.set(head);
    const view = new DataView(bytes.buffer, head.length);
    [0, 0, 0, 4, 1, 0, 4, 2, 4].forEach((v, i) => view.setFloat64(i * 8, v));
    view.setUint8(72, 3);
    [0, 2, 1].forEach((v, i) => view.setUint32(73 + 4 * i, v));
    expect([...readMesh(bytes).indices]).toEqual([0, 2, 1]);
  });

  it('OBJ is read with negative numbers, fans of many corners and lines carried on', () => {
    const mesh = readMesh(new TextEncoder().encode('# five\nv 0 0 0\nv 4 0 0\nv 5 1 3\nv 2 1 5\nv 0 1 3\nf -5 -4 -3 \\\n -2 -1\n') as Uint8Array<ArrayBuffer>);
    expect([...mesh.indices]).toEqual([0, 1, 2, 0, 2, 3, 0, 3, 4]);
  });

  it('OBJ is the same whether its lines are plain or have blanks that make them be read word by word', () => {
    const numbers = [
      '0',
      '-0',
      '.5',
      '-12.',
      '600',
      '0.1',
      '-1234.56789',
      '123456789.012345',
      '12345678901234567',
      '1e3',
      '-2.5E-2',
      '16777217',
      '0.30000000000000004',
    ];
    const corners = ['1', '13', '7/7', '12/3/4', '5//6', '-1', '-13/2/1', '9'];
    const pick = (from: string[], i: number) => from[i % from.length];
    const lines = [
      ...Array.from({ length: 13 * 13 }, (_, i) => `v ${pick(numbers, i)} ${pick(numbers, i * 5 + 1)} ${pick(numbers, i * 7 + 2)}`),
      ...Array.from({ length: 64 }, (_, i) => `f ${pick(corners, i)} ${pick(corners, i * 3 + 1)} ${pick(corners, i * 5 + 2)}`),
      'v 1 2 3 0.5 0.5 0.5',
      'v 1 2 3 # a remark',
      'f 1 2 3 4',
      'f 2 3 4',
    ];
    const read = (text: string) => objOf.read(new TextEncoder().encode(text));
    const plain = read(`${lines.join('\n')}\n`);
    expect(plain).toEqual(read(`${lines.map((line) => line.replaceAll(' ', '  ')).join('\n')}\n`));
    expect(plain).toEqual(read(lines.join('\r\n')));
    // By the engine's own numbers.
    const own = lines.filter((line) => line.startsWith('v')).flatMap((line) => line.split(' ').slice(1, 4).map(Number));
    expect(plain.positions).toEqual(Float32Array.from(own));
  });

  it.each(['v 1 2', 'v 1 2 x', 'v 1 2 3\nf 1 0 1', 'f 1 2 1//', 'v 1 2 3\nf 1 1 4294967297'])(
    'OBJ that holds “%s” is refused, or read as it is word by word',
    (text) => {
      const of = (words: string) => {
        try {
          return objOf.read(new TextEncoder().encode(words));
        } catch (error) {
          return (error as Error).message;
        }
      };
      expect(of(text)).toEqual(of(text.replaceAll(' ', '  ')));
    },
  );

  it('GLB nodes are put where their matrices say', () => {
    const bytes = meshFormats.find((f) => f.id === 'glb')!.encode(gridMesh(field), 'g');
    const view = new DataView(bytes.buffer);
    const length = view.getUint32(12, true);
    const json = JSON.parse(new TextDecoder().decode(bytes.subarray(20, 20 + length)));
    json.nodes = [
      { children: [1], translation: [100, 0, 0] },
      { mesh: 0, scale: [1, 2, 1] },
    ];
    const text = new TextEncoder().encode(JSON.stringify(json).padEnd(Math.ceil(JSON.stringify(json).length / 4) * 4));
    const moved = new Uint8Array(20 + text.length + bytes.length - 20 - length);
    moved.set(bytes.subarray(0, 20));
    moved.set(text, 20);
    moved.set(bytes.subarray(20 + length), 20 + text.length);
    new DataView(moved.buffer).setUint32(12, text.length, true);
    const { min, max } = boundsOf(readMesh(moved).positions);
    expect(min[0]).toBe(100 - field.ground.width / 2);
    expect(max[1]).toBeCloseTo(2 * high, 3);
  });

  it('that is damaged is refused with a sentence, or read', () => {
    const isSentence = (error: unknown) => error instanceof UplandError && /[.]$/.test(error.message);
    const small = hills(groundOf(6, 5));
    const originals = meshFormats.map((f) => f.encode(gridMesh(small), 'g'));
    fc.assert(
      fc.property(fc.constantFrom(...originals), fc.array(fc.tuple(fc.nat(), fc.nat(255)), { maxLength: 5 }), fc.nat(), (bytes, changes, cut) => {
        const damaged = bytes.slice(0, cut % 2 ? cut % bytes.length : bytes.length);
        for (const [at, value] of changes) if (damaged.length) damaged[at % damaged.length] = value;
        try {
          rasterizeMesh(readMesh(damaged), { size: { across: 9, down: 9 } });
        } catch (error) {
          if (!isSentence(error)) throw error;
        }
      }),
      { seed: 5, numRuns: 3000 },
    );
    for (const text of ['', 'v 1 2\nf 1 2 3', 'v 1 2 3\n', 'v 0 0 0\nv 1 0 0\nv 1 0 1\nf 1 2 9', 'ply\nformat ascii 1.0\n', 'solid x']) {
      expect(() => readMesh(new TextEncoder().encode(text) as Uint8Array<ArrayBuffer>)).toThrow(UplandError);
    }
    expect(() => meshFormatByName('a.png')).toThrow(/no ending of a mesh/);
  });
});
