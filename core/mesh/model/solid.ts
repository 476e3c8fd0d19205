import { UplandError } from '../../errors';
import type { Field } from '../../field/field';
import { spacingOf } from '../../field/ground';
import type { Mesh } from '../mesh';

export interface SolidOptions {
  /** The model is 1 : `scale` of the ground. */
  scale: number;
  /** Millimetres from the underside to the ground's lowest point. */
  base: number;
  /** Heights are multiplied by this first. */
  exaggeration?: number;
}

/** The most vertices that a solid is made with. */
const MOST_VERTICES = 20_000_000;

/**
 * A closed solid of a ground for printing: its surface, four walls and a flat underside, in
 * millimetres, z up, north along +y. Every edge has exactly two triangles, wound outwards.
 */
export function solidOf(field: Field, { scale, base, exaggeration = 1 }: SolidOptions): Mesh {
  const { ground, height, valid } = field;
  const { across, down } = ground;
  if (across < 2 || down < 2) throw new UplandError('solid', 'A solid needs two samples each way at least.');
  if (valid?.includes(0)) throw new UplandError('no-data', 'This ground has samples without a height, and a solid cannot have holes. Fill them first.');
  if (2 * across * down > MOST_VERTICES)
    throw new UplandError(
      'solid',
      `A solid of ${across} × ${down} samples is too heavy. Choose fewer samples: a printer resolves a tenth of a millimetre or so.`,
    );
  const spacing = spacingOf(ground);
  const millimetres = 1000 / scale;
  let lowest = Infinity;
  for (const h of height) if (h < lowest) lowest = h;
  const top = across * down;
  // The underside has the vertices of the surface, so that no wall meets it within an edge.
  const positions = new Float32Array(3 * 2 * top);
  for (let row = 0, i = 0; row < down; row++) {
    for (let column = 0; column < across; column++, i++) {
      const x = column * spacing.x * millimetres;
      const y = (down - 1 - row) * spacing.y * millimetres;
      positions.set([x, y, base + (height[i] - lowest) * exaggeration * millimetres], 3 * i);
      positions.set([x, y, 0], 3 * (top + i));
    }
  }
  const quads = (across - 1) * (down - 1);
  const walls = 2 * (across - 1) + 2 * (down - 1);
  const indices = new Uint32Array(3 * (4 * quads + 2 * walls));
  let at = 0;
  const triangle = (a: number, b: number, c: number) => {
    indices[at++] = a;
    indices[at++] = b;
    indices[at++] = c;
  };
  for (let row = 0; row + 1 < down; row++) {
    for (let column = 0; column + 1 < across; column++) {
      const nw = row * across + column;
      const [ne, sw, se] = [nw + 1, nw + across, nw + across + 1];
      triangle(nw, sw, ne);
      triangle(ne, sw, se);
      triangle(top + nw, top + ne, top + sw);
      triangle(top + ne, top + se, top + sw);
    }
  }
  /** A wall between two neighbours on the rim, seen from outside with `a` to the left. */
  const wall = (a: number, b: number) => {
    triangle(top + a, top + b, a);
    triangle(a, top + b, b);
  };
  const last = (down - 1) * across;
  for (let column = 0; column + 1 < across; column++) {
    wall(column + 1, column);
    wall(last + column, last + column + 1);
  }
  for (let row = 0; row + 1 < down; row++) {
    wall(row * across, (row + 1) * across);
    wall((row + 1) * across + across - 1, row * across + across - 1);
  }
  return { positions, indices, corners: 3, up: 'z' };
}
