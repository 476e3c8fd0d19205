// Numbers as text and text as numbers: the lines of a mesh (OBJ). What is printed are the characters that `DecimalWriter` prints.

const TENS = memory.data<f64>([1.0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15]);

// @ts-expect-error: a decorator of the compiler
@inline
function ten(power: i32): f64 {
  return load<f64>(TENS + (<usize>power << 3));
}

/** How near a half the digits that are left out may come before somebody else has to decide. */
const NEAR_HALF: f64 = 1e-6;

const SPACE: u8 = 32;
const MINUS: u8 = 45;
const POINT: u8 = 46;
const SLASH: u8 = 47;
const ZERO: u8 = 48;
const NEW_LINE: u8 = 10;
const RETURN: u8 = 13;
const BACKSLASH: u8 = 92;

// @ts-expect-error: a decorator of the compiler
@inline
function isNearHalf(scaled: f64): bool {
  return abs(scaled - floor(scaled) - 0.5) < NEAR_HALF;
}

/** `count` digits of `n`, which has no more of them. */
// @ts-expect-error: a decorator of the compiler
@inline
function putDigits(at: usize, n: u32, count: i32): void {
  for (let k = count - 1; k >= 0; k--) {
    const rest: u32 = n / 10;
    store<u8>(at + k, ZERO + <u8>(n - 10 * rest));
    n = rest;
  }
}

/** Nine significant digits without zeros at their end. Returns where it ends, or 0 where it is not to be decided here. */
function putNumber(at: usize, v: f64): usize {
  const size = abs(v);
  if (size == 0) {
    store<u8>(at, ZERO);
    return at + 1;
  }
  if (!(size >= 1e-6 && size < 1e8)) return 0;
  // The number of digits before the point; below 1 it counts the zeros after it, downwards.
  let whole: i32 = size >= 1 ? 1 : 0;
  if (size >= 1) while (size >= ten(whole)) whole++;
  else while (size * ten(1 - whole) < 1) whole--;
  const scaled = size * ten(9 - whole);
  // Of a float32 the product is exact down to a thousandth.
  if (isNearHalf(scaled) && (whole < -2 || <f64>(<f32>v) != v)) return 0;
  let n = <u32>floor(scaled + 0.5);
  if (n >= 1_000_000_000) {
    n /= 10;
    whole++;
  }
  let digits: i32 = 9;
  while (n % 10 == 0) {
    n /= 10;
    digits--;
  }
  if (v < 0) store<u8>(at++, MINUS);
  if (whole <= 0) {
    store<u8>(at, ZERO);
    store<u8>(at, POINT, 1);
    at += 2;
    for (let k = whole; k < 0; k++) store<u8>(at++, ZERO);
    putDigits(at, n, digits);
    return at + digits;
  }
  if (digits <= whole) {
    putDigits(at, n * <u32>ten(whole - digits), whole);
    return at + whole;
  }
  putDigits(at + 1, n, digits);
  memory.copy(at, at + 1, whole);
  store<u8>(at + whole, POINT);
  return at + digits + 1;
}

/** With six digits behind the point. */
function putFixed6(at: usize, v: f64): usize {
  const scaled = abs(v) * 1e6;
  if (!(scaled < 1e9) || isNearHalf(scaled)) return 0;
  const n = <u32>floor(scaled + 0.5);
  const front = n / 1_000_000;
  if (v < 0) store<u8>(at++, MINUS);
  at = putWhole(at, front);
  store<u8>(at, POINT);
  putDigits(at + 1, n - front * 1_000_000, 6);
  return at + 7;
}

function putWhole(at: usize, n: u32): usize {
  let count: i32 = 1;
  for (let power: u64 = 10; <u64>n >= power; power *= 10) count++;
  putDigits(at, n, count);
  return at + count;
}

/** A byte as a share of 255 with up to five digits behind the point. */
function putShare(at: usize, code: u8): usize {
  const n = <u32>floor((<f64>code / 255) * 1e5 + 0.5);
  if (n == 0 || n == 100_000) {
    store<u8>(at, n == 0 ? ZERO : ZERO + 1);
    return at + 1;
  }
  store<u8>(at, ZERO);
  store<u8>(at, POINT, 1);
  putDigits(at + 2, n, 5);
  let end = at + 7;
  while (load<u8>(end - 1) == ZERO) end--;
  return end;
}

