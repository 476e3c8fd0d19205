import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../tests/helpers/grounds';
import { inlineKernels } from '../kernels/pool';
import { exportMesh } from './export';
import { readMeshFiles } from './formats';
import type { Mesh } from './mesh';
import { meshSettingsFor } from './settings';
import { describeParts, partsOfMesh } from './parts';

const field = hills(groundOf(129, 129, 8), 3, 60);
const kernels = inlineKernels();

/** The ground as four parts in one file of ours, read back. */
async function quarters(): Promise<{ name: string; mesh: Mesh }[]> {
  const settings = { ...meshSettingsFor(field.ground), segments: 128, parts: 'count' as const, partsAcross: 2, partsDown: 2 };
  for await (const { files } of exportMesh(field, settings, { kernels, name: 'hills' })) return partsOfMesh(await readMeshFiles(files));
  throw new Error('no file');
}

const moved = ({ name, mesh }: { name: string; mesh: Mesh }, change: (x: number, y: number, z: number) => [number, number, number]) => {
  const positions = mesh.positions.slice();
  for (let i = 0; i < positions.length; i += 3) positions.set(change(positions[i], positions[i + 1], positions[i + 2]), i);
  return { name, mesh: { ...mesh, positions } };
};
const withOne = (parts: { name: string; mesh: Mesh }[], k: number, change: Parameters<typeof moved>[1]) =>
  parts.map((part, i) => (i === k ? moved(part, change) : part));

describe('the parts of a mesh', () => {
  it('are off where their faces are, however true their corners: a mesh of few triangles, each corner on the ground', async () => {
    const of = async (segments: number) => {
      const settings = { ...meshSettingsFor(field.ground), segments };
      for await (const { files } of exportMesh(field, settings, { kernels, name: 'hills' }))
        return describeParts(partsOfMesh(await readMeshFiles(files)), field);
      throw new Error('no file');
    };
    const coarse = (await of(8)).parts[0].off!;
    const fine = (await of(64)).parts[0].off!;
    expect(fine.rmse).toBeGreaterThan(0.1);
    expect(coarse.rmse).toBeGreaterThan(5 * fine.rmse);
  });

  it('as they were written: their sizes, their places on the ground, nothing off, every border met', async () => {
    const { parts, findings } = describeParts(await quarters(), field);
    expect(parts).toHaveLength(4);
    expect(parts.map(({ triangles }) => triangles)).toEqual([8192, 8192, 8192, 8192]);
    for (const { width, depth, off } of parts) {
      expect(width).toBeCloseTo(field.ground.width / 2, 2);
      expect(depth).toBeCloseTo(field.ground.depth / 2, 2);
      expect(off!.rmse).toBeLessThan(1e-3);
    }
    expect(parts.map(({ west, north }) => [Math.round(west), Math.round(north)]).sort()).toEqual([
      [0, 0],
      [0, 512],
      [512, 0],
      [512, 512],
    ]);
    expect(findings).toEqual([]);
  });

  it('one that was raised is named, with how much; its borders are not counted again', async () => {
    const { findings } = describeParts(
      withOne(await quarters(), 2, (x, y, z) => [x, y + 4.5, z]),
      field,
    );
    expect(findings).toHaveLength(1);
    expect(findings[0]).toMatchObject({ kind: 'height', parts: [2], sentence: 'Part 3 lies 4.5 m too high.' });
  });

  it('one in another unit, one in another place, and one beside the ground are named first', async () => {
    const parts = await quarters();
    expect(
      describeParts(
        withOne(parts, 1, (x, y, z) => [x / 0.01, y / 0.01, z / 0.01]),
        field,
      ).findings[0],
    ).toMatchObject({ kind: 'scale', parts: [1] });
    const shifted = describeParts(
      withOne(parts, 1, (x, y, z) => [x + 40, y, z]),
      field,
    ).findings;
    expect(shifted[0]).toMatchObject({ kind: 'place', parts: [1] });
    expect(shifted[0].sentence).toMatch(/Part 2 is not where it belongs/);
    const beside = describeParts(
      withOne(parts, 1, (x, y, z) => [x + 4000, y, z]),
      field,
    ).findings;
    expect(beside.some(({ kind, parts: of }) => kind === 'beside' && of[0] === 1)).toBe(true);
  });

  it('borders that do not meet are found without a ground too, with how far they are apart', async () => {
    const parts = await quarters();
    // One part's border bends down: its corners alone are moved.
    const [first] = parts;
    const east = Math.max(...Array.from(first.mesh.indices, (i) => first.mesh.positions[3 * i]));
    const torn = withOne(parts, 0, (x, y, z) => (Math.abs(x - east) < 1e-3 ? [x, y - 0.75, z] : [x, y, z]));
    const { findings } = describeParts(torn);
    expect(findings[0]).toMatchObject({ kind: 'border', parts: [0, 1] });
    expect(findings[0].sentence).toMatch(/up to 0\.75 m apart/);
    expect(describeParts(parts).findings).toEqual([]);
  });

  it('another ground gives no figures, and a mesh of loose triangles is one part', async () => {
    const parts = await quarters();
    const other = { ...field, height: field.height.map((_, i) => 300 * Math.sin(i / 7) + 5000) };
    expect(describeParts(parts, other).parts.every(({ off }) => off === null)).toBe(true);
    const loose: Mesh = { positions: new Float32Array(3 * 900).map((_, i) => i), indices: Uint32Array.from({ length: 900 }, (_, i) => i), corners: 3, up: 'y' };
    expect(partsOfMesh(loose)).toHaveLength(1);
  });
});
