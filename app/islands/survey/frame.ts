import { COUNTRY } from '@upland-cast/core';

/** A part of the country, metres east and south of its north-west corner. */
export interface Frame {
  east: number;
  south: number;
  width: number;
  depth: number;
}

export const WHOLE_COUNTRY: Frame = { east: 0, south: 0, width: COUNTRY.width, depth: COUNTRY.depth };

/** The frame at whole samples, inside the country; two samples a side at the least. */
export function keptFrame(frame: Frame, spacing: number): Frame {
  const whole = (metres: number) => Math.round(metres / spacing) * spacing;
  const width = Math.min(COUNTRY.width, Math.max(2 * spacing, whole(frame.width)));
  const depth = Math.min(COUNTRY.depth, Math.max(2 * spacing, whole(frame.depth)));
  const east = Math.min(COUNTRY.width - width, Math.max(0, whole(frame.east)));
  const south = Math.min(COUNTRY.depth - depth, Math.max(0, whole(frame.south)));
  return { east, south, width, depth };
}

export const CORNERS = ['north-west', 'north-east', 'south-east', 'south-west'] as const;
/** A frame is dragged no smaller than this, metres. */
const LEAST = 180;

/** The frame with a corner dragged to a place: the opposite one stays. `locked`: width and depth keep their ratio. */
export function withCornerAt(frame: Frame, corner: (typeof CORNERS)[number], x: number, y: number, locked: boolean): Frame {
  const west = corner.endsWith('west');
  const north = corner.startsWith('north');
  const fixed = { x: west ? frame.east + frame.width : frame.east, y: north ? frame.south + frame.depth : frame.south };
  let width = Math.max(LEAST, west ? fixed.x - x : x - fixed.x);
  let depth = Math.max(LEAST, north ? fixed.y - y : y - fixed.y);
  const keepRatio = (by: number) => ([width, depth] = [frame.width * by, frame.depth * by]);
  if (locked) keepRatio(Math.max(width / frame.width, depth / frame.depth));
  width = Math.min(width, west ? fixed.x : COUNTRY.width - fixed.x);
  depth = Math.min(depth, north ? fixed.y : COUNTRY.depth - fixed.y);
  if (locked) keepRatio(Math.min(width / frame.width, depth / frame.depth));
  return { east: west ? fixed.x - width : fixed.x, south: north ? fixed.y - depth : fixed.y, width, depth };
}

/** As the survey is asked for it. */
export const query = (frame: Frame): string => new URLSearchParams(Object.entries(frame).map(([k, v]) => [k, String(Math.round(v))])).toString();
