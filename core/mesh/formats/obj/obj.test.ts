import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../../../tests/helpers/grounds';
import { turnTakingKernels } from '../../../../tests/helpers/turn-taking';
import { inMemory } from '../../../formats/source';
import { inlineKernels } from '../../../kernels/pool';
import { concat } from '../../../concat';
import { writeLinesProgram } from '../../../kernels/programs/mesh-lines';
import type { Mesh } from '../../mesh';
import { gridMesh } from '../../surface/grid';
import { Lines, putLines } from './lines';
import { read } from './read';
import { readPieces } from './read-pieces';
import { besideOf, encode, pieces } from './write';

const kernels = inlineKernels();
const bytesOf = (text: string) => new TextEncoder().encode(text);
const textOf = (bytes: Uint8Array) => new TextDecoder().decode(bytes);

/** What the kernels print for one line, and what the engine's own printing of numbers comes to (ECMA-262, toPrecision and toFixed). */
async function printed(kind: 'v' | 'vt' | 'vn', numbers: number[]): Promise<string | null> {
  const each = kind === 'vt' ? 2 : 3;
  const [bytes] = await kernels.run(writeLinesProgram, { kind, lines: 1, each }, { numbers: Float32Array.from(numbers) });
  return bytes && textOf(bytes);
}
const nine = (v: number) => String(Number(v.toPrecision(9)));

const float = fc.oneof(
  fc.float({ noNaN: true, noDefaultInfinity: true }),
  fc.integer({ min: -40_000, max: 40_000 }).map((n) => Math.fround(n / 1000)),
  fc.float({ min: Math.fround(-1e-2), max: Math.fround(1e-2), noNaN: true }),
  fc.constantFrom(0, -0, 1, 0.5, 99_999_992, Math.fround(1e-6), Math.fround(9.99999999), 8388607.5),
);

describe('the lines of an OBJ on the kernels', () => {
  it('have the characters of the engine’s own printing, or are left to others', async () => {
    let left = 0;
    await fc.assert(
      fc.asyncProperty(float, float, float, async (a, b, c) => {
        const place = await printed('v', [a, b, c]);
        if (place === null) left++;
        else expect(place).toBe(`v ${nine(a)} ${nine(b)} ${nine(c)}\n`.replaceAll('-0 ', '0 ').replace('-0\n', '0\n'));
        const texture = await printed('vt', [a, b]);
        if (texture !== null) expect(texture).toBe(`vt ${nine(a)} ${nine(1 - b)}\n`.replace(' -0 ', ' 0 '));
        const normal = await printed('vn', [a, b, c]);
        const six = [a, b, c].map((v) => (v === 0 ? 0 : v).toFixed(6));
        if (normal !== null) expect(normal).toBe(`vn ${six.join(' ')}\n`);
      }),
      { numRuns: 4000, seed: 3 },
    );
    expect(left).toBeGreaterThan(0);
    // Heights of ground, and places on it, are never left.
    for (let i = 0; i < 2000; i++) expect(await printed('v', [i * 7.3, -412.125 + i / 3, 8192 - i * 0.1])).not.toBeNull();
  });

  it('are a whole mesh’s, whatever it has: the bytes of the one thread', async () => {
    const field = hills(groundOf(130, 97, 7), 2);
    const colours = Uint8Array.from({ length: 3 * field.height.length }, (_, i) => (i * 7) % 256);
    for (const faces of ['triangles', 'quads'] as const) {
      const full = gridMesh(field, { faces, up: 'y' });
      const { normals, uvs, ...bare } = full;
      const meshes: Mesh[] = [
        full,
        bare,
        { ...bare, normals },
        { ...bare, uvs },
        { ...full, colours },
        { ...full, positions: full.positions.map((v) => v * 1e-9) },
      ];
      for (const mesh of meshes) {
        const model = { parts: [{ name: 'land', mesh, kind: 'ground' as const }], frame: { scale: 1 } } as Parameters<typeof pieces>[0];
        const made: Uint8Array[] = [];
        for await (const piece of pieces(model, 'land', {}, kernels)) made.push(piece);
        const body = (text: string) => text.slice(text.indexOf('\nv ') + 1);
        expect(body(textOf(concat(made)))).toBe(body(textOf(encode(mesh, 'land'))));
        expect(besideOf(model, 'land', {})).toEqual([]);
      }
    }
  });

  it('count on from part to part, and water has its own colour', async () => {
    const mesh = gridMesh(hills(groundOf(3, 3, 7), 2), { faces: 'triangles', up: 'y', normals: false, uvs: false });
    const part = (name: string, kind: 'ground' | 'water') => ({ name, mesh, kind });
    const model = { parts: [part('land', 'ground'), part('sea', 'water')], frame: { scale: 1 } } as Parameters<typeof pieces>[0];
    const made: Uint8Array[] = [];
    for await (const piece of pieces(model, 'the land', {}, kernels)) made.push(piece);
    const text = textOf(concat(made));
    expect(text.split('\n').slice(0, 3)).toEqual(['# 18 vertices in 2 objects, y up, metres', 'mtllib the_land.mtl', 'o land']);
    const behind = text.slice(text.indexOf('o sea')).split('\n');
    expect(behind[10]).toBe('usemtl water');
    expect(Math.min(...behind.filter((l) => l.startsWith('f')).flatMap((l) => l.slice(2).split(' ').map(Number)))).toBe(10);
    expect(textOf(besideOf(model, 'the land', {})[0].bytes)).toMatch(/^newmtl water\n/);
  });
});

