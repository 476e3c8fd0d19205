/**
 * A zlib stream (RFC 1950, 1951) of dynamic Huffman blocks whose only matches are runs of one
 * byte. Filtered pictures of ground hold hardly any other repetition: on a normal map it is
 * smaller than what a quick search for matches leaves, at a tenth of the time. The same bytes for
 * the same input everywhere.
 */
export function deflateRuns(bytes: Uint8Array): Uint8Array<ArrayBuffer> {
  const out = new Bits(Math.max(1024, (bytes.length >> 1) + 64));
  out.put(0x78, 8);
  out.put(0x01, 8);
  const symbols = new Uint32Array(BLOCK);
  let at = 0;
  do {
    const end = Math.min(bytes.length, at + BLOCK);
    const counts = new Uint32Array(286);
    let n = 0;
    while (at < end) {
      const value = bytes[at];
      if (at > 0 && bytes[at - 1] === value) {
        let run = 1;
        const most = Math.min(258, end - at);
        while (run < most && bytes[at + run] === value) run++;
        if (run >= 3) {
          const symbol = LENGTH_SYMBOL[run];
          counts[symbol]++;
          symbols[n++] = symbol | (run << 9);
          at += run;
          continue;
        }
      }
      counts[value]++;
      symbols[n++] = value;
      at++;
    }
    counts[256] = 1;
    block(out, symbols.subarray(0, n), counts, at === bytes.length);
  } while (at < bytes.length);
  out.align();
  const sum = adler(bytes);
  for (let shift = 24; shift >= 0; shift -= 8) out.put((sum >>> shift) & 255, 8);
  return out.taken();
}

/** Bytes in one block: its own codes cost some 80 bytes. */
const BLOCK = 1 << 16;

/** Base lengths and extra bits of the symbols 257 to 285 (RFC 1951, 3.2.5). */
const LENGTH_BASE = [3, 4, 5, 6, 7, 8, 9, 10, 11, 13, 15, 17, 19, 23, 27, 31, 35, 43, 51, 59, 67, 83, 99, 115, 131, 163, 195, 227, 258];
const LENGTH_EXTRA = [0, 0, 0, 0, 0, 0, 0, 0, 1, 1, 1, 1, 2, 2, 2, 2, 3, 3, 3, 3, 4, 4, 4, 4, 5, 5, 5, 5, 0];
const LENGTH_SYMBOL = new Uint16Array(259);
for (let k = 0, length = 3; length <= 258; length++) {
  while (k < 28 && length >= LENGTH_BASE[k + 1]) k++;
  LENGTH_SYMBOL[length] = 257 + k;
}

/** The order in which the lengths of the code-length code are written (RFC 1951, 3.2.7). */
const ORDER = [16, 17, 18, 0, 8, 7, 9, 6, 10, 5, 11, 4, 12, 3, 13, 2, 14, 1, 15];

function block(out: Bits, symbols: Uint32Array, counts: Uint32Array, last: boolean): void {
  const lengths = codeLengths(counts, 15);
  const codes = codesOf(lengths);
  let literals = 286;
  while (literals > 257 && lengths[literals - 1] === 0) literals--;
  // One distance code of one bit: distance 1.
  const all = [...lengths.subarray(0, literals), 1];
  const used = new Uint32Array(19);
  for (const length of all) used[length]++;
  const own = codeLengths(used, 7);
  const ownCodes = codesOf(own);
  let ordered = 19;
  while (ordered > 4 && own[ORDER[ordered - 1]] === 0) ordered--;
  out.put(last ? 1 : 0, 1);
  out.put(2, 2);
  out.put(literals - 257, 5);
  out.put(0, 5);
  out.put(ordered - 4, 4);
  for (let k = 0; k < ordered; k++) out.put(own[ORDER[k]], 3);
  for (const length of all) out.put(ownCodes[length], own[length]);
  out.putAll(symbols, codes, lengths);
  out.put(codes[256], lengths[256]);
}

