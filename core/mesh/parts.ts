import type { Field } from '../field/field';
import { spacingOf } from '../field/ground';
import { faceCount, triangleCount, triangleIndices, type Mesh } from './mesh';

/** One part of a mesh beside the ground that it came from; metres, from the ground's north-west corner where it could be laid there. */
export interface MeshPart {
  name: string;
  triangles: number;
  west: number;
  north: number;
  width: number;
  depth: number;
  lowest: number;
  highest: number;
  /** How far its faces lie over the ground at the ground's samples, on the mean and root mean square; null where the ground is another, or it lies beside it. */
  off: { mean: number; rmse: number } | null;
}

/** What is wrong with the parts, what is worst first. */
export interface PartFinding {
  kind: 'scale' | 'place' | 'height' | 'border' | 'beside';
  /** Of the parts, by their places in the list. */
  parts: number[];
  sentence: string;
}

export interface PartsReport {
  parts: MeshPart[];
  findings: PartFinding[];
}

/** More parts than this are no parts that somebody made. */
const MOST_PARTS = 256;
/** Corners of a part that are held against the ground, at the most. */
const LOOKS = 4000;
/** Borders that are closer than this share of the whole mesh's size are meant to meet. */
const NEAR = 0.002;
/** And meet where they come as close as this share of it. */
const MEETS = 2e-6;

/** East, south and up of a corner. */
type Place = [number, number, number];

const placeOf = ({ positions, up, origin = [0, 0, 0] }: Mesh, i: number): Place => {
  const [x, y, z] = [0, 1, 2].map((k) => positions[3 * i + k] + origin[k]);
  return up === 'y' ? [x, z, y] : [x, -y, z];
};

/**
 * The parts of a mesh in one file: what hangs together by shared corners. One whose triangles share none, and one in hundreds of pieces, is
 * one part.
 */
export function partsOfMesh(mesh: Mesh, name = 'Part'): { name: string; mesh: Mesh }[] {
  const count = mesh.positions.length / 3;
  const parent = Uint32Array.from({ length: count }, (_, i) => i);
  const root = (i: number) => {
    while (parent[i] !== i) i = parent[i] = parent[parent[i]];
    return i;
  };
  const { indices, corners } = mesh;
  for (let i = 0; i < indices.length; i += corners)
    for (let k = 1; k < corners; k++) {
      const [a, b] = [root(indices[i]), root(indices[i + k])];
      if (a !== b) parent[Math.max(a, b)] = Math.min(a, b);
    }
  const faces = new Map<number, number[]>();
  for (let i = 0; i < indices.length; i += corners) {
    const at = root(indices[i]);
    const own = faces.get(at);
    if (own) own.push(i);
    else if (faces.size < MOST_PARTS) faces.set(at, [i]);
    else return [{ name, mesh }];
  }
  if (faces.size < 2) return [{ name, mesh }];
  return [...faces.values()].map((own, k) => {
    const part = new Uint32Array(own.length * corners);
    own.forEach((i, f) => part.set(indices.subarray(i, i + corners), f * corners));
    return { name: `${name} ${k + 1}`, mesh: { ...mesh, indices: part } };
  });
}

/** Corners that a part uses. */
function cornersOf(mesh: Mesh): Uint32Array {
  const used = new Uint8Array(mesh.positions.length / 3);
  for (const i of mesh.indices) used[i] = 1;
  const out = new Uint32Array(used.reduce((sum, v) => sum + v, 0));
  let n = 0;
  for (let i = 0; i < used.length; i++) if (used[i]) out[n++] = i;
  return out;
}

interface Box {
  west: number;
  north: number;
  east: number;
  south: number;
  low: number;
  high: number;
}

function boxOf(mesh: Mesh, corners: Uint32Array): Box {
  const box = { west: Infinity, north: Infinity, east: -Infinity, south: -Infinity, low: Infinity, high: -Infinity };
  for (const i of corners) {
    const [x, z, h] = placeOf(mesh, i);
    box.west = Math.min(box.west, x);
    box.east = Math.max(box.east, x);
    box.north = Math.min(box.north, z);
    box.south = Math.max(box.south, z);
    box.low = Math.min(box.low, h);
    box.high = Math.max(box.high, h);
  }
  return box;
}

const middleOf = (values: number[]) => {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted.length === 0 ? NaN : sorted[sorted.length >> 1];
};

