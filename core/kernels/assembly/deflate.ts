// Deflate (RFC 1951) of one part of a stream. Rows of ground under their filters hold little that repeats, and what repeats is short: a
// match is taken where it costs fewer bits than its bytes by themselves would, and not because it is there.

/** The most bytes that have codes of their own, a stored block's length; they are given them by so many together. */
const BLOCK = 65_520;
const PIECE = 8190;
/** 256ths of a bit that codes of their own cost. */
const OWN_CODES_COST = 256 * 560;

/** How far back a match reaches, and one more. */
const WINDOW: u32 = 32_768;
const LONGEST: u32 = 258;
const LITERALS = 286;
/** Half bits a byte under which bytes cost little. */
const CHEAP = 9;
/** And over which they are noise. */
const DEAR = 15;
const DISTANCES: u32 = 30;
const END = 256;

// What lies where in the room for working.
/** Where five bytes that look so were last, and before each place the one before it. Places count from 1. Shorter matches seldom cost less than their bytes. */
const FIVES: usize = 0;
const BEFORE: usize = FIVES + 4 * 32_768;
/** Bits that the block's bytes up to one cost by themselves. */
const COSTS: usize = BEFORE + 4 * WINDOW;
/** The block's matches: how many bytes stand by themselves before one, then its distance times 512 and its length. */
const MATCHES: usize = COSTS + 4 * (BLOCK + 16);
/** How often each symbol comes; how long its code is; its code times 16 and how long it is. Distances lie behind literals and lengths. */
const COUNTS: usize = MATCHES + 8 * (BLOCK / 3 + 2);
const LENGTHS: usize = COUNTS + 4 * 320;
const CODES: usize = LENGTHS + 320;
const FAR = 288;
/** Bits that a match of each length costs, and one by each symbol of a distance. */
const LENGTH_COSTS: usize = CODES + 4 * 320;
const DISTANCE_COSTS: usize = LENGTH_COSTS + 260;
/** The code for lengths of codes: its counts, lengths and codes, and what it says. */
const OWN_COUNTS: usize = DISTANCE_COSTS + 36;
const OWN_LENGTHS: usize = OWN_COUNTS + 4 * 20;
const OWN_CODES: usize = OWN_LENGTHS + 20;
const SAID: usize = OWN_CODES + 4 * 20;
/** Symbols by how often they come, and the tree above them. */
const SORTED: usize = SAID + 2 * 320;
const TREE: usize = SORTED + 4 * 320;
const TALLIES: usize = TREE + 4 * 320;
/** How often each byte comes in a block so far, and in what may follow. */
const SO_FAR: usize = TALLIES + 4 * 64;
const FOLLOWING: usize = SO_FAR + 4 * 256;
const ROOM: usize = FOLLOWING + 4 * 256;

/** Bytes of room that `deflatePart` works in. */
export function deflateRoom(): usize {
  return ROOM;
}

// The stream that is being written: where, the bits that are begun, and how many they are.
let to: usize = 0;
let begun: u64 = 0;
let bits: u32 = 0;

/** Up to 56 bits, the lowest first. */
// @ts-expect-error: a decorator of the compiler
@inline
function put(value: u64, count: u32): void {
  begun |= value << bits;
  bits += count;
  store<u64>(to, begun);
  to += bits >>> 3;
  begun >>= <u64>(bits & 56);
  bits &= 7;
}

/** On to a whole byte. */
function align(): void {
  put(0, (8 - bits) & 7);
}

/** The symbol of a length (RFC 1951, 3.2.5), and how many bits follow it. */
// @ts-expect-error: a decorator of the compiler
@inline
function symbolOfLength(length: u32): u32 {
  const x = length - 3;
  if (x < 8) return 257 + x;
  if (length == LONGEST) return 285;
  const n = 31 - clz(x);
  return 253 + 4 * n + ((x >> (n - 2)) & 3);
}

