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

/** Lines that are taken together: neighbours rest on the same rows, which lie far apart in memory. */
const GROUP = 16;
/** Samples along the lines that are gone through at a time, for the same reason. */
const TILE = 64;

/**
 * Heights along the lines from `j`, `lines` of them, one after the other at `into`; off the ground 0. Of every line `spans` has the
 * first and last sample beside the ground, and the first and last of those that hide something: what lies more than half a
 * sample beyond the rim does not.
 */
function gather(height: usize, into: usize, spans: usize, shift: usize, share: usize, long: i32, wide: i32, stride: i32, j: i32, lines: i32): void {
  for (let i = 0; i < lines; i++) {
    const span = spans + (<usize>i << 4);
    store<i32>(span, long);
    store<i32>(span, -1, 4);
    store<i32>(span, long, 8);
    store<i32>(span, -1, 12);
  }
  for (let begin = 0; begin < long; begin += TILE) {
    const end = min(long, begin + TILE);
    for (let i = 0; i < lines; i++) {
      const span = spans + (<usize>i << 4);
      const line = into + (<usize>(i * long) << 2);
      let first = load<i32>(span);
      let last = load<i32>(span, 4);
      let on = load<i32>(span, 8);
      let off = load<i32>(span, 12);
      for (let n = begin; n < end; n++) {
        const at = <usize>n << 2;
        const low = j + i + load<i32>(shift + at);
        if (low < -1 || low >= wide) {
          store<f32>(line + at, 0);
          continue;
        }
        if (n < first) first = n;
        last = n;
        const part = load<f32>(share + at);
        if ((low >= 0 || part >= 0.5) && (low < wide - 1 || part <= 0.5)) {
          if (n < on) on = n;
          off = n;
        }
        const a = load<f32>(height + (<usize>(max(0, low) * stride + n) << 2));
        const b = load<f32>(height + (<usize>(min(wide - 1, low + 1) * stride + n) << 2));
        store<f32>(line + at, a + part * (b - a));
      }
      store<i32>(span, first);
      store<i32>(span, last, 4);
      store<i32>(span, on, 8);
      store<i32>(span, off, 12);
    }
  }
}

