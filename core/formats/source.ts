/**
 * Bytes that are read from any place, such as those of a file that is not in memory. They are there at once: a part of memory,
 * a file that is read in place.
 */
export interface ByteSource {
  readonly length: number;
  /** The bytes `from` … `to` − 1, no further than the end; they may lie in the source's own memory. */
  bytes(from: number, to: number): Uint8Array<ArrayBuffer>;
  /** Fills `target` with the bytes from a place on, all of which are there. */
  fill(from: number, target: Uint8Array): void;
  /** Where it is still being written: waits until there is more of it; false where nothing more will come. */
  more?(): Promise<boolean>;
}

export const inMemory = (bytes: Uint8Array<ArrayBuffer>): ByteSource => ({
  length: bytes.length,
  bytes: (from, to) => bytes.subarray(from, to),
  fill: (from, target) => target.set(bytes.subarray(from, from + target.length)),
});

/** Bytes that are read ahead, and kept for the next number. */
const PAGE = 65_536;

/** A view on `size` bytes at any place of a source, a page of which is kept: for headers, whose numbers lie near each other. */
export function viewsOf(source: ByteSource): (at: number, size: number) => DataView {
  let first = 0;
  let page: Uint8Array<ArrayBuffer> = new Uint8Array(0);
  return (at, size) => {
    if (at < first || at + size > first + page.length) {
      first = at;
      page = source.bytes(at, Math.min(source.length, at + Math.max(size, PAGE)));
    }
    if (at - first + size > page.length) throw new RangeError('beyond the end');
    return new DataView(page.buffer, page.byteOffset + at - first, size);
  };
}