// @ts-expect-error: a decorator of the compiler
@inline
function bitsOfLength(length: u32): u32 {
  return length < 11 || length == LONGEST ? 0 : 29 - clz(length - 3);
}

/** The symbol of a distance, and how many bits follow it. */
// @ts-expect-error: a decorator of the compiler
@inline
function symbolOfDistance(distance: u32): u32 {
  const x = distance - 1;
  if (x < 4) return x;
  const n = 31 - clz(x);
  return 2 * n + ((x >> (n - 1)) & 1);
}

// @ts-expect-error: a decorator of the compiler
@inline
function bitsOfSymbol(symbol: u32): u32 {
  return symbol < 4 ? 0 : (symbol >> 1) - 1;
}

// @ts-expect-error: a decorator of the compiler
@inline
function placeOfFive(room: usize, at: usize): usize {
  return room + FIVES + (<usize>(((load<u64>(at) << 24) * 0x9e3779b97f4a7c15) >>> 49) << 2);
}

/** Makes the place `at` known; five bytes have to be left there. */
// @ts-expect-error: a decorator of the compiler
@inline
function remember(room: usize, base: usize, at: usize): void {
  const place = <u32>(at - base) + 1;
  const five = placeOfFive(room, at);
  store<u32>(room + BEFORE + (<usize>(place & (WINDOW - 1)) << 2), load<u32>(five));
  store<u32>(five, place);
}

/** How many bytes are the same from `a` and from `b` on, at most so many. */
// @ts-expect-error: a decorator of the compiler
@inline
function sameBytes(a: usize, b: usize, most: u32): u32 {
  let n: u32 = 0;
  while (n < most) {
    const apart = load<u64>(a + n) ^ load<u64>(b + n);
    if (apart) {
      n += <u32>(ctz(apart) >> 3);
      break;
    }
    n += 8;
  }
  return min(n, most);
}

/** Bits that a match of a length and distance saves, where its bytes cost so much from `costs` on. */
// @ts-expect-error: a decorator of the compiler
@inline
function saved(room: usize, costs: usize, length: u32, distance: u32): i32 {
  const alone = <i32>(load<u32>(costs + (<usize>length << 2)) - load<u32>(costs));
  const together = <i32>load<u8>(room + LENGTH_COSTS + length) + <i32>load<u8>(room + DISTANCE_COSTS + symbolOfDistance(distance));
  return alone - together;
}

/** The match at `at` that saves the most, as its bits, length and distance, 16 of each; 0: none. Makes the place known. */
function search(room: usize, base: usize, at: usize, end: usize, costs: usize, depth: i32, enough: u32): u64 {
  const place = <u32>(at - base) + 1;
  const most = min(<u32>(end - at), LONGEST);
  const word = load<u32>(at);
  const five = placeOfFive(room, at);
  let other = load<u32>(five);
  store<u32>(room + BEFORE + (<usize>(place & (WINDOW - 1)) << 2), other);
  store<u32>(five, place);
  let best: i32 = 0;
  let length: u32 = 3;
  let distance: u32 = 0;
  let reach: u32 = 0;
  for (let tries = depth; tries > 0; tries--) {
    const apart = place - other;
    if (other == 0 || apart >= WINDOW) break;
    const there = base + other - 1;
    // The bytes that would make it longer first.
    if (load<u32>(there + reach) == load<u32>(at + reach) && load<u32>(there) == word) {
      const same = sameBytes(at, there, most);
      if (same >= 4 && same > reach + 3) {
        reach = same - 3;
        const found = saved(room, costs, same, apart);
        if (found > best) {
          best = found;
          length = same;
          distance = apart;
        }
        if (same >= enough || same == most) break;
      }
    }
    other = load<u32>(room + BEFORE + (<usize>(other & (WINDOW - 1)) << 2));
  }
  return best > 0 ? (<u64>best << 32) | (<u64>length << 16) | distance : 0;
}

