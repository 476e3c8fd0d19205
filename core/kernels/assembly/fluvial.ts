// Stream power on a routed ground, implicit in the order from the mouths upstream (Braun &
// Willett 2013), and the creep of slopes. Grids as in `flow.ts`.

/**
 * What one step of time takes from each sample on its way down: pull = e · k · A^m / distance to
 * the receiver, where A counts only beyond the catchment at which streams begin:
 * A²/(A + head). `area` in samples, `cell` and `head` in square metres; `ease` is how easily
 * the rock gives way, 0 to 1.
 */
export function pullRows(
  receiver: usize,
  area: usize,
  ease: usize,
  pull: usize,
  stride: i32,
  from: i32,
  to: i32,
  dx: f32,
  dy: f32,
  cell: f32,
  head: f32,
  k: f64,
  m: f64,
): void {
  const diagonal: f32 = sqrt<f32>(dx * dx + dy * dy);
  for (let row = from; row < to; row++) {
    for (let p = (row + 1) * stride + 1; p < (row + 2) * stride - 1; p++) {
      const off = <usize>p << 2;
      const r = load<i32>(receiver + off);
      const e = load<f32>(ease + off);
      if (r == p || e == 0) {
        store<f32>(pull + off, 0);
        continue;
      }
      const a = load<f32>(area + off) * cell;
      const aside = abs(r - p);
      const far = aside == 1 ? dx : aside == stride ? dy : diagonal;
      const drive = (a * a) / (a + head);
      store<f32>(pull + off, <f32>((<f64>e * k * NativeMath.exp(m * NativeMath.log(<f64>drive))) / <f64>far));
    }
  }
}

/**
 * One step of time for the samples `first` down to `last` of the order: each is drawn towards
 * its receiver's new height, h = (h + rise + laid + pull · receiver) / (1 + pull), and no slope stays
 * steeper than `bank` (of every sample, rise over run; as far as the rock gives way). `laid` is what settles in it (0 in place of an address: nothing).
 */
export function wearDown(
  order: usize,
  receiver: usize,
  before: usize,
  height: usize,
  pull: usize,
  ease: usize,
  bank: usize,
  laid: usize,
  stride: i32,
  first: i32,
  last: i32,
  rise: f32,
  dx: f32,
  dy: f32,
): void {
  const diagonal: f32 = sqrt<f32>(dx * dx + dy * dy);
  for (let i = first; i >= last; i--) {
    const p = load<i32>(order + (<usize>i << 2));
    const off = <usize>p << 2;
    const r = load<i32>(receiver + off);
    if (r == p) continue;
    let h = load<f32>(before + off) + rise;
    if (laid != 0) h += load<f32>(laid + off);
    const below = load<f32>(height + (<usize>r << 2));
    if (h > below) {
      const f = load<f32>(pull + off);
      h = below + (h - below) / (1 + f);
      const aside = abs(r - p);
      const most = below + load<f32>(bank + off) * (aside == 1 ? dx : aside == stride ? dy : diagonal);
      if (h > most) h -= (h - most) * load<f32>(ease + off);
    }
    store<f32>(height + off, h);
  }
}

// @ts-ignore: decorator
@inline
function over(height: usize, n: i32, rise: f32, most: f32): f32 {
  return min<f32>(most, load<f32>(height + (<usize>n << 2)) + rise);
}

/**
 * No sample stays steeper than its `bank` above any of its eight neighbours, as far as the rock
 * gives way; but never below its way out. The water's own way need not be the steepest. In the order from the
 * mouths up, so that what falls in below is known above.
 */
export function fallIn(order: usize, receiver: usize, height: usize, ease: usize, bank: usize, stride: i32, first: i32, last: i32, dx: f32, dy: f32): void {
  const diagonal: f32 = sqrt<f32>(dx * dx + dy * dy);
  for (let i = first; i >= last; i--) {
    const p = load<i32>(order + (<usize>i << 2));
    const off = <usize>p << 2;
    const r = load<i32>(receiver + off);
    if (r == p) continue;
    const steep = load<f32>(bank + off);
    let most = over(height, p - 1, steep * dx, 1e30);
    most = over(height, p + 1, steep * dx, most);
    most = over(height, p - stride, steep * dy, most);
    most = over(height, p + stride, steep * dy, most);
    most = over(height, p - stride - 1, steep * diagonal, most);
    most = over(height, p - stride + 1, steep * diagonal, most);
    most = over(height, p + stride - 1, steep * diagonal, most);
    most = over(height, p + stride + 1, steep * diagonal, most);
    most = max<f32>(most, load<f32>(height + (<usize>r << 2)));
    const h = load<f32>(height + off);
    if (h > most) store<f32>(height + off, h - (h - most) * load<f32>(ease + off));
  }
}

/** Silt fills what lies below its way out, rising by `grade` (rise over run) away from it; as far as the ground gives way. */
export function siltUp(order: usize, receiver: usize, height: usize, ease: usize, stride: i32, first: i32, last: i32, dx: f32, dy: f32, grade: f32): void {
  const diagonal: f32 = sqrt<f32>(dx * dx + dy * dy);
  for (let i = first; i >= last; i--) {
    const p = load<i32>(order + (<usize>i << 2));
    const off = <usize>p << 2;
    const r = load<i32>(receiver + off);
    if (r == p || load<f32>(ease + off) == 0) continue;
    const below = load<f32>(height + (<usize>r << 2));
    if (load<f32>(height + off) >= below) continue;
    const aside = abs(r - p);
    store<f32>(height + off, below + grade * (aside == 1 ? dx : aside == stride ? dy : diagonal));
  }
}