function heightAt({ ground, height, valid }: Field, east: number, south: number): number | null {
  const { x, y } = spacingOf(ground);
  const pad = ground.registration === 'area' ? 0.5 : 0;
  const [cx, cy] = [east / x - pad, south / y - pad];
  if (!(cx >= -0.51 && cy >= -0.51 && cx <= ground.across - 0.49 && cy <= ground.down - 0.49)) return null;
  const [px, py] = [Math.min(ground.across - 1, Math.max(0, cx)), Math.min(ground.down - 1, Math.max(0, cy))];
  const [c, r] = [Math.min(ground.across - 2, Math.floor(px)), Math.min(ground.down - 2, Math.floor(py))];
  if (c < 0 || r < 0) return null;
  const i = r * ground.across + c;
  if (valid && !(valid[i] && valid[i + 1] && valid[i + ground.across] && valid[i + ground.across + 1])) return null;
  const [u, v] = [px - c, py - r];
  const top = height[i] + u * (height[i + 1] - height[i]);
  const foot = height[i + ground.across] + u * (height[i + ground.across + 1] - height[i + ground.across]);
  return top + v * (foot - top) + ground.datum;
}

/** How far sampled corners of a part lie over the ground, with the mesh's corner moved; null: too few lie on it. */
function offGround(mesh: Mesh, corners: Uint32Array, ground: Field, [east, south]: readonly [number, number]): { mean: number; rmse: number } | null {
  const step = Math.max(1, Math.floor(corners.length / LOOKS));
  let [n, sum, squares] = [0, 0, 0];
  for (let k = 0; k < corners.length; k += step) {
    const [x, z, h] = placeOf(mesh, corners[k]);
    const there = heightAt(ground, x + east, z + south);
    if (there === null) continue;
    const d = h - there;
    n++;
    sum += d;
    squares += d * d;
  }
  if (n < Math.max(3, 0.2 * Math.ceil(corners.length / step))) return null;
  return { mean: sum / n, rmse: Math.sqrt(squares / n) };
}

/** How far the faces of a part lie over the ground at its samples; where it is finer than the ground, or reads no sample, at its corners. */
function facesOffGround(mesh: Mesh, corners: Uint32Array, ground: Field, at: readonly [number, number]): { mean: number; rmse: number } | null {
  const { across, down, registration, datum } = ground.ground;
  const { x: dx, y: dy } = spacingOf(ground.ground);
  const pad = registration === 'area' ? 0.5 : 0;
  const onGrid = (i: number): Place => {
    const [x, z, h] = placeOf(mesh, i);
    return [(x + at[0]) / dx - pad, (z + at[1]) / dy - pad, h - datum];
  };
  const faces = triangleIndices(mesh);
  let [n, sum, squares] = [0, 0, 0];
  for (let i = 0; i < faces.length; i += 3) {
    const [[ax, az, ah], [bx, bz, bh], [cx, cz, ch]] = [onGrid(faces[i]), onGrid(faces[i + 1]), onGrid(faces[i + 2])];
    const area = (bx - ax) * (cz - az) - (cx - ax) * (bz - az);
    if (Math.abs(area) < 1e-9) continue;
    const [west, east] = [Math.max(0, Math.ceil(Math.min(ax, bx, cx))), Math.min(across - 1, Math.floor(Math.max(ax, bx, cx)))];
    const [north, south] = [Math.max(0, Math.ceil(Math.min(az, bz, cz))), Math.min(down - 1, Math.floor(Math.max(az, bz, cz)))];
    for (let r = north; r <= south; r++) {
      for (let c = west; c <= east; c++) {
        const b = ((c - ax) * (cz - az) - (cx - ax) * (r - az)) / area;
        const g = ((bx - ax) * (r - az) - (c - ax) * (bz - az)) / area;
        const k = r * across + c;
        if (b < 0 || g < 0 || b + g > 1 || (ground.valid && !ground.valid[k])) continue;
        const d = ah + b * (bh - ah) + g * (ch - ah) - ground.height[k];
        n++;
        sum += d;
        squares += d * d;
      }
    }
  }
  return n >= 3 ? { mean: sum / n, rmse: Math.sqrt(squares / n) } : offGround(mesh, corners, ground, at);
}

/** The corners of edges that one face alone has: where a part ends. */
function borderOf(mesh: Mesh): Place[] {
  const seen = new Map<string, [number, number] | null>();
  const faces = triangleIndices(mesh);
  for (let i = 0; i < faces.length; i += 3) {
    for (const [a, b] of [
      [faces[i], faces[i + 1]],
      [faces[i + 1], faces[i + 2]],
      [faces[i + 2], faces[i]],
    ]) {
      const key = a < b ? `${a},${b}` : `${b},${a}`;
      seen.set(key, seen.has(key) ? null : [a, b]);
    }
  }
  const corners = new Set<number>();
  for (const edge of seen.values()) if (edge) edge.forEach((i) => corners.add(i));
  return [...corners].map((i) => placeOf(mesh, i));
}

