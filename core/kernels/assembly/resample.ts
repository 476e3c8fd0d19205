// Rows of heights on other samples, by weights along either axis, in doubles: the operations of core/field/resample.ts.

/**
 * One row along x: `count` sums of `taps` source samples from `first` (words, may lie outside: the outer sample carries on)
 * times their weights (doubles), as doubles.
 */
export function resampleAlong(source: usize, across: i32, first: usize, weight: usize, taps: i32, count: i32, out: usize): void {
  const last = across - 1;
  for (let i = 0; i < count; i++) {
    const begin = load<i32>(first + (<usize>i << 2));
    let sum: f64 = 0;
    let w = weight + (<usize>(i * taps) << 3);
    if (begin >= 0 && begin + taps - 1 <= last) {
      let at = source + (<usize>begin << 2);
      for (let k = 0; k < taps; k++, at += 4, w += 8) {
        const share = load<f64>(w);
        if (share != 0) sum += share * <f64>load<f32>(at);
      }
    } else {
      for (let k = 0; k < taps; k++, w += 8) {
        const share = load<f64>(w);
        if (share != 0) sum += share * <f64>load<f32>(source + (<usize>min(last, max(0, begin + k)) << 2));
      }
    }
    store<f64>(out + (<usize>i << 3), sum);
  }
}

/** Adds a row of `count` doubles times its weight to sums of doubles. */
export function resampleAdd(sums: usize, row: usize, weight: f64, count: i32): void {
  const share = f64x2.splat(weight);
  let i = 0;
  for (; i + 2 <= count; i += 2) {
    const at = <usize>i << 3;
    v128.store(sums + at, f64x2.add(v128.load(sums + at), f64x2.mul(share, v128.load(row + at))));
  }
  for (; i < count; i++) {
    const at = <usize>i << 3;
    store<f64>(sums + at, load<f64>(sums + at) + weight * load<f64>(row + at));
  }
}

/** Sums of doubles as floats, with what is added to each. */
export function resampleOut(sums: usize, add: f64, count: i32, out: usize): void {
  for (let i = 0; i < count; i++) store<f32>(out + (<usize>i << 2), <f32>(load<f64>(sums + (<usize>i << 3)) + add));
}
