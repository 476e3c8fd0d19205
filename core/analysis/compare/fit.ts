import FFT from 'fft.js';
import { cooperativeYield } from '../../cooperative-yield';
import type { Field } from '../../field/field';
import { exactMath } from '../../kernels/math';
import { bySize, byCorner, cubicWeights, groundTurnedBack, ORIENTATIONS, turnedBack, type Orientation, type Placement } from './placement';

/** What brings B nearest A. */
export interface Fit {
  placement: Placement;
  /** What is at a place of A is found so many of A's samples further east and south in B, laid by its size or its corner. */
  shift: { east: number; south: number };
  /** B was found by its samples' size, as a piece of A or more than it, and not stretched to A's extent. */
  cut: boolean;
  /** B's heights are A's times `scale`, plus `lift` metres. */
  scale: number;
  lift: number;
  /** Pearson's correlation of the heights, laid so. */
  correlation: number;
  /** The share of A that B lies over. */
  overlap: number;
}

/** Samples of a grid, averaged over squares of `factor` of them. */
interface Reduced {
  across: number;
  down: number;
  factor: number;
  height: Float64Array;
  /** The share of each square that has a height. */
  known: Float64Array;
}

/** Samples along the longer side at which orientations and shifts are looked for. */
const COARSE = 96;
/** And those of the finest grid that a shift is refined on. */
const FINEST = 1400;
/** So little of the smaller one may lie on the other. */
const LEAST_OVERLAP = 0.2;
/** How much of a cross-power spectrum's size is taken away: 1 is phase correlation alone. */
const WHITENED = 0.8;
/** A turn or flip is believed when it fits better than none by this. */
const TURN_MARGIN = 0.004;
/** At most so many places are looked at in a round of the last refinement. */
const MOST_PLACES = 160_000;

/**
 * Finds the turn or flip, the shift in plan (to a part of a sample), and the scale and shift in height that bring B nearest A. Coarsely by phase
 * correlation of the gradients (Kuglin & Hines 1975; gradients after Tzimiropoulos et al. 2010), in every orientation, both stretched to A's
 * extent and at the samples' own size; then by least squares on finer and finer grids (Lucas & Kanade 1981).
 */
export async function fitTo(a: Field, b: Field, { signal, metres = false }: { signal?: AbortSignal; metres?: boolean } = {}): Promise<Fit> {
  const rest = cooperativeYield(signal);
  const longA = Math.max(a.ground.across, a.ground.down);
  const factor = Math.max(1, Math.ceil(longA / COARSE));
  const coarseA = reduce(a, factor);
  let best: (Fit & { score: number }) | null = null;
  // B is averaged once for a pitch, and turned as small as that.
  const reduced = new Map<number, Reduced>();
  const reducedB = (by: number) => reduced.get(by) ?? (reduced.set(by, reduce(b, by)), reduced.get(by)!);
  for (const orientation of ORIENTATIONS) {
    const ground = groundTurnedBack(b.ground, orientation);
    const same = a.ground.across === ground.across && a.ground.down === ground.down;
    for (const cut of same ? [false] : [false, true]) {
      const pause = rest();
      if (pause) await pause;
      const laid = cut ? byCorner(a.ground, ground, metres) : bySize(a.ground, ground);
      const own = reducedB(Math.max(1, Math.round(factor * Math.min(laid.scaleX, laid.scaleY))));
      const found = coarseShift(coarseA, turnedReduced(own, orientation), laid, orientation, cut);
      if (!found) continue;
      const handicap = orientation === 'none' ? 0 : TURN_MARGIN;
      if (!best || found.score - handicap > best.score - (best.placement.orientation === 'none' ? 0 : TURN_MARGIN)) best = found;
    }
  }
  if (!best) return nothing(a, b);
  const back = turnedBack(b, best.placement.orientation);
  let fit: Fit = best;
  // A tenth of a sample is told on squares of a few.
  const finest = Math.max(1, Math.ceil(longA / FINEST));
  for (const finer of new Set([factor, Math.max(finest, Math.ceil(factor / 3)), finest])) {
    const pause = rest();
    if (pause) await pause;
    fit = refine(a, back, fit, finer, true);
  }
  const laid = fit.cut ? byCorner(a.ground, back.ground, metres) : bySize(a.ground, back.ground);
  const shift = {
    east: (fit.placement.offsetX - laid.offsetX) / fit.placement.scaleX,
    south: (fit.placement.offsetY - laid.offsetY) / fit.placement.scaleY,
  };
  return { ...fit, shift };
}

