// Rows of a PNG under their filters (PNG, 9.2): what a reader adds up again. Bytes, sixteen at a time.

/** The pixel to the left, above, or above the left one, whichever is nearest to what the three of them foretell (PNG, 9.4). */
// @ts-expect-error: a decorator of the compiler
@inline
function paeth(left: i32, up: i32, corner: i32): i32 {
  const a = abs(up - corner);
  const b = abs(left - corner);
  const c = abs(left + up - 2 * corner);
  return a <= b && a <= c ? left : b <= c ? up : corner;
}

/** The same of eight at a time, as numbers of 16 bits. */
// @ts-expect-error: a decorator of the compiler
@inline
function paethOfEight(left: v128, up: v128, corner: v128): v128 {
  const a = i16x8.abs(i16x8.sub(up, corner));
  const b = i16x8.abs(i16x8.sub(left, corner));
  const c = i16x8.abs(i16x8.sub(i16x8.add(left, up), i16x8.add(corner, corner)));
  const isLeft = v128.and(i16x8.le_s(a, b), i16x8.le_s(a, c));
  return v128.bitselect(left, v128.bitselect(up, corner, i16x8.le_s(b, c)), isLeft);
}

/** What sixteen bytes are foretold as by a filter, from those `back` bytes before them and those above. */
// @ts-expect-error: a decorator of the compiler
@inline
function foretold(filter: i32, left: v128, up: v128, corner: v128): v128 {
  if (filter == 1) return left;
  if (filter == 2) return up;
  // The mean rounded down: what both have, and half of what one of them has.
  if (filter == 3) return i8x16.add(v128.and(left, up), i8x16.shr_u(v128.xor(left, up), 1));
  const low = paethOfEight(i16x8.extend_low_i8x16_u(left), i16x8.extend_low_i8x16_u(up), i16x8.extend_low_i8x16_u(corner));
  const high = paethOfEight(i16x8.extend_high_i8x16_u(left), i16x8.extend_high_i8x16_u(up), i16x8.extend_high_i8x16_u(corner));
  return i8x16.narrow_i16x8_u(low, high);
}

/** How large a byte is as a signed one: what was stored wraps. */
// @ts-expect-error: a decorator of the compiler
@inline
function sizeOf(difference: i32): i32 {
  return abs(<i32>(<i8>difference));
}

/** The same of sixteen bytes, added up in fours. */
// @ts-expect-error: a decorator of the compiler
@inline
function sizesOf(differences: v128): v128 {
  return i32x4.extadd_pairwise_i16x8_u(i16x8.extadd_pairwise_i8x16_u(i8x16.abs(differences)));
}

// @ts-expect-error: a decorator of the compiler
@inline
function sumOf(v: v128): i32 {
  return i32x4.extract_lane(v, 0) + i32x4.extract_lane(v, 1) + i32x4.extract_lane(v, 2) + i32x4.extract_lane(v, 3);
}

/** Codes of 16 bits as bytes, the high one first. */
export function highFirst(codes: usize, count: i32, into: usize): void {
  for (let i = 0; i < count; i += 8) {
    const v = v128.load(codes + (<usize>i << 1));
    v128.store(into + (<usize>i << 1), i8x16.shuffle(v, v, 1, 0, 3, 2, 5, 4, 7, 6, 9, 8, 11, 10, 13, 12, 15, 14));
  }
}

/**
 * The row of `length` bytes under the filter with the smallest sum of absolute differences (PNG, 12.7), of every `stride`-th sixteen bytes, into
 * `out`, in pixels of `back` bytes; returns its number. The `back` bytes before `row` and before `above` are 0, of `above` all where the row is the `first`,
 * which knows what lies to the left alone. All may be written 16 bytes past their ends.
 */
export function filterRow(row: usize, above: usize, length: i32, back: i32, stride: i32, first: i32, out: usize): i32 {
  let v0 = i32x4.splat(0);
  let v1 = i32x4.splat(0);
  let v2 = i32x4.splat(0);
  let v3 = i32x4.splat(0);
  let v4 = i32x4.splat(0);
  // Sixteen bytes at a time, of every so many times sixteen; what is left at the end one by one.
  let i = 0;
  for (; i + 16 <= length; i += 16 * stride) {
    const here = v128.load(row + i);
    const left = v128.load(row + i - back);
    const up = v128.load(above + i);
    const corner = v128.load(above + i - back);
    v0 = i32x4.add(v0, sizesOf(here));
    v1 = i32x4.add(v1, sizesOf(i8x16.sub(here, left)));
    v2 = i32x4.add(v2, sizesOf(i8x16.sub(here, up)));
    v3 = i32x4.add(v3, sizesOf(i8x16.sub(here, foretold(3, left, up, corner))));
    v4 = i32x4.add(v4, sizesOf(i8x16.sub(here, foretold(4, left, up, corner))));
  }
  let s0 = sumOf(v0);
  let s1 = sumOf(v1);
  let s2 = sumOf(v2);
  let s3 = sumOf(v3);
  let s4 = sumOf(v4);
  for (; i < length; i++) {
    const here = <i32>load<u8>(row + i);
    const left = <i32>load<u8>(row + i - back);
    const up = <i32>load<u8>(above + i);
    const corner = <i32>load<u8>(above + i - back);
    s0 += sizeOf(here);
    s1 += sizeOf(here - left);
    s2 += sizeOf(here - up);
    s3 += sizeOf(here - ((left + up) >> 1));
    s4 += sizeOf(here - paeth(left, up, corner));
  }
  let best = 0;
  let least = s0;
  if (s1 < least) {
    best = 1;
    least = s1;
  }
  if (!first) {
    if (s2 < least) {
      best = 2;
      least = s2;
    }
    if (s3 < least) {
      best = 3;
      least = s3;
    }
    if (s4 < least) best = 4;
  }
  if (best == 0) memory.copy(out, row, length);
  else
    for (let i = 0; i < length; i += 16) {
      const before = foretold(best, v128.load(row + i - back), v128.load(above + i), v128.load(above + i - back));
      v128.store(out + i, i8x16.sub(v128.load(row + i), before));
    }
  return best;
}

/**
 * The row of `length` bytes as it was before it went under a filter of 1 to 4, in its place; `above`: the one before it. Before both lie
 * `back` bytes that are 0. All may be read and written 16 bytes past their ends.
 */
export function unfilterRow(filter: i32, row: usize, above: usize, length: i32, back: i32): void {
  if (filter == 2) {
    for (let i = 0; i < length; i += 16) v128.store(row + i, i8x16.add(v128.load(row + i), v128.load(above + i)));
  } else if (filter == 1) {
    for (let i = 0; i < length; i++) store<u8>(row + i, <u32>load<u8>(row + i) + load<u8>(row + i - back));
  } else if (filter == 3) {
    for (let i = 0; i < length; i++) store<u8>(row + i, <u32>load<u8>(row + i) + ((<u32>load<u8>(row + i - back) + load<u8>(above + i)) >> 1));
  } else {
    for (let i = 0; i < length; i++) {
      store<u8>(row + i, <i32>load<u8>(row + i) + paeth(load<u8>(row + i - back), load<u8>(above + i), load<u8>(above + i - back)));
    }
  }
}