/** How long the codes of `count` symbols are, at most `most` bits; returns the bits of all that is counted. */
function codeLengths(room: usize, counts: usize, lengths: usize, count: i32, most: i32): u32 {
  const sorted = room + SORTED;
  const tree = room + TREE;
  const tallies = room + TALLIES;
  let n = 0;
  for (let s = 0; s < count; s++) {
    store<u8>(lengths + s, 0);
    const times = load<u32>(counts + (s << 2));
    if (times) store<u32>(sorted + (n++ << 2), (times << 9) | s);
  }
  if (n == 0) return 0;
  if (n == 1) {
    // A code of one symbol still takes a bit, and a second symbol to be complete.
    const only = load<u32>(sorted) & 511;
    store<u8>(lengths + only, 1);
    store<u8>(lengths + (only == 0 ? 1 : 0), 1);
    return load<u32>(sorted) >> 9;
  }
  for (let gap = n > 60 ? 57 : n > 24 ? 23 : 10; ; gap = gap == 57 ? 23 : gap == 23 ? 10 : gap == 10 ? 4 : 1) {
    for (let i = gap; i < n; i++) {
      const key = load<u32>(sorted + (i << 2));
      let k = i - gap;
      for (; k >= 0 && load<u32>(sorted + (k << 2)) > key; k -= gap) store<u32>(sorted + ((k + gap) << 2), load<u32>(sorted + (k << 2)));
      store<u32>(sorted + ((k + gap) << 2), key);
    }
    if (gap == 1) break;
  }
  // The tree in the place of the weights (Moffat, Katajainen: In-place calculation of minimum-redundancy codes, 1995).
  for (let i = 0; i < n; i++) store<u32>(tree + (i << 2), load<u32>(sorted + (i << 2)) >> 9);
  let root = 0;
  let leaf = 2;
  store<u32>(tree, load<u32>(tree) + load<u32>(tree, 4));
  for (let next = 1; next < n - 1; next++) {
    let weight: u32 = 0;
    for (let child = 0; child < 2; child++) {
      if (leaf >= n || (root < next && load<u32>(tree + (root << 2)) < load<u32>(tree + (leaf << 2)))) {
        weight += load<u32>(tree + (root << 2));
        store<u32>(tree + (root++ << 2), next);
      } else weight += load<u32>(tree + (leaf++ << 2));
    }
    store<u32>(tree + (next << 2), weight);
  }
  store<u32>(tree + ((n - 2) << 2), 0);
  for (let i = n - 3; i >= 0; i--) store<u32>(tree + (i << 2), load<u32>(tree + (load<u32>(tree + (i << 2)) << 2)) + 1);
  // How many codes there are of each length; those that are too long are shortened, and others made longer for it.
  memory.fill(tallies, 0, 4 * 64);
  let open = 1;
  let used = 0;
  root = n - 2;
  for (let depth = 0; open > 0; depth++) {
    for (; root >= 0 && <i32>load<u32>(tree + (root << 2)) == depth; root--) used++;
    const at = tallies + (min(depth, most) << 2);
    store<u32>(at, load<u32>(at) + (open - used));
    open = 2 * used;
    used = 0;
  }
  let total: u32 = 0;
  for (let i = 1; i <= most; i++) total += load<u32>(tallies + (i << 2)) << (most - i);
  for (; total > <u32>1 << most; total--) {
    store<u32>(tallies + (most << 2), load<u32>(tallies + (most << 2)) - 1);
    for (let i = most - 1; i > 0; i--) {
      const at = tallies + (i << 2);
      if (load<u32>(at) == 0) continue;
      store<u32>(at, load<u32>(at) - 1);
      store<u32>(at, load<u32>(at, 4) + 2, 4);
      break;
    }
  }
  let sum: u32 = 0;
  for (let length = most, i = 0; length > 0; length--) {
    for (let left = load<u32>(tallies + (length << 2)); left > 0; left--, i++) {
      const key = load<u32>(sorted + (i << 2));
      store<u8>(lengths + (key & 511), length);
      sum += (key >> 9) * length;
    }
  }
  return sum;
}

