import { UplandError } from '../errors';

/** A place on the ground, metres east and south of its north-west corner. */
export interface Place {
  east: number;
  south: number;
}

/** A place along a line, with its distance from the line's beginning. */
export interface Vertex extends Place {
  along: number;
}

/**
 * A smooth line through points (Catmull & Rom 1974) as straight pieces of about `step` metres.
 * Refuses fewer than two different points.
 */
export function splineThrough(points: readonly Place[], step: number): Vertex[] {
  const kept = points.filter((p, i) => i === 0 || p.east !== points[i - 1].east || p.south !== points[i - 1].south);
  if (kept.length < 2) {
    throw new UplandError('line-points', `This line has ${kept.length === 1 ? 'one point' : 'no points'}; it needs two at least. Draw it on the plan.`);
  }
  const at = (i: number) => kept[Math.max(0, Math.min(kept.length - 1, i))];
  const out: Vertex[] = [{ ...kept[0], along: 0 }];
  for (let i = 0; i + 1 < kept.length; i++) {
    const [a, b, c, d] = [at(i - 1), at(i), at(i + 1), at(i + 2)];
    const straight = Math.sqrt((c.east - b.east) * (c.east - b.east) + (c.south - b.south) * (c.south - b.south));
    const parts = Math.max(1, Math.min(400, Math.ceil((1.2 * straight) / step)));
    for (let k = 1; k <= parts; k++) {
      const t = k / parts;
      const place = { east: catmullRom(a.east, b.east, c.east, d.east, t), south: catmullRom(a.south, b.south, c.south, d.south, t) };
      const last = out[out.length - 1];
      const x = place.east - last.east;
      const y = place.south - last.south;
      out.push({ ...place, along: last.along + Math.sqrt(x * x + y * y) });
    }
  }
  return out;
}

function catmullRom(a: number, b: number, c: number, d: number, t: number): number {
  return b + 0.5 * t * (c - a + t * (2 * a - 5 * b + 4 * c - d + t * (3 * (b - c) + d - a)));
}

/** The nearest place of a straight piece: squared distance, and the share of the way along the piece. */
export function nearestOn(a: Place, b: Place, east: number, south: number): { squared: number; share: number } {
  const x = b.east - a.east;
  const y = b.south - a.south;
  const length = x * x + y * y;
  let share = length > 0 ? ((east - a.east) * x + (south - a.south) * y) / length : 0;
  share = share < 0 ? 0 : share > 1 ? 1 : share;
  const dx = east - a.east - share * x;
  const dy = south - a.south - share * y;
  return { squared: dx * dx + dy * dy, share };
}
