// How easily bedded rock gives way, by the bed that the surface has come to.

/**
 * For rows `from` to `to` of a padded grid (`left` samples before a row, one row above): how hard the rock is at the height the surface has
 * now, and from it how easily it gives way, `ease` = `easeGiven` · (1 + strength · (mix(softEase, hardEase) − 1)), and how steep it
 * stands, `bank` = `bankGiven` · (1 + strength · (mix(softBank, hardBank) − 1)). `table`: `count` hardnesses, 0 to 1, from `low` metres over the stack's
 * zero, `per` of them a metre; `uplift`: how high the stack lies, in the height's own metres; `sound`: the share of a bed's
 * hardness that is left between joints. Addresses that are 0 are not there.
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
  for (let row = from; row < to; row++) {
    const end = <usize>((row + 2) * stride - left) << 2;
    for (let off = <usize>((row + 1) * stride + left) << 2; off < end; off += 4) {
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
