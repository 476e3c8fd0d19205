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
    let nw = <f64>load<f32>(at - row4);
    let n = <f64>load<f32>(at - row4 + 4);
    let w = <f64>load<f32>(at);
    let c = <f64>load<f32>(at + 4);
    let sw = <f64>load<f32>(at + row4);
    let s = <f64>load<f32>(at + row4 + 4);
    target += 4;
    at += 8;
    for (let column = 1; column < across - 1; column++, target += 4, at += 4) {
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
