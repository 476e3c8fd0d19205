import { groundOf, hills } from './grounds';
import { type Encoding } from '../../core/delivery/heights/encode';
import { statistics } from '../../core/field/statistics';
import { CODES, SAMPLE_TYPES, type SampleType } from '../../core/formats/format';
import { formats } from '../../core/formats/index';

const field = hills(groundOf(37, 29, 8));

const { lowest, highest } = statistics(field);

export const rawSpecOf = (e: Encoding, across = 37, down = 29) =>
  e.format === 'raw'
    ? `raw:${e.type}:${e.options?.order ?? 'le'}:${across}x${down}${e.options?.skip ? `:skip=${e.options.skip}` : ''}${e.options?.rows === 'south' ? ':rows=south' : ''}`
    : e.format === 'packed'
      ? 'packed'
      : undefined;

export const encodingCases: Encoding[] = [
  ...formats
    .filter((f) => !f.sides)
    .flatMap((f) => f.writes.map((type): Encoding => ({ format: f.id, type, range: CODES[type] ? { low: lowest, high: highest } : undefined }))),
  ...SAMPLE_TYPES.map((type): Encoding => ({
    format: 'raw',
    type,
    range: CODES[type] ? { low: lowest, high: highest } : undefined,
    options: { order: 'be', rows: 'south', skip: 17 },
  })),
  ...(['f32', 'u16', 'u8', 's32', 'f64'] as SampleType[]).map((type): Encoding => ({
    format: 'tiff',
    type,
    range: CODES[type] ? { low: lowest, high: highest } : undefined,
    options: { compression: 'deflate' },
  })),
];
