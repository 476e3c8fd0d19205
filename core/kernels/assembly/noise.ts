import { noise4 } from './lattice';

const FBM: i32 = 0;
const RIDGED: i32 = 1;

/**
 * Fills rows `from` … `to` − 1 of `out` with fractal noise.
 *
 * `stride` floats a row, a multiple of four. Every octave turns the lattice by the 3-4-5 angle
 * (cos 0.8, sin 0.6: exact in every engine), so that no two share their axes. `octaves` points
 * at one record of 40 bytes an octave: frequency (f64, cycles a metre), cos and sin of the turn
 * (f64), offset in cells (f64), weight (f32: amplitude, faded where the wavelength nears two
 * samples), seed (i32).
 *
 * Kinds, after Musgrave in Ebert et al., "Texturing & Modeling", ch. 16: 0 fBm, Σ wᵢ·n;
 * 1 ridged, Σ wᵢ·(1 − |n|)²·carry with carry = clamp(2·previous signal); 2 billow, Σ wᵢ·(2|n| − 1).
 * The result is multiplied by `scale` and `add` is added.
 */
export function noiseRows(
  out: usize,
  stride: i32,
  from: i32,
  to: i32,
  firstX: f64,
  stepX: f64,
  firstY: f64,
  stepY: f64,
  octaves: usize,
  count: i32,
  kind: i32,
  scale: f32,
  add: f32,
): void {
  const one = f32x4.splat(1);
  const two = f32x4.splat(2);
  // Added to a whole float64 of fewer than 2³¹, it leaves the integer in the low 32 bits.
  const magic = f64x2.splat(6755399441055744.0);
  const lanesA = f64x2(0, 1);
  const lanesB = f64x2(2, 3);
  for (let row = from; row < to; row++) {
    const y = firstY + stepY * <f64>row;
    let to4 = out + ((<usize>row * <usize>stride) << 2);
    for (let column = 0; column < stride; column += 4, to4 += 16) {
      const c = f64x2.splat(<f64>column);
      const xa = f64x2.add(f64x2.splat(firstX), f64x2.mul(f64x2.splat(stepX), f64x2.add(c, lanesA)));
      const xb = f64x2.add(f64x2.splat(firstX), f64x2.mul(f64x2.splat(stepX), f64x2.add(c, lanesB)));
      let sum = f32x4.splat(0);
      let carry = one;
      for (let k = 0, at = octaves; k < count; k++, at += 40) {
        const frequency = load<f64>(at);
        const cos = load<f64>(at, 8) * frequency;
        const sin = load<f64>(at, 16) * frequency;
        const offset = load<f64>(at, 24);
        const weight = v128.load32_splat(at, 32);
        const seed = v128.load32_splat(at, 36);
        const baseX = f64x2.splat(offset - sin * y);
        const baseY = f64x2.splat(offset + cos * y);
        const cos2 = f64x2.splat(cos);
        const sin2 = f64x2.splat(sin);
        const ua = f64x2.add(baseX, f64x2.mul(cos2, xa));
        const ub = f64x2.add(baseX, f64x2.mul(cos2, xb));
        const va = f64x2.add(baseY, f64x2.mul(sin2, xa));
        const vb = f64x2.add(baseY, f64x2.mul(sin2, xb));
        const ufa = f64x2.floor(ua);
        const ufb = f64x2.floor(ub);
        const vfa = f64x2.floor(va);
        const vfb = f64x2.floor(vb);
        const ix = i8x16.shuffle(
          f64x2.add(ufa, magic),
          f64x2.add(ufb, magic),
          0, 1, 2, 3, 8, 9, 10, 11, 16, 17, 18, 19, 24, 25, 26, 27,
        );
        const iy = i8x16.shuffle(
          f64x2.add(vfa, magic),
          f64x2.add(vfb, magic),
          0, 1, 2, 3, 8, 9, 10, 11, 16, 17, 18, 19, 24, 25, 26, 27,
        );
        const fx = i8x16.shuffle(
          f32x4.demote_f64x2_zero(f64x2.sub(ua, ufa)),
          f32x4.demote_f64x2_zero(f64x2.sub(ub, ufb)),
          0, 1, 2, 3, 4, 5, 6, 7, 16, 17, 18, 19, 20, 21, 22, 23,
        );
        const fy = i8x16.shuffle(
          f32x4.demote_f64x2_zero(f64x2.sub(va, vfa)),
          f32x4.demote_f64x2_zero(f64x2.sub(vb, vfb)),
          0, 1, 2, 3, 4, 5, 6, 7, 16, 17, 18, 19, 20, 21, 22, 23,
        );
        const n = noise4(ix, iy, fx, fy, seed);
        if (kind == FBM) {
          sum = f32x4.add(sum, f32x4.mul(weight, n));
        } else if (kind == RIDGED) {
          const edge = f32x4.sub(one, f32x4.abs(n));
          const signal = f32x4.mul(f32x4.mul(edge, edge), carry);
          sum = f32x4.add(sum, f32x4.mul(weight, signal));
          carry = f32x4.pmin(one, f32x4.mul(two, signal));
        } else {
          sum = f32x4.add(sum, f32x4.mul(weight, f32x4.sub(f32x4.mul(two, f32x4.abs(n)), one)));
        }
      }
      v128.store(to4, f32x4.add(f32x4.mul(sum, f32x4.splat(scale)), f32x4.splat(add)));
    }
  }
}