/**
 * What settles on each sample of what was worn away above it (Davy & Lague 2009, as in Yuan et
 * al. 2019): `amount` · the sediment that passes / the catchment. `load_` was zeroed; samples in
 * the order from the sources down.
 */
export function settleBelow(
  order: usize,
  receiver: usize,
  before: usize,
  height: usize,
  carried: usize,
  area: usize,
  weight: usize,
  laid: usize,
  ease: usize,
  first: i32,
  last: i32,
  rise: f32,
  amount: f32,
): void {
  for (let i = first; i < last; i++) {
    const p = load<i32>(order + (<usize>i << 2));
    const off = <usize>p << 2;
    const r = load<i32>(receiver + off);
    if (r == p) continue;
    const worn = (load<f32>(before + off) + rise - load<f32>(height + off)) * load<f32>(weight + off);
    const above = load<f32>(carried + off);
    const all = max<f32>(0, above + worn);
    const at = carried + (<usize>r << 2);
    store<f32>(at, load<f32>(at) + all);
    store<f32>(laid + off, ((amount * max<f32>(0, above)) / load<f32>(area + off)) * load<f32>(ease + off));
  }
}

/**
 * Creep of slopes along x by one implicit step (backward Euler), rows `from` to `to`:
 * (1 − r ∂²) h = h, where r = D·t / dx², between two samples times the smaller of their `ease`.
 * Nothing passes the edge; volume is kept, samples at the rim weighing half where `half` is 1.
 * `c` and `d` are scratch of a row for each band.
 */
export function creepRows(height: usize, ease: usize, c: usize, d: usize, stride: i32, from: i32, to: i32, rate: f32, half: i32): void {
  const count = stride - 2;
  for (let row = from; row < to; row++) {
    const start = <usize>((row + 1) * stride + 1) << 2;
    sweep(height + start, ease + start, c, d, 4, count, rate, half);
  }
}

function sweep(h: usize, e: usize, c: usize, d: usize, step: usize, count: i32, rate: f32, half: i32): void {
  // Counted from the line's first height, so that level ground stays so to the bit.
  const base = load<f32>(h);
  let link: f32 = 0;
  let before: f32 = 0;
  let value: f32 = 0;
  for (let i = 0; i < count; i++) {
    const at = <usize>i * step;
    const next: f32 = i < count - 1 ? rate * min<f32>(load<f32>(e + at), load<f32>(e + at + step)) : 0;
    const own: f32 = half && (i == 0 || i == count - 1) ? 0.5 : 1;
    const scale: f32 = 1 / (own + link + next - link * before);
    value = (own * (load<f32>(h + at) - base) + link * value) * scale;
    before = next * scale;
    store<f32>(c + (<usize>i << 2), before);
    store<f32>(d + (<usize>i << 2), value);
    link = next;
  }
  for (let i = count - 1; i >= 0; i--) {
    const at = <usize>i * step;
    if (i < count - 1) value = load<f32>(d + (<usize>i << 2)) + load<f32>(c + (<usize>i << 2)) * value;
    store<f32>(h + at, value + base);
  }
}

/** The same along y for the columns `from` to `to` (multiples of four, counted from the first of a row), four at a time. `c` and `d` have four floats a row. */
export function creepColumns(height: usize, ease: usize, c: usize, d: usize, stride: i32, rows: i32, from: i32, to: i32, rate: f32, half: i32): void {
  const row4 = <usize>stride << 2;
  const across = stride - 2;
  const r = f32x4.splat(rate);
  const one = f32x4.splat(1);
  for (let column = from; column < to; column += 4) {
    if (column + 4 > across) {
      // What is left of a row goes column by column.
      for (let x = column; x < min(to, across); x++) {
        const start = <usize>(stride + 1 + x) << 2;
        sweep(height + start, ease + start, c, d, row4, rows, rate, half);
      }
      break;
    }
    const start = <usize>(stride + 1 + column) << 2;
    const base = v128.load(height + start);
    let link = f32x4.splat(0);
    let before = f32x4.splat(0);
    let value = f32x4.splat(0);
    for (let i = 0; i < rows; i++) {
      const at = start + <usize>i * row4;
      const next = i < rows - 1 ? f32x4.mul(r, f32x4.pmin(v128.load(ease + at), v128.load(ease + at + row4))) : f32x4.splat(0);
      const own = half && (i == 0 || i == rows - 1) ? f32x4.splat(0.5) : one;
      const scale = f32x4.div(one, f32x4.sub(f32x4.add(own, f32x4.add(link, next)), f32x4.mul(link, before)));
      value = f32x4.mul(f32x4.add(f32x4.mul(own, f32x4.sub(v128.load(height + at), base)), f32x4.mul(link, value)), scale);
      before = f32x4.mul(next, scale);
      v128.store(c + (<usize>i << 4), before);
      v128.store(d + (<usize>i << 4), value);
      link = next;
    }
    for (let i = rows - 1; i >= 0; i--) {
      const at = start + <usize>i * row4;
      if (i < rows - 1) value = f32x4.add(v128.load(d + (<usize>i << 4)), f32x4.mul(v128.load(c + (<usize>i << 4)), value));
      v128.store(height + at, f32x4.add(value, base));
    }
  }
}
