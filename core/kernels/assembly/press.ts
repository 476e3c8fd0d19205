/** Samples a side within which a vertex stands on a sample, or beyond which an edge still holds it. */
const EDGE: f64 = 1e-4;
/** The least weight that a vertex on a sample has there. */
const NEARLY: f64 = 0.5;

// @ts-ignore: decorator
@inline
function near(a: f64, b: f64): bool {
  const by = a - b;
  return by < EDGE && by > -EDGE;
}

/** Areas are counted in whole parts of a sample, 2⁻²⁴, so that their sum does not depend on the order. */
const PARTS: f64 = 16777216;

/** Bytes that a vertex takes: column and row (f64), height (f32), and whether it stands on a sample (i32). */
const PLACE: usize = 24;

/** Whether a place, in samples, lies on a row or a column of them. */
// @ts-ignore: decorator
@inline
function onSample(place: f64): bool {
  return near(place, nearest<f64>(place));
}

/**
 * Places of the vertices `from` … `to` − 1: column and row in samples, height, and whether it stands on a sample, {@link PLACE} bytes each.
 *
 * `positions`: three f32 a vertex; `plan` and `above` say which of them runs north or south and
 * which is up; `southwards` is 1 or −1.
 */
export function pressPlace(
  positions: usize,
  from: i32,
  to: i32,
  plan: i32,
  above: i32,
  southwards: f64,
  west: f64,
  north: f64,
  stepX: f64,
  stepY: f64,
  pad: f64,
  places: usize,
): void {
  for (let i = from; i < to; i++) {
    const at = positions + 12 * <usize>i;
    const to24 = places + PLACE * <usize>i;
    const column = (<f64>load<f32>(at) - west) / stepX - pad;
    const row = (southwards * <f64>load<f32>(at + (<usize>plan << 2)) - north) / stepY - pad;
    store<f64>(to24, column);
    store<f64>(to24, row, 8);
    store<f32>(to24, load<f32>(at + (<usize>above << 2)), 16);
    store<i32>(to24, onSample(column) && onSample(row) ? 1 : 0, 20);
  }
}

/** The largest of the u32 numbers `from` … `to` − 1, as f64. */
export function pressLargest(indices: usize, from: i32, to: i32): f64 {
  let most4 = i32x4.splat(0);
  let at = indices + (<usize>from << 2);
  const end = indices + (<usize>to << 2);
  for (; at + 16 <= end; at += 16) most4 = i32x4.max_u(most4, v128.load(at));
  let most = max(max(<u32>i32x4.extract_lane(most4, 0), <u32>i32x4.extract_lane(most4, 1)), max(<u32>i32x4.extract_lane(most4, 2), <u32>i32x4.extract_lane(most4, 3)));
  for (; at < end; at += 4) most = max(most, load<u32>(at));
  return <f64>most;
}

/**
 * Draws the faces `from` … `to` − 1 from straight above into the rows `firstRow` … `lastRow`:
 * the topmost and the lowest height over every sample (f64, `across` a row).
 *
 * `indices`: three u32 a face; `places`: as {@link pressPlace} leaves them. `counts` gets, added to
 * what is there, what concerns the faces whose first vertex
 * lies between `ownFrom` and `ownTo` (rows): f64 faces that are upright or without area, that
 * face up, that face down, and the doubled area of the latter two in parts of a sample. The same
 * as the core's own, number by number.
 */
