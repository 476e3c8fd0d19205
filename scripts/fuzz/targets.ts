import {
  inlineKernels,
  evaluate,
  orderSchema,
  planOf,
  rasterizeMesh,
  readHeightmap,
  readMesh,
  readMeshFiles,
  readProject,
  toField,
  UplandError,
  inspect,
  findingsIn,
  makeCourse,
  makeGround,
} from '@upland-cast/core';
import { asked } from '../../app/server/questions';
import { extractQuestion } from '../../app/survey/questions';
import { requestFromBytes } from '../../app/run/frames';
import type { Case } from './cases';

const kernels = inlineKernels();
/** More than this many samples are read but not looked into: that has its own time. */
const SMALL = 4096;

/** Hands a file to what reads it. Throws only what a person can be shown. */
export async function tryFile({ target, as, beside }: Case, bytes: Uint8Array<ArrayBuffer>): Promise<void> {
  switch (target) {
    case 'heightmap': {
      const reading = await readHeightmap(bytes, as, { beside });
      if (reading.samples.length !== reading.width * reading.height) throw new Error('Samples and size differ.');
      const found = inspect(reading);
      if (found.distinct < 1) throw new Error('No distinct values.');
      if (reading.samples.length > SMALL) return;
      const field = toField(reading);
      await findingsIn(reading, {}, field, kernels);
      return;
    }
    case 'mesh': {
      const mesh = readMesh(bytes);
      await readMeshFiles([{ name: 'a.obj', bytes }]);
      rasterizeMesh(mesh, { size: { across: 17, down: 13 } });
      return;
    }
    case 'project': {
      const { course, assets } = await readProject(bytes);
      const { across, down } = course.ground;
      if (across * down > SMALL) return;
      await evaluate(course, { kernels, everyLine: true, asset: async (sha) => assets.get(sha) ?? new Uint8Array(0), signal: AbortSignal.timeout(1500) }).catch(
        (error: unknown) => {
          if (!(error instanceof Error && error.name === 'StoppedError')) throw error;
        },
      );
      return;
    }
    case 'order': {
      requestFromBytes(bytes);
      let json: unknown;
      try {
        json = JSON.parse(new TextDecoder().decode(bytes));
      } catch {
        throw new UplandError('order', 'This is not an order: it is not JSON.');
      }
      const parsed = orderSchema.safeParse(json);
      if (parsed.success) planOf(makeCourse('a', makeGround({ width: 64, depth: 64, across: 9, down: 9, registration: 'point' })), parsed.data);
      return;
    }
    case 'question':
      asked(extractQuestion, new URL(`http://x/?${new TextDecoder().decode(bytes).replace(/#/g, '')}`));
  }
}

/** What is wrong with an error as a person would see it; undefined where it is as it should be. */
export function faultOf(error: unknown): string | undefined {
  if (!(error instanceof UplandError)) return `not an error of our own: ${error instanceof Error ? (error.stack ?? error.message) : String(error)}`;
  const { message } = error;
  if (!/[.?!]$/.test(message.trim())) return `no sentence: ${message.slice(0, 300)}`;
  if (message.length > 700) return `too long: ${message.slice(0, 300)}`;
  if (/[\0-\x1f\x7f]/.test(message)) return `bytes of the file stand in it: ${JSON.stringify(message.slice(0, 300))}`;
  return /\b(undefined|\[object)/.test(message) ? `words of the program stand in it: ${message.slice(0, 300)}` : undefined;
}
