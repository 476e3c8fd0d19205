import type { MapSpec, Order } from '../../course/recipe';
import { findUse, type Course } from '../../course/schema';
import { stepById } from '../../steps';
import { fileNameFor, safeName } from '../heights/receivers';
import { MAPS } from '../maps/draw';
import type { Plan } from './plan';

/** What tells the file of a map from those of the others: its kind, a mask's step, and a number where that is taken. */
export function mapName(spec: MapSpec, course: Course, taken: Set<string>): string {
  const use = spec.kind === 'mask' && findUse(course, spec.use)?.use;
  const own = spec.kind === 'layer' ? spec.layer : use ? `mask-${safeName(use.name || stepById(use.step).title)}` : MAPS[spec.kind].file;
  let name = own;
  for (let n = 2; taken.has(name); n++) name = `${own}-${n}`;
  taken.add(name);
  return name;
}

/** A file name without its ending. */
export const stemOf = (name: string) => name.replace(/\.[A-Za-z0-9]{1,5}$/, '').replace(/\.packed$/, '');

/** What the heights of an order are called by its receiver's rule. */
export const nameOf = (order: Order, terrain: string, { window }: Plan) =>
  fileNameFor(order.receiver, terrain, Math.max(window.across, window.down), order.height.format, order.height.type);
