/** How many samples of an apron lie beyond each side of a grid. */
export interface Apron {
  x: number;
  y: number;
}

interface Size {
  across: number;
  down: number;
}

/** The size of a grid with its apron. */
export const sizeWithApron = ({ across, down }: Size, { x, y }: Apron): Size => ({ across: across + 2 * x, down: down + 2 * y });

/** A grid's values with an apron: what lies beyond an edge is made from the edge's value and the one as far within. */
export function withApron(
  values: Float32Array,
  { across, down }: Size,
  { x, y }: Apron,
  beyond: (edge: number, within: number) => number,
): Float32Array<ArrayBuffer> {
  const wide = across + 2 * x;
  const out = new Float32Array(wide * (down + 2 * y));
  for (let row = 0; row < down; row++) {
    const from = row * across;
    const first = (row + y) * wide + x;
    const last = first + across - 1;
    out.set(values.subarray(from, from + across), first);
    for (let k = 1; k <= x; k++) {
      const inward = Math.min(k, across - 1);
      out[first - k] = beyond(out[first], out[first + inward]);
      out[last + k] = beyond(out[last], out[last - inward]);
    }
  }
  for (let k = 1; k <= y; k++) {
    const inward = Math.min(k, down - 1) * wide;
    const [top, foot] = [y * wide, (y + down - 1) * wide];
    for (let column = 0; column < wide; column++) {
      out[top - k * wide + column] = beyond(out[top + column], out[top + inward + column]);
      out[foot + k * wide + column] = beyond(out[foot + column], out[foot - inward + column]);
    }
  }
  return out;
}

/** The grid's own values out of those with an apron. */
export function withoutApron(values: Float32Array, { across, down }: Size, { x, y }: Apron): Float32Array<ArrayBuffer> {
  const wide = across + 2 * x;
  const out = new Float32Array(across * down);
  for (let row = 0; row < down; row++) {
    const first = (row + y) * wide + x;
    out.set(values.subarray(first, first + across), row * across);
  }
  return out;
}

/** Beyond an edge values stay as they are on it. */
export const asOnEdge = (edge: number): number => edge;

/** Beyond an edge ground goes on as it came (mirrored at the edge's value), nearing bounds that it does not pass. */
export const carriedOn =
  (lowest: number, highest: number) =>
  (edge: number, within: number): number => {
    const by = edge - within;
    const room = by > 0 ? highest - edge : edge - lowest;
    return room > 0 ? edge + by / (1 + Math.abs(by) / room) : edge;
  };
