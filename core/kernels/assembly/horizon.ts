// Horizons along the lines of one direction, by the upper hull of what lies behind (Timonen & Westerholm 2010, "Scalable
// height field self-shadowing"). Lines run at their true slope across the grid, heights between samples by their two
// neighbours; a sample's horizon is that of the two lines beside it. Grids without a border, lines along x.

/** Share of an even sky that level ground sees, of both ways along the lines. */
const LEVEL = 0;
/** Share of an even sky that lights the ground as it lies (cosine-weighted), of both ways. */
const TILTED = 1;
/** Share of the sun's disc over the horizon, of one way. */
// const SUN = 2;

/** Slopes under this are of lines with nothing ahead. */
const NOTHING: f64 = -1e8;

/** Abramowitz & Stegun 4.4.49, within 1e-5, for any argument. */
// @ts-expect-error: a decorator of the compiler
@inline
function angleOf(slope: f64): f64 {
  const a = abs<f64>(slope);
  const x = a > 1 ? 1 / a : a;
  const s = x * x;
  const p = x * (0.999866 + s * (-0.3302995 + s * (0.180141 + s * (-0.085133 + s * 0.0208351))));
  const r = a > 1 ? 1.5707963267948966 - p : p;
  return slope < 0 ? -r : r;
}

/** The share of a disc of a radius that stands over the horizon, whose middle stands `above` it; both as angles. */
// @ts-expect-error: a decorator of the compiler
@inline
function discOver(above: f64, radius: f64): f64 {
  const u = above / radius;
  if (u >= 1) return 1;
  if (u <= -1) return 0;
  const c = sqrt<f64>(1 - u * u);
  return 0.5 + (u * c + angleOf(u / c)) * 0.3183098861837907;
}

/** What one way of a tilted sample gets: from its horizon up, of a half turn's share. `toward`: how much its normal leans that way; `up`: its upward part. */
// @ts-expect-error: a decorator of the compiler
@inline
function skyOver(slope: f64, toward: f64, up: f64): f64 {
  const t = max<f64>(slope, 0);
  const square = 1 / (1 + t * t);
  return toward * (1.5707963267948966 - angleOf(t) - t * square) + up * square;
}

/** Between the slopes of two lines; where one looks out on nothing, that of the nearer. */
// @ts-expect-error: a decorator of the compiler
@inline
function between(a: f64, b: f64, share: f64): f64 {
  if (a < NOTHING || b < NOTHING) return share > 0.5 ? b : a;
  return a + share * (b - a);
}

/** Heights along line `j`, and from them the horizons' slopes ahead and behind, per step; 0 off the ground. */
function horizons(height: usize, line: usize, ahead: usize, behind: usize, hull: usize, shift: usize, share: usize, long: i32, wide: i32, j: i32): void {
  let first = long;
  let last = -1;
  let on = long;
  let off = -1;
  for (let n = 0; n < long; n++) {
    const at = <usize>n << 2;
    const low = j + load<i32>(shift + at);
    if (low < -1 || low >= wide) {
      store<f32>(ahead + at, -1e9);
      store<f32>(behind + at, -1e9);
      continue;
    }
    if (n < first) first = n;
    last = n;
    const part = load<f32>(share + at);
    // What lies more than half a sample beyond the rim hides nothing.
    if ((low >= 0 || part >= 0.5) && (low < wide - 1 || part <= 0.5)) {
      if (n < on) on = n;
      off = n;
    }
    const a = load<f32>(height + (<usize>(max(0, low) * long + n) << 2));
    const b = load<f32>(height + (<usize>(min(wide - 1, low + 1) * long + n) << 2));
    store<f32>(line + at, a + part * (b - a));
  }
  for (let way = 1; way >= -1; way -= 2) {
    const out = way > 0 ? behind : ahead;
    let size = 0;
    let n = way > 0 ? first : last;
    // The top of the hull, at hand: its height and how far back it lies.
    let topHeight: f64 = 0;
    let topPlace = 0;
    for (let count = last - first; count >= 0; count--, n += way) {
      const here = <f64>load<f32>(line + (<usize>n << 2));
      if (size == 0) store<f32>(out + (<usize>n << 2), -1e9);
      else {
        let rise = topHeight - here;
        let run = <f64>abs(n - topPlace);
        while (size > 1) {
          const place = load<i32>(hull + (<usize>(size - 2) << 2));
          const height = <f64>load<f32>(line + (<usize>place << 2));
          const nextRise = height - here;
          const nextRun = <f64>abs(n - place);
          // Under the line from here to what stands before it.
          if (nextRise * run < rise * nextRun) break;
          rise = nextRise;
          run = nextRun;
          topHeight = height;
          topPlace = place;
          size--;
        }
        store<f32>(out + (<usize>n << 2), <f32>(rise / run));
      }
      if (n < on || n > off) continue;
      store<i32>(hull + (<usize>size << 2), n);
      size++;
      topHeight = here;
      topPlace = n;
    }
  }
}