/** The codes of such lengths (RFC 1951, 3.2.2), their bits turned round as the stream wants them, times 16 and with the length. */
function codesOf(room: usize, lengths: usize, codes: usize, count: i32): void {
  const tallies = room + TALLIES;
  memory.fill(tallies, 0, 4 * 34);
  for (let s = 0; s < count; s++) {
    const at = tallies + (<usize>load<u8>(lengths + s) << 2);
    store<u32>(at, load<u32>(at) + 1);
  }
  store<u32>(tallies, 0);
  const next = tallies + 4 * 17;
  for (let length = 1; length < 16; length++) {
    store<u32>(next + (length << 2), (load<u32>(next + ((length - 1) << 2)) + load<u32>(tallies + ((length - 1) << 2))) << 1);
  }
  for (let s = 0; s < count; s++) {
    const length = <u32>load<u8>(lengths + s);
    if (length == 0) continue;
    const at = next + (<usize>length << 2);
    let code = load<u32>(at);
    store<u32>(at, code + 1);
    let turned: u32 = 0;
    for (let k: u32 = 0; k < length; k++, code >>= 1) turned = (turned << 1) | (code & 1);
    store<u32>(codes + (s << 2), (turned << 4) | length);
  }
}

/** What the lengths of codes are said with (RFC 1951, 3.2.7): symbols of 5 bits and what follows them, from `said` on; returns how many. */
function sayLengths(room: usize, literals: i32, distances: i32): i32 {
  const said = room + SAID;
  const counts = room + OWN_COUNTS;
  memory.fill(counts, 0, 4 * 20);
  let n = 0;
  const all = literals + distances;
  for (let i = 0; i < all;) {
    const length = lengthAt(room, i, literals);
    let run = 1;
    while (i + run < all && run < 138 && lengthAt(room, i + run, literals) == length) run++;
    let symbol = length;
    let extra: u32 = 0;
    let taken = 1;
    if (length == 0 && run >= 3) {
      taken = run;
      symbol = run < 11 ? 17 : 18;
      extra = run < 11 ? run - 3 : run - 11;
    } else if (length > 0 && i > 0 && lengthAt(room, i - 1, literals) == length && run >= 3) {
      taken = min(run, 6);
      symbol = 16;
      extra = taken - 3;
    }
    store<u16>(said + (n++ << 1), symbol | (extra << 5));
    const at = counts + (symbol << 2);
    store<u32>(at, load<u32>(at) + 1);
    i += taken;
  }
  return n;
}

// @ts-expect-error: a decorator of the compiler
@inline
function lengthAt(room: usize, i: i32, literals: i32): u32 {
  return load<u8>(room + LENGTHS + (i < literals ? i : FAR + i - literals));
}

/** In which order the lengths of the code for lengths come. */
const ORDER = memory.data<u8>([16, 17, 18, 0, 8, 7, 9, 6, 10, 5, 11, 4, 12, 3, 13, 2, 14, 1, 15]);

/** The lengths of the codes that the standard gives for when none are said (RFC 1951, 3.2.6). */
function fixedLengths(room: usize): void {
  for (let s = 0; s < 288; s++) store<u8>(room + LENGTHS + s, s < 144 ? 8 : s < 256 ? 9 : s < 280 ? 7 : 8);
  for (let s = 0; s < 32; s++) store<u8>(room + LENGTHS + FAR + s, 5);
}

/** Bits that follow the block's symbols. */
function bitsBehind(counts: usize): u32 {
  let sum: u32 = 0;
  for (let s: u32 = 265; s < 285; s++) sum += load<u32>(counts + (s << 2)) * ((s - 261) >> 2);
  for (let s: u32 = 4; s < DISTANCES; s++) sum += load<u32>(counts + ((FAR + s) << 2)) * bitsOfSymbol(s);
  return sum;
}

