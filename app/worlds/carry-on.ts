/** The ways from a sample to those beside it: those it shares an edge with first. */
const WAYS = [
  [1, 0],
  [-1, 0],
  [0, 1],
  [0, -1],
  [1, 1],
  [1, -1],
  [-1, 1],
  [-1, -1],
] as const;

/**
 * Heights of a square, `side` samples a side, in which some are NaN: those that lie beside one that is there go on with the slope of the two
 * before them, so that neither a wall nor a level rim is shaded. All others are `otherwise`.
 */
export function carriedOn(heights: Float32Array, side: number, otherwise: number): Float32Array<ArrayBuffer> {
  const at = (x: number, y: number) => (x >= 0 && y >= 0 && x < side && y < side ? heights[y * side + x] : NaN);
  const beside = (x: number, y: number): number => {
    for (const [dx, dy] of WAYS) {
      const [near, far] = [at(x + dx, y + dy), at(x + 2 * dx, y + 2 * dy)];
      if (near === near) return far === far ? 2 * near - far : near;
    }
    return otherwise;
  };
  return heights.map((height, i) => (height === height ? height : beside(i % side, Math.floor(i / side))));
}
