// Asking a grid between its samples: Catmull–Rom (Catmull & Rom 1974), in float64.

const MIRROR: i32 = 1;
const WRAP: i32 = 2;

/** The index within 0 … count − 1 that stands for `i`; as core/field/sample.ts. */
function indexAt(i: i32, count: i32, edge: i32, point: i32): i32 {
  if (i >= 0 && i < count) return i;
  if (count == 1 || (edge != MIRROR && edge != WRAP)) return i < 0 ? 0 : count - 1;
  const whole = point ? count - 1 : count;
  const period = edge == MIRROR ? 2 * whole : whole;
  let k = i % period;
  if (k < 0) k += period;
  if (edge == WRAP || k < count) return k;
  return point ? period - k : period - 1 - k;
}

@inline
function cubic(a: f64, b: f64, c: f64, d: f64, t: f64): f64 {
  return b + 0.5 * t * (c - a + t * (2 * a - 5 * b + 4 * c - d + t * (3 * (b - c) + d - a)));
}

@inline
function line(at: usize, x0: usize, x1: usize, x2: usize, x3: usize, u: f64): f64 {
  return cubic(<f64>load<f32>(at + x0), <f64>load<f32>(at + x1), <f64>load<f32>(at + x2), <f64>load<f32>(at + x3), u);
}

function cubicAt(source: usize, across: i32, down: i32, x: i32, y: i32, u: f64, v: f64, edge: i32, point: i32): f32 {
  const row4 = <usize>across << 2;
  if (x >= 1 && y >= 1 && x < across - 2 && y < down - 2) {
    const at = source + <usize>(y - 1) * row4 + (<usize>(x - 1) << 2);
    return <f32>cubic(
      line(at, 0, 4, 8, 12, u),
      line(at + row4, 0, 4, 8, 12, u),
      line(at + 2 * row4, 0, 4, 8, 12, u),
      line(at + 3 * row4, 0, 4, 8, 12, u),
      v,
    );
  }
  const x0 = <usize>indexAt(x - 1, across, edge, point) << 2;
  const x1 = <usize>indexAt(x, across, edge, point) << 2;
  const x2 = <usize>indexAt(x + 1, across, edge, point) << 2;
  const x3 = <usize>indexAt(x + 2, across, edge, point) << 2;
  return <f32>cubic(
    line(source + <usize>indexAt(y - 1, down, edge, point) * row4, x0, x1, x2, x3, u),
    line(source + <usize>indexAt(y, down, edge, point) * row4, x0, x1, x2, x3, u),
    line(source + <usize>indexAt(y + 1, down, edge, point) * row4, x0, x1, x2, x3, u),
    line(source + <usize>indexAt(y + 2, down, edge, point) * row4, x0, x1, x2, x3, u),
    v,
  );
}

/** out = source asked `east` and `south` samples away (each kept within ± `most`), for rows `from` … `to` − 1; the outside carried on. */
export function displaceRows(
  source: usize,
  east: usize,
  south: usize,
  out: usize,
  across: i32,
  down: i32,
  from: i32,
  to: i32,
  mostX: f64,
  mostY: f64,
  stepX: f64,
  stepY: f64,
): void {
  for (let row = from; row < to; row++) {
    for (let column = 0; column < across; column++) {
      const i = <usize>(row * across + column) << 2;
      const dx = min(mostX, max(-mostX, <f64>load<f32>(east + i))) / stepX;
      const dy = min(mostY, max(-mostY, <f64>load<f32>(south + i))) / stepY;
      const x0 = Math.floor(dx);
      const y0 = Math.floor(dy);
      store<f32>(out + i, cubicAt(source, across, down, column + <i32>x0, row + <i32>y0, dx - x0, dy - y0, 0, 1));
    }
  }
}

/**
 * out = source asked at (x0 + xc · column + xr · row, y0 + yc · column + yr · row) samples, for
 * rows `from` … `to` − 1. `edge`: 0 carried on, 1 mirrored, 2 wrapped. The source has its own
 * counts; `outAcross` samples a row are written.
 */
export function placeRows(
  source: usize,
  across: i32,
  down: i32,
  out: usize,
  outAcross: i32,
  from: i32,
  to: i32,
  x0: f64,
  xc: f64,
  xr: f64,
  y0: f64,
  yc: f64,
  yr: f64,
  edge: i32,
  point: i32,
): void {
  for (let row = from; row < to; row++) {
    for (let column = 0; column < outAcross; column++) {
      const x = x0 + xc * <f64>column + xr * <f64>row;
      const y = y0 + yc * <f64>column + yr * <f64>row;
      const fx = Math.floor(x);
      const fy = Math.floor(y);
      const i = <usize>(row * outAcross + column) << 2;
      store<f32>(out + i, cubicAt(source, across, down, <i32>fx, <i32>fy, x - fx, y - fy, edge, point));
    }
  }
}
