// Slope and hillshade by Horn's weighted differences (Horn 1981), in doubles: the bits are those of the plain loops in
// core/analysis/slope.ts. Rows of heights in, rows of floats out.

// @ts-ignore: decorator
@inline
function gradient(source: usize, across: i32, down: i32, row: i32, column: i32, dx: f64, dy: f64, z: f64, slope: bool, up: f64, toEast: f64, toSouth: f64): f32 {
  const n = row > 0 ? -across : 0;
  const s = row < down - 1 ? across : 0;
  const w = column > 0 ? -1 : 0;
  const e = column < across - 1 ? 1 : 0;
  const runY = 4 * (s - n != 0 ? <f64>(s - n) / <f64>across : 1) * dy;
  const runX = 4 * (e - w != 0 ? <f64>(e - w) : 1) * dx;
  const at = source + (<usize>(row * across + column) << 2);
  const up4 = at + (<usize>n << 2);
  const down4 = at + (<usize>s << 2);
  const left = <usize>w << 2;
  const right = <usize>e << 2;
  return shaded(
    <f64>load<f32>(up4 + left),
    <f64>load<f32>(up4),
    <f64>load<f32>(up4 + right),
    <f64>load<f32>(at + left),
    <f64>load<f32>(at + right),
    <f64>load<f32>(down4 + left),
    <f64>load<f32>(down4),
    <f64>load<f32>(down4 + right),
    runX,
    runY,
    z,
    slope,
    up,
    toEast,
    toSouth,
  );
}

// @ts-ignore: decorator
@inline
function shaded(
  nw: f64, n: f64, ne: f64, w: f64, e: f64, sw: f64, s: f64, se: f64,
  runX: f64, runY: f64, z: f64, slope: bool, up: f64, toEast: f64, toSouth: f64,
): f32 {
  const east = (ne + 2 * e + se - (nw + 2 * w + sw)) / runX;
  const south = (sw + 2 * s + se - (nw + 2 * n + ne)) / runY;
  if (slope) return <f32>(NativeMath.atan(NativeMath.sqrt(east * east + south * south)) / DEGREE);
  const ex = east * z;
  const so = south * z;
  const lit = (up - ex * toEast - so * toSouth) / NativeMath.sqrt(1 + ex * ex + so * so);
  return lit <= 0 ? 1 : <f32>NativeMath.floor(1 + 254 * lit + 0.5);
}

const DEGREE: f64 = 0.017453292519943295;

/** Two heights beside each other, as doubles. */
// @ts-ignore: decorator
@inline
function two(at: usize): v128 {
  return f64x2.promote_low_f32x4(v128.load64_zero(at));
}

/** Rises over run to the east of two samples beside each other; the operations are those of one. */
// @ts-ignore: decorator
@inline
function eastOfTwo(at: usize, row4: usize, runX: f64): v128 {
  const doubled = f64x2.splat(2);
  const east = f64x2.add(f64x2.add(two(at - row4 + 4), f64x2.mul(doubled, two(at + 4))), two(at + row4 + 4));
  const west = f64x2.add(f64x2.add(two(at - row4 - 4), f64x2.mul(doubled, two(at - 4))), two(at + row4 - 4));
  return f64x2.div(f64x2.sub(east, west), f64x2.splat(runX));
}

// @ts-ignore: decorator
@inline
function southOfTwo(at: usize, row4: usize, runY: f64): v128 {
  const doubled = f64x2.splat(2);
  const south = f64x2.add(f64x2.add(two(at + row4 - 4), f64x2.mul(doubled, two(at + row4))), two(at + row4 + 4));
  const north = f64x2.add(f64x2.add(two(at - row4 - 4), f64x2.mul(doubled, two(at - row4))), two(at - row4 + 4));
  return f64x2.div(f64x2.sub(south, north), f64x2.splat(runY));
}

// @ts-ignore: decorator
@inline
function slopeOfTwo(at: usize, row4: usize, runX: f64, runY: f64): v128 {
  const east = eastOfTwo(at, row4, runX);
  const south = southOfTwo(at, row4, runY);
  return f64x2.div(atanOfTwo(f64x2.sqrt(f64x2.add(f64x2.mul(east, east), f64x2.mul(south, south)))), f64x2.splat(DEGREE));
}

// @ts-ignore: decorator
@inline
function litOfTwo(at: usize, row4: usize, runX: f64, runY: f64, z: f64, up: f64, toEast: f64, toSouth: f64): v128 {
  const one = f64x2.splat(1);
  const ex = f64x2.mul(eastOfTwo(at, row4, runX), f64x2.splat(z));
  const so = f64x2.mul(southOfTwo(at, row4, runY), f64x2.splat(z));
  const toward = f64x2.sub(f64x2.sub(f64x2.splat(up), f64x2.mul(ex, f64x2.splat(toEast))), f64x2.mul(so, f64x2.splat(toSouth)));
  const lit = f64x2.div(toward, f64x2.sqrt(f64x2.add(f64x2.add(one, f64x2.mul(ex, ex)), f64x2.mul(so, so))));
  const tone = f64x2.floor(f64x2.add(f64x2.add(one, f64x2.mul(f64x2.splat(254), lit)), f64x2.splat(0.5)));
  return v128.bitselect(one, tone, f64x2.le(lit, f64x2.splat(0)));
}

