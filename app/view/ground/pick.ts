import type { Ground } from '@upland-cast/core';

export interface HeightSource {
  ground: Ground;
  /** Metres above the datum. */
  height: Float32Array;
}

/** Height above the datum at a place in metres, bilinear; beyond the samples the outer value carries on. */
export function heightAt({ ground, height }: HeightSource, east: number, south: number): number {
  const { across, down, width, depth, registration } = ground;
  const pad = registration === 'area' ? 0.5 : 0;
  const steps = (n: number) => (registration === 'area' ? n : Math.max(1, n - 1));
  const x = Math.min(across - 1, Math.max(0, (east / width) * steps(across) - pad));
  const y = Math.min(down - 1, Math.max(0, (south / depth) * steps(down) - pad));
  const x0 = Math.floor(x);
  const y0 = Math.floor(y);
  const x1 = Math.min(across - 1, x0 + 1);
  const y1 = Math.min(down - 1, y0 + 1);
  const u = x - x0;
  const v = y - y0;
  const north = height[y0 * across + x0] * (1 - u) + height[y0 * across + x1] * u;
  const south2 = height[y1 * across + x0] * (1 - u) + height[y1 * across + x1] * u;
  return north * (1 - v) + south2 * v;
}

/** Metres of water over a place of the ground: 0 where it is dry, or a stream too narrow to have a depth runs. */
export function depthAt({ ground }: HeightSource, water: Float32Array, east: number, south: number): number {
  return water.length === ground.across * ground.down ? Math.max(0, heightAt({ ground, height: water }, east, south)) : 0;
}

/** What is seen over the ground: its sea, and the water on its samples where that is known. */
export interface ShownWater {
  depths: Float32Array | null;
}

/** The height of what is seen at a place, metres above the datum: the ground, or the water over it. */
export function surfaceAt(source: HeightSource, water: ShownWater | null, east: number, south: number): number {
  const level = heightAt(source, east, south);
  if (!water) return level;
  const { ground } = source;
  return Math.max(level + (water.depths ? depthAt(source, water.depths, east, south) : 0), ground.sea - ground.datum);
}

/** Whether the sample nearest a place has no height. */
export function isHole({ ground, valid }: HeightSource & { valid?: Uint8Array }, east: number, south: number): boolean {
  if (!valid) return false;
  const pad = ground.registration === 'area' ? 0.5 : 0;
  const at = (place: number, length: number, count: number) =>
    Math.min(count - 1, Math.max(0, Math.round((place / length) * (ground.registration === 'area' ? count : Math.max(1, count - 1)) - pad)));
  return valid[at(south, ground.depth, ground.down) * ground.across + at(east, ground.width, ground.across)] === 0;
}

/** Slope in degrees at a place, over one sample either way. */
export function slopeAt(source: HeightSource, east: number, south: number): number {
  const { width, depth, across, down } = source.ground;
  const dx = width / across;
  const dy = depth / down;
  const gx = (heightAt(source, east + dx, south) - heightAt(source, east - dx, south)) / (2 * dx);
  const gy = (heightAt(source, east, south + dy) - heightAt(source, east, south - dy)) / (2 * dy);
  return (Math.atan(Math.hypot(gx, gy)) * 180) / Math.PI;
}

/** The stretch of a ray that lies over the ground's square; null where none does. */
function stretchOver(
  { ground: { width, depth } }: HeightSource,
  origin: [number, number, number],
  direction: [number, number, number],
): { from: number; to: number } | null {
  let from = 0;
  let to = Infinity;
  for (const [o, d, half] of [
    [origin[0], direction[0], width / 2],
    [origin[2], direction[2], depth / 2],
  ]) {
    if (Math.abs(d) < 1e-12) {
      if (Math.abs(o) > half) return null;
      continue;
    }
    const a = (-half - o) / d;
    const b = (half - o) / d;
    from = Math.max(from, Math.min(a, b));
    to = Math.min(to, Math.max(a, b));
  }
  if (!(to > from) || to === Infinity) {
    if (to === Infinity && Math.abs(direction[1]) > 0.99) to = from + 1e6;
    else return null;
  }
  return { from, to };
}

/**
 * Where a ray meets the ground, as metres east and south; null when it misses. `origin` and
 * `direction` in the view's space: x east and z south of the middle, y up from `middle` and
 * multiplied by `exaggeration`.
 */
export function pick(
  source: HeightSource,
  origin: [number, number, number],
  direction: [number, number, number],
  middle: number,
  exaggeration: number,
  floor = -Infinity,
): { east: number; south: number } | null {
  const { width, depth, across } = source.ground;
  const at = (t: number) => ({
    east: origin[0] + t * direction[0] + width / 2,
    south: origin[2] + t * direction[2] + depth / 2,
    y: origin[1] + t * direction[1],
  });
  const stretch = stretchOver(source, origin, direction);
  if (!stretch) return null;
  const { from, to } = stretch;
  const above = (t: number) => {
    const p = at(t);
    return p.y - (Math.max(floor, heightAt(source, p.east, p.south)) - middle) * exaggeration;
  };
  const plan = Math.hypot(direction[0], direction[2]);
  if (plan < 1e-6) {
    const p = at(from);
    return { east: p.east, south: p.south };
  }
  const step = width / across / plan;
  let before = from;
  if (above(from) < 0) return null;
  for (let t = from + step; t < to + step; t += step) {
    const now = Math.min(t, to);
    if (above(now) <= 0) {
      let a = before;
      let b = now;
      for (let k = 0; k < 24; k++) {
        const m = (a + b) / 2;
        if (above(m) > 0) a = m;
        else b = m;
      }
      const p = at(b);
      return { east: p.east, south: p.south };
    }
    before = now;
  }
  return null;
}