export function pressFaces(
  indices: usize,
  from: i32,
  to: i32,
  places: usize,
  top: usize,
  bottom: usize,
  across: i32,
  firstRow: i32,
  lastRow: i32,
  ownFrom: f64,
  ownTo: f64,
  counts: usize,
): void {
  let upright: f64 = 0;
  let upwards: f64 = 0;
  let downwards: f64 = 0;
  let cells: f64 = 0;
  // Column and row side by side; what they are held within.
  const least2 = f64x2(0, <f64>firstRow);
  const most2 = f64x2(<f64>(across - 1), <f64>lastRow);
  const edge2 = f64x2.splat(EDGE);
  for (let t = from, at = indices + 12 * <usize>from; t < to; t++, at += 12) {
    const a = places + PLACE * <usize>load<u32>(at);
    const b = places + PLACE * <usize>load<u32>(at, 4);
    const c = places + PLACE * <usize>load<u32>(at, 8);
    const pa = v128.load(a);
    const pb = v128.load(b);
    const pc = v128.load(c);
    const low = f64x2.pmin(f64x2.pmin(pa, pb), pc);
    const high = f64x2.pmax(f64x2.pmax(pa, pb), pc);
    // The first and the last sample that may lie under it.
    const begin = f64x2.pmax(least2, f64x2.ceil(f64x2.sub(low, edge2)));
    const end = f64x2.pmin(most2, f64x2.floor(f64x2.add(high, edge2)));
    const beside = v128.any_true(f64x2.gt(begin, end));
    const ay = f64x2.extract_lane(pa, 1);
    const own = ay >= ownFrom && ay < ownTo;
    if (beside && !own) continue;
    const ax = f64x2.extract_lane(pa, 0);
    const bx = f64x2.extract_lane(pb, 0);
    const by = f64x2.extract_lane(pb, 1);
    const cx = f64x2.extract_lane(pc, 0);
    const cy = f64x2.extract_lane(pc, 1);
    const area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay);
    const size = Math.abs(area);
    const flat = size < 1e-12;
    if (own) {
      if (flat) upright++;
      else {
        cells += Math.floor(size * PARTS);
        if (area < 0) upwards++;
        else downwards++;
      }
    }
    if (flat || beside) continue;
    const first2 = i32x4.trunc_sat_f64x2_s_zero(begin);
    const last2 = i32x4.trunc_sat_f64x2_s_zero(end);
    const left = i32x4.extract_lane(first2, 0);
    const right = i32x4.extract_lane(last2, 0);
    const first = i32x4.extract_lane(first2, 1);
    const last = i32x4.extract_lane(last2, 1);
    const across2 = f64x2.sub(high, low);
    const ha = <f64>load<f32>(a, 16);
    const hb = <f64>load<f32>(b, 16);
    const hc = <f64>load<f32>(c, 16);
    const standing = load<i32>(a, 20) | load<i32>(b, 20) | load<i32>(c, 20);
    // Which way heights go cannot be foreseen: they are selected, not asked for.
    const lower = ha < hb ? (ha < hc ? ha : hc) : hb < hc ? hb : hc;
    const higher = ha > hb ? (ha > hc ? ha : hc) : hb > hc ? hb : hc;
    const share = 1 / area;
    const slack = (-EDGE * (f64x2.extract_lane(across2, 0) + f64x2.extract_lane(across2, 1))) / size;
    for (let row = first; row <= last; row++) {
      const y = <f64>row;
      const ra = (ay - y) * share;
      const rb = (by - y) * share;
      const rc = (cy - y) * share;
      let to8 = ((<usize>row * <usize>across) + <usize>left) << 3;
      for (let column = left; column <= right; column++, to8 += 8) {
        const x = <f64>column;
        const wa = (bx - x) * rc - (cx - x) * rb;
        const wb = (cx - x) * ra - (ax - x) * rc;
        const wc = 1 - wa - wb;
        if (i32(wa < slack) | i32(wb < slack) | i32(wc < slack)) continue;
        let height = wa * ha + wb * hb + wc * hc;
        height = select(lower, height, height < lower);
        height = select(higher, height, height > higher);
        if (standing) {
          if (wa > NEARLY && near(ax, x) && near(ay, y)) height = ha;
          else if (wb > NEARLY && near(bx, x) && near(by, y)) height = hb;
          else if (wc > NEARLY && near(cx, x) && near(cy, y)) height = hc;
        }
        const over = load<f64>(top + to8);
        store<f64>(top + to8, select(height, over, height > over));
        const under = load<f64>(bottom + to8);
        store<f64>(bottom + to8, select(height, under, height < under));
      }
    }
  }
  store<f64>(counts, load<f64>(counts) + upright);
  store<f64>(counts, load<f64>(counts, 8) + upwards, 8);
  store<f64>(counts, load<f64>(counts, 16) + downwards, 16);
  store<f64>(counts, load<f64>(counts, 24) + cells, 24);
}

/**
 * Of the samples `from` … `to` − 1: the height of the topmost surface, metres over `datum`, when all heights count from `lifted` (f32); how
 * far the lowest lies under it, where that is more than `apart`, else 0 (f32); and 1 where there is a surface at all, else 0 (u8). `counts`
 * gets two f64, added to what is there: samples without a surface, and with more than one.
 */
export function pressSamples(
  top: usize,
  bottom: usize,
  from: i32,
  to: i32,
  lifted: f64,
  datum: f64,
  apart: f64,
  heights: usize,
  gaps: usize,
  valid: usize,
  counts: usize,
): void {
  let holes: f64 = 0;
  let overhangs: f64 = 0;
  for (let i = from; i < to; i++) {
    const over = load<f64>(top + (<usize>i << 3));
    const by = over - load<f64>(bottom + (<usize>i << 3));
    if (over == -Infinity) {
      holes++;
      store<f32>(heights + (<usize>i << 2), 0);
      store<f32>(gaps + (<usize>i << 2), 0);
      store<u8>(valid + <usize>i, 0);
      continue;
    }
    store<f32>(heights + (<usize>i << 2), <f32>(over + lifted - datum));
    const open = by > apart;
    store<f32>(gaps + (<usize>i << 2), open ? <f32>by : 0);
    store<u8>(valid + <usize>i, 1);
    overhangs += open ? 1 : 0;
  }
  store<f64>(counts, load<f64>(counts) + holes);
  store<f64>(counts, load<f64>(counts, 8) + overhangs, 8);
}