/** Writes a block, the bytes `from` … `end` − 1 with the matches up to `matches`, by whichever of the three ways is the shortest. */
function writeBlock(room: usize, from: usize, end: usize, matches: usize, last: bool): void {
  const counts = room + COUNTS;
  const lengths = room + LENGTHS;
  const behind = bitsBehind(counts);
  let plain: u32 = behind + 3;
  for (let s = 0; s < LITERALS; s++) plain += load<u32>(counts + (s << 2)) * (s < 144 ? 8 : s < 256 ? 9 : s < 280 ? 7 : 8);
  for (let s: u32 = 0; s < DISTANCES; s++) plain += load<u32>(counts + ((FAR + s) << 2)) * 5;

  // Those that no stream uses have a length where none are said.
  store<u16>(lengths + LITERALS, 0);
  store<u16>(lengths + FAR + DISTANCES, 0);
  let sum = codeLengths(room, counts, lengths, LITERALS, 15);
  sum += codeLengths(room, counts + FAR * 4, lengths + FAR, DISTANCES, 15);
  let literals = LITERALS;
  while (literals > 257 && load<u8>(lengths + literals - 1) == 0) literals--;
  let distances = DISTANCES;
  while (distances > 1 && load<u8>(lengths + FAR + distances - 1) == 0) distances--;
  const said = sayLengths(room, literals, distances);
  sum += codeLengths(room, room + OWN_COUNTS, room + OWN_LENGTHS, 19, 7);
  sum += 2 * load<u32>(room + OWN_COUNTS + 4 * 16) + 3 * load<u32>(room + OWN_COUNTS + 4 * 17) + 7 * load<u32>(room + OWN_COUNTS + 4 * 18);
  let ordered = 19;
  while (ordered > 4 && load<u8>(room + OWN_LENGTHS + load<u8>(ORDER + ordered - 1)) == 0) ordered--;
  sum += behind + 17 + 3 * ordered;

  const size = <u32>(end - from);
  if (<u32>8 * size + 80 < min(sum, plain)) {
    storeBlock(from, size, last);
    return;
  }
  if (plain <= sum) {
    put(last ? 3 : 2, 3);
    fixedLengths(room);
  } else {
    put(last ? 5 : 4, 3);
    put((literals - 257) | ((distances - 1) << 5) | ((ordered - 4) << 10), 14);
    for (let k = 0; k < ordered; k++) put(load<u8>(room + OWN_LENGTHS + load<u8>(ORDER + k)), 3);
    codesOf(room, room + OWN_LENGTHS, room + OWN_CODES, 19);
    for (let k = 0; k < said; k++) {
      const one = <u32>load<u16>(room + SAID + (k << 1));
      const symbol = one & 31;
      const code = load<u32>(room + OWN_CODES + (symbol << 2));
      put(code >> 4, code & 15);
      if (symbol > 15) put(one >> 5, symbol == 16 ? 2 : symbol == 17 ? 3 : 7);
    }
  }
  codesOf(room, lengths, room + CODES, 288);
  codesOf(room, lengths + FAR, room + CODES + FAR * 4, 32);
  writeSymbols(room, from, end, matches);
}

/** Bytes by themselves, two at a time. */
// @ts-expect-error: a decorator of the compiler
@inline
function writeBytes(codes: usize, from: usize, end: usize): void {
  for (; from + 2 <= end; from += 2) {
    const one = load<u32>(codes + (<usize>load<u8>(from) << 2));
    const two = load<u32>(codes + (<usize>load<u8>(from, 1) << 2));
    put((one >> 4) | ((two >> 4) << (one & 15)), (one & 15) + (two & 15));
  }
  if (from < end) {
    const one = load<u32>(codes + (<usize>load<u8>(from) << 2));
    put(one >> 4, one & 15);
  }
}

