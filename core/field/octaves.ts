import { hash32 } from './hash';
import type { Octave } from '../kernels/programs/noise';

/** What a fractal's octaves are made from: the wavelength of the first, metres, and how the others follow. */
export interface Spectrum {
  feature: number;
  octaves: number;
  gain: number;
  lacunarity: number;
  seed: number;
}

/** The octaves that samples `spacing` metres apart can hold. */
export function octavesOf({ feature, octaves, gain, lacunarity, seed }: Spectrum, spacing: number): Octave[] {
  const list: Octave[] = [];
  let frequency = 1 / feature;
  let amplitude = 1;
  // Each octave turns by the 3-4-5 angle against the one before: no two share their axes.
  let cos = 0.8;
  let sin = 0.6;
  for (let i = 0; i < octaves; i++) {
    const samples = 1 / (frequency * spacing);
    const t = Math.min(1, Math.max(0, (samples - 2) / 2));
    const fade = t * t * (3 - 2 * t);
    if (fade === 0) break;
    const octaveSeed = hash32(seed, i);
    const offset = hash32(octaveSeed, 0x51ed) / 2 ** 32;
    list.push({ frequency, cos, sin, offset: offset * 512, weight: amplitude * fade, seed: octaveSeed | 0 });
    frequency *= lacunarity;
    amplitude *= gain;
    [cos, sin] = [cos * 0.8 - sin * 0.6, cos * 0.6 + sin * 0.8];
  }
  return list;
}
