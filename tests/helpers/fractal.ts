import { fieldFrom, makeField, type Field, type Ground } from '@upland-cast/core';
import { random } from './grounds';

/** Fractal ground: octaves of gradient noise, each `gain` of the one before, the first `feature` metres long. Made for tests. */
export function fractal(ground: Ground, { seed = 1, height = 100, feature = ground.width / 3, gain = 0.5, octaves = 9 } = {}): Field {
  const next = random(seed);
  const angles = Float64Array.from({ length: 65_536 }, () => next() * 2 * Math.PI);
  const [cosines, sines] = [angles.map(Math.cos), angles.map(Math.sin)];
  const corner = (x: number, y: number, dx: number, dy: number, octave: number) => {
    const one = (((x * 374_761) ^ (y * 668_265) ^ (octave * 9176)) >>> 0) & 65_535;
    return cosines[one] * dx + sines[one] * dy;
  };
  const fade = (t: number) => t * t * t * (t * (t * 6 - 15) + 10);
  const noise = (u: number, v: number, octave: number) => {
    const [x, y] = [Math.floor(u), Math.floor(v)];
    const [dx, dy] = [u - x, v - y];
    const [fx, fy] = [fade(dx), fade(dy)];
    const top = corner(x, y, dx, dy, octave) * (1 - fx) + corner(x + 1, y, dx - 1, dy, octave) * fx;
    const bottom = corner(x, y + 1, dx, dy - 1, octave) * (1 - fx) + corner(x + 1, y + 1, dx - 1, dy - 1, octave) * fx;
    return top * (1 - fy) + bottom * fy;
  };
  return fieldFrom(ground, (east, south) => {
    let sum = 0;
    for (let o = 0; o < octaves; o++) sum += height * gain ** o * noise((east / feature) * 2 ** o, (south / feature) * 2 ** o, o);
    return 300 + sum;
  });
}

/**
 * Ground worn by running water: the stream power law, n = 1, worked from the outlets up
 * (Braun & Willett 2013), over fractal ground with uplift. Plain and small, for tests.
 */
export function eroded(ground: Ground, seed = 1, rounds = 60): Field {
  const field = fractal(ground, { seed, height: 30, gain: 0.6 });
  const { across } = ground;
  const spacing = ground.width / (across - 1);
  const h = Float64Array.from(field.height);
  const n = h.length;
  const receiver = new Int32Array(n);
  const length = new Float64Array(n);
  const edge = (i: number) => i < across || i >= n - across || i % across === 0 || i % across === across - 1;
  for (let round = 0; round < rounds; round++) {
    const order = Array.from({ length: n }, (_, i) => i).sort((a, b) => h[b] - h[a]);
    for (let i = 0; i < n; i++) {
      receiver[i] = i;
      if (edge(i)) continue;
      let best = 0;
      for (const [dx, dy] of [
        [-1, -1],
        [0, -1],
        [1, -1],
        [-1, 0],
        [1, 0],
        [-1, 1],
        [0, 1],
        [1, 1],
      ]) {
        const j = i + dy * across + dx;
        const far = spacing * Math.hypot(dx, dy);
        const slope = (h[i] - h[j]) / far;
        if (slope > best) [best, receiver[i], length[i]] = [slope, j, far];
      }
    }
    const area = new Float64Array(n).fill(spacing * spacing);
    for (const i of order) if (receiver[i] !== i) area[receiver[i]] += area[i];
    // A pit that nothing flows out of is not lifted, or it would grow into a needle.
    for (let i = 0; i < n; i++) if (!edge(i) && receiver[i] !== i) h[i] += 0.6;
    for (const i of order.reverse()) {
      if (receiver[i] === i) continue;
      const f = (0.09 * Math.sqrt(area[i])) / length[i];
      h[i] = (h[i] + f * h[receiver[i]]) / (1 + f);
    }
  }
  return makeField(ground, Float32Array.from(h));
}