function nothing(a: Field, b: Field): Fit {
  const placement: Placement = { orientation: 'none', ...bySize(a.ground, b.ground) };
  return { placement, shift: { east: 0, south: 0 }, cut: false, scale: 1, lift: 0, correlation: 0, overlap: 0 };
}

/** A reduced grid as it would be without B's turn or flip. */
function turnedReduced(of: Reduced, orientation: Orientation): Reduced {
  if (orientation === 'none') return of;
  const ground = { width: of.across, depth: of.down, across: of.across, down: of.down, registration: 'area' as const, datum: 0, sea: 0 };
  const turned = (values: Float64Array) => turnedBack({ ground, height: Float32Array.from(values) }, orientation);
  const height = turned(of.height);
  return {
    ...of,
    across: height.ground.across,
    down: height.ground.down,
    height: Float64Array.from(height.height),
    known: Float64Array.from(turned(of.known).height),
  };
}

function reduce({ ground, height, valid }: Field, factor: number): Reduced {
  const [across, down] = [Math.max(1, Math.floor(ground.across / factor)), Math.max(1, Math.floor(ground.down / factor))];
  const out = new Float64Array(across * down);
  const known = new Float64Array(across * down);
  for (let row = 0; row < down * factor && row < ground.down; row++) {
    addRow(height, valid, row * ground.across, ground.across, factor, out, known, Math.floor(row / factor) * across, across);
  }
  for (let j = 0; j < out.length; j++) {
    if (known[j] > 0) out[j] /= known[j];
    known[j] /= factor * factor;
  }
  return { across, down, factor, height: out, known };
}

/** Adds a row of samples to the squares that it lies in. */
function addRow(
  height: Float32Array,
  valid: Uint8Array | undefined,
  from: number,
  long: number,
  factor: number,
  out: Float64Array,
  known: Float64Array,
  to: number,
  across: number,
): void {
  for (let j = 0; j < across; j++) {
    const begin = j * factor;
    const end = Math.min(long, begin + factor);
    let sum = 0;
    let count = 0;
    for (let i = from + begin; i < from + end; i++) {
      if (valid !== undefined && valid[i] === 0) continue;
      sum += height[i];
      count++;
    }
    out[to + j] += sum;
    known[to + j] += count;
  }
}

/** Smoothed by a sample or so: else noise would be least, and so fit best, half way between samples, where interpolation softens it. */
function softened(of: Reduced): Reduced {
  const { across, down, known } = of;
  let height = of.height;
  for (let round = 0; round < 2; round++) {
    for (const [step, long] of [
      [1, across],
      [across, down],
    ]) {
      const out = height.slice();
      for (let i = 0; i < out.length; i++) {
        const at = step === 1 ? i % across : Math.floor(i / across);
        if (known[i] < 0.5) continue;
        const before = at > 0 && known[i - step] >= 0.5 ? height[i - step] : height[i];
        const after = at < long - 1 && known[i + step] >= 0.5 ? height[i + step] : height[i];
        out[i] = 0.25 * before + 0.5 * height[i] + 0.25 * after;
      }
      height = out;
    }
  }
  return { ...of, height };
}

/** A reduced grid's samples where another's lie: middles of squares on each other. */
const toReduced = (from: Reduced, to: Reduced, scale: number, offset: number) => ({
  scale: (scale * from.factor) / to.factor,
  offset: (scale * ((from.factor - 1) / 2) + offset - (to.factor - 1) / 2) / to.factor,
});

