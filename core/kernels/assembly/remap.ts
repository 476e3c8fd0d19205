// Functions of the height alone, in place over `count` float32: what core/steps/shape describes, operation by operation in doubles.

import { atan, pow } from './math';

/** outLow + outRange · t^exponent, t = (h − inLow) · scale kept within 0 … 1. How many lay under it and over it goes to `counts`, two 32-bit numbers. */
export function levelsOf(heights: usize, count: i32, inLow: f64, scale: f64, exponent: f64, outLow: f64, outRange: f64, counts: usize): void {
  let below = 0;
  let above = 0;
  for (let i = 0; i < count; i++) {
    const at = heights + (<usize>i << 2);
    let t = (<f64>load<f32>(at) - inLow) * scale;
    if (t < 0) {
      t = 0;
      below++;
    } else if (t > 1) {
      t = 1;
      above++;
    }
    store<f32>(at, <f32>(outLow + outRange * (exponent == 1 ? t : pow(t, exponent))));
  }
  store<i32>(counts, below);
  store<i32>(counts, above, 4);
}

/** The cubic through `knots` points (elevation, where it goes, slope: three doubles each, rising), carried on beyond them. */
export function curveOf(heights: usize, count: i32, points: usize, knots: i32): void {
  const last = points + <usize>(knots - 1) * 24;
  const lowest = load<f64>(points);
  const highest = load<f64>(last);
  for (let i = 0; i < count; i++) {
    const at = heights + (<usize>i << 2);
    const h = <f64>load<f32>(at);
    if (h <= lowest) {
      store<f32>(at, <f32>(load<f64>(points, 8) + (h - lowest)));
      continue;
    }
    if (h >= highest) {
      store<f32>(at, <f32>(load<f64>(last, 8) + (h - highest)));
      continue;
    }
    let k = 0;
    let above = knots - 1;
    while (above - k > 1) {
      const middle = (k + above) >> 1;
      if (load<f64>(points + <usize>middle * 24) <= h) k = middle;
      else above = middle;
    }
    const point = points + <usize>k * 24;
    const x = load<f64>(point);
    const y = load<f64>(point, 8);
    const slope = load<f64>(point, 16);
    const width = load<f64>(point, 24) - x;
    const next = load<f64>(point, 32);
    const slopeNext = load<f64>(point, 40);
    const t = (h - x) / width;
    const rise = next - y;
    const value = y + t * (width * slope + t * (3 * rise - width * (2 * slope + slopeNext) + t * (width * (slope + slopeNext) - 2 * rise)));
    // Where a segment is level or nearly so, rounding must not leave its ends.
    const low = rise < 0 ? next : y;
    const high = rise < 0 ? y : next;
    store<f32>(at, <f32>(value < low ? low : value > high ? high : value));
  }
}

/** Kept within `low` … `high`, bent into them over `shoulder`. Returns how many lay beyond. */
export function clampOf(heights: usize, count: i32, low: f64, high: f64, shoulder: f64): i32 {
  let clipped = 0;
  for (let i = 0; i < count; i++) {
    const at = heights + (<usize>i << 2);
    let h = <f64>load<f32>(at);
    if (h < low || h > high) clipped++;
    if (h >= high + shoulder) h = high;
    else if (h > high - shoulder) h = high - ((high + shoulder - h) * (high + shoulder - h)) / (4 * shoulder);
    if (h <= low - shoulder) h = low;
    else if (h < low + shoulder) h = low + ((h - low + shoulder) * (h - low + shoulder)) / (4 * shoulder);
    store<f32>(at, <f32>h);
  }
  return clipped;
}

/** `hash32` of core/field/hash.ts. */
// @ts-expect-error: a decorator of the compiler
@inline
function hash32(a: i32, b: i32): u32 {
  let h: u32 = (<u32>(a ^ 0x9e3779b9) * 0x85ebca6b) ^ (<u32>(b + 0x7f4a7c15) * 0xc2b2ae35);
  h ^= h >>> 16;
  h *= 0x7feb352d;
  h ^= h >>> 15;
  h *= 0x846ca68b;
  return h ^ (h >>> 16);
}

