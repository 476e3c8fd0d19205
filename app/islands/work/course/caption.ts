import { JOIN_MODES, paramsOf, settingsOf, stepById, waitsForLine, type Course, type StepUse } from '@upland-cast/core';

/** A few words for a step's card: never none. */
export function captionOf(use: StepUse, course: Course): string {
  if (!use.on) return 'off';
  if (use.step === 'join') {
    const name = course.tributaries.find((t) => t.id === use.params.tributary)?.name ?? '?';
    return `${name} · ${JOIN_MODES[use.join]?.toLowerCase() ?? use.join}`;
  }
  try {
    if (waitsForLine(use)) return 'waits for its line';
    const step = stepById(use.step);
    const settings = settingsOf(use);
    const own = step.caption(settings as never);
    const file = fileOf(use, course);
    return [file, own].filter(Boolean).join(' · ') || changedIn(use, settings) || 'as it comes';
  } catch {
    return 'set wrong';
  }
}

/** The name of the one file that a step reads. */
function fileOf({ params, step }: StepUse, { assets }: Course): string {
  const asset = paramsOf(stepById(step).params).find(({ meta }) => meta.kind === 'asset');
  return asset ? (assets[String(params[asset.key])]?.name ?? '') : '';
}

/** The first setting that is not as it comes. */
function changedIn({ step }: StepUse, settings: Record<string, unknown>): string {
  for (const { key, meta, value } of paramsOf(stepById(step).params)) {
    const now = settings[key];
    if (meta.kind === 'hidden' || typeof now !== 'number' || now === value) continue;
    const shown = meta.kind === 'ratio' ? Math.round(100 * now) : Number(now.toPrecision(4));
    return `${meta.label.toLowerCase()} ${shown} ${meta.unit}`.trim();
  }
  return '';
}
