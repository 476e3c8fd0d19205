/** Powers of ten that a float32 can be multiplied with and stay exact in float64: 24 bits and the 28 of 5¹² make 52. */
const POWERS = [1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12];

/** How near a half the digits that are left out may come before the slow way decides: a product of doubles is off by 2e-7 of a digit at the most. */
const NEAR_HALF = 1e-6;

const isNearHalf = (scaled: number): boolean => Math.abs(scaled - Math.floor(scaled) - 0.5) < NEAR_HALF;

/**
 * Prints numbers as text with nine significant digits, which bring every float32 back, and no zeros at the end: the same
 * characters as `String(Number(v.toPrecision(9)))`, some ten times as fast. Written straight into bytes that grow as they are
 * needed.
 */
export class DecimalWriter {
  private bytes: Uint8Array<ArrayBuffer>;
  private at = 0;
  private readonly digits = new Uint8Array(9);

  constructor(room: number) {
    this.bytes = new Uint8Array(Math.max(64, room));
  }

  /** Characters of ASCII. */
  text(words: string): void {
    this.reserve(words.length);
    for (let i = 0; i < words.length; i++) this.bytes[this.at++] = words.charCodeAt(i);
  }

  /** One character by its code. */
  code(code: number): void {
    this.reserve(1);
    this.bytes[this.at++] = code;
  }

  number(v: number): void {
    const size = Math.abs(v);
    if (!(size >= 1e-3 && size < 1e8)) return this.text(v === 0 ? '0' : String(Number(v.toPrecision(9))));
    this.reserve(16);
    // The number of digits before the point; below 1 it counts the zeros after it, downwards.
    let whole = size >= 1 ? 1 : 0;
    if (size >= 1) while (size >= POWERS[whole]) whole++;
    else while (size * POWERS[1 - whole] < 1) whole--;
    const scaled = size * POWERS[9 - whole];
    // Of float32 the product is exact, and halves go up, as toPrecision has it.
    if (isNearHalf(scaled) && Math.fround(v) !== v) return this.text(String(Number(v.toPrecision(9))));
    let n = Math.floor(scaled + 0.5);
    if (n >= 1e9) {
      n /= 10;
      whole++;
    }
    let last = 0;
    for (let k = 8; k >= 0; k--) {
      const rest = Math.floor(n / 10);
      this.digits[k] = n - 10 * rest;
      if (last === 0 && this.digits[k] !== 0) last = k + 1;
      n = rest;
    }
    const { bytes, digits } = this;
    if (v < 0) bytes[this.at++] = 45;
    if (whole <= 0) {
      bytes[this.at++] = 48;
      bytes[this.at++] = 46;
      for (let k = whole; k < 0; k++) bytes[this.at++] = 48;
    }
    for (let k = 0; k < Math.max(last, whole); k++) {
      if (k === whole && k > 0) bytes[this.at++] = 46;
      bytes[this.at++] = 48 + digits[k];
    }
  }

  /** With six digits behind the point: the characters of `v.toFixed(6)`. */
  fixed6(v: number): void {
    const scaled = Math.abs(v) * 1e6;
    if (!(scaled < 1e9) || isNearHalf(scaled)) return this.text(v.toFixed(6));
    this.reserve(16);
    const n = Math.floor(scaled + 0.5);
    const front = Math.floor(n / 1e6);
    if (v < 0) this.bytes[this.at++] = 45;
    this.whole(front);
    this.bytes[this.at++] = 46;
    let rest = n - front * 1e6;
    for (let k = 5; k >= 0; k--) {
      const next = Math.floor(rest / 10);
      this.bytes[this.at + k] = 48 + rest - 10 * next;
      rest = next;
    }
    this.at += 6;
  }

  /** A whole number from 0 to 2⁵³. */
  whole(n: number): void {
    if (n >= 2 ** 32) return this.text(String(n));
    this.reserve(10);
    let count = 1;
    for (let power = 10; n >= power; power *= 10) count++;
    let rest = n;
    for (let k = count - 1; k >= 0; k--) {
      const next = Math.floor(rest / 10);
      this.bytes[this.at + k] = 48 + rest - 10 * next;
      rest = next;
    }
    this.at += count;
  }

  /** Bytes that are there. */
  get length(): number {
    return this.at;
  }

  /** What is there, which is let go: the next comes to lie where it lay. */
  take(): Uint8Array<ArrayBuffer> {
    const bytes = this.done();
    this.at = 0;
    return bytes;
  }

  done(): Uint8Array<ArrayBuffer> {
    return this.bytes.slice(0, this.at);
  }

  private reserve(more: number): void {
    if (this.at + more <= this.bytes.length) return;
    const grown = new Uint8Array(Math.max(this.at + more, 2 * this.bytes.length));
    grown.set(this.bytes.subarray(0, this.at));
    this.bytes = grown;
  }
}
