import type { z } from 'zod';
import { UplandError } from '../errors';
import type { Ground } from '../field/ground';
import { paramsOf, type ParamMeta } from '../steps/params';

/** Settings with the defaults filled in; a sentence names the one that is out of bounds. `whose` begins it. */
export function checkedSettings(whose: string, schema: z.ZodObject, params: Record<string, unknown>): Record<string, unknown> {
  const parsed = schema.safeParse(params);
  if (parsed.success) return parsed.data;
  const issue = parsed.error.issues[0];
  const key = String(issue.path[0] ?? '');
  const meta = schema.shape[key] && ((schema.shape[key] as z.ZodType).meta() as unknown as ParamMeta | undefined);
  const bounds = meta?.min !== undefined && meta.max !== undefined ? ` It takes ${meta.min} to ${meta.max}${meta.unit ? ` ${meta.unit}` : ''}.` : '';
  const given = JSON.stringify(params[key]) ?? 'left out';
  throw new UplandError('setting', `${whose}: "${meta?.label ?? key}" cannot be ${given.length > 60 ? `${given.slice(0, 60)}…` : given}.${bounds}`, { key });
}

/** Settings with elevations counted from the ground's datum. */
export function toDatum(schema: z.ZodObject, settings: Record<string, unknown>, { datum }: Ground): Record<string, unknown> {
  if (datum === 0) return settings;
  const moved = { ...settings };
  for (const { key, meta } of paramsOf(schema)) {
    if (meta.kind === 'elevation') moved[key] = (settings[key] as number) - datum;
    if (meta.kind === 'curve') moved[key] = (settings[key] as { from: number; to: number }[]).map(({ from, to }) => ({ from: from - datum, to: to - datum }));
  }
  return moved;
}

/** With the keys of every object in order, so that equal settings have equal text. */
export function canonical(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(canonical);
  if (value && typeof value === 'object') {
    return Object.fromEntries(
      Object.entries(value)
        .sort(([a], [b]) => (a < b ? -1 : 1))
        .map(([k, v]) => [k, canonical(v)]),
    );
  }
  return value;
}
