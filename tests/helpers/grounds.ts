import { fieldFrom, makeGround, type Field, type Ground, type Registration } from '@upland-cast/core';

/** A ground of `across` × `down` samples, `spacing` metres apart. */
export function groundOf(across: number, down = across, spacing = 10, registration: Registration = 'point', datum = 0): Ground {
  const steps = (n: number) => (registration === 'point' ? Math.max(1, n - 1) : n);
  return makeGround({ width: steps(across) * spacing, depth: steps(down) * spacing, across, down, registration, datum });
}

/** A small generator for made-up test grounds: the same numbers for the same seed, in any order of tests. */
export function random(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 2 ** 32;
  };
}

/** Hills of three sizes with a little roughness, metres; not symmetric in any direction. */
export function hills(ground: Ground, seed = 1, height = 300): Field {
  const next = random(seed);
  const waves = Array.from({ length: 9 }, (_, i) => ({
    kx: ((next() - 0.5) * 2 ** (i / 2) * 14) / ground.width,
    ky: ((next() - 0.5) * 2 ** (i / 2) * 14) / ground.depth,
    phase: next() * 6.28,
    size: height / 2 ** (i / 2 + 1.5),
  }));
  const rough = random(seed + 99);
  return fieldFrom(
    ground,
    (east, south) => 500 + waves.reduce((sum, w) => sum + w.size * Math.sin(w.kx * east * 6.28 + w.ky * south * 6.28 + w.phase), 0) + rough() * 0.5,
  );
}

/** Unrelated heights sample by sample. */
export function noiseField(ground: Ground, seed = 1, low = 0, high = 1): Field {
  const next = random(seed);
  return fieldFrom(ground, () => low + next() * (high - low));
}

export const range = (values: ArrayLike<number>): [number, number] => {
  let [low, high] = [Infinity, -Infinity];
  for (let i = 0; i < values.length; i++) {
    low = Math.min(low, values[i]);
    high = Math.max(high, values[i]);
  }
  return [low, high];
};

export const largestDifference = (a: ArrayLike<number>, b: ArrayLike<number>): number => {
  let worst = 0;
  for (let i = 0; i < a.length; i++) worst = Math.max(worst, Math.abs(a[i] - b[i]));
  return worst;
};

/** The first of `n` places where something does not hold; −1 where it holds at all of them. An `expect` a sample takes minutes. */
export function firstWrong(n: number, holds: (i: number) => boolean): number {
  for (let i = 0; i < n; i++) if (!holds(i)) return i;
  return -1;
}