/**
 * The arc tangents of two numbers that are not negative: the operations of fdlibm's `atan` (Sun Microsystems 1993), as
 * `NativeMath.atan` has them, without branches, so that the bits are the same.
 */
// @ts-ignore: decorator
@inline
function atanOfTwo(x: v128): v128 {
  const one = f64x2.splat(1);
  const under0 = f64x2.lt(x, f64x2.splat(0.4375));
  const under1 = f64x2.lt(x, f64x2.splat(0.6875));
  const under2 = f64x2.lt(x, f64x2.splat(1.1875));
  const under3 = f64x2.lt(x, f64x2.splat(2.4375));
  let over = f64x2.splat(-1);
  let under = x;
  let high = f64x2.splat(1.57079632679489655800e00);
  let low = f64x2.splat(6.12323399573676603587e-17);
  over = v128.bitselect(f64x2.sub(x, f64x2.splat(1.5)), over, under3);
  under = v128.bitselect(f64x2.add(one, f64x2.mul(f64x2.splat(1.5), x)), under, under3);
  high = v128.bitselect(f64x2.splat(9.82793723247329054082e-01), high, under3);
  low = v128.bitselect(f64x2.splat(1.39033110312309984516e-17), low, under3);
  over = v128.bitselect(f64x2.sub(x, one), over, under2);
  under = v128.bitselect(f64x2.add(x, one), under, under2);
  high = v128.bitselect(f64x2.splat(7.85398163397448278999e-01), high, under2);
  low = v128.bitselect(f64x2.splat(3.06161699786838301793e-17), low, under2);
  over = v128.bitselect(f64x2.sub(f64x2.mul(f64x2.splat(2), x), one), over, under1);
  under = v128.bitselect(f64x2.add(f64x2.splat(2), x), under, under1);
  high = v128.bitselect(f64x2.splat(4.63647609000806093515e-01), high, under1);
  low = v128.bitselect(f64x2.splat(2.26987774529616870924e-17), low, under1);
  over = v128.bitselect(x, over, under0);
  under = v128.bitselect(one, under, under0);
  high = v128.bitselect(f64x2.splat(0), high, under0);
  low = v128.bitselect(f64x2.splat(0), low, under0);
  const r = f64x2.div(over, under);
  const s = f64x2.mul(r, r);
  const w = f64x2.mul(s, s);
  let even = f64x2.splat(1.62858201153657823623e-02);
  even = f64x2.add(f64x2.splat(4.97687799461593236017e-02), f64x2.mul(w, even));
  even = f64x2.add(f64x2.splat(6.66107313738753120669e-02), f64x2.mul(w, even));
  even = f64x2.add(f64x2.splat(9.09088713343650656196e-02), f64x2.mul(w, even));
  even = f64x2.add(f64x2.splat(1.42857142725034663711e-01), f64x2.mul(w, even));
  even = f64x2.mul(s, f64x2.add(f64x2.splat(3.33333333333329318027e-01), f64x2.mul(w, even)));
  let odd = f64x2.splat(-3.65315727442169155270e-02);
  odd = f64x2.add(f64x2.splat(-5.83357013379057348645e-02), f64x2.mul(w, odd));
  odd = f64x2.add(f64x2.splat(-7.69187620504482999495e-02), f64x2.mul(w, odd));
  odd = f64x2.add(f64x2.splat(-1.11111104054623557880e-01), f64x2.mul(w, odd));
  odd = f64x2.mul(w, f64x2.add(f64x2.splat(-1.99999999998764832476e-01), f64x2.mul(w, odd)));
  const bent = f64x2.mul(r, f64x2.add(even, odd));
  return f64x2.sub(high, f64x2.sub(f64x2.sub(bent, low), r));
}

