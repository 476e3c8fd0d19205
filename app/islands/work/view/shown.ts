import type { ParamMeta } from '@upland-cast/core';

/** Whether a setting means anything beside what the others are set to. */
export const isShown = (meta: ParamMeta, settings: Record<string, unknown>): boolean =>
  Object.entries(meta.when ?? {}).every(([key, values]) => values.includes(settings[key])) &&
  Object.entries(meta.below ?? {}).every(([key, bound]) => Number(settings[key]) < bound);
