import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate';
import { UplandError } from '../errors';
import { sha256 } from '../field/hash';
import { assetsOf, parseCourse, type Course } from './schema';

export interface Project {
  course: Course;
  /** Bytes by SHA-256. */
  assets: Map<string, Uint8Array<ArrayBuffer>>;
  thumbnail?: Uint8Array<ArrayBuffer>;
}

const MOST_BYTES = 2 ** 31;

/** A project file: a ZIP with `course.json`, `assets/<sha256>` and `thumbnail.png`. */
export function writeProject(project: Project): Uint8Array<ArrayBuffer> {
  const files: Record<string, Uint8Array> = { 'course.json': strToU8(JSON.stringify(project.course, null, 2)) };
  for (const sha of assetsOf(project.course)) {
    const bytes = project.assets.get(sha);
    if (!bytes) throw new UplandError('missing-asset', `The asset ${sha.slice(0, 12)}… is not here, so the project file would be incomplete.`);
    files[`assets/${sha}`] = bytes;
  }
  if (project.thumbnail) files['thumbnail.png'] = project.thumbnail;
  // A fixed date, so that the same project gives the same bytes.
  return zipSync(files, { level: 6, mtime: new Date('2000-01-01T00:00:00') }) as Uint8Array<ArrayBuffer>;
}

/** Reads a project file and checks it: the course, and that every asset is what its name says. */
export async function readProject(bytes: Uint8Array<ArrayBuffer>): Promise<Project> {
  let claimed = 0;
  let files: Record<string, Uint8Array>;
  try {
    files = unzipSync(bytes, {
      filter: (file) => {
        if (!/^(course\.json|thumbnail\.png|assets\/[0-9a-f]{64})$/.test(file.name)) return false;
        claimed += file.originalSize;
        if (claimed > MOST_BYTES) throw new UplandError('project-size', 'This project file would unpack to more than 2 GiB. It was not opened.');
        return true;
      },
    });
  } catch (error) {
    if (error instanceof UplandError) throw error;
    throw new UplandError('not-a-project', 'This is not a project file, or it is damaged: it does not open as a ZIP archive.');
  }
  if (!files['course.json']) throw new UplandError('not-a-project', 'This is not a project file: there is no course.json in it.');
  let json: unknown;
  try {
    json = JSON.parse(strFromU8(files['course.json']));
  } catch {
    throw new UplandError('not-a-project', 'This project file is damaged: its course.json is not JSON.');
  }
  const course = parseCourse(json);
  const assets = new Map<string, Uint8Array<ArrayBuffer>>();
  for (const sha of assetsOf(course)) {
    const asset = files[`assets/${sha}`] as Uint8Array<ArrayBuffer> | undefined;
    if (!asset) throw new UplandError('missing-asset', `This project file is incomplete: the asset ${sha.slice(0, 12)}… is missing.`);
    if ((await sha256(asset)) !== sha) {
      throw new UplandError('damaged-asset', `This project file is damaged: the asset ${sha.slice(0, 12)}… is not what it was.`);
    }
    assets.set(sha, asset);
  }
  return { course, assets, thumbnail: files['thumbnail.png'] as Uint8Array<ArrayBuffer> | undefined };
}
