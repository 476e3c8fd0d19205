// How easily bedded rock gives way, by the bed that the surface has come to.

/**
 * For rows `from` to `to` of a padded grid (`left` samples before a row, one row above): how hard the rock is at the height the surface has
 * now, and from it how easily it gives way, `ease` = `easeGiven` · (1 + strength · (mix(softEase, hardEase) − 1)), and how steep it
 * stands, `bank` = `bankGiven` · (1 + strength · (mix(softBank, hardBank) − 1)). `table`: `count` hardnesses, 0 to 1, from `low` metres over the stack's
 * zero, `per` of them a metre; `uplift`: how high the stack lies, in the height's own metres; `sound`: the share of a bed's
 * hardness that is left between joints. `stirred`: for every block of 16 samples of a row the sweep in which its height last changed, with one entry more on
 * every side; blocks older than `since` are as they were. Addresses that are 0 are not there.
 */
export function rockRows(
  height: usize,
  change: usize,
  uplift: usize,
  sound: usize,
  table: usize,
  easeGiven: usize,
  ease: usize,
  bankGiven: usize,
  bank: usize,
  stirred: usize,
  since: i32,
  stride: i32,
  left: i32,
  from: i32,
  to: i32,
  count: i32,
  low: f32,
  per: f32,
  strength: f32,
  softEase: f32,
  hardEase: f32,
  softBank: f32,
  hardBank: f32,
): void {
  const last: f32 = <f32>(count - 1);
  const blocks = ((<usize>(stride - 2 * left) + 15) / 16 + 2) << 2;
  for (let row = from; row < to; row++) {
    const end = <usize>((row + 2) * stride - left) << 2;
    let off = <usize>((row + 1) * stride + left) << 2;
    let block = stirred + <usize>(row + 1) * blocks;
    for (let inBlock = 0; off + 16 <= end; off += 16, inBlock = (inBlock + 1) & 3) {
      if (stirred != 0 && inBlock == 0) {
        block += 4;
        if (load<i32>(block) < since) {
          off += 48;
          inBlock = 3;
          continue;
        }
      }
      let h = v128.load(height + off);
      if (change != 0) h = f32x4.add(h, v128.load(change + off));
      const over = f32x4.mul(f32x4.sub(f32x4.sub(h, v128.load(uplift + off)), f32x4.splat(low)), f32x4.splat(per));
      const at = f32x4.max(f32x4.splat(0), f32x4.min(f32x4.splat(last), over));
      const i = i32x4.min_s(i32x4.trunc_sat_f32x4_s(at), i32x4.splat(count - 2));
      // Each bed with the one over it.
      const one = v128.load_zero<u64>(table + (<usize>i32x4.extract_lane(i, 0) << 2));
      const lower = v128.load_lane<u64>(table + (<usize>i32x4.extract_lane(i, 1) << 2), one, 1);
      const two = v128.load_zero<u64>(table + (<usize>i32x4.extract_lane(i, 2) << 2));
      const upper = v128.load_lane<u64>(table + (<usize>i32x4.extract_lane(i, 3) << 2), two, 1);
      const a = v128.shuffle<f32>(lower, upper, 0, 2, 4, 6);
      const b = v128.shuffle<f32>(lower, upper, 1, 3, 5, 7);
      let hard = f32x4.add(a, f32x4.mul(f32x4.sub(b, a), f32x4.sub(at, f32x4.convert_i32x4_s(i))));
      if (sound != 0) hard = f32x4.mul(hard, v128.load(sound + off));
      const eased = felt(hard, strength, softEase, hardEase);
      v128.store(ease + off, easeGiven != 0 ? f32x4.mul(v128.load(easeGiven + off), eased) : eased);
      if (bank != 0) v128.store(bank + off, f32x4.mul(v128.load(bankGiven + off), felt(hard, strength, softBank, hardBank)));
    }
    for (; off < end; off += 4) {
      let h = load<f32>(height + off);
      if (change != 0) h += load<f32>(change + off);
      const at = max<f32>(0, min<f32>(last, (h - load<f32>(uplift + off) - low) * per));
      const i = min<i32>(<i32>at, count - 2);
      const entry = table + (<usize>i << 2);
      const a = load<f32>(entry);
      let hard = a + (load<f32>(entry + 4) - a) * (at - <f32>i);
      if (sound != 0) hard *= load<f32>(sound + off);
      const given: f32 = easeGiven != 0 ? load<f32>(easeGiven + off) : 1;
      store<f32>(ease + off, given * (1 + strength * (softEase + (hardEase - softEase) * hard - 1)));
      if (bank != 0) store<f32>(bank + off, load<f32>(bankGiven + off) * (1 + strength * (softBank + (hardBank - softBank) * hard - 1)));
    }
  }
}

