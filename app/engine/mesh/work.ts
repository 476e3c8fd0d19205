import { throwIfStopped, type Course, type Field } from '@upland-cast/core';
import type { Tools } from '../export/export-service';

/** What the making, the measuring and the pressing of meshes is given. */
export interface MeshWork {
  tools: Tools;
  course: Course;
  field: Field;
  signal: AbortSignal;
  /** What is done, and the share of the whole that is behind it. */
  onWork: (words: string, share: number) => void;
}

/** Lets a wish to stop be heard between two pieces of work. */
export async function turn(signal: AbortSignal): Promise<void> {
  await new Promise((resolve) => setTimeout(resolve));
  throwIfStopped(signal);
}
