// The core as a library, without a window: a course is worked out, measured, written as a
// heightmap that is read back, and made into a light mesh whose error is known.
// `tests/reference/examples.test.ts` runs it.
import { evaluate, fieldOf, makeCourse, stepUse } from '@upland-cast/core/course';
import { deliver } from '@upland-cast/core/delivery';
import { makeGround, statistics } from '@upland-cast/core/field';
import { inlineKernels } from '@upland-cast/core/kernels';
import { buildSurface, compareMeshToField, meshFormatByName, modelOf, readMesh, writeModel } from '@upland-cast/core/mesh';

export async function valleyToMesh() {
  // 2 km of ground at 8 m: noise that rivers wear.
  const ground = makeGround({ width: 2048, depth: 2048, across: 257, down: 257, registration: 'point' });
  const course = makeCourse('Valley', ground, [stepUse('noise', { feature: 1200, height: 300 }), stepUse('fluvial', {})]);
  const kernels = inlineKernels();
  const field = fieldOf(await evaluate(course, { kernels }), course.ground);

  // Metres in, metres out: a GeoTIFF of floats, read back and held against the field.
  const { lowest, highest } = statistics(field);
  const tiff = await deliver(field, 'valley.tif', { format: 'tiff', type: 'f32' });

  // As few triangles as stay within a metre.
  const surface = await buildSurface(kernels, field, { kind: 'adaptive', maxError: 1 });
  const model = modelOf(field, surface, 'valley');
  const [glb] = await writeModel(meshFormatByName('valley.glb'), model, 'valley');
  const { maxError } = compareMeshToField(readMesh(glb.bytes), field, model.frame);
  return { lowest, highest, tiff, glb, maxError };
}