// @ts-ignore: decorator
@inline
function rows(source: usize, out: usize, across: i32, down: i32, from: i32, to: i32, dx: f64, dy: f64, z: f64, slope: bool, up: f64, toEast: f64, toSouth: f64): void {
  for (let row = from; row < to; row++) {
    let target = out + (<usize>(row * across) << 2);
    if (row == 0 || row == down - 1 || across < 3) {
      for (let column = 0; column < across; column++, target += 4)
        store<f32>(target, gradient(source, across, down, row, column, dx, dy, z, slope, up, toEast, toSouth));
      continue;
    }
    store<f32>(target, gradient(source, across, down, row, 0, dx, dy, z, slope, up, toEast, toSouth));
    // Within a row the columns move along: three new heights a sample.
    const row4 = <usize>across << 2;
    let at = source + (<usize>(row * across) << 2);
    const runX = 8 * dx;
    const runY = 8 * dy;
    target += 4;
    at += 4;
    // Two samples at a time.
    const last = at + (<usize>(across - 3) << 2);
    for (; at < last; at += 8, target += 8) {
      const two = slope ? slopeOfTwo(at, row4, runX, runY) : litOfTwo(at, row4, runX, runY, z, up, toEast, toSouth);
      v128.store64_lane(target, f32x4.demote_f64x2_zero(two), 0);
    }
    at -= 4;
    const done = <i32>((at - source - (<usize>(row * across) << 2)) >> 2);
    let nw = <f64>load<f32>(at - row4);
    let n = <f64>load<f32>(at - row4 + 4);
    let w = <f64>load<f32>(at);
    let c = <f64>load<f32>(at + 4);
    let sw = <f64>load<f32>(at + row4);
    let s = <f64>load<f32>(at + row4 + 4);
    at += 8;
    for (let column = done + 1; column < across - 1; column++, target += 4, at += 4) {
      const ne = <f64>load<f32>(at - row4);
      const e = <f64>load<f32>(at);
      const se = <f64>load<f32>(at + row4);
      store<f32>(target, shaded(nw, n, ne, w, e, sw, s, se, runX, runY, z, slope, up, toEast, toSouth));
      nw = n;
      n = ne;
      w = c;
      c = e;
      sw = s;
      s = se;
    }
    store<f32>(target, gradient(source, across, down, row, across - 1, dx, dy, z, slope, up, toEast, toSouth));
  }
}

/** Degrees. */
export function slopeRows(source: usize, out: usize, across: i32, down: i32, from: i32, to: i32, dx: f64, dy: f64): void {
  rows(source, out, across, down, from, to, dx, dy, 1, true, 0, 0, 0);
}

/** 1 to 255. `up`, `toEast`, `toSouth`: the direction of the light. */
export function hillshadeRows(source: usize, out: usize, across: i32, down: i32, from: i32, to: i32, dx: f64, dy: f64, z: f64, up: f64, toEast: f64, toSouth: f64): void {
  rows(source, out, across, down, from, to, dx, dy, z, false, up, toEast, toSouth);
}

/** The full-scale code of a part of a unit vector. */
// @ts-ignore: decorator
@inline
function codeOf(part: f64, top: f64): u32 {
  return <u32>NativeMath.floor((part * 0.5 + 0.5) * top + 0.5);
}

/** Normals as three codes a sample, bytes or, with `top` 65 535, pairs of them. `space` 0: east, north, up; 1: east, south, up; 2: east, up, south. */
export function normalRows(source: usize, out: usize, across: i32, down: i32, from: i32, to: i32, dx: f64, dy: f64, top: f64, space: i32): void {
  const wide = top > 255;
  let target = out + <usize>(from * across) * (wide ? 6 : 3);
  for (let row = from; row < to; row++) {
    const n = row > 0 ? -(across << 2) : 0;
    const s = row < down - 1 ? across << 2 : 0;
    const runY = 4 * (n != 0 && s != 0 ? 2 : 1) * dy;
    for (let column = 0; column < across; column++) {
      const w = column > 0 ? -4 : 0;
      const e = column < across - 1 ? 4 : 0;
      const runX = 4 * (w != 0 && e != 0 ? 2 : 1) * dx;
      const at = source + (<usize>(row * across + column) << 2);
      const nw = <f64>load<f32>(at + n + w);
      const ne = <f64>load<f32>(at + n + e);
      const sw = <f64>load<f32>(at + s + w);
      const se = <f64>load<f32>(at + s + e);
      const east = (ne + 2 * <f64>load<f32>(at + e) + se - (nw + 2 * <f64>load<f32>(at + w) + sw)) / runX;
      const south = (sw + 2 * <f64>load<f32>(at + s) + se - (nw + 2 * <f64>load<f32>(at + n) + ne)) / runY;
      const length = NativeMath.sqrt(east * east + south * south + 1);
      // A normal leans against the rise: west of a rise to the east, north of a rise to the south.
      const north = south / length;
      const first = codeOf(-east / length, top);
      const second = codeOf(space == 2 ? 1 / length : space == 1 ? -north : north, top);
      const third = codeOf(space == 2 ? -north : 1 / length, top);
      if (wide) {
        store<u16>(target, <u16>first);
        store<u16>(target, <u16>second, 2);
        store<u16>(target, <u16>third, 4);
        target += 6;
      } else {
        store<u8>(target, <u8>first);
        store<u8>(target, <u8>second, 1);
        store<u8>(target, <u8>third, 2);
        target += 3;
      }
    }
  }
}
