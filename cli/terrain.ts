import { parseCourse, readProject, startingCourse, startingCourses, UplandError, type Project } from '@upland-cast/core';
import { load } from './files';

/** A terrain by the name of its file (a project, or a course as JSON), or a starting course by `start:ID`. */
export async function terrainCalled(name: string): Promise<Pick<Project, 'course' | 'assets'>> {
  if (!name.startsWith('start:')) return openTerrain(await load(name));
  const start = startingCourse(name.slice('start:'.length));
  if (!start)
    throw new UplandError('unknown-start', `There is no starting course "${name.slice(6)}". There are: ${startingCourses.map((s) => s.id).join(', ')}.`);
  return { course: start.make(), assets: new Map() };
}

async function openTerrain(bytes: Uint8Array<ArrayBuffer>): Promise<Project> {
  if (bytes[0] === 0x50 && bytes[1] === 0x4b) return readProject(bytes);
  let json: unknown;
  try {
    json = JSON.parse(new TextDecoder().decode(bytes));
  } catch {
    throw new UplandError('not-a-terrain', 'This is neither a project file nor a course in JSON.');
  }
  return { course: parseCourse(json), assets: new Map() };
}
