import type { Field } from '../field/field';
import { spacingOf, type Ground } from '../field/ground';
import { exactMath } from '../kernels/math';
import type { Kernels, RunOptions } from '../kernels/pool';
import { accumulationProgram, drainageProgram, type Drainage, type DrainageArgs } from '../kernels/programs/drainage';

export type { Drainage };

export interface DrainageOptions extends RunOptions {
  /** Water leaves over the ground's edge; false: it gathers in the sea or the lowest sample. */
  open?: boolean;
  /** Water leaves where the ground lies below the sea level. */
  toSea?: boolean;
}

/** Where the water of a field goes: depressions filled, receivers by the steepest drop, samples that drain through each one. */
export function drainageOf(kernels: Kernels, { ground, height }: Field, options: DrainageOptions = {}): Promise<Drainage> {
  return kernels.run(drainageProgram, argsOf(ground, options), height, options);
}

/** The samples that drain through each one by the steepest drop, itself counted. */
export function accumulationOf(kernels: Kernels, { ground, height }: Field, options: DrainageOptions = {}): Promise<Float32Array<ArrayBuffer>> {
  return kernels.run(accumulationProgram, argsOf(ground, options), height, options);
}

function argsOf(ground: Ground, { open = true, toSea = false }: DrainageOptions): DrainageArgs {
  const { x, y } = spacingOf(ground);
  return { across: ground.across, down: ground.down, spacingX: x, spacingY: y, open, sea: toSea ? ground.sea - ground.datum : -Infinity };
}

/** West, east, north, south and the four corners: column, row. */
const AROUND = [
  [-1, 0],
  [1, 0],
  [0, -1],
  [0, 1],
  [-1, -1],
  [1, -1],
  [-1, 1],
  [1, 1],
] as const;

/** Facets of the eight directions: the neighbour at a right angle, and the diagonal beside it. */
const FACETS = [
  [1, 5],
  [2, 5],
  [2, 4],
  [0, 4],
  [0, 6],
  [3, 6],
  [3, 7],
  [1, 7],
] as const;

export type Spreading = 'multiple' | 'facet';

/** Freeman's exponent. */
const SPREAD = 1.1;

/**
 * Flow accumulation in samples where water spreads: over all lower neighbours by slope to the
 * power of 1.1 (`multiple`, Freeman 1991), or over the two that bound the steepest facet
 * (`facet`, D∞, Tarboton 1997). On level ground and under water it takes the single way of
 * `drainage`. What leaves adds up to the number of samples.
 */
export function spreadAccumulation({ ground }: Field, drainage: Drainage, how: Spreading): Float32Array<ArrayBuffer> {
  const { across, down } = ground;
  const { filled, receiver } = drainage;
  const spacing = spacingOf(ground);
  const runs = AROUND.map(([x, y]) => Math.sqrt(x * x * spacing.x * spacing.x + y * y * spacing.y * spacing.y));
  const { pow, atan2 } = exactMath();
  const count = across * down;
  // The share of every sample's water that goes to each of its eight neighbours.
  const shares = new Float32Array(count * 8);
  const waiting = new Uint8Array(count);
  const weights = new Float64Array(8);
  for (let row = 0, i = 0; row < down; row++) {
    for (let column = 0; column < across; column++, i++) {
      if (receiver[i] === i) continue;
      weights.fill(0);
      const at = (k: number) => {
        const [x, y] = AROUND[k];
        const inside = column + x >= 0 && column + x < across && row + y >= 0 && row + y < down;
        return inside ? filled[i + y * across + x] : NaN;
      };
      let sum = 0;
      if (how === 'multiple') {
        for (let k = 0; k < 8; k++) {
          const drop = (filled[i] - at(k)) / runs[k];
          if (drop > 0) sum += weights[k] = pow(drop, SPREAD);
        }
      } else sum = byFacet(filled[i], at, runs, weights, atan2);
      if (sum === 0) {
        const down1 = receiver[i];
        const k = AROUND.findIndex(([x, y]) => i + y * across + x === down1);
        weights[k] = sum = 1;
      }
      for (let k = 0; k < 8; k++) {
        if (weights[k] === 0) continue;
        shares[i * 8 + k] = weights[k] / sum;
        waiting[i + AROUND[k][1] * across + AROUND[k][0]]++;
      }
    }
  }
  const out = new Float64Array(count).fill(1);
  const ready = new Int32Array(count);
  let end = 0;
  for (let i = 0; i < count; i++) if (waiting[i] === 0) ready[end++] = i;
  for (let begin = 0; begin < end; begin++) {
    const i = ready[begin];
    for (let k = 0; k < 8; k++) {
      const share = shares[i * 8 + k];
      if (share === 0) continue;
      const to = i + AROUND[k][1] * across + AROUND[k][0];
      out[to] += out[i] * share;
      if (--waiting[to] === 0) ready[end++] = to;
    }
  }
  return Float32Array.from(out);
}