function writeSymbols(room: usize, from: usize, end: usize, matches: usize): void {
  const codes = room + CODES;
  for (let at = room + MATCHES; at < matches; at += 8) {
    const before = from + load<u32>(at);
    writeBytes(codes, from, before);
    const one = load<u32>(at, 4);
    const length = one & 511;
    const distance = one >>> 9;
    const symbol = load<u32>(codes + (symbolOfLength(length) << 2));
    let value = <u64>(symbol >> 4);
    let count = symbol & 15;
    const more = bitsOfLength(length);
    value |= <u64>((length - 3) & ((1 << more) - 1)) << count;
    count += more;
    const far = symbolOfDistance(distance);
    const code = load<u32>(codes + ((FAR + far) << 2));
    value |= <u64>(code >> 4) << count;
    count += code & 15;
    const further = bitsOfSymbol(far);
    value |= <u64>((distance - 1) & ((1 << further) - 1)) << count;
    put(value, count + further);
    from = before + length;
  }
  writeBytes(codes, from, end);
  const last = load<u32>(codes + (END << 2));
  put(last >> 4, last & 15);
}

/** Bytes as they are. */
function storeBlock(from: usize, size: u32, last: bool): void {
  put(last ? 1 : 0, 3);
  align();
  store<u16>(to, <u16>size);
  store<u16>(to, <u16>~size, 2);
  memory.copy(to + 4, from, size);
  to += 4 + size;
}

/** 256 times the logarithm to the base 2, to 3 or so. */
// @ts-expect-error: a decorator of the compiler
@inline
function logOf(n: u32): u32 {
  const whole = 31 - clz(n);
  const part = ((n << (31 - whole)) >>> 23) & 255;
  return (whole << 8) + part + ((88 * part * (256 - part)) >>> 16);
}

/** 256ths of a bit that bytes cost which come so often, `other` added where it is not 0. */
function costOf(counts: usize, other: usize, size: u32): u64 {
  let sum = <u64>size * logOf(size);
  for (let s = 0; s < 256; s++) {
    const n = load<u32>(counts + (s << 2)) + (other ? load<u32>(other + (s << 2)) : 0);
    if (n) sum -= <u64>n * logOf(n);
  }
  return sum;
}

function countBytes(counts: usize, from: usize, to: usize): void {
  memory.fill(counts, 0, 4 * 256);
  for (let at = from; at < to; at++) {
    const n = counts + (<usize>load<u8>(at) << 2);
    store<u32>(n, load<u32>(n) + 1);
  }
}

/** Where a block that begins at `from` ends: before bytes of another kind, for which codes of their own pay. */
function endOfBlock(room: usize, from: usize, end: usize): usize {
  const counts = room + SO_FAR;
  const next = room + FOLLOWING;
  let stop = min(end, from + PIECE);
  countBytes(counts, from, stop);
  let cost = costOf(counts, 0, <u32>(stop - from));
  while (stop < end && stop - from < <usize>BLOCK) {
    const to = min(end, stop + PIECE);
    countBytes(next, stop, to);
    const together = costOf(counts, next, <u32>(to - from));
    const apart = cost + costOf(next, 0, <u32>(to - stop));
    if (together > apart + OWN_CODES_COST) break;
    for (let s = 0; s < 256; s++) store<u32>(counts + (s << 2), load<u32>(counts + (s << 2)) + load<u32>(next + (s << 2)));
    cost = together;
    stop = to;
  }
  return stop;
}

/** Bits that the block's bytes cost by themselves, by codes made for all of them; each one's, and what matches cost by the codes of the block before, go into the room. */
function priceBlock(room: usize, from: usize, size: i32, first: bool): u32 {
  const counts = room + COUNTS;
  const lengths = room + LENGTHS;
  for (let length: u32 = 3; length <= LONGEST; length++) {
    const symbol = symbolOfLength(length);
    const own = first ? 7 : <u32>load<u8>(lengths + symbol);
    store<u8>(room + LENGTH_COSTS + length, (own ? own : 12) + bitsOfLength(length));
  }
  for (let symbol: u32 = 0; symbol < DISTANCES; symbol++) {
    const own = first ? 5 : <u32>load<u8>(lengths + FAR + symbol);
    store<u8>(room + DISTANCE_COSTS + symbol, (own ? own : 8) + bitsOfSymbol(symbol));
  }
  memory.fill(counts, 0, 4 * 320);
  memory.copy(counts, room + SO_FAR, 4 * 256);
  codeLengths(room, counts, lengths, 256, 15);
  let sum: u32 = 0;
  const costs = room + COSTS;
  for (let i = 0; i < size; i++) {
    store<u32>(costs + (<usize>i << 2), sum);
    sum += load<u8>(lengths + load<u8>(from + i));
  }
  store<u32>(costs + (<usize>size << 2), sum);
  return sum;
}

