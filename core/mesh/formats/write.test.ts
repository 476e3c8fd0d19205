import { describe, expect, it } from 'vitest';
import { groundOf, hills, largestDifference } from '../../../tests/helpers/grounds';
import { meshFormatByName, meshFormats, readMesh, readMeshFiles } from './';
import { writeModel } from './write';
import { boundsOf } from '../mesh';
import { modelOf, type ModelOptions } from '../model/model';
import { rasterizeMesh } from '../raster/rasterize';
import { gridSurface } from '../surface/surface';
import { strayEdges } from '../../../tests/helpers/mesh-edges';

const field = hills(groundOf(65, 49, 7), 2, 120);

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
