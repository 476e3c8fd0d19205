/** Bytes of text as one byte a character: marks of byte order left out, UTF-16 brought down. */
export function plainText(bytes: Uint8Array): Uint8Array {
  if (bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf) return bytes.subarray(3);
  const order = bytes[0] === 0xff && bytes[1] === 0xfe ? 0 : bytes[0] === 0xfe && bytes[1] === 0xff ? 1 : -1;
  if (order < 0) return bytes;
  const out = new Uint8Array((bytes.length - 2) >> 1);
  // What has no place in one byte is nothing that a grid of numbers has.
  for (let i = 0; i < out.length; i++) out[i] = bytes[3 + 2 * i - order] ? 63 : bytes[2 + 2 * i + order];
  return out;
}

/** Where the line that begins at a place ends, and where the next one begins: lines end with LF, CR LF or CR alone. */
export function lineAt(bytes: Uint8Array, at: number): { end: number; next: number } {
  let end = at;
  while (end < bytes.length && bytes[end] !== 10 && bytes[end] !== 13) end++;
  return { end, next: end + (bytes[end] === 13 && bytes[end + 1] === 10 ? 2 : 1) };
}

const latin = new TextDecoder('latin1');

/** A stretch of bytes as text, one character a byte. */
export const textOf = (bytes: Uint8Array, from = 0, to = bytes.length): string => latin.decode(bytes.subarray(from, to));

/** The first lines of text, at most so many bytes of it; the last one is left out where it is cut. */
export function firstLines(bytes: Uint8Array, most = 4096): string[] {
  const plain = plainText(bytes.subarray(0, 2 * most));
  const part = plain.subarray(0, most);
  const lines = textOf(part).split(/\r\n|\n|\r/);
  return plain.length > most || bytes.length > 2 * most ? lines.slice(0, -1) : lines;
}

/** Whether a line is a remark: it begins with a mark that text files use for one. */
export const isRemark = (line: string): boolean => /^\s*(#|\/\/|;|!|%)/.test(line);