/** Lengths of a Huffman code of at most `most` bits; where it would be longer the counts are evened out until it fits. */
function codeLengths(counts: Uint32Array, most: number): Uint8Array {
  const lengths = new Uint8Array(counts.length);
  let weights = counts;
  for (;;) {
    const order = [...weights.keys()].filter((s) => weights[s] > 0).sort((a, b) => weights[a] - weights[b] || a - b);
    if (order.length === 0) return lengths;
    if (order.length === 1) {
      // A code of one symbol still needs a bit, and a second symbol to be complete.
      lengths[order[0]] = 1;
      lengths[order[0] === 0 ? 1 : 0] = 1;
      return lengths;
    }
    // Two queues: leaves in order, and inner nodes, which come in order by themselves.
    const leaves = order.length;
    const weight = new Float64Array(2 * leaves - 1);
    const parent = new Int32Array(2 * leaves - 1);
    for (let i = 0; i < leaves; i++) weight[i] = weights[order[i]];
    for (let node = leaves, leaf = 0, inner = leaves; node < 2 * leaves - 1; node++) {
      for (let k = 0; k < 2; k++) {
        const child = inner >= node || (leaf < leaves && weight[leaf] <= weight[inner]) ? leaf++ : inner++;
        weight[node] += weight[child];
        parent[child] = node;
      }
    }
    const depth = new Uint8Array(2 * leaves - 1);
    let deepest = 0;
    for (let node = 2 * leaves - 3; node >= 0; node--) {
      depth[node] = depth[parent[node]] + 1;
      if (depth[node] > deepest) deepest = depth[node];
    }
    if (deepest <= most) {
      for (let i = 0; i < leaves; i++) lengths[order[i]] = depth[i];
      return lengths;
    }
    weights = weights.map((w) => (w > 0 ? (w >> 1) | 1 : 0));
  }
}

/** The codes of canonical lengths, their bits turned round as the stream wants them. */
function codesOf(lengths: Uint8Array): Uint16Array {
  const counts = new Uint16Array(17);
  for (const length of lengths) if (length) counts[length]++;
  const next = new Uint16Array(17);
  for (let bits = 1; bits < 16; bits++) next[bits + 1] = (next[bits] + counts[bits]) << 1;
  const codes = new Uint16Array(lengths.length);
  for (let s = 0; s < lengths.length; s++) {
    if (!lengths[s]) continue;
    let code = next[lengths[s]]++;
    let turned = 0;
    for (let k = 0; k < lengths[s]; k++, code >>= 1) turned = (turned << 1) | (code & 1);
    codes[s] = turned;
  }
  return codes;
}

/** Bits from the lowest up, in bytes that grow as needed. */
class Bits {
  private bytes: Uint8Array<ArrayBuffer>;
  private at = 0;
  private held = 0;
  private count = 0;

  constructor(size: number) {
    this.bytes = new Uint8Array(size);
  }

  /** Up to 15 bits. */
  put(value: number, bits: number): void {
    this.held |= value << this.count;
    this.count += bits;
    if (this.count < 16) return;
    this.room(2);
    this.bytes[this.at++] = this.held;
    this.bytes[this.at++] = this.held >>> 8;
    this.held >>>= 16;
    this.count -= 16;
  }

  /** Symbols under their codes, those of lengths with their extra bits and the one bit of the distance, which is 0. */
  putAll(symbols: Uint32Array, codes: Uint16Array, lengths: Uint8Array): void {
    // A code has at most 15 bits, a length's extra bits and distance 6.
    this.room(3 * symbols.length + 4);
    const { bytes } = this;
    let { at, held, count } = this;
    for (let i = 0; i < symbols.length; i++) {
      const symbol = symbols[i] & 511;
      held |= codes[symbol] << count;
      count += lengths[symbol];
      if (count >= 16) {
        bytes[at++] = held;
        bytes[at++] = held >>> 8;
        held >>>= 16;
        count -= 16;
      }
      if (symbol <= 256) continue;
      const k = symbol - 257;
      held |= ((symbols[i] >> 9) - LENGTH_BASE[k]) << count;
      count += LENGTH_EXTRA[k] + 1;
      if (count >= 16) {
        bytes[at++] = held;
        bytes[at++] = held >>> 8;
        held >>>= 16;
        count -= 16;
      }
    }
    this.at = at;
    this.held = held;
    this.count = count;
  }

  private room(more: number): void {
    if (this.at + more <= this.bytes.length) return;
    const grown = new Uint8Array(this.bytes.length * 2 + more);
    grown.set(this.bytes);
    this.bytes = grown;
  }

  align(): void {
    this.put(0, (8 - (this.count & 7)) & 7);
  }

  taken(): Uint8Array<ArrayBuffer> {
    const rest = this.count >> 3;
    const out = new Uint8Array(this.at + rest);
    out.set(this.bytes.subarray(0, this.at));
    for (let k = 0; k < rest; k++) out[this.at + k] = this.held >>> (8 * k);
    return out;
  }
}

/** Adler-32 (RFC 1950). */
function adler(bytes: Uint8Array): number {
  let [a, b] = [1, 0];
  for (let at = 0; at < bytes.length;) {
    // So many sums fit 32 bits before the remainder has to be taken.
    const end = Math.min(bytes.length, at + 3800);
    for (; at < end; at++) {
      a += bytes[at];
      b += a;
    }
    a %= 65_521;
    b %= 65_521;
  }
  return ((b << 16) | a) >>> 0;
}