function byFacet(here: number, at: (k: number) => number, runs: number[], weights: Float64Array, atan2: (y: number, x: number) => number): number {
  let steepest = 0;
  let chosen = -1;
  let angle = 0;
  let corner = 0;
  FACETS.forEach(([near, far], f) => {
    const [e1, e2] = [at(near), at(far)];
    if (!(e1 === e1 && e2 === e2)) return;
    const d1 = runs[near];
    const d2 = Math.sqrt(runs[far] * runs[far] - d1 * d1);
    const s1 = (here - e1) / d1;
    const s2 = (e1 - e2) / d2;
    const most = atan2(d2, d1);
    let r = atan2(s2, s1);
    let s = Math.sqrt(s1 * s1 + s2 * s2);
    if (r < 0) [r, s] = [0, s1];
    else if (r > most) [r, s] = [most, (here - e2) / runs[far]];
    if (s > steepest) [steepest, chosen, angle, corner] = [s, f, r, most];
  });
  if (chosen < 0) return 0;
  const [near, far] = FACETS[chosen];
  // Only to what is lower: a facet may rise beside the way down.
  weights[far] = at(far) < here ? angle / corner : 0;
  weights[near] = at(near) < here ? 1 - angle / corner : 0;
  return weights[far] + weights[near];
}

export interface Lake {
  /** Metres, absolute. */
  level: number;
  /** m² and m³. */
  area: number;
  volume: number;
  /** Metres. */
  depth: number;
  /** The index of its lowest sample. */
  lowest: number;
}

/** The hollows that hold water, largest first, and the number of the lake that each sample lies in (0: none). */
export function lakesOf({ ground, height }: Field, { filled }: Drainage): { lakes: Lake[]; label: Int32Array<ArrayBuffer> } {
  const { across, down, datum } = ground;
  const spacing = spacingOf(ground);
  const cell = spacing.x * spacing.y;
  const label = new Int32Array(height.length);
  const lakes: Lake[] = [];
  const queue: number[] = [];
  for (let i = 0; i < height.length; i++) {
    if (label[i] !== 0 || filled[i] <= height[i]) continue;
    const lake: Lake = { level: filled[i] + datum, area: 0, volume: 0, depth: 0, lowest: i };
    lakes.push(lake);
    label[i] = lakes.length;
    queue.push(i);
    while (queue.length > 0) {
      const p = queue.pop()!;
      const depth = filled[p] - height[p];
      lake.area += cell;
      lake.volume += depth * cell;
      if (depth > lake.depth) [lake.depth, lake.lowest] = [depth, p];
      const column = p % across;
      const row = (p - column) / across;
      for (const [x, y] of AROUND) {
        if (column + x < 0 || column + x >= across || row + y < 0 || row + y >= down) continue;
        const n = p + y * across + x;
        if (label[n] !== 0 || filled[n] <= height[n] || filled[n] !== filled[p]) continue;
        label[n] = lakes.length;
        queue.push(n);
      }
    }
  }
  const by = lakes.map((_, i) => i).sort((a, b) => lakes[b].volume - lakes[a].volume || a - b);
  const place = new Int32Array(lakes.length + 1);
  by.forEach((from, to) => (place[from + 1] = to + 1));
  for (let i = 0; i < label.length; i++) label[i] = place[label[i]];
  return { lakes: by.map((i) => lakes[i]), label };
}

/** The number of the outlet that each sample drains to, counted from 0 in the order of the catchments' size; and their areas, m². */
export function catchmentsOf({ ground }: Field, { receiver, order }: Drainage): { label: Int32Array<ArrayBuffer>; areas: number[]; outlets: number[] } {
  const spacing = spacingOf(ground);
  const root = new Int32Array(order.length);
  const size = new Map<number, number>();
  for (let k = order.length - 1; k >= 0; k--) {
    const i = order[k];
    root[i] = receiver[i] === i ? i : root[receiver[i]];
    size.set(root[i], (size.get(root[i]) ?? 0) + 1);
  }
  const outlets = [...size.keys()].sort((a, b) => size.get(b)! - size.get(a)! || a - b);
  const number = new Map(outlets.map((outlet, i) => [outlet, i]));
  const label = new Int32Array(order.length);
  for (let i = 0; i < label.length; i++) label[i] = number.get(root[i])!;
  return { label, areas: outlets.map((o) => size.get(o)! * spacing.x * spacing.y), outlets };
}

export interface Stream {
  /** Strahler's order. */
  order: number;
  /** Sample indices, downstream; the last belongs to the stream it joins, or is where the water leaves. */
  path: Int32Array<ArrayBuffer>;
  /** The stream it joins, by its place in the list; −1: none. */
  joins: number;
  /** Catchment at its end, m². */
  catchment: number;
}

