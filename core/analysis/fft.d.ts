declare module 'fft.js' {
  /** Transforms of a power of two's length, over interleaved real and imaginary parts. */
  export default class FFT {
    constructor(size: number);
    createComplexArray(): number[];
    transform(out: number[], data: number[]): void;
    inverseTransform(out: number[], data: number[]): void;
  }
}
