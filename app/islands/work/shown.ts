import type { ParamMeta } from '@upland-cast/core';

/** Whether a setting is shown, given the others: some belong to one choice only. */
export const isShown = (meta: ParamMeta, settings: Record<string, unknown>): boolean =>
  !meta.when || Object.entries(meta.when).every(([key, values]) => values.includes(settings[key]));