/** The best shift of B in one orientation, on coarse grids. */
function coarseShift(a: Reduced, own: Reduced, laid: Omit<Placement, 'orientation'>, orientation: Orientation, cut: boolean): (Fit & { score: number }) | null {
  // B at A's coarse pitch.
  const [x, y] = [toReduced(a, own, laid.scaleX, 0), toReduced(a, own, laid.scaleY, 0)];
  const b = rescaled(own, x.scale, y.scale);
  let size = 16;
  while (size < Math.max(a.across, a.down) + Math.max(b.across, b.down)) size *= 2;
  if (size > 1024) return null;
  const peak = phasePeak(gradients(a, size), gradients(b, size), size);
  let best: (Fit & { score: number }) | null = null;
  for (const [dx, dy] of [[0, 0], peak]) {
    const measured = correlationAt(a, b, dx, dy);
    if (!measured) continue;
    const { correlation, scale, lift, overlap, share } = measured;
    const score = Math.abs(correlation) * (1 - 0.25 * (1 - share));
    // A whole shift of coarse squares, as an offset among B's samples.
    const offset = (from: number, step: number, base: number) => base + from * a.factor * step;
    const placement: Placement = {
      orientation,
      scaleX: laid.scaleX,
      scaleY: laid.scaleY,
      offsetX: offset(dx, laid.scaleX, laid.offsetX),
      offsetY: offset(dy, laid.scaleY, laid.offsetY),
    };
    if (!best || score > best.score) best = { placement, shift: { east: 0, south: 0 }, cut, scale, lift, correlation, overlap, score };
  }
  return best;
}

/** A reduced grid taken at steps of its own samples, by linear interpolation. */
function rescaled(of: Reduced, stepX: number, stepY: number): Reduced {
  if (Math.abs(stepX - 1) < 1e-9 && Math.abs(stepY - 1) < 1e-9) return of;
  const [across, down] = [Math.max(1, Math.floor((of.across - 1) / stepX) + 1), Math.max(1, Math.floor((of.down - 1) / stepY) + 1)];
  const height = new Float64Array(across * down);
  const known = new Float64Array(across * down);
  for (let row = 0; row < down; row++) {
    const y = Math.min(of.down - 1, row * stepY);
    const [r, v] = [Math.floor(y), y - Math.floor(y)];
    for (let column = 0; column < across; column++) {
      const x = Math.min(of.across - 1, column * stepX);
      const [c, u] = [Math.floor(x), x - Math.floor(x)];
      const [e, s] = [Math.min(of.across - 1, c + 1), Math.min(of.down - 1, r + 1)];
      const mix = (from: Float64Array) =>
        (from[r * of.across + c] * (1 - u) + from[r * of.across + e] * u) * (1 - v) + (from[s * of.across + c] * (1 - u) + from[s * of.across + e] * u) * v;
      height[row * across + column] = mix(of.height);
      known[row * across + column] = mix(of.known);
    }
  }
  return { ...of, across, down, height, known };
}

/** Gradients as complex numbers (east, south) on a larger square of zeros. */
function gradients({ across, down, height, known }: Reduced, size: number): Float64Array {
  const out = new Float64Array(2 * size * size);
  for (let row = 1; row < down - 1; row++) {
    for (let column = 1; column < across - 1; column++) {
      const i = row * across + column;
      if (known[i - 1] < 0.5 || known[i + 1] < 0.5 || known[i - across] < 0.5 || known[i + across] < 0.5) continue;
      out[2 * (row * size + column)] = height[i + 1] - height[i - 1];
      out[2 * (row * size + column) + 1] = height[i + across] - height[i - across];
    }
  }
  return out;
}

/** Transforms rows and then columns of a complex square, in place. */
function transform2d(square: Float64Array, size: number, back: boolean): void {
  const fft = new FFT(size);
  const [line, out] = [fft.createComplexArray(), fft.createComplexArray()];
  const pass = (at: (k: number) => number) => {
    for (let k = 0; k < size; k++) {
      line[2 * k] = square[2 * at(k)];
      line[2 * k + 1] = square[2 * at(k) + 1];
    }
    if (back) fft.inverseTransform(out, line);
    else fft.transform(out, line);
    for (let k = 0; k < size; k++) {
      square[2 * at(k)] = out[2 * k];
      square[2 * at(k) + 1] = out[2 * k + 1];
    }
  };
  for (let row = 0; row < size; row++) pass((k) => row * size + k);
  for (let column = 0; column < size; column++) pass((k) => k * size + column);
}

