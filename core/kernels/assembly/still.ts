// Most of a ground lies still. `stirred` has an entry for every block of 16 samples of a row, and one more on every
// side: the last sweep in which something moved there, −1 before the first. A block whose own entry and whose eight neighbours' are
// older than `since` is as it was when it was looked at last, and nothing moved then: it is passed over, and no byte is another one for it.
// `released` has the last sweep in which something left a block. Where the two are 0 all blocks are looked at.

/** Bytes of a block: 16 samples. */
export const BLOCK: usize = 64;

/** Bytes of a row of the blocks' entries. */
// @ts-ignore: decorator
@inline
export function rowOfBlocks(stride: i32): usize {
  return ((<usize>(stride - 8) + 15) / 16 + 2) << 2;
}

/** The address of the entry of a row's first block; 0 where no entries are kept. */
// @ts-ignore: decorator
@inline
export function blocksOf(entries: usize, row: i32, perRow: usize): usize {
  return entries == 0 ? 0 : entries + <usize>(row + 1) * perRow + 4;
}

// @ts-ignore: decorator
@inline
export function nextBlock(block: usize): usize {
  return block == 0 ? 0 : block + 4;
}

// @ts-ignore: decorator
@inline
export function mark(block: usize, sweep: i32): void {
  if (block != 0) store<i32>(block, sweep);
}

/** Whether the block or one of its eight neighbours has an entry of `since` or later. */
// @ts-ignore: decorator
@inline
export function around(block: usize, perRow: usize, since: i32): bool {
  return block == 0 || latest(block - perRow) >= since || latest(block) >= since || latest(block + perRow) >= since;
}

// @ts-ignore: decorator
@inline
function latest(block: usize): i32 {
  return max(load<i32>(block - 4), max(load<i32>(block), load<i32>(block + 4)));
}