const fixed = (v: number) => (Math.abs(v) >= 100 ? Math.abs(v).toFixed(0) : Math.abs(v) >= 1 ? Math.abs(v).toFixed(1) : Math.abs(v).toPrecision(2));

/**
 * The parts of a mesh, and what is wrong with them: one that is out of scale or out of its place beside the others, one that lies off the
 * ground that they came from, and borders that do not meet. `ground`: that ground, in metres.
 */
export function describeParts(given: readonly { name: string; mesh: Mesh }[], ground?: Field): PartsReport {
  const own = given.map(({ name, mesh }) => {
    const corners = cornersOf(mesh);
    return { name, mesh, corners, box: boxOf(mesh, corners) };
  });
  const at = ground ? placeOn(own, ground) : null;
  const [east, south] = at ?? [-Math.min(...own.map(({ box }) => box.west)), -Math.min(...own.map(({ box }) => box.north))];
  const parts = own.map(({ name, mesh, corners, box }): MeshPart => ({
    name,
    triangles: triangleCount(mesh),
    west: box.west + east,
    north: box.north + south,
    width: box.east - box.west,
    depth: box.south - box.north,
    lowest: box.low,
    highest: box.high,
    off: at && ground ? facesOffGround(mesh, corners, ground, at) : null,
  }));
  const findings = own.length < 2 ? [] : [...sizesIn(parts), ...(at ? offIn(parts, ground!) : [])];
  const odd = new Set(findings.flatMap((f) => f.parts));
  if (own.length > 1) findings.push(...bordersIn(own, odd));
  return { parts, findings };
}

/** Where the mesh's own zero lies on the ground: its north-west corner at the mesh's, at zero, or the middle at zero. */
function placeOn(own: { mesh: Mesh; corners: Uint32Array; box: Box }[], ground: Field): readonly [number, number] | null {
  const { width, depth } = ground.ground;
  const ways = [
    [-Math.min(...own.map(({ box }) => box.west)), -Math.min(...own.map(({ box }) => box.north))],
    [0, 0],
    [width / 2, depth / 2],
  ] as const;
  let best: { way: (typeof ways)[number]; off: number } | null = null;
  for (const way of ways) {
    const offs = own.map(({ mesh, corners }) => offGround(mesh, corners, ground, way)?.rmse ?? Infinity);
    const off = middleOf(offs);
    if (Number.isFinite(off) && (!best || off < best.off)) best = { way, off };
  }
  let [low, high] = [Infinity, -Infinity];
  for (const h of ground.height) [low, high] = [Math.min(low, h), Math.max(high, h)];
  // A ground that lies a tenth of its range off is another one.
  return best && best.off < 0.1 * Math.max(1e-6, high - low) ? best.way : null;
}

/** Units that a part could have been taken for. */
const UNITS = [
  [1000, 'a kilometre for a metre, or a metre for a millimetre'],
  [100, 'a metre for a centimetre'],
  [39.37, 'a metre for an inch'],
  [3.2808, 'a metre for a foot'],
] as const;

function sizesIn(parts: MeshPart[]): PartFinding[] {
  const usual = Math.max(1e-9, middleOf(parts.map(({ width, depth }) => Math.max(width, depth))));
  return parts.flatMap(({ name, width, depth }, i): PartFinding[] => {
    const times = Math.max(width, depth) / usual;
    // Parts at the rim, and those of a frame, are smaller by a part of themselves.
    if (times < 2.5 && times > 0.1) return [];
    const larger = Math.max(times, 1 / times);
    const unit = UNITS.find(([factor]) => Math.abs(larger / factor - 1) < 0.08);
    return [
      {
        kind: 'scale',
        parts: [i],
        sentence: `${name} is ${fixed(larger)} times as ${times > 1 ? 'large' : 'small'} as the others${unit ? `: ${unit[1]}, the one way or the other` : ''}.`,
      },
    ];
  });
}