/** The shift at which B's gradients fit A's best: A's place x is B's x + shift. */
function phasePeak(a: Float64Array, b: Float64Array, size: number): [number, number] {
  const { pow } = exactMath();
  transform2d(a, size, false);
  transform2d(b, size, false);
  for (let i = 0; i < a.length; i += 2) {
    const re = b[i] * a[i] + b[i + 1] * a[i + 1];
    const im = b[i + 1] * a[i] - b[i] * a[i + 1];
    const by = pow(re * re + im * im + 1e-300, WHITENED / 2);
    a[i] = re / by;
    a[i + 1] = im / by;
  }
  transform2d(a, size, true);
  let [most, at] = [0, 0];
  // Turned-over heights have turned-over gradients: the peak is as high, and negative.
  for (let i = 0; i < size * size; i++) if (Math.abs(a[2 * i]) > most) [most, at] = [Math.abs(a[2 * i]), i];
  const signed = (v: number) => (v > size / 2 ? v - size : v);
  return [signed(at % size), signed(Math.floor(at / size))];
}

/** Pearson's correlation where the two lie on each other, B shifted by whole samples; null where too little does. */
function correlationAt(a: Reduced, b: Reduced, dx: number, dy: number) {
  let [n, sa, sb, saa, sbb, sab] = [0, 0, 0, 0, 0, 0];
  for (let row = Math.max(0, -dy); row < Math.min(a.down, b.down - dy); row++) {
    for (let column = Math.max(0, -dx); column < Math.min(a.across, b.across - dx); column++) {
      const i = row * a.across + column;
      const j = (row + dy) * b.across + column + dx;
      if (a.known[i] < 0.5 || b.known[j] < 0.5) continue;
      const [va, vb] = [a.height[i], b.height[j]];
      n++;
      sa += va;
      sb += vb;
      saa += va * va;
      sbb += vb * vb;
      sab += va * vb;
    }
  }
  const least = Math.min(a.height.length, b.height.length);
  if (n < Math.max(4, LEAST_OVERLAP * least)) return null;
  return { ...line(n, sa, sb, saa, sbb, sab), overlap: n / a.height.length, share: n / least };
}

/** The straight line b = scale · a + lift through many points, and how well they lie on it. */
function line(n: number, sa: number, sb: number, saa: number, sbb: number, sab: number) {
  const [va, vb, cov] = [saa - (sa * sa) / n, sbb - (sb * sb) / n, sab - (sa * sb) / n];
  const scale = va > 0 ? cov / va : 0;
  return { scale, lift: (sb - scale * sa) / n, correlation: va > 0 && vb > 0 ? cov / Math.sqrt(va * vb) : 0 };
}

/** Moves B by parts of a sample until the squares of what is between the two are least, with the line between their heights. */
function refine(a: Field, back: Field, fit: Fit, factor: number, withShift: boolean): Fit {
  const ra = softened(reduce(a, factor));
  const { scaleX, scaleY } = fit.placement;
  let { offsetX, offsetY } = fit.placement;
  const rb = softened(reduce(back, Math.max(1, Math.round(factor * Math.min(scaleX, scaleY)))));
  const stride = Math.max(1, Math.ceil(Math.sqrt((ra.across * ra.down) / MOST_PLACES)));
  const move = back.ground.datum - a.ground.datum;
  let found = { ...fit };
  let [middle, count] = [0, 0];
  for (let i = 0; i < ra.height.length; i += 7) if (ra.known[i] > 0.5) [middle, count] = [middle + ra.height[i], count + 1];
  middle /= Math.max(1, count);
  const between = cubicBetween(rb);
  for (let round = 0; round < 12; round++) {
    const [x, y] = [toReduced(ra, rb, scaleX, offsetX), toReduced(ra, rb, scaleY, offsetY)];
    let [n, sa, sb, saa, sbb, sab] = [0, 0, 0, 0, 0, 0];
    const normal = new Float64Array(16);
    const right = new Float64Array(4);
    for (let row = 0; row < ra.down; row += stride) {
      if (!between.atRow(y.scale * row + y.offset)) continue;
      for (let column = 0; column < ra.across; column += stride) {
        const i = row * ra.across + column;
        if (ra.known[i] < 0.99 || !between.atColumn(x.scale * column + x.offset)) continue;
        const va = ra.height[i];
        const vb = between.value + move;
        n++;
        sa += va;
        sb += vb;
        saa += va * va;
        sbb += vb * vb;
        sab += va * vb;
        const terms = [between.east / rb.factor, between.south / rb.factor, middle - va, -1];
        const residual = vb - found.scale * va - found.lift;
        for (let p = 0; p < 4; p++) {
          right[p] -= terms[p] * residual;
          for (let q = 0; q < 4; q++) normal[4 * p + q] += terms[p] * terms[q];
        }
      }
    }
    if (n < 16) return found;
    const straight = line(n, sa, sb, saa, sbb, sab);
    found = { ...found, ...straight, overlap: (n * stride * stride) / (ra.across * ra.down) };
    found.placement = { ...found.placement, offsetX, offsetY };
    if (!withShift || round === 11) break;
    const step = solve(normal, right);
    if (!step) break;
    const most = 1.5 * rb.factor;
    const [dx, dy] = [step[0], step[1]].map((v) => Math.max(-most, Math.min(most, v)));
    offsetX += dx;
    offsetY += dy;
    if (dx * dx + dy * dy < 1e-6) break;
  }
  return found;
}

