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
    within: number,
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
  brushWeights(out: number, width: number, height: number, x: number, y: number, stepX: number, stepY: number, softness: number, strength: number): void;
  brushMeanRows(source: number, out: number, width: number, height: number, radius: number): void;
  brushMeanColumns(source: number, out: number, sums: number, width: number, height: number, radius: number): void;
  brushAdd(to: number, toStride: number, from: number, fromStride: number, count: number, rows: number): void;
  brushTowards(weights: number, target: number, now: number, count: number, strength: number): void;
  brushAny(from: number, stride: number, count: number, rows: number): boolean;
  brushNoise(out: number, width: number, height: number, x: number, y: number, stepX: number, stepY: number, amount: number, seed: number): void;
  talusLimit(height: number, limit: number, stride: number, from: number, to: number, dropX: number, dropY: number, dropDiagonal: number): void;
  talusRelease(
    height: number,
    rate: number,
    moved: number,
    limit: number,
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
  talusHold(rate: number, moved: number, laid: number, ease: number, change: number, stride: number, from: number, to: number): void;
  unstepRows(
    ahead: number,
    next: number,
    at: number,
    code: number,
    stride: number,
    from: number,
    to: number,
    across: number,
    half: number,
    momentum: number,
  ): void;
  talusSettle(
    height: number,
    rate: number,
    moved: number,
    change: number,
    limit: number,
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
  floodBegin(height: number, filled: number, state: number, receiver: number, rank: number, bits: number, control: number, stride: number, rows: number): void;
  floodSome(
    height: number,
    filled: number,
    state: number,
    receiver: number,
    sorted: number,
    rank: number,
    bits: number,
    queue: number,
    control: number,
    stride: number,
    samples: number,
    budget: number,
    wander: number,
  ): number;
  receiveByFacet(filled: number, receiver: number, stride: number, from: number, to: number, dx: number, dy: number, seed: number, stray: number): void;
  receiveSteepest(filled: number, receiver: number, stride: number, from: number, to: number, dx: number, dy: number): void;
  countDonors(receiver: number, donors: number, stride: number, from: number, to: number): void;
  gather(receiver: number, donors: number, area: number, order: number, stride: number, from: number, to: number, count: number): number;
  pullRows(
    receiver: number,
    area: number,
    ease: number,
    pull: number,
    stride: number,
    from: number,
    to: number,
    dx: number,
    dy: number,
    cell: number,
    head: number,
    k: number,
    m: number,
  ): void;
  wearDown(
    order: number,
    receiver: number,
    before: number,
    height: number,
    pull: number,
    ease: number,
    bank: number,
    laid: number,
    stride: number,
    first: number,
    last: number,
    rise: number,
    dx: number,
    dy: number,
  ): void;
  fallIn(
    order: number,
    receiver: number,
    height: number,
    ease: number,
    bank: number,
    stride: number,
    first: number,
    last: number,
    dx: number,
    dy: number,
  ): void;
  siltUp(
    order: number,
    receiver: number,
    height: number,
    ease: number,
    stride: number,
    first: number,
    last: number,
    dx: number,
    dy: number,
    grade: number,
  ): void;
  settleBelow(
    order: number,
    receiver: number,
    before: number,
    height: number,
    carried: number,
    area: number,
    weight: number,
    laid: number,
    ease: number,
    first: number,
    last: number,
    rise: number,
    amount: number,
  ): void;
  creepRows(height: number, ease: number, c: number, d: number, stride: number, from: number, to: number, rate: number, half: number): void;
  creepColumns(height: number, ease: number, c: number, d: number, stride: number, rows: number, from: number, to: number, rate: number, half: number): void;
  sortBegin(height: number, pairs: number, counts: number, stride: number, from: number, to: number): void;
  sortPlaces(counts: number): void;
  sortPass(pairs: number, out: number, counts: number, pass: number, first: number, last: number): void;
  sortEnd(pairs: number, sorted: number, rank: number, first: number, last: number): void;
  hollows(height: number, filled: number, state: number, receiver: number, stride: number, from: number, to: number): number;
  runoffDrive(
    bed: number,
    change: number,
    ground: number,
    surface: number,
    east: number,
    south: number,
    southEast: number,
    southWest: number,
    columns: number,
    stride: number,
    from: number,
    to: number,
    rows: number,
    half: number,
    keep: number,
    driveX: number,
    driveY: number,
    driveD: number,
  ): void;
  runoffLimit(
    water: number,
    limit: number,
    east: number,
    south: number,
    southEast: number,
    southWest: number,
    columns: number,
    stride: number,
    from: number,
    to: number,
    rows: number,
    half: number,
    perCell: number,
  ): void;
  runoffCarry(
    limit: number,
    carried: number,
    east: number,
    south: number,
    southEast: number,
    southWest: number,
    loadEast: number,
    loadSouth: number,
    loadSouthEast: number,
    loadSouthWest: number,
    stride: number,
    from: number,
    to: number,
  ): void;
  runoffMove(
    bed: number,
    change: number,
    ground: number,
    surface: number,
    water: number,
    sediment: number,
    carried: number,
    east: number,
    south: number,
    southEast: number,
    southWest: number,
    loadEast: number,
    loadSouth: number,
    loadSouthEast: number,
    loadSouthWest: number,
    ease: number,
    columns: number,
    stride: number,
    from: number,
    to: number,
    rows: number,
    half: number,
    perCell: number,
    perX: number,
    perY: number,
    fastest: number,
    carry: number,
    least: number,
    shallow: number,
    wear: number,
    settle: number,
    dry: number,
    rain: number,
  ): void;
  windApply(rock: number, sand: number, moved: number, height: number, from: number, to: number, across: number, slab: number): void;
  windShadow(
    height: number,
    shadow: number,
    edges: number,
    across: number,
    down: number,
    alongY: number,
    way: number,
    shift: number,
    fall: number,
    wrap: number,
    first: number,
    last: number,
  ): void;
  windLift(
    sand: number,
    moved: number,
    shadow: number,
    ease: number,
    across: number,
    down: number,
    from: number,
    to: number,
    seed: number,
    hopX: number,
    hopY: number,
    wrap: number,
  ): number;
  windSlip(
    sand: number,
    moved: number,
    height: number,
    across: number,
    down: number,
    from: number,
    to: number,
    repose: number,
    slab: number,
    dx: number,
    dy: number,
    wrap: number,
  ): void;
  distanceColumns(marks: number, out: number, across: number, down: number, from: number, to: number, dy: number): void;
  distanceRows(squares: number, scratch: number, across: number, from: number, to: number, dx: number): void;
  pressLargest(indices: number, from: number, to: number): number;
  pressFaces(
    indices: number,
    from: number,
    to: number,
    places: number,
    heights: number,
    top: number,
    bottom: number,
    across: number,
    firstRow: number,
    lastRow: number,
    ownFrom: number,
    ownTo: number,
    counts: number,
  ): void;
  pressPlace(
    positions: number,
    from: number,
    to: number,
    plan: number,
    above: number,
    southwards: number,
    west: number,
    north: number,
    stepX: number,
    stepY: number,
    pad: number,
    places: number,
    heights: number,
  ): void;
  greedyBegin(height: number, columns: number, rows: number, room: number, limit: number, rim: number): void;
  greedyPut(sample: number): void;
  greedyGrow(bound: number, until: number, steps: number): number;
  greedyError(): number;
  greedyPoints(): number;
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
