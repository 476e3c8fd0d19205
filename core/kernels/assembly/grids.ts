// What is done to the floats of a grid sample by sample: in a program's own language every worker would have to compile it first, which takes
// longer than the work. Samples `from` to `to`.

/** What lies beyond `other`. */
export function takeOff(values: usize, other: usize, from: i32, to: i32): void {
  for (let p = from; p < to; p++) {
    const off = <usize>p << 2;
    store<f32>(values + off, load<f32>(values + off) - load<f32>(other + off));
  }
}

/** What one grid has beyond another. */
export function differences(out: usize, values: usize, other: usize, from: i32, to: i32): void {
  for (let p = from; p < to; p++) {
    const off = <usize>p << 2;
    store<f32>(out + off, load<f32>(values + off) - load<f32>(other + off));
  }
}

/** Both together. */
export function putOn(values: usize, other: usize, from: i32, to: i32): void {
  for (let p = from; p < to; p++) {
    const off = <usize>p << 2;
    store<f32>(values + off, load<f32>(values + off) + load<f32>(other + off));
  }
}

/** Less than `least` is nothing. */
export function dropUnder(values: usize, from: i32, to: i32, least: f32): void {
  for (let p = from; p < to; p++) {
    const at = values + (<usize>p << 2);
    if (load<f32>(at) < least) store<f32>(at, 0);
  }
}

/** Shares of 0 to 1 that leave them by a hair, or nearly reach them. */
export function wholeShares(values: usize, from: i32, to: i32): void {
  for (let p = from; p < to; p++) {
    const at = values + (<usize>p << 2);
    const share = <f64>load<f32>(at);
    if (share < 1e-4) store<f32>(at, 0);
    else if (share > 0.9999) store<f32>(at, 1);
  }
}

/** Nothing under 0, and nothing where `ease` (0: everywhere given) is 0. */
export function onlyLaid(values: usize, ease: usize, from: i32, to: i32): void {
  for (let p = from; p < to; p++) {
    const at = values + (<usize>p << 2);
    if (!(load<f32>(at) > 0) || (ease != 0 && load<f32>(ease + (<usize>p << 2)) == 0)) store<f32>(at, 0);
  }
}
