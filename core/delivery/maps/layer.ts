import type { Field } from '../../field/field';
import { statistics } from '../../field/statistics';
import { formatByName } from '../../formats';
import { deliver } from '../heights/deliver';

/** A layer (metres) as a file of the format that its name asks for: floats where the format has them, else codes over its own range. */
export async function writeLayer(layer: Field, name: string): Promise<Uint8Array<ArrayBuffer>> {
  const format = formatByName(name);
  const type = format.writes.includes('f32') && format.id !== 'png' ? 'f32' : format.writes[0];
  const { lowest, highest } = statistics(layer);
  const range = type === 'f32' ? undefined : { low: lowest, high: highest > lowest ? highest : lowest + 1 };
  return (await deliver(layer, name, { format: format.id, type, range })).bytes;
}
