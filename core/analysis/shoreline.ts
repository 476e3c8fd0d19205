import type { Field } from '../field/field';
import { spacingOf } from '../field/ground';

/**
 * How long the line is along which the ground stands at an elevation (absolute), metres: the
 * straight pieces of marching squares (Lorensen & Cline 1987, in two dimensions), a saddle parted
 * by the mean of its corners.
 */
export function shorelineLength({ ground, height }: Field, level: number): number {
  const { across, down } = ground;
  const { x, y } = spacingOf(ground);
  const at = level - ground.datum;
  let length = 0;
  for (let row = 0; row + 1 < down; row++) {
    let rowLength = 0;
    for (let column = 0, i = row * across; column + 1 < across; column++, i++) {
      const [a, b, c, d] = [height[i] - at, height[i + 1] - at, height[i + across + 1] - at, height[i + across] - at];
      const kind = (a < 0 ? 8 : 0) | (b < 0 ? 4 : 0) | (c < 0 ? 2 : 0) | (d < 0 ? 1 : 0);
      if (kind === 0 || kind === 15) continue;
      // Where the line crosses the four sides, shares from north or west.
      const [north, east, south, west] = [a / (a - b), b / (b - c), d / (d - c), a / (a - d)];
      const piece = (dx: number, dy: number) => (rowLength += Math.sqrt(dx * dx * x * x + dy * dy * y * y));
      const low = kind === 5 || kind === 10 ? a + b + c + d < 0 : false;
      switch (kind) {
        case 1:
        case 14:
          piece(south, 1 - west);
          break;
        case 2:
        case 13:
          piece(1 - south, 1 - east);
          break;
        case 4:
        case 11:
          piece(1 - north, east);
          break;
        case 8:
        case 7:
          piece(north, west);
          break;
        case 3:
        case 12:
          piece(1, east - west);
          break;
        case 6:
        case 9:
          piece(south - north, 1);
          break;
        default:
          // Two corners across lie low: joined through the middle, or apart.
          if ((kind === 10) === low) {
            piece(1 - north, east);
            piece(south, 1 - west);
          } else {
            piece(north, west);
            piece(1 - south, 1 - east);
          }
      }
    }
    length += rowLength;
  }
  return length;
}
