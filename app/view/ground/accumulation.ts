import { LINEAR_OF_CODE } from '@upland-cast/core';

/** Passes that every pixel has before it may be left out of further ones: an edge in it has been met by then. */
const FIRST = 8;
/** Passes from one look at what goes on to the next. */
const EVERY = 4;
/** Standard error of a pixel's mean, and of its neighbours', at which it is settled: codes of a screen, 0 to 255. */
const SETTLED = 0.5;

/**
 * The passes of a picture, laid over each other in linear light. Most pixels come to what they are after a few: those are settled, and only the
 * others, where edges, grain or the lens make the passes differ, need the rest.
 */
export class Accumulation {
  /** Linear red, green and blue of all passes that a pixel had, added up. */
  private readonly sum: Float32Array;
  private readonly passes: Uint16Array;
  /** How bright a pixel was on the screen in the first pass; what the others were apart from that, and its square, added up. */
  private readonly first: Float32Array;
  private readonly apart: Float32Array;
  private readonly squares: Float32Array;
  private count = 0;
  /** 255 where a pixel needs no more passes. */
  readonly settled: Uint8Array<ArrayBuffer>;
  /** The share of the pixels that go on. */
  open = 1;

  constructor(
    private readonly width: number,
    private readonly height: number,
  ) {
    const pixels = width * height;
    this.sum = new Float32Array(3 * pixels);
    this.passes = new Uint16Array(pixels);
    this.first = new Float32Array(pixels);
    this.apart = new Float32Array(pixels);
    this.squares = new Float32Array(pixels);
    this.settled = new Uint8Array(pixels);
  }

  /** Adds a pass, four values a pixel: codes of a screen, or floats of linear light. What it holds of settled pixels is not read. */
  add(pass: Uint8Array | Float32Array): void {
    const { sum, passes, first, apart, squares, settled } = this;
    const codes = pass instanceof Uint8Array;
    this.count++;
    for (let p = 0, i = 0; p < passes.length; p++, i += 4) {
      if (settled[p]) continue;
      const [r, g, b] = [pass[i], pass[i + 1], pass[i + 2]];
      passes[p]++;
      sum[3 * p] += codes ? LINEAR_OF_CODE[r] : r;
      sum[3 * p + 1] += codes ? LINEAR_OF_CODE[g] : g;
      sum[3 * p + 2] += codes ? LINEAR_OF_CODE[b] : b;
      const bright = codes ? (r + g + b) / 3 : 255 * Math.sqrt(Math.min(1, Math.max(0, (r + g + b) / 3)));
      if (this.count === 1) first[p] = bright;
      const off = bright - first[p];
      apart[p] += off;
      squares[p] += off * off;
    }
    if (this.count >= FIRST && this.count % EVERY === 0) this.settle();
  }

  /** A pixel is settled when it and its eight neighbours are known well enough: where an edge may lie between them it goes on. */
  private settle(): void {
    const { width, height, settled, passes, apart, squares } = this;
    const unsure = new Uint8Array(width * height);
    for (let p = 0; p < unsure.length; p++) {
      const n = passes[p];
      if (!settled[p] && squares[p] - (apart[p] * apart[p]) / n > SETTLED * SETTLED * n * (n - 1)) unsure[p] = 1;
    }
    let open = 0;
    for (let y = 0; y < height; y++) {
      const [above, below] = [Math.max(0, y - 1) * width, Math.min(height - 1, y + 1) * width];
      for (let x = 0, p = y * width; x < width; x++, p++) {
        if (settled[p]) continue;
        let near = 0;
        for (let k = Math.max(0, x - 1); k <= Math.min(width - 1, x + 1); k++) near |= unsure[above + k] | unsure[y * width + k] | unsure[below + k];
        if (near) open++;
        else settled[p] = 255;
      }
    }
    this.open = open / unsure.length;
  }

  /** A channel's mean over the passes that a pixel had. */
  mean(pixel: number, channel: number): number {
    return this.sum[3 * pixel + channel] / this.passes[pixel];
  }
}
