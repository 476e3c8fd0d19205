import { describe, expect, it } from 'vitest';
import { groundOf } from '../../tests/helpers/grounds';
import { fieldFrom, makeField } from '../field/field';
import { hash32 } from '../field/hash';
import { powerSpectrum, spectralSlope } from './spectrum';

/** Sum by sum, as the transform is defined; the mean over the rings that the spectrum says it has. */
function byDefinition(height: Float32Array, across: number, down: number, frequencies: readonly number[]) {
  const mean = height.reduce((a, b) => a + b, 0) / height.length;
  const hann = (i: number, n: number) => 0.5 - 0.5 * Math.cos((2 * Math.PI * i) / (n - 1));
  const windowed = height.map((h, i) => (h - mean) * hann(i % across, across) * hann(Math.floor(i / across), down));
  // Thirteen rings from four waves along the shorter side to 0.4 cycles a sample.
  const ratio = (0.4 / (4 / Math.min(across, down))) ** (1 / 13);
  const sums = frequencies.map(() => ({ power: 0, count: 0 }));
  for (let v = 0; v < down; v++)
    for (let u = 0; u < across; u++) {
      const f = Math.hypot((u <= (across - 1) >> 1 ? u : u - across) / across, (v <= (down - 1) >> 1 ? v : v - down) / down);
      const ring = sums[frequencies.findIndex((middle) => f >= middle / Math.sqrt(ratio) && f < middle * Math.sqrt(ratio))];
      if (!ring) continue;
      let [re, im] = [0, 0];
      for (let y = 0; y < down; y++)
        for (let x = 0; x < across; x++) {
          const angle = 2 * Math.PI * ((u * x) / across + (v * y) / down);
          re += windowed[y * across + x] * Math.cos(angle);
          im -= windowed[y * across + x] * Math.sin(angle);
        }
      ring.power += re * re + im * im;
      ring.count++;
    }
  return sums.map(({ power, count }) => power / count);
}

describe('the power spectrum of heights', () => {
  it.each([
    [32, 32],
    [30, 27],
    [17, 24],
  ])('%i × %i is what the transform’s definition gives', (across, down) => {
    const height = Float32Array.from({ length: across * down }, (_, i) => 50 * Math.sin((i % across) / 3) + (60 * hash32(2, i)) / 2 ** 32);
    const points = powerSpectrum(makeField(groundOf(across, down, 1), height), 1);
    const truth = byDefinition(
      height,
      across,
      down,
      points.map((p) => p.frequency),
    );
    // Four waves along a side lie on the first ring's very edge: whether they belong to it is a matter of rounding.
    points.forEach(({ power }, k) => k > 0 && expect(Math.abs(power - truth[k]), String(k)).toBeLessThan(1e-3 * truth[k]));
  });

  it('has its peak where a wave is, in cycles per metre', () => {
    const [side, spacing] = [256, 5];
    for (const waves of [12, 40]) {
      const points = powerSpectrum(
        fieldFrom(groundOf(side, side, spacing), (east) => 10 * Math.sin((2 * Math.PI * waves * east) / (side * spacing))),
        spacing,
      );
      const peak = points.reduce((a, b) => (b.power > a.power ? b : a));
      expect(Math.abs(Math.log(peak.frequency / (waves / (side * spacing))))).toBeLessThan(0.2);
    }
  });

  it('is even for noise without memory, and falls by the power that it was made with', () => {
    const side = 256;
    const white = makeField(
      groundOf(side, side, 1),
      Float32Array.from({ length: side * side }, (_, i) => hash32(8, i) / 2 ** 32),
    );
    expect(Math.abs(spectralSlope(powerSpectrum(white, 1)))).toBeLessThan(0.15);
    // As many waves in every octave, as high as they are long: a ring has as many waves as the next, of a quarter of the places and four times the square.
    const sum = new Float32Array(side * side);
    for (let k = 0; k < 500; k++) {
      const f = (3 / side) * (0.45 / (3 / side)) ** (hash32(1, k) / 2 ** 32);
      const [turn, phase] = [(2 * Math.PI * hash32(2, k)) / 2 ** 32, (2 * Math.PI * hash32(3, k)) / 2 ** 32];
      const [x, y] = [2 * Math.PI * f * Math.cos(turn), 2 * Math.PI * f * Math.sin(turn)];
      for (let i = 0; i < sum.length; i++) sum[i] += Math.sin(x * (i % side) + y * Math.floor(i / side) + phase) / f;
    }
    expect(Math.abs(spectralSlope(powerSpectrum(makeField(groundOf(side, side, 1), sum), 1)) + 4)).toBeLessThan(0.5);
  });

  it('is none of a ground too small for four waves, and has no slope without power', () => {
    expect(
      powerSpectrum(
        fieldFrom(groundOf(15, 40, 1), () => 1),
        1,
      ),
    ).toEqual([]);
    expect(
      spectralSlope(
        powerSpectrum(
          fieldFrom(groundOf(40, 40, 1), () => 7),
          1,
        ),
      ),
    ).toBeNaN();
    expect(spectralSlope([{ frequency: 1, power: 2 }])).toBeNaN();
    expect(
      spectralSlope([
        { frequency: 0.01, power: 1000 },
        { frequency: 0.1, power: 1 },
      ]),
    ).toBeCloseTo(-3, 9);
  });
});
