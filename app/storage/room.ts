import { sentenceOf } from '@upland-cast/core';

/** Whether what was thrown says that the browser gives no more room. Dexie puts the reason inside of its own errors. */
export function isFull(error: unknown): boolean {
  if (!(error instanceof Error)) return false;
  const { inner } = error as { inner?: unknown };
  return /quota/i.test(`${error.name} ${error.message}`) || (inner !== undefined && inner !== error && isFull(inner));
}

/** What storage threw, for a person. */
export function storageSentence(error: unknown): string {
  if (isFull(error)) return 'This browser has no room left. Save project files of what you need, remove terrains, and try again.';
  return sentenceOf(error);
}
