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
