// The core as a library, without a window: a course is worked out, measured, written as a
// heightmap that is read back, and made into a light mesh whose error is known.
// `tests/reference/examples.test.ts` runs it.
import { evaluate, fieldOf, makeCourse, stepUse } from '@upland-cast/core/course';
import { deliver } from '@upland-cast/core/delivery';
import { makeGround, statistics } from '@upland-cast/core/field';
import { inlineKernels } from '@upland-cast/core/kernels';
import { exportMesh, meshSettingsFor } from '@upland-cast/core/mesh';

export async function valleyToMesh() {
  // 2 km of ground at 8 m: noise that rivers wear.
  const ground = makeGround({ width: 2048, depth: 2048, across: 257, down: 257, registration: 'point' });
  const course = makeCourse('Valley', ground, [stepUse('noise', { feature: 1200, height: 300 }), stepUse('fluvial', {})]);
  const kernels = inlineKernels();
  const field = fieldOf(await evaluate(course, { kernels }), course.ground);

  // Metres in, metres out: a GeoTIFF of floats, read back and held against the field.
  const { lowest, highest } = statistics(field);
  const tiff = await deliver(field, 'valley.tif', { format: 'tiff', type: 'f32' });

  // As few triangles as stay within a metre, read back and held against the field.
  const settings = { ...meshSettingsFor(ground), kind: 'adaptive' as const, maxError: 1 };
  const { value: mesh } = await exportMesh(field, settings, { kernels, name: 'valley' }).next();
  const [glb] = mesh!.files;
  const { maxError } = mesh!.error;
  return { lowest, highest, tiff, glb, maxError };
}