function offIn(parts: MeshPart[], { ground }: Field): PartFinding[] {
  const known = parts.flatMap(({ off }) => (off ? [off] : []));
  const usual = { mean: middleOf(known.map(({ mean }) => mean)), rmse: middleOf(known.map(({ rmse }) => rmse)) };
  const { x } = spacingOf(ground);
  return parts.flatMap(({ name, off, west, north, width, depth, lowest, highest }, i): PartFinding[] => {
    const beside = west > ground.width || north > ground.depth || west + width < 0 || north + depth < 0;
    if (!off) {
      return beside
        ? [{ kind: 'beside', parts: [i], sentence: `${name} lies beside the ground: ${fixed(west)} m east and ${fixed(north)} m south of its corner.` }]
        : [];
    }
    const lift = off.mean - usual.mean;
    const spread = Math.sqrt(Math.max(0, off.rmse * off.rmse - off.mean * off.mean));
    const limit = Math.max(0.02 * x, 4 * usual.rmse, 2e-3 * (highest - lowest));
    if (Math.abs(lift) > limit && spread < 0.5 * Math.abs(lift)) {
      return [{ kind: 'height', parts: [i], sentence: `${name} lies ${fixed(lift)} m too ${lift > 0 ? 'high' : 'low'}.` }];
    }
    return off.rmse > 3 * limit
      ? [{ kind: 'place', parts: [i], sentence: `${name} is not where it belongs: it lies ${fixed(off.rmse)} m off the ground there, root mean square.` }]
      : [];
  });
}

/** Borders that are meant to meet, held against each other. Parts that are out of place have been named already. */
function bordersIn(own: { name: string; mesh: Mesh; box: Box }[], odd: ReadonlySet<number>): PartFinding[] {
  const inPlace = own.filter((_, i) => !odd.has(i)).map(({ box }) => box);
  const reach = (low: (box: Box) => number, high: (box: Box) => number) => Math.max(...inPlace.map(high)) - Math.min(...inPlace.map(low));
  const whole = Math.max(
    reach(
      (box) => box.west,
      (box) => box.east,
    ),
    reach(
      (box) => box.north,
      (box) => box.south,
    ),
  );
  const near = NEAR * whole;
  const borders = own.map(({ mesh }, i) => (odd.has(i) || faceCount(mesh) > 4e6 ? [] : borderOf(mesh)));
  const found: PartFinding[] = [];
  for (let i = 0; i < own.length; i++) {
    for (let j = i + 1; j < own.length; j++) {
      if (borders[i].length === 0 || borders[j].length === 0) continue;
      const [a, b] = [own[i].box, own[j].box];
      if (a.west > b.east + near || b.west > a.east + near || a.north > b.south + near || b.north > a.south + near) continue;
      const gap = Math.max(gapBetween(borders[i], borders[j], b, near), gapBetween(borders[j], borders[i], a, near));
      if (gap > Math.max(MEETS * whole, 1e-4))
        found.push({
          kind: 'border',
          parts: [i, j],
          sentence: `${own[i].name} and ${own[j].name} do not meet: their borders are up to ${fixed(gap)} m apart.`,
        });
    }
  }
  return found.sort((p, q) => Number.parseFloat(/to ([\d.]+)/.exec(q.sentence)![1]) - Number.parseFloat(/to ([\d.]+)/.exec(p.sentence)![1]));
}

/** How far the border's corners that lie along the other part's box are from the other's border: its polyline is taken by its corners' heights. */
function gapBetween(border: Place[], other: Place[], box: Box, near: number): number {
  // Along each side of the box, the other's corners in order.
  const sides = [
    { on: ([x]: Place) => Math.abs(x - box.west) <= near, along: 1 as const },
    { on: ([x]: Place) => Math.abs(x - box.east) <= near, along: 1 as const },
    { on: ([, z]: Place) => Math.abs(z - box.north) <= near, along: 0 as const },
    { on: ([, z]: Place) => Math.abs(z - box.south) <= near, along: 0 as const },
  ];
  let most = 0;
  for (const { on, along } of sides) {
    const line = other.filter(on).sort((p, q) => p[along] - q[along]);
    if (line.length < 2) continue;
    const across = along === 0 ? 1 : 0;
    for (const place of border) {
      if (!on(place)) continue;
      const t = place[along];
      if (t < line[0][along] || t > line[line.length - 1][along]) continue;
      let [from, to] = [0, line.length - 1];
      while (to - from > 1) {
        const middle = (from + to) >> 1;
        if (line[middle][along] <= t) from = middle;
        else to = middle;
      }
      const [p, q] = [line[from], line[to]];
      const u = q[along] > p[along] ? (t - p[along]) / (q[along] - p[along]) : 0;
      const [away, over] = [place[across] - (p[across] + u * (q[across] - p[across])), place[2] - (p[2] + u * (q[2] - p[2]))];
      most = Math.max(most, Math.sqrt(away * away + over * over));
    }
  }
  return most;
}
