import { cellular4, forgetCells, LAST_CELLS, noise4, simplex4 } from './lattice';

const FBM: i32 = 0;
const RIDGED: i32 = 1;
const HYBRID: i32 = 3;

const GRADIENT: i32 = 0;
const SIMPLEX: i32 = 1;

const RECORD: usize = 40;
const SKEW: f64 = 0.36602540378443865;
const UNSKEW: f64 = 0.21132486540518713;

@inline
function whole4(a: v128, b: v128): v128 {
  // Added to a whole float64 of fewer than 2³¹, it leaves the integer in the low 32 bits.
  const magic = f64x2.splat(6755399441055744.0);
  return i8x16.shuffle(
    f64x2.add(a, magic),
    f64x2.add(b, magic),
    0, 1, 2, 3, 8, 9, 10, 11, 16, 17, 18, 19, 24, 25, 26, 27,
  );
}

@inline
function narrow4(a: v128, b: v128): v128 {
  return i8x16.shuffle(
    f32x4.demote_f64x2_zero(a),
    f32x4.demote_f64x2_zero(b),
    0, 1, 2, 3, 4, 5, 6, 7, 16, 17, 18, 19, 20, 21, 22, 23,
  );
}

/** Noise of one octave at four places (u, v) in cells, two and two, with its gradients at `last`. Cellular distances are brought to about −1 to 1. */
@inline
function octave4(ua: v128, ub: v128, va: v128, vb: v128, seed: v128, basis: i32, last: usize): v128 {
  if (basis == SIMPLEX) {
    const skew = f64x2.splat(SKEW);
    const unskew = f64x2.splat(UNSKEW);
    const sa = f64x2.mul(f64x2.add(ua, va), skew);
    const sb = f64x2.mul(f64x2.add(ub, vb), skew);
    const ia = f64x2.floor(f64x2.add(ua, sa));
    const ib = f64x2.floor(f64x2.add(ub, sb));
    const ja = f64x2.floor(f64x2.add(va, sa));
    const jb = f64x2.floor(f64x2.add(vb, sb));
    const ta = f64x2.mul(f64x2.add(ia, ja), unskew);
    const tb = f64x2.mul(f64x2.add(ib, jb), unskew);
    return simplex4(
      whole4(ia, ib),
      whole4(ja, jb),
      narrow4(f64x2.add(f64x2.sub(ua, ia), ta), f64x2.add(f64x2.sub(ub, ib), tb)),
      narrow4(f64x2.add(f64x2.sub(va, ja), ta), f64x2.add(f64x2.sub(vb, jb), tb)),
      seed,
    );
  }
  const ufa = f64x2.floor(ua);
  const ufb = f64x2.floor(ub);
  const vfa = f64x2.floor(va);
  const vfb = f64x2.floor(vb);
  const ix = whole4(ufa, ufb);
  const iy = whole4(vfa, vfb);
  const fx = narrow4(f64x2.sub(ua, ufa), f64x2.sub(ub, ufb));
  const fy = narrow4(f64x2.sub(va, vfa), f64x2.sub(vb, vfb));
  if (basis == GRADIENT) return noise4(ix, iy, fx, fy, seed, last);
  const d = cellular4(ix, iy, fx, fy, seed, basis - 2);
  // Their means over 4 million samples: F1 0.43, F2 0.70, F2 − F1 0.27 cells.
  const middle: f32 = basis == 2 ? 0.43 : basis == 3 ? 0.7 : 0.27;
  const reach: f32 = basis == 4 ? 0.45 : 0.6;
  return f32x4.div(f32x4.sub(d, f32x4.splat(middle)), f32x4.splat(reach));
}

/** Bytes that `noiseRows` keeps gradients in, for so many octaves and octaves of a warp. */
export function noiseRoom(count: i32, warps: i32): usize {
  return <usize>(count + 2 * warps) * LAST_CELLS;
}