/** From the heights along a line the horizons' slopes ahead and behind, per step; −1e9 off the ground. */
function horizons(line: usize, span: usize, ahead: usize, behind: usize, hull: usize, long: i32): void {
  const first = load<i32>(span);
  const last = load<i32>(span, 4);
  const on = load<i32>(span, 8);
  const off = load<i32>(span, 12);
  for (let n = 0; n < long; n++) {
    if (n == first) n = last + 1;
    if (n >= long) break;
    store<f32>(ahead + (<usize>n << 2), -1e9);
    store<f32>(behind + (<usize>n << 2), -1e9);
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

/** Two slopes of one line and two of the next as they lie between them: the operations of {@link between}. */
// @ts-expect-error: a decorator of the compiler
@inline
function betweenTwo(a: v128, b: v128, share: v128): v128 {
  const nothing = f64x2.splat(NOTHING);
  const nearer = v128.bitselect(b, a, f64x2.gt(share, f64x2.splat(0.5)));
  const mixed = f64x2.add(a, f64x2.mul(share, f64x2.sub(b, a)));
  return v128.bitselect(nearer, mixed, v128.or(f64x2.lt(a, nothing), f64x2.lt(b, nothing)));
}

/** Two samples' horizons over the level, by the share of the way to the next line. */
// @ts-expect-error: a decorator of the compiler
@inline
function overLevel(line: usize, row: usize, share: v128, scale: v128): v128 {
  const a = f64x2.promote_low_f32x4(v128.load64_zero(line));
  const b = f64x2.promote_low_f32x4(v128.load64_zero(line + row));
  return f64x2.max(f64x2.mul(scale, betweenTwo(a, b, share)), f64x2.splat(0));
}

/** What level ground sees of the sky, both ways, for the samples `begin` … `end` − 1 between a line and the next. */
function levelSky(front: usize, back: usize, row: usize, share: usize, into: usize, scale: f64, begin: i32, end: i32): void {
  const one = f64x2.splat(1);
  const none = f64x2.splat(0);
  const scales = f64x2.splat(scale);
  const ones = f32x4.splat(1);
  let n = begin;
  for (; n + 2 <= end; n += 2) {
    const at = <usize>n << 2;
    const part = f64x2.promote_low_f32x4(v128.load64_zero(share + at));
    const g = v128.bitselect(f64x2.sub(one, part), none, f64x2.gt(part, none));
    const t = f32x4.demote_f64x2_zero(overLevel(front + at, row, g, scales));
    const u = f32x4.demote_f64x2_zero(overLevel(back + at, row, g, scales));
    const tt = f32x4.add(ones, f32x4.mul(t, t));
    const uu = f32x4.add(ones, f32x4.mul(u, u));
    v128.store64_lane(into + at, f32x4.div(f32x4.add(tt, uu), f32x4.mul(tt, uu)), 0);
  }
  for (; n < end; n++) {
    const at = <usize>n << 2;
    const part = load<f32>(share + at);
    const g = part > 0 ? 1 - <f64>part : 0;
    const t = <f32>max<f64>(scale * between(<f64>load<f32>(front + at), <f64>load<f32>(front + row + at), g), 0);
    const u = <f32>max<f64>(scale * between(<f64>load<f32>(back + at), <f64>load<f32>(back + row + at), g), 0);
    const tt: f32 = 1 + t * t;
    const uu: f32 = 1 + u * u;
    store<f32>(into + at, (tt + uu) / (tt * uu));
  }
}

/**
 * Adds to `out` what every sample between the lines `from` and `to` gets along one direction. `lean`: samples aside a sample along;
 * `step`: metres along the direction a sample; `rise`: what heights are multiplied by; `alongLong`, `alongWide`: the direction, of length
 * one; `spacingLong`, `spacingWide`: metres. For the sun `ahead` says which way it stands, `altitude` and `radius` are angles. `scratch`: of a group
 * and the line after it heights and horizons ahead and behind, and their spans; four rows: 3 · 17 + 4 rows and 4 · 17 words.
 */
export function horizonLines(
  height: usize,
  out: usize,
  scratch: usize,
  kind: i32,
  long: i32,
  wide: i32,
  stride: i32,
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
  const heights = scratch;
  const fronts = heights + (GROUP + 1) * row;
  const backs = fronts + (GROUP + 1) * row;
  const hull = backs + (GROUP + 1) * row;
  const shift = hull + row;
  const share = shift + row;
  const next = share + row;
  const spans = next + row;
  const scale = rise / step;
  if (from >= to) return;
  for (let n = 0; n < long; n++) {
    const place = lean * <f64>n;
    const under = Math.floor(place);
    store<i32>(shift + (<usize>n << 2), <i32>under);
    const part = <f32>(place - under);
    store<f32>(share + (<usize>n << 2), part);
    // The row of the sample after the line's place.
    store<i32>(next + (<usize>n << 2), <i32>under + (part > 0 ? 1 : 0));
  }
  // A sample's horizon is that of the two lines beside it: of every group the last line is the first of the next.
  gather(height, heights + GROUP * row, spans + (GROUP << 4), shift, share, long, wide, stride, from, 1);
  horizons(heights + GROUP * row, spans + (GROUP << 4), fronts + GROUP * row, backs + GROUP * row, hull, long);
  for (let group = from; group < to; group += GROUP) {
    const lines = min(GROUP, to - group);
    memory.copy(fronts, fronts + GROUP * row, row);
    memory.copy(backs, backs + GROUP * row, row);
    gather(height, heights + row, spans + 16, shift, share, long, wide, stride, group + 1, lines);
    for (let i = 1; i <= lines; i++) horizons(heights + i * row, spans + (<usize>i << 4), fronts + i * row, backs + i * row, hull, long);
    for (let begin = 0; begin < long; begin += TILE) {
      const end = min(long, begin + TILE);
      for (let i = 0; i < lines; i++) {
        const j = group + i;
        const front = fronts + i * row;
        const back = backs + i * row;
        if (kind == LEVEL) {
          levelSky(front, back, row, share, hull, scale, begin, end);
          for (let n = begin; n < end; n++) {
            const at = <usize>n << 2;
            const r = j + load<i32>(next + at);
            if (r < 0 || r >= wide) continue;
            const p = out + (<usize>(r * stride + n) << 2);
            store<f32>(p, load<f32>(p) + load<f32>(hull + at));
          }
          continue;
        }
        for (let n = begin; n < end; n++) {
          const at = <usize>n << 2;
          const part = load<f32>(share + at);
          const r = j + load<i32>(shift + at) + (part > 0 ? 1 : 0);
          if (r < 0 || r >= wide) continue;
          const g = part > 0 ? 1 - <f64>part : 0;
          const f = scale * between(<f64>load<f32>(front + at), <f64>load<f32>(front + row + at), g);
          const b = scale * between(<f64>load<f32>(back + at), <f64>load<f32>(back + row + at), g);
          const p = out + (<usize>(r * stride + n) << 2);
          if (kind == TILTED) {
            const w = max(0, n - 1);
            const e = min(long - 1, n + 1);
            const s = max(0, r - 1);
            const t = min(wide - 1, r + 1);
            const gl =
              e > w
                ? (rise * (<f64>load<f32>(height + (<usize>(r * stride + e) << 2)) - <f64>load<f32>(height + (<usize>(r * stride + w) << 2)))) / (<f64>(e - w) * spacingLong)
                : 0;
            const gw =
              t > s
                ? (rise * (<f64>load<f32>(height + (<usize>(t * stride + n) << 2)) - <f64>load<f32>(height + (<usize>(s * stride + n) << 2)))) / (<f64>(t - s) * spacingWide)
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
      }
    }
  }
}
