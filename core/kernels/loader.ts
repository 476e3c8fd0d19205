import { PLAIN, SHARED } from './generated/binaries';

/** What the compiled kernels export; pointers are byte offsets into their memory. Signatures as in `assembly/`. */
export interface KernelExports {
  heapBase(): number;
  publishedNoise(table: number, x: number, y: number, z: number): number;
  noiseRows(
    out: number,
    stride: number,
    from: number,
    to: number,
    left: number,
    top: number,
    firstX: number,
    stepX: number,
    firstY: number,
    stepY: number,
    octaves: number,
    count: number,
    warps: number,
    warpBy: number,
    basis: number,
    kind: number,
    scale: number,
    add: number,
  ): void;
  filterRows(
    source: number,
    out: number,
    sourceStride: number,
    outStride: number,
    from: number,
    to: number,
    count: number,
    taps: number,
    length: number,
    step: number,
  ): void;
  filterRowsEven(
    source: number,
    out: number,
    sourceStride: number,
    outStride: number,
    from: number,
    to: number,
    count: number,
    taps: number,
    length: number,
  ): void;
  filterColumns(
    source: number,
    out: number,
    stride: number,
    outStride: number,
    rows: number,
    from: number,
    to: number,
    taps: number,
    length: number,
    shift: number,
    step: number,
  ): void;
  steepnessRows(source: number, out: number, across: number, down: number, from: number, to: number, inverseX: number, inverseY: number): void;
  displaceRows(
    source: number,
    east: number,
    south: number,
    out: number,
    across: number,
    down: number,
    from: number,
    to: number,
    mostX: number,
    mostY: number,
    stepX: number,
    stepY: number,
  ): void;
  placeRows(
    source: number,
    across: number,
    down: number,
    out: number,
    outAcross: number,
    from: number,
    to: number,
    x0: number,
    xc: number,
    xr: number,
    y0: number,
    yc: number,
    yr: number,
    edge: number,
    point: number,
  ): void;
  quantise(source: number, bins: number, count: number, low: number, scale: number): void;
  medianWindows(
    source: number,
    bins: number,
    scratch: number,
    out: number,
    stride: number,
    outStride: number,
    from: number,
    to: number,
    count: number,
    radiusX: number,
    radiusY: number,
  ): void;
  medianRows3(source: number, scratch: number, out: number, stride: number, outStride: number, from: number, to: number, count: number): void;
  medianRows5(source: number, scratch: number, out: number, stride: number, outStride: number, from: number, to: number, count: number): void;
  medianRows7(source: number, scratch: number, out: number, stride: number, outStride: number, from: number, to: number, count: number): void;
  talusHeight(bed: number, change: number, height: number, stride: number, from: number, to: number): void;
  talusRelease(
    height: number,
    rate: number,
    moved: number,
    weightX: number,
    inverseArea: number,
    loose: number,
    stride: number,
    from: number,
    to: number,
    rows: number,
    halfRim: number,
    dropX: number,
    dropY: number,
    dropDiagonal: number,
  ): void;
  talusSettle(
    height: number,
    rate: number,
    moved: number,
    change: number,
    weightX: number,
    inverseArea: number,
    stride: number,
    from: number,
    to: number,
    rows: number,
    halfRim: number,
    dropX: number,
    dropY: number,
    dropDiagonal: number,
  ): void;
  sin(x: number): number;
  cos(x: number): number;
  tan(x: number): number;
  atan(x: number): number;
  atan2(y: number, x: number): number;
  exp(x: number): number;
  log(x: number): number;
  pow(x: number, y: number): number;
}

export type Build = 'plain' | 'shared';

const compiled: Partial<Record<Build, WebAssembly.Module>> = {};

/** The compiled module of a build; compiled once. */
export function kernelModule(build: Build): WebAssembly.Module {
  return (compiled[build] ??= new WebAssembly.Module(bytesOf(build === 'plain' ? PLAIN : SHARED)));
}

/** The kernels over `memory`. */
export function instantiate(build: Build, memory: WebAssembly.Memory): KernelExports {
  const imports = {
    env: {
      memory,
      abort: () => {
        throw new Error('A kernel gave up.');
      },
    },
  };
  return new WebAssembly.Instance(kernelModule(build), imports).exports as unknown as KernelExports;
}

function bytesOf(base64: string): Uint8Array<ArrayBuffer> {
  const text = atob(base64);
  const bytes = new Uint8Array(text.length);
  for (let i = 0; i < text.length; i++) bytes[i] = text.charCodeAt(i);
  return bytes;
}
