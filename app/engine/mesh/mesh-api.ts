import type { Course, MeshSettings } from '@upland-cast/core';
import { transfer } from 'comlink';
import type { MeshPicture } from '../../drawing/pictures';
import type { MeshCurve, MeshPreview, WrittenMesh, Outcome, PressRequest, PressResult } from '../api';
import { jobs, outcome, type Telling } from '../jobs';
import { paced } from '../paced';
import { tools, wholeField } from '../state';
import * as meshing from './mesh-service';
import { press } from './press-service';

export const meshApi = {
  /** A mesh of the ground as files, measured on what was written. */
  async mesh(course: Course, settings: MeshSettings, name: string, onWork: Telling): Promise<Outcome<WrittenMesh>> {
    const result = await outcome(async () => meshing.write(await meshWork(course, 'write-mesh', onWork), settings, name));
    return result.ok ? transfer(result, [result.value.bytes.buffer]) : result;
  },

  /** The mesh as it will be, no denser than a screen can show, and its error at the chosen density. */
  async meshPreview(course: Course, settings: MeshSettings): Promise<Outcome<MeshPreview>> {
    const result = await outcome(async () => meshing.preview(await meshWork(course, 'mesh'), settings));
    return result.ok ? transfer(result, [...buffersOf(result.value.picture), ...buffersOf(result.value.high)]) : result;
  },

  /** Ends the writing or the measuring of a mesh that is under way. */
  stopMesh(): void {
    jobs.stop('write-mesh', 'mesh-curve', 'press');
  },

  /** Error against triangles. */
  meshCurve(course: Course, onWork: Telling): Promise<Outcome<MeshCurve>> {
    return outcome(async () => meshing.curve(await meshWork(course, 'mesh-curve', onWork)));
  },

  /** A mesh file, or several, pressed to heights. */
  async press(course: Course, request: PressRequest, onWork: Telling): Promise<Outcome<PressResult>> {
    const work = { tools, course, field: () => wholeField(course), signal: jobs.begin('press'), onWork: paced(onWork) };
    const result = await outcome(() => press(work, request));
    return result.ok ? transfer(result, [result.value.relief.pixels.buffer, result.value.cover.buffer, ...buffersOf(result.value.mesh)]) : result;
  },
};

/** What the making of meshes works with. */
async function meshWork(course: Course, kind: string, onWork: Telling = () => undefined) {
  const signal = jobs.begin(kind);
  return { tools, course, field: await wholeField(course), signal, onWork: paced(onWork) };
}

function buffersOf({ positions, indices, normals, uvs, tangents, quads }: MeshPicture): ArrayBuffer[] {
  return [...new Set([positions, indices, normals, uvs, tangents, quads].flatMap((a) => (a ? [a.buffer] : [])))];
}