/** Streams where at least `least` m² have gathered, between their heads and joints, each after those that join it. Order after Strahler 1957. */
export function streamsOf({ ground }: Field, { receiver, accumulation, order }: Drainage, least: number): Stream[] {
  const spacing = spacingOf(ground);
  const cell = spacing.x * spacing.y;
  const enough = Math.max(1, least / cell);
  const count = order.length;
  const donors = new Uint8Array(count);
  const highest = new Uint8Array(count);
  const twice = new Uint8Array(count);
  const stream = new Int32Array(count).fill(-1);
  for (let i = 0; i < count; i++) if (accumulation[i] >= enough && receiver[i] !== i) donors[receiver[i]]++;
  const streams: Stream[] = [];
  const paths: number[][] = [];
  for (let k = 0; k < count; k++) {
    const i = order[k];
    if (accumulation[i] < enough) continue;
    const rank = donors[i] === 0 ? 1 : highest[i] + (twice[i] ? 1 : 0);
    if (donors[i] !== 1) {
      streams.push({ order: rank, path: new Int32Array(0), joins: -1, catchment: 0 });
      paths.push([]);
      stream[i] = streams.length - 1;
    }
    const s = stream[i];
    const r = receiver[i];
    paths[s].push(i);
    streams[s].catchment = accumulation[i] * cell;
    if (r === i) continue;
    if (highest[r] < rank) [highest[r], twice[r]] = [rank, 0];
    else if (highest[r] === rank) twice[r] = 1;
    if (donors[r] === 1) stream[r] = s;
    else paths[s].push(r);
  }
  streams.forEach((s, i) => {
    s.path = Int32Array.from(paths[i]);
    const end = s.path[s.path.length - 1];
    if (stream[end] !== i && stream[end] >= 0) s.joins = stream[end];
  });
  return streams;
}

export interface DrainageReport {
  /** How hollow long profiles are: slope falls with the catchment's area to the power of −θ (Flint 1974). NaN where there are too few channels. */
  concavity: number;
  /** How well that line fits, 0 to 1. */
  fit: number;
  /** Samples of channels from which the ground rises along the water's way. */
  uphill: number;
  /** Share of the channels' samples whose way leads to the sea or the edge without a rise. */
  connected: number;
  /** How many streams of an order come on one of the next, and how much longer the next are (Horton 1945). */
  bifurcation: number;
  lengthRatio: number;
  streams: number;
  /** Strahler 1952: (mean − lowest) / (highest − lowest). */
  hypsometric: number;
  lakes: number;
  lakeVolume: number;
}

/** Rises of less than this along the water's way are none, metres. */
const RISE = 0.01;

/**
 * What a ground's channels say of it. `least`: the catchment at which a channel begins, m². The
 * concavity is fitted to the means of log slope in bins of log area, along runs of at least ten
 * samples of a channel.
 */
export function describeDrainage(field: Field, drainage: Drainage, least: number): DrainageReport {
  const { ground, height } = field;
  const spacing = spacingOf(ground);
  const streams = streamsOf(field, drainage, least);
  const { points, lengths } = alongStreams(field, drainage, streams);
  const line = points.length >= 3 ? fitted(points) : { slope: NaN, fit: NaN };
  const counts = lengths.map((l) => l?.length ?? 0).slice(1);
  const means = lengths.map((l) => (l ? l.reduce((a, b) => a + b, 0) / l.length : 0)).slice(1);
  const { lakes } = lakesOf(field, drainage);
  return {
    concavity: -line.slope,
    fit: line.fit,
    ...channelsOf(height, drainage, Math.max(1, least / (spacing.x * spacing.y))),
    bifurcation: meanRatio(counts, (a, b) => a / b),
    lengthRatio: meanRatio(means, (a, b) => b / a),
    streams: streams.length,
    hypsometric: hypsometricOf(height),
    lakes: lakes.length,
    lakeVolume: lakes.reduce((all, lake) => all + lake.volume, 0),
  };
}

