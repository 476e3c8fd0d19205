import FFT from 'fft.js';
import type { Field } from '../field/field';
import { exactMath } from '../kernels/math';

export interface SpectrumPoint {
  /** Cycles per metre. */
  frequency: number;
  /** Mean power of the ring of frequencies, in the units of the transform's square. */
  power: number;
}

/** Rings between the frequency of four waves along the shorter side and 0.4 cycles a sample. */
const RINGS = 13;
const HIGHEST = 0.4;

/** A discrete Fourier transform of any length, in place over interleaved real and imaginary parts: Bluestein 1970, by way of a power of two. */
function transformOf(length: number): (line: Float64Array) => void {
  let size = 2;
  while (size < 2 * length - 1) size *= 2;
  const fft = new FFT(size);
  const { sin, cos } = exactMath();
  const chirp = new Float64Array(2 * length);
  for (let i = 0; i < length; i++) {
    // i² modulo 2·length, so that the angle stays small.
    const angle = (Math.PI * ((i * i) % (2 * length))) / length;
    chirp[2 * i] = cos(angle);
    chirp[2 * i + 1] = -sin(angle);
  }
  const filter = fft.createComplexArray();
  filter.fill(0);
  for (let i = 0; i < length; i++) {
    for (const at of i === 0 ? [0] : [i, size - i]) {
      filter[2 * at] = chirp[2 * i];
      filter[2 * at + 1] = -chirp[2 * i + 1];
    }
  }
  const filtered = fft.createComplexArray();
  fft.transform(filtered, filter);
  const [a, b] = [fft.createComplexArray(), fft.createComplexArray()];
  return (line) => {
    a.fill(0);
    for (let i = 0; i < length; i++) {
      const [re, im, c, s] = [line[2 * i], line[2 * i + 1], chirp[2 * i], chirp[2 * i + 1]];
      a[2 * i] = re * c - im * s;
      a[2 * i + 1] = re * s + im * c;
    }
    fft.transform(b, a);
    for (let i = 0; i < size; i++) {
      const [re, im, c, s] = [b[2 * i], b[2 * i + 1], filtered[2 * i], filtered[2 * i + 1]];
      b[2 * i] = re * c - im * s;
      b[2 * i + 1] = re * s + im * c;
    }
    fft.inverseTransform(a, b);
    for (let i = 0; i < length; i++) {
      const [re, im, c, s] = [a[2 * i], a[2 * i + 1], chirp[2 * i], chirp[2 * i + 1]];
      line[2 * i] = re * c - im * s;
      line[2 * i + 1] = re * s + im * c;
    }
  };
}

const hann = (count: number): Float64Array => {
  const { cos } = exactMath();
  return Float64Array.from({ length: count }, (_, i) => (count < 2 ? 1 : 0.5 - 0.5 * cos((2 * Math.PI * i) / (count - 1))));
};

/** Every row's transform under the window, for the frequencies up to the half: the other half mirrors it. */
function rowsTransformed(height: Float32Array, across: number, down: number): { re: Float64Array; im: Float64Array; half: number } {
  let mean = 0;
  for (const h of height) mean += h;
  mean /= height.length;
  const [wx, wy] = [hann(across), hann(down)];
  // Rows two at a time: one as the real part, one as the imaginary.
  const half = (across >> 1) + 1;
  const re = new Float64Array(half * down);
  const im = new Float64Array(half * down);
  const rows = transformOf(across);
  const line = new Float64Array(2 * across);
  for (let row = 0; row < down; row += 2) {
    for (let x = 0; x < across; x++) {
      line[2 * x] = (height[row * across + x] - mean) * wx[x] * wy[row];
      line[2 * x + 1] = row + 1 < down ? (height[(row + 1) * across + x] - mean) * wx[x] * wy[row + 1] : 0;
    }
    rows(line);
    for (let k = 0; k < half; k++) {
      const other = (across - k) % across;
      const [ar, ai, br, bi] = [line[2 * k], line[2 * k + 1], line[2 * other], line[2 * other + 1]];
      re[row * half + k] = (ar + br) / 2;
      im[row * half + k] = (ai - bi) / 2;
      if (row + 1 < down) {
        re[(row + 1) * half + k] = (ai + bi) / 2;
        im[(row + 1) * half + k] = (br - ar) / 2;
      }
    }
  }
  return { re, im, half };
}

/**
 * The two-dimensional power spectrum of a field's heights under a Hann window, as means over rings of
 * frequency, evenly spaced in its logarithm. `spacing` in metres. Fewer rings where some hold no frequency.
 */
export function powerSpectrum({ ground, height }: Field, spacing: number): SpectrumPoint[] {
  const { across, down } = ground;
  if (Math.min(across, down) < 16) return [];
  const { log, exp } = exactMath();
  const { re, im, half } = rowsTransformed(height, across, down);
  const lowest = log(4 / Math.min(across, down));
  const step = (log(HIGHEST) - lowest) / RINGS;
  const edges = Array.from({ length: RINGS + 1 }, (_, i) => exp(lowest + i * step));
  const sums = new Float64Array(RINGS);
  const counts = new Float64Array(RINGS);
  const columns = transformOf(down);
  const column = new Float64Array(2 * down);
  for (let k = 0; k < half; k++) {
    for (let row = 0; row < down; row++) {
      column[2 * row] = re[row * half + k];
      column[2 * row + 1] = im[row * half + k];
    }
    columns(column);
    const fx = k / across;
    // What is left out of the other half is the mirror of this one.
    const twice = k === 0 || 2 * k === across ? 1 : 2;
    for (let row = 0; row < down; row++) {
      const fy = (row <= (down - 1) >> 1 ? row : row - down) / down;
      const f = Math.sqrt(fx * fx + fy * fy);
      if (f < edges[0] || f >= edges[RINGS]) continue;
      let ring = Math.min(RINGS - 1, Math.floor((log(f) - lowest) / step));
      if (f < edges[ring]) ring--;
      else if (f >= edges[ring + 1]) ring++;
      sums[ring] += twice * (column[2 * row] * column[2 * row] + column[2 * row + 1] * column[2 * row + 1]);
      counts[ring] += twice;
    }
  }
  const points: SpectrumPoint[] = [];
  for (let i = 0; i < RINGS; i++) {
    if (counts[i] > 0) points.push({ frequency: Math.sqrt(edges[i] * edges[i + 1]) / spacing, power: sums[i] / counts[i] });
  }
  return points;
}

/** The slope of log power over log frequency by least squares; NaN for fewer than two points or where there is no power. */
export function spectralSlope(points: readonly SpectrumPoint[]): number {
  if (points.length < 2 || points.some((p) => !(p.power > 0))) return NaN;
  const { log } = exactMath();
  const logs = points.map((p) => ({ x: log(p.frequency), y: log(p.power) }));
  const [mx, my] = [logs.reduce((s, p) => s + p.x, 0) / logs.length, logs.reduce((s, p) => s + p.y, 0) / logs.length];
  return logs.reduce((s, p) => s + (p.x - mx) * (p.y - my), 0) / logs.reduce((s, p) => s + (p.x - mx) * (p.x - mx), 0);
}