/** Treads so many metres apart, give or take `spread` of it; `riser` is the share of a step that rises, `tilt` what a tread keeps of its slope. */
export function terraceOf(heights: usize, count: i32, spacing: f64, start: f64, riser: f64, tilt: f64, spread: f64, seed: i32): void {
  let low: f64 = 0;
  let high: f64 = 0;
  for (let i = 0; i < count; i++) {
    const at = heights + (<usize>i << 2);
    const h = <f64>load<f32>(at);
    if (!(h >= low && h < high)) {
      const step = Math.floor((h - start) / spacing);
      let k = <i32>max(-1e9, min(1e9, step == step ? step : 0));
      low = edgeOf(k, spacing, start, spread, seed);
      high = edgeOf(k + 1, spacing, start, spread, seed);
      if (h < low) {
        high = low;
        low = edgeOf(--k, spacing, start, spread, seed);
      } else if (h >= high) {
        low = high;
        high = edgeOf(++k + 1, spacing, start, spread, seed);
      }
    }
    const t = (h - low) / (high - low);
    const u = (t - 1 + riser) / riser;
    const risen = u <= 0 ? 0 : u * u * (3 - 2 * u);
    store<f32>(at, <f32>(low + (high - low) * (tilt * t + (1 - tilt) * risen)));
  }
}

// @ts-expect-error: a decorator of the compiler
@inline
function edgeOf(k: i32, spacing: f64, start: f64, spread: f64, seed: i32): f64 {
  return start + spacing * (<f64>k + (spread != 0 ? spread * (<f64>hash32(seed, k) / 4294967296.0 - 0.5) : 0));
}

const DEGREE: f64 = Math.PI / 180;

/**
 * Rise over run squared into the weight of its slope, in place: 1 within `whole` … `wholeTo`; between them and `from` … `to` by the
 * angle, which fades over `softness` degrees beyond `low` … `high`.
 */
export function slopeWeightsOf(values: usize, count: i32, whole: f64, wholeTo: f64, from: f64, to: f64, low: f64, high: f64, softness: f64): void {
  for (let i = 0; i < count; i++) {
    const at = values + (<usize>i << 2);
    const steep = <f64>load<f32>(at);
    let weight: f64 = 0;
    if (steep >= whole && steep <= wholeTo) weight = 1;
    else if (steep > from && steep < to) {
      const angle = atan(Math.sqrt(steep)) / DEGREE;
      const beyond = angle < low ? low - angle : angle > high ? angle - high : 0;
      if (beyond == 0) weight = 1;
      else if (beyond < softness) {
        const t = 1 - beyond / softness;
        weight = t * t * (3 - 2 * t);
      }
    }
    store<f32>(at, <f32>weight);
  }
}

/** Values into the weight of their bounds, in place: 1 within `low` … `high`, fading smoothly to 0 over `softness` beyond them. */
export function boundWeightsOf(values: usize, count: i32, low: f64, high: f64, softness: f64): void {
  for (let i = 0; i < count; i++) {
    const at = values + (<usize>i << 2);
    const value = <f64>load<f32>(at);
    const beyond = value < low ? low - value : value > high ? value - high : 0;
    let weight: f64 = 0;
    if (beyond == 0) weight = 1;
    else if (!(beyond >= softness)) {
      const t = 1 - beyond / softness;
      weight = t * t * (3 - 2 * t);
    }
    store<f32>(at, <f32>weight);
  }
}

/** Weights pushed away from the middle or towards it, in place (Schlick 1994); `k` is 1 / g − 2 of his g. */
export function gainOf(values: usize, count: i32, k: f64): void {
  for (let i = 0; i < count; i++) {
    const at = values + (<usize>i << 2);
    const t = <f64>load<f32>(at);
    const turned = k * (1 - 2 * t);
    store<f32>(at, <f32>(t < 0.5 ? t / (turned + 1) : (turned - t) / (turned - 1)));
  }
}
