export type OutlineSide = 'south' | 'north' | 'west' | 'east';

/** The outline of a ground against the sky, seen level from a side, left to right: the highest of every line of sight, metres. */
export function outlineOf(height: Float32Array, across: number, down: number, from: OutlineSide): Float32Array {
  const alongRows = from === 'south' || from === 'north';
  const out = new Float32Array(alongRows ? across : down).fill(-Infinity);
  for (let row = 0; row < down; row++) {
    for (let column = 0; column < across; column++) {
      const k = alongRows ? column : row;
      const h = height[row * across + column];
      if (h > out[k]) out[k] = h;
    }
  }
  // Seen from the north the east lies at the left hand, from the east the south.
  return from === 'north' || from === 'east' ? out.reverse() : out;
}
