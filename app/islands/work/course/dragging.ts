import { closestCenter, type CollisionDetection, type KeyboardCoordinateGetter } from '@dnd-kit/core';
import type { CoursePlace } from '../../../store/course';

/** With a pointer the gap nearest to it is meant, wherever the card was taken hold of; from the keyboard, the one nearest to the card. */
export const nearestGap: CollisionDetection = (args) => {
  const at = args.pointerCoordinates;
  return closestCenter(at ? { ...args, collisionRect: { left: at.x, right: at.x, top: at.y, bottom: at.y, width: 0, height: 0 } } : args);
};

/** From the keyboard a dragged card goes from gap to gap, never to the two beside where it stands. */
export const toNextGap: KeyboardCoordinateGetter = (event, { active, context }) => {
  const { collisionRect, droppableRects, droppableContainers } = context;
  const [along, across] = [
    event.code === 'ArrowRight' ? 1 : event.code === 'ArrowLeft' ? -1 : 0,
    event.code === 'ArrowDown' ? 1 : event.code === 'ArrowUp' ? -1 : 0,
  ];
  if (!collisionRect || (!along && !across)) return undefined;
  event.preventDefault();
  const own = context.active?.id === active ? (context.active.data.current as CoursePlace | undefined) : undefined;
  const middle = (r: { left: number; top: number; width: number; height: number }) => ({ x: r.left + r.width / 2, y: r.top + r.height / 2 });
  const here = middle(collisionRect);
  let best: { x: number; y: number; away: number } | undefined;
  for (const [id, rect] of droppableRects) {
    const to = droppableContainers.get(id)?.data.current as CoursePlace | undefined;
    if (!to || (own && to.line === own.line && (to.index === own.index || to.index === own.index + 1))) continue;
    const there = middle(rect);
    const [dx, dy] = [there.x - here.x, there.y - here.y];
    const away = along ? (Math.abs(dy) < 24 && dx * along > 4 ? Math.abs(dx) : Infinity) : dy * across > 24 ? Math.abs(dy) * 4 + Math.abs(dx) : Infinity;
    if (away < (best?.away ?? Infinity)) best = { ...there, away };
  }
  return best && { x: best.x - collisionRect.width / 2, y: best.y - collisionRect.height / 2 };
};