/**
 * Fills rows `from` … `to` − 1 of `out` with fractal noise.
 *
 * `stride` floats a row, a multiple of four; (left, top): where the rows begin within a larger grid
 * whose first sample lies at (firstX, firstY). Every octave turns the lattice by the 3-4-5 angle
 * (cos 0.8, sin 0.6: exact in every engine), so that no two share their axes. `octaves` points
 * at one record of 40 bytes an octave: frequency (f64, cycles a metre), cos and sin of the turn
 * (f64), offset in cells (f64), weight (f32: amplitude, faded where the wavelength nears two
 * samples), seed (i32). After the `count` records of the noise follow `warps` records of the
 * field that displaces the places it is asked at, `warpBy` metres at its unit.
 *
 * Bases: 0 gradient, 1 simplex, 2 to 4 cellular F1, F2, F2 − F1. Kinds, after Musgrave in Ebert
 * et al., "Texturing & Modeling", ch. 16: 0 fBm, Σ wᵢ·n; 1 ridged, Σ wᵢ·(1 − |n|)²·carry with
 * carry = clamp(2·previous signal); 2 billow, Σ wᵢ·(2|n| − 1); 3 hybrid multifractal,
 * Σ carry·wᵢ·(n + 0.7) with carry = clamp(carry·previous signal).
 * The result is multiplied by `scale` and `add` is added.
 *
 * `cells`: room for {@link noiseRoom} bytes. With `within` 1, `out` holds weights, and four samples of which none lies between 0 and 1 become 0.
 */
