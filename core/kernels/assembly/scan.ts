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