/** Mean log area and log slope of runs along streams, in bins of area that hold enough of them; and the streams' lengths by their order. */
function alongStreams({ ground, height }: Field, { accumulation }: Drainage, streams: readonly Stream[]) {
  const { log } = exactMath();
  const { across } = ground;
  const spacing = spacingOf(ground);
  const cell = spacing.x * spacing.y;
  const distance = (a: number, b: number) => {
    const dx = ((a % across) - (b % across)) * spacing.x;
    const dy = (Math.floor(a / across) - Math.floor(b / across)) * spacing.y;
    return Math.sqrt(dx * dx + dy * dy);
  };
  const bins = new Map<number, { n: number; area: number; slope: number }>();
  const lengths: number[][] = [];
  for (const { path, order: rank } of streams) {
    let run = 0;
    let length = 0;
    let from = 0;
    for (let k = 1; k < path.length; k++) {
      const step = distance(path[k - 1], path[k]);
      run += step;
      length += step;
      if (k - from < 10) continue;
      const drop = height[path[from]] - height[path[k]];
      if (drop > 0) {
        const area = log(accumulation[path[(from + k) >> 1]] * cell);
        const bin = Math.floor(area * 3);
        const into = bins.get(bin) ?? { n: 0, area: 0, slope: 0 };
        bins.set(bin, { n: into.n + 1, area: into.area + area, slope: into.slope + log(drop / run) });
      }
      from = k;
      run = 0;
    }
    (lengths[rank] ??= []).push(length);
  }
  const points = [...bins.values()].filter((b) => b.n >= 5).map((b) => ({ x: b.area / b.n, y: b.slope / b.n, w: b.n }));
  return { points, lengths };
}

/** How many samples of channels run uphill, and the share of them from which no rise lies before the end. `enough`: samples that make a channel. */
function channelsOf(height: Float32Array, { receiver, accumulation, order }: Drainage, enough: number): { uphill: number; connected: number } {
  let uphill = 0;
  let channel = 0;
  let connected = 0;
  const clear = new Uint8Array(height.length);
  for (let k = order.length - 1; k >= 0; k--) {
    const i = order[k];
    const r = receiver[i];
    const rises = r !== i && height[r] > height[i] + RISE;
    clear[i] = r === i ? 1 : rises ? 0 : clear[r];
    if (accumulation[i] < enough) continue;
    channel++;
    if (rises) uphill++;
    connected += clear[i];
  }
  return { uphill, connected: channel > 0 ? connected / channel : 1 };
}

/** The geometric mean of the ratios from each to the next. */
function meanRatio(list: readonly number[], over: (a: number, b: number) => number): number {
  const { exp, log } = exactMath();
  const logs: number[] = [];
  for (let i = 0; i + 1 < list.length; i++) if (list[i] > 0 && list[i + 1] > 0) logs.push(log(over(list[i], list[i + 1])));
  return logs.length > 0 ? exp(logs.reduce((a, b) => a + b, 0) / logs.length) : NaN;
}

/** Where the mean lies between the lowest and the highest, 0 to 1. */
function hypsometricOf(height: Float32Array): number {
  let lowest = Infinity;
  let highest = -Infinity;
  let sum = 0;
  for (const h of height) {
    if (h < lowest) lowest = h;
    if (h > highest) highest = h;
    sum += h;
  }
  return highest > lowest ? (sum / height.length - lowest) / (highest - lowest) : NaN;
}

/** The line of least squares through weighted points, and the share of their spread that it explains. */
function fitted(points: { x: number; y: number; w: number }[]): { slope: number; fit: number } {
  const all = points.reduce((s, p) => s + p.w, 0);
  const mx = points.reduce((s, p) => s + p.w * p.x, 0) / all;
  const my = points.reduce((s, p) => s + p.w * p.y, 0) / all;
  const xx = points.reduce((s, p) => s + p.w * (p.x - mx) * (p.x - mx), 0);
  const xy = points.reduce((s, p) => s + p.w * (p.x - mx) * (p.y - my), 0);
  const yy = points.reduce((s, p) => s + p.w * (p.y - my) * (p.y - my), 0);
  return { slope: xy / xx, fit: yy > 0 ? (xy * xy) / (xx * yy) : 1 };
}

/** The catchment at which a channel is taken to begin: a hundred samples, or half a percent of the land of a small ground. */
export function defaultChannelArea(ground: Ground): number {
  const { x, y } = spacingOf(ground);
  return Math.min(100 * x * y, 0.005 * ground.width * ground.depth);
}

/** Streams as a GeoJSON text (RFC 7946's shapes, in metres east and north of the south-west corner): order, catchment, metres. */
export function streamsAsGeoJson(field: Field, streams: Stream[]): string {
  const { ground, height } = field;
  const spacing = spacingOf(ground);
  const first = ground.registration === 'point' ? 0 : 0.5;
  const round = (v: number, digits: number) => Number(v.toFixed(digits));
  const at = (i: number) => {
    const column = i % ground.across;
    const row = (i - column) / ground.across;
    return [round((column + first) * spacing.x, 3), round(ground.depth - (row + first) * spacing.y, 3), round(height[i] + ground.datum, 3)];
  };
  const features = streams.map((s, i) => ({
    type: 'Feature',
    id: i,
    properties: { order: s.order, catchment: s.catchment, joins: s.joins < 0 ? null : s.joins },
    geometry: { type: 'LineString', coordinates: [...s.path].map(at) },
  }));
  return JSON.stringify({ type: 'FeatureCollection', features });
}