export function noiseRows(
  out: usize,
  stride: i32,
  from: i32,
  to: i32,
  left: i32,
  top: i32,
  firstX: f64,
  stepX: f64,
  firstY: f64,
  stepY: f64,
  octaves: usize,
  count: i32,
  warps: i32,
  warpBy: f64,
  basis: i32,
  kind: i32,
  scale: f32,
  add: f32,
  within: i32,
  cells: usize,
): void {
  for (let k = 0; k < count + 2 * warps; k++) forgetCells(cells + <usize>k * LAST_CELLS);
  const zero = f32x4.splat(0);
  const one = f32x4.splat(1);
  const two = f32x4.splat(2);
  const lanesA = f64x2(0, 1);
  const lanesB = f64x2(2, 3);
  const by = f64x2.splat(warpBy);
  for (let row = from; row < to; row++) {
    const y = f64x2.splat(firstY + stepY * <f64>(row + top));
    let to4 = out + ((<usize>row * <usize>stride) << 2);
    for (let column = 0; column < stride; column += 4, to4 += 16) {
      if (within) {
        const w = v128.load(to4);
        if (!v128.any_true(v128.and(f32x4.gt(w, zero), f32x4.lt(w, one)))) {
          v128.store(to4, zero);
          continue;
        }
      }
      const c = f64x2.splat(<f64>(column + left));
      let xa = f64x2.add(f64x2.splat(firstX), f64x2.mul(f64x2.splat(stepX), f64x2.add(c, lanesA)));
      let xb = f64x2.add(f64x2.splat(firstX), f64x2.mul(f64x2.splat(stepX), f64x2.add(c, lanesB)));
      let ya = y;
      let last = cells;
      let yb = y;
      if (warps > 0) {
        let dx = f32x4.splat(0);
        let dy = f32x4.splat(0);
        for (let k = 0, at = octaves + <usize>count * RECORD; k < warps; k++, at += RECORD) {
          const frequency = load<f64>(at);
          const cos2 = f64x2.splat(load<f64>(at, 8) * frequency);
          const sin2 = f64x2.splat(load<f64>(at, 16) * frequency);
          const offset = f64x2.splat(load<f64>(at, 24));
          const weight = v128.load32_splat(at, 32);
          const seed = v128.load32_splat(at, 36);
          const ua = f64x2.add(f64x2.sub(offset, f64x2.mul(sin2, ya)), f64x2.mul(cos2, xa));
          const ub = f64x2.add(f64x2.sub(offset, f64x2.mul(sin2, yb)), f64x2.mul(cos2, xb));
          const va = f64x2.add(f64x2.add(offset, f64x2.mul(cos2, ya)), f64x2.mul(sin2, xa));
          const vb = f64x2.add(f64x2.add(offset, f64x2.mul(cos2, yb)), f64x2.mul(sin2, xb));
          dx = f32x4.add(dx, f32x4.mul(weight, octave4(ua, ub, va, vb, seed, GRADIENT, last)));
          dy = f32x4.add(dy, f32x4.mul(weight, octave4(ua, ub, va, vb, v128.xor(seed, i32x4.splat(0x5bd1e995)), GRADIENT, last + LAST_CELLS)));
          last += 2 * LAST_CELLS;
        }
        const highX = i8x16.shuffle(dx, dx, 8, 9, 10, 11, 12, 13, 14, 15, 8, 9, 10, 11, 12, 13, 14, 15);
        const highY = i8x16.shuffle(dy, dy, 8, 9, 10, 11, 12, 13, 14, 15, 8, 9, 10, 11, 12, 13, 14, 15);
        xa = f64x2.add(xa, f64x2.mul(by, f64x2.promote_low_f32x4(dx)));
        xb = f64x2.add(xb, f64x2.mul(by, f64x2.promote_low_f32x4(highX)));
        ya = f64x2.add(ya, f64x2.mul(by, f64x2.promote_low_f32x4(dy)));
        yb = f64x2.add(yb, f64x2.mul(by, f64x2.promote_low_f32x4(highY)));
      }
      let sum = f32x4.splat(0);
      let carry = one;
      for (let k = 0, at = octaves; k < count; k++, at += RECORD) {
        const frequency = load<f64>(at);
        const cos2 = f64x2.splat(load<f64>(at, 8) * frequency);
        const sin2 = f64x2.splat(load<f64>(at, 16) * frequency);
        const offset = f64x2.splat(load<f64>(at, 24));
        const weight = v128.load32_splat(at, 32);
        const seed = v128.load32_splat(at, 36);
        const ua = f64x2.add(f64x2.sub(offset, f64x2.mul(sin2, ya)), f64x2.mul(cos2, xa));
        const ub = f64x2.add(f64x2.sub(offset, f64x2.mul(sin2, yb)), f64x2.mul(cos2, xb));
        const va = f64x2.add(f64x2.add(offset, f64x2.mul(cos2, ya)), f64x2.mul(sin2, xa));
        const vb = f64x2.add(f64x2.add(offset, f64x2.mul(cos2, yb)), f64x2.mul(sin2, xb));
        const n = octave4(ua, ub, va, vb, seed, basis, last);
        last += LAST_CELLS;
        if (kind == FBM) {
          sum = f32x4.add(sum, f32x4.mul(weight, n));
        } else if (kind == RIDGED) {
          const edge = f32x4.pmax(f32x4.splat(0), f32x4.sub(one, f32x4.abs(n)));
          const signal = f32x4.mul(f32x4.mul(edge, edge), carry);
          sum = f32x4.add(sum, f32x4.mul(weight, signal));
          carry = f32x4.pmin(one, f32x4.mul(two, signal));
        } else if (kind == HYBRID) {
          const signal = f32x4.mul(f32x4.add(n, f32x4.splat(0.7)), carry);
          sum = f32x4.add(sum, f32x4.mul(weight, signal));
          carry = f32x4.pmin(one, f32x4.pmax(f32x4.splat(0), signal));
        } else {
          sum = f32x4.add(sum, f32x4.mul(weight, f32x4.sub(f32x4.mul(two, f32x4.abs(n)), one)));
        }
      }
      v128.store(to4, f32x4.add(f32x4.mul(sum, f32x4.splat(scale)), f32x4.splat(add)));
    }
  }
}
