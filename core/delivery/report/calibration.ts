import { fieldFrom } from '../../field/field';
import type { Ground } from '../../field/ground';

/** The strokes of a letter F that stands upright with north up: x and y in a square of 1, from its south-west corner. */
const LETTER: [number, number, number, number][] = [
  [0, 0, 0.22, 1],
  [0, 0.78, 0.75, 1],
  [0, 0.42, 0.58, 0.62],
];

/** Heights of the four corners, all different, metres over the floor: north-west, north-east, south-west, south-east. */
export const CORNERS = { northWest: 100, northEast: 70, southWest: 40, southEast: 10 };

/**
 * A ground to send through any receiver first: what arrives tells at a glance how it reads.
 *
 * From 0 to 100 m: a bank across the middle that rises evenly from west to east, a stair of
 * whole tens of metres beneath it, a letter that no mirror and no turn leaves alone, and pillars
 * of four different heights in the corners. Metres above the ground's datum.
 */
export function calibrationOn(ground: Ground): Float32Array<ArrayBuffer> {
  const { width, depth } = ground;
  return fieldFrom({ ...ground, datum: 0 }, (east, south) => {
    const [x, y] = [east / width, 1 - south / depth];
    const corner = (cx: number, cy: number) => Math.abs(x - cx) < 0.06 && Math.abs(y - cy) < 0.06;
    if (corner(0.08, 0.92)) return CORNERS.northWest;
    if (corner(0.92, 0.92)) return CORNERS.northEast;
    if (corner(0.08, 0.08)) return CORNERS.southWest;
    if (corner(0.92, 0.08)) return CORNERS.southEast;
    if (y > 0.34 && y < 0.46) return 100 * x;
    if (y > 0.2 && y < 0.32) return 10 * Math.floor(x * 10.999);
    const [u, v] = [(x - 0.34) / 0.32, (y - 0.54) / 0.38];
    if (LETTER.some(([left, foot, right, top]) => u >= left && u <= right && v >= foot && v <= top)) return 60;
    return 20;
  }).height.map((h) => h - ground.datum);
}