/** Lines of `v`: three float32 each from `positions`, with three bytes of colour behind them where `colours` is not 0. Returns how many bytes they come to; −1 where a number has to be printed another way. */
export function placeLines(positions: usize, colours: usize, from: i32, to: i32, out: usize): i32 {
  let at = out;
  for (let i = 3 * from; i < 3 * to; i += 3) {
    store<u8>(at++, 118);
    for (let k = 0; k < 3; k++) {
      store<u8>(at, SPACE);
      at = putNumber(at + 1, load<f32>(positions + (<usize>(i + k) << 2)));
      if (!at) return -1;
    }
    if (colours) {
      for (let k = 0; k < 3; k++) {
        store<u8>(at, SPACE);
        at = putShare(at + 1, load<u8>(colours + i + k));
      }
    }
    store<u8>(at++, NEW_LINE);
  }
  return <i32>(at - out);
}

/** Lines of `vt`: two float32 each, the second one counted from 1 downwards. */
export function textureLines(uvs: usize, from: i32, to: i32, out: usize): i32 {
  let at = out;
  for (let i = from; i < to; i++) {
    store<u8>(at, 118);
    store<u8>(at, 116, 1);
    store<u8>(at, SPACE, 2);
    const uv = uvs + (<usize>i << 3);
    at = putNumber(at + 3, load<f32>(uv));
    if (!at) return -1;
    store<u8>(at, SPACE);
    at = putNumber(at + 1, 1 - <f64>load<f32>(uv, 4));
    if (!at) return -1;
    store<u8>(at++, NEW_LINE);
  }
  return <i32>(at - out);
}

/** Lines of `vn`: three float32 each. */
export function normalLines(normals: usize, from: i32, to: i32, out: usize): i32 {
  let at = out;
  for (let i = 3 * from; i < 3 * to; i += 3) {
    store<u8>(at, 118);
    store<u8>(at, 110, 1);
    at += 2;
    for (let k = 0; k < 3; k++) {
      store<u8>(at, SPACE);
      at = putFixed6(at + 1, load<f32>(normals + (<usize>(i + k) << 2)));
      if (!at) return -1;
    }
    store<u8>(at++, NEW_LINE);
  }
  return <i32>(at - out);
}

/** Lines of `f`: so many corners each; `v`, `vt` and `vn` are the numbers that the first vertex has, 0 for what the mesh is without. */
export function faceLines(indices: usize, from: i32, to: i32, corners: i32, v: u32, vt: u32, vn: u32, out: usize): i32 {
  let at = out;
  for (let f = from; f < to; f++) {
    store<u8>(at++, 102);
    for (let k = 0; k < corners; k++) {
      const i = load<u32>(indices + (<usize>(f * corners + k) << 2));
      store<u8>(at, SPACE);
      at = putWhole(at + 1, i + v);
      if (vt || vn) store<u8>(at++, SLASH);
      if (vt) at = putWhole(at, i + vt);
      if (vn) {
        store<u8>(at, SLASH);
        at = putWhole(at + 1, i + vn);
      }
    }
    store<u8>(at++, NEW_LINE);
  }
  return <i32>(at - out);
}

/** Where reading stands. */
let next: usize = 0;

/** Up to nine digits; −1 where there are none, or more. */
// @ts-expect-error: a decorator of the compiler
@inline
function wholeAt(): i32 {
  const from = next;
  let n: i32 = 0;
  for (let c = load<u8>(next) - ZERO; c <= 9; c = load<u8>(++next) - ZERO) n = 10 * n + <i32>c;
  return next > from && next - from <= 9 ? n : -1;
}

