/** A list of numbers that grows, without boxing each of them. */
export class Numbers<T extends Float64Array<ArrayBuffer> | Uint32Array<ArrayBuffer>> {
  length = 0;
  constructor(
    private data: T,
    private readonly make: (n: number) => T,
  ) {}
  push(value: number): void {
    if (this.length === this.data.length) {
      const grown = this.make(this.data.length * 2);
      grown.set(this.data);
      this.data = grown;
    }
    this.data[this.length++] = value;
  }
  /** Many at once. */
  add(values: T): void {
    const length = this.length + values.length;
    if (length > this.data.length) {
      const grown = this.make(Math.max(length, Math.ceil(this.data.length * 1.5)));
      grown.set(this.data.subarray(0, this.length));
      this.data = grown;
    }
    this.data.set(values, this.length);
    this.length = length;
  }
  done(): T {
    return this.data.subarray(0, this.length) as T;
  }
}

/** Vertices as float32, and what was taken from them so that they keep their precision. */
export interface Places {
  positions: Float32Array<ArrayBuffer>;
  /** Taken from x, y and z; add it to have the file's own numbers. */
  origin?: [number, number, number];
  odd?: string[];
}

/** Beyond this a float32 has steps of over 7 mm, which a mesh in metres shows. */
const FAR = 100_000;

/**
 * Places as float32. Where they lie so far from their origin that float32 would round them (a
 * national grid has northings of millions of metres), whole numbers are taken off first.
 */
export function placesOf(numbers: Float64Array<ArrayBuffer>): Places {
  const low = [Infinity, Infinity, Infinity];
  const high = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < numbers.length; i++) {
    const axis = i % 3;
    if (numbers[i] < low[axis]) low[axis] = numbers[i];
    if (numbers[i] > high[axis]) high[axis] = numbers[i];
  }
  const off = low.map((least, axis) => {
    const far = Math.max(Math.abs(least), Math.abs(high[axis]));
    return far > FAR && far < 1e15 && far > 2 * (high[axis] - least) ? Math.floor(least) : 0;
  }) as [number, number, number];
  if (off.every((v) => v === 0)) return { positions: new Float32Array(numbers) };
  const positions = new Float32Array(numbers.length);
  for (let i = 0; i < numbers.length; i++) positions[i] = numbers[i] - off[i % 3];
  const odd = [
    `Its numbers are too large for 32-bit floats to keep their fractions: its origin was moved to ${off.map((v) => v.toLocaleString('en').replace(/,/g, ' ')).join(', ')} (x, y, z).`,
  ];
  return { positions, origin: off, odd };
}