describe('an OBJ read piece by piece', () => {
  const mesh = gridMesh(hills(groundOf(420, 400, 7), 2), { faces: 'triangles', up: 'y' });
  const large = encode(mesh, 'land');
  const same = async (bytes: Uint8Array<ArrayBuffer>) => expect(await readPieces(inMemory(bytes), kernels)).toEqual(read(bytes));

  it('is the mesh that is read on one thread, and so on any number of them', async () => {
    expect(large.length).toBeGreaterThan(9 << 20);
    await same(large);
    for (const bands of [2, 3]) expect(await readPieces(inMemory(large), turnTakingKernels(bands, true))).toEqual(read(large));
  });

  it('of quads, with other ends of lines, words, remarks, marks of byte order, and lines that go on', async () => {
    const quads = encode(gridMesh(hills(groundOf(90, 80, 7), 2), { faces: 'quads', up: 'z' }), 'land');
    await same(quads);
    const text = textOf(large.subarray(0, large.lastIndexOf(10, 400_000) + 1));
    const faces = '\nf 1/1/1 2//2 3\nf -3 -2 -1\nf 1 2 3 4 5\nf 1 2 3 4\n';
    await same(bytesOf(text + faces));
    await same(bytesOf(text.replaceAll('\n', '\r\n') + faces.replaceAll('\n', '\r\n')));
    await same(bytesOf(text.replaceAll('\n', '\r') + faces.replaceAll('\n', '\r')));
    await same(bytesOf(`\ufeff${text}${faces}`));
    await same(bytesOf(`${text}g a \\\nv 1 2 3\nv 4 5 \\\n6\nvt 0 \\ \nv 9 9 9${faces}`));
    await same(bytesOf(`${text}  v 1 2 3 # here\n\tv 1 2 4\nv\t1 2 5\nv 1e3 2 3\nv 1 2 3 1\nv .5 -5. 3.25\nvp 1 2\n${faces.trimEnd()}`));
  });

  it('that is damaged says where, as on one thread', async () => {
    const text = textOf(large.subarray(0, large.lastIndexOf(10, 3_000_000) + 1));
    const fault = (run: () => unknown) =>
      Promise.resolve()
        .then(run)
        .then(
          () => null,
          (error: Error) => error.message,
        );
    for (const line of ['v 1 2', 'v 1 2 x', 'v', 'f 1 2', 'f 1 2 0', 'f 1 2 x', 'f 1 2 4000000', 'v 1 2 1e39']) {
      const bytes = bytesOf(`${text}${line}\nf 1 2 3\n`);
      const alone = await fault(() => read(bytes));
      expect(alone).not.toBeNull();
      expect(await fault(() => readPieces(inMemory(bytes), kernels))).toBe(alone);
    }
    await same(bytesOf(`${text}f 1 2 3`));
  });

  it('cut short at any byte is what one thread makes of it', async () => {
    const end = 70_000;
    const text = encode(gridMesh(hills(groundOf(31, 31, 7), 2), { faces: 'triangles', up: 'y', normals: false, uvs: false }), 'land');
    const long = concat([text, ...Array.from({ length: Math.ceil(end / text.length) }, () => text)]);
    const outcome = async (run: () => unknown) => {
      try {
        return await run();
      } catch (error) {
        return (error as Error).message;
      }
    };
    for (let cut = end; cut < end + 240; cut += 3) {
      const bytes = long.slice(0, cut);
      expect(await outcome(() => readPieces(inMemory(bytes), kernels))).toEqual(await outcome(() => read(bytes)));
    }
  });
});

describe('lines on one thread', () => {
  it('are put together in their order, from any of them on', () => {
    const mesh = gridMesh(hills(groundOf(9, 9, 7), 2), { faces: 'triangles', up: 'y', normals: false, uvs: false });
    const part = (from: number, to: number) => {
      const text = new Lines();
      putLines(text, 'v', mesh, from, to, { v: 1, vt: 1, vn: 1 });
      return textOf(text.done());
    };
    expect(part(0, 40) + part(40, 81)).toBe(part(0, 81));
  });
});
