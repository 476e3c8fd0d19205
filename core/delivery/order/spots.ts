import type { Order } from '../../course/recipe';
import type { Course } from '../../course/schema';
import type { Field } from '../../field/field';
import { spacingOf } from '../../field/ground';
import { CODES } from '../../formats/format';
import type { Prepared } from '../heights/prepare';
import type { DeliveryReport } from '../report/delivery-report';
import { planOf } from './plan';

/** The heights of spots: before the last change, now, and as the receiver gets them. */
export function spotsOf(course: Course, order: Order, field: Field, prepared: Prepared | undefined, before: Record<string, number>): DeliveryReport['spots'] {
  const own = planOf(course, order);
  const spacing = spacingOf(own.ground);
  const pad = own.ground.registration === 'area' ? 0.5 : 0;
  return course.spots.flatMap((spot) => {
    const column = Math.round(spot.east / spacing.x - pad) - own.window.left;
    const row = Math.round(spot.south / spacing.y - pad) - own.window.top;
    if (column < 0 || row < 0 || column >= field.ground.across || row >= field.ground.down) return [];
    const i = row * field.ground.across + column;
    const now = field.height[i] + field.ground.datum;
    let delivered = prepared ? prepared.field.height[i] + prepared.field.ground.datum : now;
    const codes = prepared && CODES[prepared.encoding.type];
    if (prepared?.encoding.range && codes) {
      const { low, high } = prepared.encoding.range;
      const step = (high - low) / (codes.max - codes.min);
      delivered = low + Math.min(codes.max - codes.min, Math.max(0, Math.round((delivered - low) / step))) * step;
    }
    return [{ name: spot.name, before: Number.isFinite(before[spot.id]) ? before[spot.id] : null, now, delivered }];
  });
}
