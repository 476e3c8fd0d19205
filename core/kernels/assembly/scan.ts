// One pass over floats: what nearly every step of reading, writing and proving asks of them.

/**
 * Lowest, highest, sum (in doubles, one after the other) and count of the finite ones among `count` floats, and where the
 * first lies that is beyond ±`far`, −1 where none does: five doubles at `out`.
 */
export function scanFloats(source: usize, count: i32, far: f32, out: usize): void {
  let lowest = Infinity;
  let highest = -Infinity;
  let sum: f64 = 0;
  let known = 0;
  let beyond = -1;
  for (let i = 0; i < count; i++) {
    const v = load<f32>(source + (<usize>i << 2));
    if (!(v - v == 0)) continue;
    const h = <f64>v;
    if (h < lowest) lowest = h;
    if (h > highest) highest = h;
    sum += h;
    known++;
    if (abs<f32>(v) >= far && beyond < 0) beyond = i;
  }
  store<f64>(out, lowest);
  store<f64>(out, highest, 8);
  store<f64>(out, sum, 16);
  store<f64>(out, <f64>known, 24);
  store<f64>(out, <f64>beyond, 32);
}

/** Lowest and highest of the finite ones among `count` floats, and how many those are: three doubles at `out`. */
export function boundsOfFloats(source: usize, count: i32, out: usize): void {
  const zero = f32x4.splat(0);
  let low = f32x4.splat(f32.MAX_VALUE);
  let high = f32x4.splat(-f32.MAX_VALUE);
  let known = i32x4.splat(0);
  let i = 0;
  for (; i + 4 <= count; i += 4) {
    const v = v128.load(source + (<usize>i << 2));
    const finite = f32x4.eq(f32x4.sub(v, v), zero);
    low = f32x4.pmin(low, v128.bitselect(v, low, finite));
    high = f32x4.pmax(high, v128.bitselect(v, high, finite));
    known = i32x4.sub(known, finite);
  }
  let lowest = min(min(f32x4.extract_lane(low, 0), f32x4.extract_lane(low, 1)), min(f32x4.extract_lane(low, 2), f32x4.extract_lane(low, 3)));
  let highest = max(max(f32x4.extract_lane(high, 0), f32x4.extract_lane(high, 1)), max(f32x4.extract_lane(high, 2), f32x4.extract_lane(high, 3)));
  let found = i32x4.extract_lane(known, 0) + i32x4.extract_lane(known, 1) + i32x4.extract_lane(known, 2) + i32x4.extract_lane(known, 3);
  for (; i < count; i++) {
    const v = load<f32>(source + (<usize>i << 2));
    if (!(v - v == 0)) continue;
    lowest = min(lowest, v);
    highest = max(highest, v);
    found++;
  }
  store<f64>(out, found > 0 ? <f64>lowest : Infinity);
  store<f64>(out, found > 0 ? <f64>highest : -Infinity, 8);
  store<f64>(out, <f64>found, 16);
}

/**
 * Lowest and highest x, y and z of `count` places of three floats, and how many of their numbers are not finite (which count for neither): seven doubles at
 * `out`, x, y, z lowest first.
 */