// @ts-expect-error: a decorator of the compiler
@inline
function lengthOf(found: u64): u32 {
  return <u32>(found >> 16) & 0xffff;
}

// @ts-expect-error: a decorator of the compiler
@inline
function countOne(counts: usize, symbol: u32): void {
  const at = counts + (<usize>symbol << 2);
  store<u32>(at, load<u32>(at) + 1);
}

/**
 * Packs the `length` bytes from `from` on into `out`, and returns how many they come to; matches reach into the `known` bytes before them. It
 * ends at a whole byte, with the stream where it is the `last` part, else with an empty stored block. Up to `depth` places are tried for a
 * match, or `deep` where bytes cost little, until one is of `enough` bytes. `room`: as `deflateRoom` says. Up to eight bytes behind what is read and written are touched.
 */
export function deflatePart(from: usize, known: u32, length: u32, depth: i32, deep: i32, enough: u32, last: i32, room: usize, out: usize): u32 {
  to = out;
  begun = 0;
  bits = 0;
  const base = from - known;
  const end = from + length;
  const counts = room + COUNTS;
  memory.fill(room + FIVES, 0, 4 * 32_768);
  for (let at = base; at < from && at + 5 <= end; at++) remember(room, base, at);
  let at = from;
  let seen = from;
  do {
    const begin = at;
    const stop = endOfBlock(room, at, end);
    // Where bytes cost little by themselves only long matches pay, and those are found among many.
    const price = <u64>priceBlock(room, at, <i32>(stop - at), at == from) * 2;
    const tries = price < <u64>(stop - at) * CHEAP ? deep : depth;
    // Noise has no matches but where it comes again as a whole: that is looked for here and there.
    const noise: usize = price > <u64>(stop - at) * DEAR ? 7 : 0;
    // Of fewer than five bytes nothing is looked for.
    const searched = stop - min(<usize>5, stop - at);
    let matches = room + MATCHES;
    let alone = at;
    while (at < searched) {
      if (((at - begin) & noise) != 0) {
        for (; seen <= at; seen++) remember(room, base, seen);
        at++;
        continue;
      }
      if (seen <= at) seen = at + 1;
      let found = search(room, base, at, stop, room + COSTS + ((at - begin) << 2), tries, enough);
      if (found == 0) {
        at++;
        continue;
      }
      while (lengthOf(found) < enough && at + 1 < searched) {
        const later = search(room, base, at + 1, stop, room + COSTS + ((at + 1 - begin) << 2), tries, enough);
        seen = at + 2;
        if (later >> 32 <= found >> 32) break;
        found = later;
        at++;
      }
      const many = lengthOf(found);
      const far = <u32>found & 0xffff;
      store<u32>(matches, <u32>(at - alone));
      store<u32>(matches, (far << 9) | many, 4);
      matches += 8;
      countOne(counts, symbolOfLength(many));
      countOne(counts, FAR + symbolOfDistance(far));
      for (let k: u32 = 0; k < many; k++) {
        const byte = counts + (<usize>load<u8>(at + k) << 2);
        store<u32>(byte, load<u32>(byte) - 1);
      }
      at += many;
      alone = at;
      for (; seen < at; seen++) if (seen + 5 <= end) remember(room, base, seen);
    }
    at = stop;
    countOne(counts, END);
    writeBlock(room, begin, stop, matches, last != 0 && stop == end);
  } while (at < end);
  if (last == 0) storeBlock(end, 0, false);
  else align();
  return <u32>(to - out);
}
