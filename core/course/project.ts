import { z } from 'zod';
import { strFromU8, strToU8, zipSync } from 'fflate';
import { UplandError } from '../errors';
import { sha256 } from '../field/hash';
import { mostUnpacked } from '../formats/limits';
import { applyPredictor, undoPredictor } from '../formats/tiff/codecs';
import { groundKey } from './ground-key';
import { assetsOf, optionalAssetsOf, parseCourse, type Course } from './schema';
import { unzipped } from './unzip';

/** A kept state of the terrain. */
export interface Mark {
  name: string;
  /** Milliseconds since 1970. */
  at: number;
  course: Course;
}

/** The ground that a course comes to at its own samples. */
export interface WorkedGround {
  /** The course's key of its ground. */
  key: string;
  /** Metres above the datum, row by row. */
  height: Float32Array<ArrayBuffer>;
}

export interface Project {
  course: Course;
  marks?: Mark[];
  /** Bytes by SHA-256. */
  assets: Map<string, Uint8Array<ArrayBuffer>>;
  thumbnail?: Uint8Array<ArrayBuffer>;
  /**
   * Heights above the datum that the course came to at its own samples when it was written, every one of them known:
   * to be seen at once, while they are worked out.
   */
  worked?: WorkedGround;
}

/** Bytes that the parts of a project file may unpack to; a course of five hundred steps with its hand work has some 200 KiB. */
const MOST: Record<string, number | undefined> = { 'course.json': 2 ** 23, 'marks.json': 3 * 2 ** 23, 'thumbnail.png': 2 ** 22 };

/**
 * A project file: a ZIP with `course.json`, `marks.json` where there are marks, `assets/<sha256>`, `thumbnail.png`, and
 * `worked/<key>` where the worked ground goes along: 32-bit floats row by row, told from their neighbours as TIFF's
 * predictor 3 does, under the key of the course that they belong to.
 */
export function writeProject(project: Project): Uint8Array<ArrayBuffer> {
  const files: Record<string, Uint8Array> = { 'course.json': strToU8(JSON.stringify(project.course, null, 2)) };
  if (project.marks?.length) files['marks.json'] = strToU8(JSON.stringify(project.marks));
  const needed = assetsOfProject(project);
  for (const sha of new Set([...needed, ...optionalAssetsOfProject(project)])) {
    const bytes = project.assets.get(sha);
    if (!bytes && !needed.has(sha)) continue;
    if (!bytes) throw new UplandError('missing-asset', `The asset ${sha.slice(0, 12)}… is not here, so the project file would be incomplete.`);
    files[`assets/${sha}`] = bytes;
  }
  if (project.thumbnail) files['thumbnail.png'] = project.thumbnail;
  if (project.worked) {
    const { key, height } = project.worked;
    const { across, down } = project.course.ground;
    if (height.length !== across * down) throw new UplandError('size', 'The worked ground does not have the samples of its course.');
    const bytes = new Uint8Array(height.slice().buffer);
    applyPredictor(3, bytes, across, down, 4);
    files[`worked/${key}`] = bytes;
  }
  // A fixed date, so that the same project gives the same bytes.
  return zipSync(files, { level: 6, mtime: new Date('2000-01-01T00:00:00') }) as Uint8Array<ArrayBuffer>;
}

/** Reads a project file and checks it: the course, and that every asset is what its name says. Only what is needed is unpacked. */
export async function readProject(bytes: Uint8Array<ArrayBuffer>): Promise<Project> {
  if (bytes[0] !== 0x50 || bytes[1] !== 0x4b) throw notZip();
  const files = unzipped(bytes, (name) => MOST[name] ?? null, notZip);
  if (!files.has('course.json')) throw new UplandError('not-a-project', 'This is not a project file: there is no course.json in it.');
  let json: unknown;
  try {
    json = JSON.parse(strFromU8(files.get('course.json')!));
  } catch {
    throw new UplandError('not-a-project', 'This project file is damaged: its course.json is not JSON.');
  }
  const course = parseCourse(json);
  const marks = files.has('marks.json') ? readMarks(files.get('marks.json')!) : [];
  const assets = new Map<string, Uint8Array<ArrayBuffer>>();
  const needed = assetsOfProject({ course, marks });
  const wanted = new Set([...needed, ...optionalAssetsOfProject({ course, marks })]);
  const most = mostUnpacked(bytes.length);
  const there = wanted.size
    ? unzipped(bytes, (name) => (name.startsWith('assets/') && wanted.has(name.slice(7)) ? most : null), notZip)
    : new Map<string, never>();
  for (const sha of wanted) {
    const asset = there.get(`assets/${sha}`) as Uint8Array<ArrayBuffer> | undefined;
    if (!asset && !needed.has(sha)) continue;
    if (!asset) throw new UplandError('missing-asset', `This project file is incomplete: the asset ${sha.slice(0, 12)}… is missing.`);
    if ((await sha256(asset)) !== sha) {
      throw new UplandError('damaged-asset', `This project file is damaged: the asset ${sha.slice(0, 12)}… is not what it was.`);
    }
    assets.set(sha, asset);
  }
  return { course, ...(marks.length ? { marks } : {}), assets, thumbnail: files.get('thumbnail.png'), worked: await workedIn(bytes, course) };
}

/** The worked ground in a project file, where it is the course's own, whole and sound; it is worked out anew where not. */
async function workedIn(bytes: Uint8Array<ArrayBuffer>, course: Course): Promise<WorkedGround | undefined> {
  const { across, down } = course.ground;
  const size = 4 * across * down;
  if (size > mostUnpacked(bytes.length)) return undefined;
  const key = await groundKey(course);
  const packed = unzipped(bytes, (name) => (name === `worked/${key}` ? size : null), notZip).get(`worked/${key}`);
  if (packed?.length !== size) return undefined;
  undoPredictor(3, packed, across, down, 1, 4, true);
  const height = new Float32Array(packed.buffer);
  return height.every(Number.isFinite) ? { key, height } : undefined;
}

const notZip = () => new UplandError('not-a-project', 'This is not a project file, or it is damaged: it does not open as a ZIP archive.');

/** What steps that are not known here may read: it goes along where it is there. */
export const optionalAssetsOfProject = ({ course, marks = [] }: Pick<Project, 'course' | 'marks'>): string[] =>
  [course, ...marks.map((m) => m.course)].flatMap(optionalAssetsOf);

/** What the course and its marks read. */
export function assetsOfProject({ course, marks = [] }: Pick<Project, 'course' | 'marks'>): Set<string> {
  return new Set([course, ...marks.map((m) => m.course)].flatMap(assetsOf));
}

function readMarks(bytes: Uint8Array): Mark[] {
  let json: unknown;
  try {
    json = JSON.parse(strFromU8(bytes));
  } catch {
    throw new UplandError('not-a-project', 'This project file is damaged: its marks.json is not JSON.');
  }
  const parsed = z
    .array(z.object({ name: z.string().max(200), at: z.number(), course: z.unknown() }))
    .max(1000)
    .safeParse(json);
  if (!parsed.success) throw new UplandError('not-a-project', 'This project file is damaged: its marks.json does not hold marks.');
  return parsed.data.map((mark) => ({ ...mark, course: parseCourse(mark.course) }));
}