/** A ground between its samples by cubics: its height and how it rises to the east and south, where all sixteen around are known. */
function cubicBetween(of: Reduced) {
  const [wx, wy, gx, gy] = [1, 2, 3, 4].map(() => new Float64Array(4));
  let r = 0;
  const found = {
    value: 0,
    east: 0,
    south: 0,
    /** Goes to a row; false where there are not two samples to either side. */
    atRow(by: number): boolean {
      r = Math.floor(by);
      if (r < 1 || r >= of.down - 2) return false;
      cubicWeights(by - r, wy);
      cubicSlopes(by - r, gy);
      return true;
    },
    /** Goes to a place in that row; false where something around it is not known. */
    atColumn(bx: number): boolean {
      const c = Math.floor(bx);
      if (c < 1 || c >= of.across - 2) return false;
      cubicWeights(bx - c, wx);
      cubicSlopes(bx - c, gx);
      let [value, east, south, known] = [0, 0, 0, true];
      for (let k = 0; k < 4; k++) {
        const from = (r + k - 1) * of.across + c - 1;
        let [v, e] = [0, 0];
        for (let m = 0; m < 4; m++) {
          v += wx[m] * of.height[from + m];
          e += gx[m] * of.height[from + m];
          if (of.known[from + m] < 0.99) known = false;
        }
        value += wy[k] * v;
        east += wy[k] * e;
        south += gy[k] * v;
      }
      [found.value, found.east, found.south] = [value, east, south];
      return known;
    },
  };
  return found;
}

function cubicSlopes(t: number, out: Float64Array): void {
  out[0] = (-3 * t * t + 4 * t - 1) * 0.5;
  out[1] = (9 * t * t - 10 * t) * 0.5;
  out[2] = (-9 * t * t + 8 * t + 1) * 0.5;
  out[3] = (3 * t * t - 2 * t) * 0.5;
}

/** Four equations by elimination; null where they do not say one thing. */
function solve(m: Float64Array, right: Float64Array): Float64Array | null {
  const a = m.slice();
  const x = right.slice();
  for (let k = 0; k < 4; k++) {
    let pivot = k;
    for (let r = k + 1; r < 4; r++) if (Math.abs(a[4 * r + k]) > Math.abs(a[4 * pivot + k])) pivot = r;
    if (Math.abs(a[4 * pivot + k]) < 1e-12) return null;
    if (pivot !== k) {
      for (let c = 0; c < 4; c++) [a[4 * k + c], a[4 * pivot + c]] = [a[4 * pivot + c], a[4 * k + c]];
      [x[k], x[pivot]] = [x[pivot], x[k]];
    }
    for (let r = k + 1; r < 4; r++) {
      const by = a[4 * r + k] / a[4 * k + k];
      for (let c = k; c < 4; c++) a[4 * r + c] -= by * a[4 * k + c];
      x[r] -= by * x[k];
    }
  }
  for (let k = 3; k >= 0; k--) {
    for (let c = k + 1; c < 4; c++) x[k] -= a[4 * k + c] * x[c];
    x[k] /= a[4 * k + k];
  }
  return x;
}
