import type { Order, Place } from '@upland-cast/core';

export type Frame = NonNullable<Order['frame']>;

/** The ground that a part is taken of: its size and what is from sample to sample, metres. */
export interface Land {
  width: number;
  depth: number;
  spacing: { x: number; y: number };
}

/** Fewer samples than this a side are a slip of the hand. */
const LEAST = 2;

/**
 * The part between two corners, its edges on samples; a square one grows from the first corner as
 * far as the longer side, or as the ground goes. Null where it is too small to be meant.
 */
export function framed(from: Place, to: Place, { width, depth, spacing }: Land, square: boolean): Frame | null {
  const within = (v: number, most: number) => Math.min(most, Math.max(0, v));
  let [east, south] = [within(to.east, width), within(to.south, depth)];
  if (square) {
    const [right, down] = [east >= from.east, south >= from.south];
    const room = Math.min(right ? width - from.east : from.east, down ? depth - from.south : from.south);
    const side = Math.min(room, Math.max(Math.abs(east - from.east), Math.abs(south - from.south)));
    [east, south] = [from.east + (right ? side : -side), from.south + (down ? side : -side)];
  }
  const onSample = (v: number, step: number, most: number) => within(Math.round(v / step) * step, most);
  const west = onSample(Math.min(from.east, east), spacing.x, width);
  const north = onSample(Math.min(from.south, south), spacing.y, depth);
  const across = onSample(Math.abs(east - from.east), spacing.x, width - west);
  const down = onSample(Math.abs(south - from.south), spacing.y, depth - north);
  return across >= LEAST * spacing.x && down >= LEAST * spacing.y ? { west, north, width: across, depth: down } : null;
}

/** Places around a frame, close enough to follow the ground. */
export function outlineOf({ west, north, width, depth }: Frame, each = 24): Place[] {
  const corners: [number, number][] = [
    [0, 0],
    [1, 0],
    [1, 1],
    [0, 1],
  ];
  return corners.flatMap(([x, y], k) => {
    const [nextX, nextY] = corners[(k + 1) % 4];
    return Array.from({ length: each }, (_, i) => ({
      east: west + width * (x + ((nextX - x) * i) / each),
      south: north + depth * (y + ((nextY - y) * i) / each),
    }));
  });
}