/** 1 + strength · (mix(soft, hard) − 1), by how hard the rock is. */
// @ts-ignore: decorator
@inline
function felt(hard: v128, strength: f32, soft: f32, whole: f32): v128 {
  const one = f32x4.splat(1);
  const mixed = f32x4.add(f32x4.splat(soft), f32x4.mul(f32x4.splat(whole - soft), hard));
  return f32x4.add(one, f32x4.mul(f32x4.splat(strength), f32x4.sub(mixed, one)));
}

/** A number of a table of doubles. */
// @ts-ignore: decorator
@inline
function at(table: usize, index: i32): f64 {
  return load<f64>(table + (<usize>index << 3));
}

/** A wave at a column and a row, sin(a + b) from what each knows; see `structureRows`. */
// @ts-ignore: decorator
@inline
function waveAt(wave: usize, across: i32, down: i32, column: i32, row: i32): f64 {
  const rows = wave + (<usize>(2 * across) << 3);
  return at(wave, column) * at(rows, down + row) + at(wave, across + column) * at(rows, row);
}

/**
 * How high the stack of beds lies at every sample of the rows `from` to `to`, and, where `sets` is not 0, how sound the rock is between its joints.
 * All tables hold doubles. `columns` and `rows`: metres from the ground's middle, then from its north-west corner. `waves`: the plunge, `folds` folds, and a long and a short wave for
 * each set of joints; each the sines and the cosines of its columns, then of its rows. `heights`: metres of each fold. `faults`: for each a place, the
 * direction along it and by how much it throws. `joints`: for each set the unit vector along it, its spacing, the number of its first joint, where its joints begin in this table and how many they are.
 */
export function structureRows(
  columns: usize,
  rows: usize,
  waves: usize,
  folds: i32,
  heights: usize,
  faults: usize,
  faultCount: i32,
  joints: usize,
  sets: i32,
  base: f64,
  eastward: f64,
  southward: f64,
  wander: f64,
  width: f64,
  across: i32,
  down: i32,
  from: i32,
  to: i32,
  uplift: usize,
  sound: usize,
): void {
  const each = <usize>(2 * (across + down)) << 3;
  for (let row = from; row < to; row++) {
    const y = at(rows, row);
    for (let column = 0; column < across; column++) {
      const off = <usize>(row * across + column) << 2;
      let bent: f64 = 0;
      if (folds) {
        const swell = 1 + 0.35 * waveAt(waves, across, down, column, row);
        for (let k = 0; k < folds; k++) bent += swell * at(heights, k) * waveAt(waves + <usize>(k + 1) * each, across, down, column, row);
      }
      let fallen: f64 = 0;
      for (let k = 0; k < faultCount; k++) {
        const fault = faults + (<usize>(5 * k) << 3);
        const side = (at(columns, across + column) - at(fault, 0)) * at(fault, 2) + (at(rows, down + row) - at(fault, 1)) * at(fault, 3);
        if (side > 0) fallen += at(fault, 4);
      }
      store<f32>(uplift + off, <f32>(base + eastward * at(columns, column) + southward * y + bent - fallen));
    }
    if (!sets) continue;
    for (let column = 0; column < across; column++) {
      let whole: f32 = 1;
      for (let k = 0; k < sets; k++) {
        const set = joints + (<usize>(6 * k) << 3);
        const long = waves + <usize>(folds + 1 + 2 * k) * each;
        const strays = waveAt(long, across, down, column, row) + 0.5 * waveAt(long + each, across, down, column, row);
        const away = (at(columns, column) * at(set, 1) + y * at(set, 0)) / at(set, 2) + wander * strays;
        const line = <i32>floor<f64>(away) - <i32>at(set, 3);
        const places = joints + (<usize>at(set, 4) << 3);
        const takes = places + (<usize>at(set, 5) << 3);
        for (let j = line; j <= line + 1; j++) {
          const far = (away - at(places, j)) / width;
          if (far > -1 && far < 1) whole = min<f32>(whole, <f32>(1 - at(takes, j) * (1 - far * far) * (1 - far * far)));
        }
      }
      store<f32>(sound + (<usize>(row * across + column) << 2), whole);
    }
  }
}
