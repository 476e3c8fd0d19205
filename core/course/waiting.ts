import { stepById } from '../steps';
import { isShown, paramsOf } from '../steps/params';
import { settingsOf, type StepUse } from './schema';

/** Whether a step waits for a line or an outline that nobody has drawn yet, or not far enough to be one. Settings that do not hold wait for nothing. */
export function waitsForLine(use: StepUse): boolean {
  try {
    const settings = settingsOf(use) as Record<string, unknown>;
    return paramsOf(stepById(use.step).params).some(
      ({ key, meta }) => meta.kind === 'line' && isShown(meta, settings) && ((settings[key] as unknown[] | undefined)?.length ?? 0) < (meta.closed ? 3 : 2),
    );
  } catch {
    return false;
  }
}