/** A number of up to fifteen digits; NaN for anything else. Two whole numbers that doubles hold, one over the other, are rounded once (Clinger 1990). */
// @ts-expect-error: a decorator of the compiler
@inline
function decimalAt(): f64 {
  const minus = load<u8>(next) == MINUS;
  if (minus) next++;
  const from = next;
  let n: u64 = 0;
  let point: usize = 0;
  for (;;) {
    const c = load<u8>(next);
    if (c == POINT) {
      if (point) break;
      point = next;
    } else {
      const digit = c - ZERO;
      if (digit > 9) break;
      n = 10 * n + digit;
    }
    next++;
  }
  const digits = <i32>(next - from) - (point ? 1 : 0);
  if (digits < 1 || digits > 15) return NaN;
  const value = point ? <f64>n / ten(<i32>(next - point) - 1) : <f64>n;
  return minus ? -value : value;
}

/** Whether the line ends here; goes on to the next one. */
// @ts-expect-error: a decorator of the compiler
@inline
function lineEnds(): bool {
  if (load<u8>(next) == RETURN) next++;
  if (load<u8>(next) != NEW_LINE) return false;
  next++;
  return true;
}

/** Passes over a line; false where it goes on in the next one. */
// @ts-expect-error: a decorator of the compiler
@inline
function passOver(end: usize): bool {
  while (next < end && load<u8>(next) != NEW_LINE && load<u8>(next) != RETURN) next++;
  let last = next;
  while (load<u8>(last - 1) == SPACE || load<u8>(last - 1) == 9) last--;
  if (load<u8>(last - 1) == BACKSLASH) return false;
  if (next < end && load<u8>(next) == RETURN) next++;
  if (next < end && load<u8>(next) == NEW_LINE) next++;
  return true;
}

/** Passes over what a corner has behind its number. */
// @ts-expect-error: a decorator of the compiler
@inline
function passStrokes(): bool {
  for (let more = 0; more < 2 && load<u8>(next) == SLASH; more++) {
    next++;
    if (load<u8>(next) != SLASH && wholeAt() < 0) return false;
  }
  return true;
}

/**
 * Reads lines as nearly all of a mesh's are, `v` with three numbers and `f` with three or four corners, into `places` (float64)
 * and `corners` (counted from 0); those of other words are passed over. `counts` gets the places, the corners, how many a face
 * has (0 where there is none), and the lines. Before `bytes` and behind `end` there is a line's end to be read. Returns `end`,
 * or where a line begins that is anything else.
 */
export function meshLines(bytes: usize, end: usize, places: usize, corners: usize, counts: usize): usize {
  let place = places;
  let corner = corners;
  let each = 0;
  let lines = 0;
  next = bytes;
  let line = bytes;
  let stuck = false;
  for (; next < end; lines++) {
    stuck = true;
    line = next;
    const word = load<u8>(line);
    const behind = load<u8>(line, 1);
    if (word == 118 && behind == SPACE) {
      next = line + 2;
      let value = decimalAt();
      if (!(value == value)) break;
      store<f64>(place, value);
      if (load<u8>(next++) != SPACE) break;
      value = decimalAt();
      if (!(value == value)) break;
      store<f64>(place, value, 8);
      if (load<u8>(next++) != SPACE) break;
      value = decimalAt();
      if (!(value == value) || !lineEnds()) break;
      store<f64>(place, value, 16);
      place += 24;
    } else if (word == 102 && behind == SPACE) {
      next = line + 1;
      let count = 0;
      let plain = true;
      for (; count < 4 && load<u8>(next) == SPACE; count++) {
        next++;
        const n = wholeAt();
        plain = n >= 1 && passStrokes();
        if (!plain) break;
        store<u32>(corner + (<usize>count << 2), n - 1);
      }
      if (!plain || count < 3 || (each > 0 && count != each) || !lineEnds()) break;
      each = count;
      corner += <usize>count << 2;
    } else if (word == SPACE || word == 9 || word == 102 || (word == 118 && behind != 116 && behind != 110 && behind != 112)) break;
    else if (!passOver(end)) break;
    stuck = false;
  }
  store<i32>(counts, <i32>((place - places) / 24));
  store<i32>(counts, <i32>((corner - corners) >> 2), 4);
  store<i32>(counts, each, 8);
  store<i32>(counts, lines, 12);
  return stuck ? line : end;
}