export function boundsOfPlaces(source: usize, count: i32, out: usize): void {
  const zero = f32x4.splat(0);
  const most = f32x4.splat(f32.MAX_VALUE);
  const least = f32x4.splat(-f32.MAX_VALUE);
  // Four places are three vectors: x y z x, y z x y, z x y z.
  let low0 = most, low1 = most, low2 = most;
  let high0 = least, high1 = least, high2 = least;
  let known = i32x4.splat(0);
  let i = 0;
  for (let at = source; i + 4 <= count; i += 4, at += 48) {
    const v0 = v128.load(at);
    const v1 = v128.load(at, 16);
    const v2 = v128.load(at, 32);
    const f0 = f32x4.eq(f32x4.sub(v0, v0), zero);
    const f1 = f32x4.eq(f32x4.sub(v1, v1), zero);
    const f2 = f32x4.eq(f32x4.sub(v2, v2), zero);
    low0 = f32x4.pmin(low0, v128.bitselect(v0, low0, f0));
    low1 = f32x4.pmin(low1, v128.bitselect(v1, low1, f1));
    low2 = f32x4.pmin(low2, v128.bitselect(v2, low2, f2));
    high0 = f32x4.pmax(high0, v128.bitselect(v0, high0, f0));
    high1 = f32x4.pmax(high1, v128.bitselect(v1, high1, f1));
    high2 = f32x4.pmax(high2, v128.bitselect(v2, high2, f2));
    known = i32x4.sub(known, i32x4.add(f0, i32x4.add(f1, f2)));
  }
  let finite = i32x4.extract_lane(known, 0) + i32x4.extract_lane(known, 1) + i32x4.extract_lane(known, 2) + i32x4.extract_lane(known, 3);
  let west = min(min(f32x4.extract_lane(low0, 0), f32x4.extract_lane(low0, 3)), min(f32x4.extract_lane(low1, 2), f32x4.extract_lane(low2, 1)));
  let down = min(min(f32x4.extract_lane(low0, 1), f32x4.extract_lane(low1, 0)), min(f32x4.extract_lane(low1, 3), f32x4.extract_lane(low2, 2)));
  let near = min(min(f32x4.extract_lane(low0, 2), f32x4.extract_lane(low1, 1)), min(f32x4.extract_lane(low2, 0), f32x4.extract_lane(low2, 3)));
  let east = max(max(f32x4.extract_lane(high0, 0), f32x4.extract_lane(high0, 3)), max(f32x4.extract_lane(high1, 2), f32x4.extract_lane(high2, 1)));
  let up = max(max(f32x4.extract_lane(high0, 1), f32x4.extract_lane(high1, 0)), max(f32x4.extract_lane(high1, 3), f32x4.extract_lane(high2, 2)));
  let far = max(max(f32x4.extract_lane(high0, 2), f32x4.extract_lane(high1, 1)), max(f32x4.extract_lane(high2, 0), f32x4.extract_lane(high2, 3)));
  for (; i < count; i++) {
    const at = source + 12 * <usize>i;
    const x = load<f32>(at);
    const y = load<f32>(at, 4);
    const z = load<f32>(at, 8);
    if (x - x == 0) {
      west = min(west, x);
      east = max(east, x);
      finite++;
    }
    if (y - y == 0) {
      down = min(down, y);
      up = max(up, y);
      finite++;
    }
    if (z - z == 0) {
      near = min(near, z);
      far = max(far, z);
      finite++;
    }
  }
  store<f64>(out, <f64>west);
  store<f64>(out, <f64>down, 8);
  store<f64>(out, <f64>near, 16);
  store<f64>(out, <f64>east, 24);
  store<f64>(out, <f64>up, 32);
  store<f64>(out, <f64>far, 40);
  store<f64>(out, <f64>(3 * count - finite), 48);
}

/** How many of `count` floats are finite and have the same bits in both. */
export function sameFloats(a: usize, b: usize, count: i32): i32 {
  const zero = f32x4.splat(0);
  let same = i32x4.splat(0);
  let i = 0;
  for (; i + 4 <= count; i += 4) {
    const at = <usize>i << 2;
    const v = v128.load(a + at);
    same = i32x4.sub(same, v128.and(i32x4.eq(v, v128.load(b + at)), f32x4.eq(f32x4.sub(v, v), zero)));
  }
  let found = i32x4.extract_lane(same, 0) + i32x4.extract_lane(same, 1) + i32x4.extract_lane(same, 2) + i32x4.extract_lane(same, 3);
  for (; i < count; i++) {
    const at = <usize>i << 2;
    const v = load<f32>(a + at);
    if (v - v == 0 && load<u32>(a + at) == load<u32>(b + at)) found++;
  }
  return found;
}

/**
 * Places of the samples that lie above all of their eight neighbours, or below all of them, by more than `least`: of `down` rows of `across`
 * samples, those within the outer ones, as numbers of 32 bits at `out`. Returns how many.
 */
export function outstanding(source: usize, across: i32, down: i32, least: f32, out: usize): i32 {
  const row = <usize>across << 2;
  const margin = f32x4.splat(least);
  let count = 0;
  for (let y = 1; y + 1 < down; y++) {
    const begin = y * across + 1;
    const end = begin + across - 2;
    for (let i = begin; i < end; i += 4) {
      const at = source + (<usize>i << 2);
      const here = v128.load(at);
      const north = v128.load(at - row);
      const south = v128.load(at + row);
      const west = v128.load(at - 4);
      const east = v128.load(at + 4);
      let most = f32x4.pmax(f32x4.pmax(north, south), f32x4.pmax(west, east));
      let low = f32x4.pmin(f32x4.pmin(north, south), f32x4.pmin(west, east));
      const northWest = v128.load(at - row - 4);
      const northEast = v128.load(at - row + 4);
      const southWest = v128.load(at + row - 4);
      const southEast = v128.load(at + row + 4);
      most = f32x4.pmax(most, f32x4.pmax(f32x4.pmax(northWest, northEast), f32x4.pmax(southWest, southEast)));
      low = f32x4.pmin(low, f32x4.pmin(f32x4.pmin(northWest, northEast), f32x4.pmin(southWest, southEast)));
      const by = f32x4.pmax(f32x4.sub(here, most), f32x4.sub(low, here));
      let which = i32x4.bitmask(f32x4.gt(by, margin));
      while (which) {
        const lane = ctz(which);
        which &= which - 1;
        if (i + lane >= end) break;
        store<i32>(out + (<usize>count << 2), i + lane);
        count++;
      }
    }
  }
  return count;
}