/**
 * Adds to `out` what every sample between the lines `from` and `to` gets along one direction. `lean`: samples aside a sample along;
 * `step`: metres along the direction a sample; `rise`: what heights are multiplied by; `alongLong`, `alongWide`: the direction, of length
 * one; `spacingLong`, `spacingWide`: metres. For the sun `ahead` says which way it stands, `altitude` and `radius` are angles. `scratch`: eight rows of words.
 */
export function horizonLines(
  height: usize,
  out: usize,
  scratch: usize,
  kind: i32,
  long: i32,
  wide: i32,
  from: i32,
  to: i32,
  lean: f64,
  step: f64,
  rise: f64,
  alongLong: f64,
  alongWide: f64,
  spacingLong: f64,
  spacingWide: f64,
  ahead: i32,
  altitude: f64,
  radius: f64,
): void {
  const row = <usize>long << 2;
  const line = scratch;
  const hull = scratch + row;
  let front = scratch + 2 * row;
  let back = scratch + 3 * row;
  let nextFront = scratch + 4 * row;
  let nextBack = scratch + 5 * row;
  const shift = scratch + 6 * row;
  const share = scratch + 7 * row;
  const scale = rise / step;
  if (from >= to) return;
  for (let n = 0; n < long; n++) {
    const place = lean * <f64>n;
    const under = Math.floor(place);
    store<i32>(shift + (<usize>n << 2), <i32>under);
    store<f32>(share + (<usize>n << 2), <f32>(place - under));
  }
  horizons(height, line, front, back, hull, shift, share, long, wide, from);
  for (let j = from; j < to; j++) {
    horizons(height, line, nextFront, nextBack, hull, shift, share, long, wide, j + 1);
    for (let n = 0; n < long; n++) {
      const at = <usize>n << 2;
      const part = load<f32>(share + at);
      const r = j + load<i32>(shift + at) + (part > 0 ? 1 : 0);
      if (r < 0 || r >= wide) continue;
      const g = part > 0 ? 1 - <f64>part : 0;
      const f = scale * between(<f64>load<f32>(front + at), <f64>load<f32>(nextFront + at), g);
      const b = scale * between(<f64>load<f32>(back + at), <f64>load<f32>(nextBack + at), g);
      const p = out + (<usize>(r * long + n) << 2);
      if (kind == LEVEL) {
        const t = <f32>max<f64>(f, 0);
        const u = <f32>max<f64>(b, 0);
        const tt: f32 = 1 + t * t;
        const uu: f32 = 1 + u * u;
        store<f32>(p, load<f32>(p) + (tt + uu) / (tt * uu));
      } else if (kind == TILTED) {
        const w = max(0, n - 1);
        const e = min(long - 1, n + 1);
        const s = max(0, r - 1);
        const t = min(wide - 1, r + 1);
        const gl =
          e > w
            ? (rise * (<f64>load<f32>(height + (<usize>(r * long + e) << 2)) - <f64>load<f32>(height + (<usize>(r * long + w) << 2)))) / (<f64>(e - w) * spacingLong)
            : 0;
        const gw =
          t > s
            ? (rise * (<f64>load<f32>(height + (<usize>(t * long + n) << 2)) - <f64>load<f32>(height + (<usize>(s * long + n) << 2)))) / (<f64>(t - s) * spacingWide)
            : 0;
        const up = 1 / sqrt<f64>(1 + gl * gl + gw * gw);
        const slope = gl * alongLong + gw * alongWide;
        // The ground that it lies in hides the sky as well as what stands on it.
        const forward = skyOver(max(f, slope), -slope * up, up);
        const backward = skyOver(max(b, -slope), slope * up, up);
        store<f32>(p, <f32>(<f64>load<f32>(p) + max<f64>(0, forward) + max<f64>(0, backward)));
      } else {
        store<f32>(p, <f32>discOver(altitude - angleOf(ahead ? f : b), radius));
      }
    }
    let swap = front;
    front = nextFront;
    nextFront = swap;
    swap = back;
    back = nextBack;
    nextBack = swap;
  }
}
