// Different values among 32-bit numbers that come in pieces, a bit for each in pages of one upper half. A piece is dealt into
// lots by the upper halves first, so that one page after the other lies near the processor.

/** Numbers of the upper halves, and bytes of a page: a bit for every lower half. */
const UPPERS = 65_536;
const PAGE = 8192;

/** The bits as they are counted: of floats −0 is 0, and all that is no number is one. */
// @ts-ignore: decorator
@inline
function counted(v: u32, floats: bool): u32 {
  if (!floats) return v;
  return v == 0x80000000 ? 0 : (v & 0x7fffffff) > 0x7f800000 ? 0x7fc00000 : v;
}

/** How many pages the values of a piece need that are not there yet. `starts`: a word for each upper half and one more; `pages`: where each page lies, 0: nowhere. */
export function distinctLots(bits: usize, count: i32, floats: bool, starts: usize, pages: usize): i32 {
  memory.fill(starts, 0, (UPPERS + 1) * 4);
  for (let i = 0; i < count; i++) {
    const at = starts + (<usize>(counted(load<u32>(bits + (<usize>i << 2)), floats) >>> 16) << 2);
    store<u32>(at, load<u32>(at, 4) + 1, 4);
  }
  let missing = 0;
  let sum: u32 = 0;
  for (let k = 0; k < UPPERS; k++) {
    const at = starts + (<usize>k << 2);
    const lot = load<u32>(at, 4);
    if (lot > 0 && load<u32>(pages + (<usize>k << 2)) == 0) missing++;
    store<u32>(at, sum);
    sum += lot;
  }
  store<u32>(starts + UPPERS * 4, sum);
  return missing;
}

/** How many values of the piece are new. New pages are put from `free` on, which has to be empty. `lower`: half a word for each value. */
export function distinctNew(bits: usize, count: i32, floats: bool, starts: usize, pages: usize, lower: usize, free: usize): i32 {
  for (let i = 0; i < count; i++) {
    const v = counted(load<u32>(bits + (<usize>i << 2)), floats);
    const at = starts + (<usize>(v >>> 16) << 2);
    const place = load<u32>(at);
    store<u32>(at, place + 1);
    store<u16>(lower + (<usize>place << 1), <u16>v);
  }
  // Dealing moved every start to its lot's end.
  let found = 0;
  let from: u32 = 0;
  for (let k = 0; k < UPPERS; k++) {
    const to = load<u32>(starts + (<usize>k << 2));
    if (to == from) continue;
    let page = <usize>load<u32>(pages + (<usize>k << 2));
    if (page == 0) {
      page = free;
      free += PAGE;
      store<u32>(pages + (<usize>k << 2), <u32>page);
    }
    for (; from < to; from++) {
      const v = <u32>load<u16>(lower + (<usize>from << 1));
      const at = page + (<usize>(v >>> 5) << 2);
      const word = load<u32>(at);
      const bit = v & 31;
      store<u32>(at, word | (1 << bit));
      // Without a branch: whether a value is new cannot be foreseen.
      found += <i32>(((word >>> bit) & 1) ^ 1);
    }
  }
  return found;
}
