// The exact Euclidean distance to the nearest marked sample, in two passes (Felzenszwalb &
// Huttenlocher 2012, "Distance transforms of sampled functions"). Grids without a border.

const FAR: f32 = 1e18;

/** Down and up each column from `from` to `to`: the squared distance along the column to a mark, m². */
export function distanceColumns(marks: usize, out: usize, across: i32, down: i32, from: i32, to: i32, dy: f32): void {
  for (let x = from; x < to; x++) {
    let steps: f32 = 1e9;
    for (let y = 0; y < down; y++) {
      const p = <usize>(y * across + x);
      steps = load<u8>(marks + p) ? 0 : steps + 1;
      store<f32>(out + (p << 2), steps > 9e8 ? FAR : steps * dy * (steps * dy));
    }
    steps = 1e9;
    for (let y = down - 1; y >= 0; y--) {
      const p = <usize>(y * across + x);
      steps = load<u8>(marks + p) ? 0 : steps + 1;
      if (steps > 9e8) continue;
      const square = steps * dy * (steps * dy);
      if (square < load<f32>(out + (p << 2))) store<f32>(out + (p << 2), square);
    }
  }
}

/** Along each row: the lower envelope of the parabolas that stand on the columns' distances; metres in the end. `scratch`: three rows of words. */
export function distanceRows(squares: usize, scratch: usize, across: i32, from: i32, to: i32, dx: f32): void {
  const place = scratch;
  const begin = scratch + (<usize>(across + 1) << 2);
  const copy = begin + (<usize>(across + 2) << 2);
  for (let row = from; row < to; row++) {
    const line = squares + (<usize>(row * across) << 2);
    let last = -1;
    for (let x = 0; x < across; x++) {
      const f = load<f32>(line + (<usize>x << 2));
      store<f32>(copy + (<usize>x << 2), f);
      if (f >= FAR) continue;
      let cross: f32 = -1e30;
      while (last >= 0) {
        const q = load<i32>(place + (<usize>last << 2));
        const g = load<f32>(copy + (<usize>q << 2));
        cross = <f32>((<f64>f - <f64>g + <f64>dx * <f64>dx * (<f64>x * <f64>x - <f64>q * <f64>q)) / (2 * <f64>dx * <f64>dx * <f64>(x - q)));
        if (cross > load<f32>(begin + (<usize>last << 2))) break;
        last--;
        cross = -1e30;
      }
      last++;
      store<i32>(place + (<usize>last << 2), x);
      store<f32>(begin + (<usize>last << 2), last == 0 ? -1e30 : cross);
    }
    let k = 0;
    for (let x = 0; x < across; x++) {
      if (last < 0) {
        store<f32>(line + (<usize>x << 2), 1e9);
        continue;
      }
      while (k < last && load<f32>(begin + (<usize>(k + 1) << 2)) < <f32>x) k++;
      const q = load<i32>(place + (<usize>k << 2));
      const along = <f32>(x - q) * dx;
      store<f32>(line + (<usize>x << 2), sqrt<f32>(along * along + load<f32>(copy + (<usize>q << 2))));
    }
  }
}
