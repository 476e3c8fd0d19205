import { expect, it } from 'vitest';
import { valleyToMesh } from '../../examples/valley-to-mesh';

it('examples/valley-to-mesh: the core as a library gives a proofed file and a mesh within its bound', async () => {
  const { lowest, highest, tiff, glb, maxError } = await valleyToMesh();
  expect(highest - lowest).toBeGreaterThan(50);
  expect(tiff.proof).toMatchObject({ ok: true, maxAbs: 0 });
  expect(maxError).toBeLessThanOrEqual(1);
  expect(maxError).toBeGreaterThan(0.5);
  // Far fewer faces than the grid's 131 072, at 12 bytes of indices each.
  expect(glb.bytes.length).toBeLessThan(131_072 * 12);
});
