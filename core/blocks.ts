/** Values of a block. */
const BLOCK = 65_536;

/**
 * Goes through `count` values by blocks, `from` … `to` − 1 each. A loop that stands in what is called once runs as it was
 * first compiled; one that is called block after block is compiled for what it sees, and runs several times as fast.
 */
export function inBlocks(count: number, work: (from: number, to: number) => void): void {
  for (let from = 0; from < count; from += BLOCK) work(from, Math.min(count, from + BLOCK));
}
