// Makes the demo terrain's project file from real steps and real strokes.
import { mkdirSync, writeFileSync } from 'node:fs';
import { resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import {
  makeBrush,
  placesBetween,
  StrokeOnSurface,
  strokesToBytes,
  STROKES_A_FILE,
  Surface,
  encodeRgb,
  evaluate,
  makeCourse,
  makeTributary,
  maskUse,
  makeGround,
  rockSchema,
  sha256,
  statistics,
  stepUse,
  TILE,
  tileToBytes,
  writeProject,
  type StrokePlace,
  type StrokeRecord,
  type Field,
  type Tiles,
  groundKey,
} from '@upland-cast/core';
import { landscapePixels } from '../app/drawing/landscape';
import { nodeKernels } from '../cli/node-kernels';
import { oldSheet } from './old-sheet';

const ground = makeGround({ width: 8192, depth: 8192, across: 1025, down: 1025, registration: 'point', sea: 420 });
const kernels = nodeKernels(pathToFileURL(resolve('cli/dist/pool-worker.mjs')));

const base = stepUse(
  'noise',
  { kind: 'fbm', feature: 3600, height: 500, level: 560, octaves: 10, gain: 0.46, lacunarity: 2.07, seed: 21 },
  { id: 'base', name: 'Rolling base', join: 'replace' },
);
const crags = stepUse(
  'noise',
  { kind: 'ridged', feature: 3000, height: 620, level: 290, octaves: 9, gain: 0.45, lacunarity: 2.1, seed: 7 },
  { id: 'crags', name: 'Crests', join: 'replace' },
);
const bedding = stepUse(
  'terrace',
  { spacing: 46, start: 290, sharpness: 0.45, tilt: 0.45, variation: 0.7, seed: 12 },
  { id: 'bedding', name: 'Bedding', strength: 0.55, where: { masks: [maskUse('slope', { low: 18, high: 90, softness: 10 })], combine: 'multiply' } },
);
const side = makeTributary('Crags', [crags, bedding], 'crags-line');
const join = stepUse('join', { tributary: 'crags-line' }, { id: 'crags-join', name: 'Crags', join: 'smooth-higher', joinWidth: 30 });
const moor = stepUse(
  'noise',
  { kind: 'billow', feature: 340, height: 16, octaves: 5, gain: 0.5, lacunarity: 2.2, seed: 905 },
  { id: 'moor', name: 'Peat moor', join: 'add', strength: 0.7 },
);
const wear = stepUse('fluvial', { amount: 1800, scale: 190, soften: 30, breach: 240 }, { id: 'wear', name: 'Becks and gills' });
const ice = stepUse('glacier', { amount: 420, snowline: 0.5, favour: 0.26, towards: 215, till: 0.14, seed: 5 }, { id: 'ice', name: 'Ice' });
const scree = stepUse('talus', { cliff: 41, fall: 26, repose: 35, loose: 0.8, patch: 140, sweeps: 80 }, { id: 'scree', name: 'Scree' });
const QUARRY = { east: 3640, south: 3990 };
const hand = stepUse('sculpt', {}, { id: 'hand', note: 'The corrie dug out above its lake, and the floor of the old slate quarry.' });
const offset = stepUse('shift', { by: 12 }, { id: 'offset' });

const assets = new Map<string, Uint8Array<ArrayBuffer>>();

/** The old quarry's outline, painted: weights of a byte in tiles of 256 × 256. */
async function paintedQuarry() {
  const tiles: Record<string, string> = {};
  for (const [column, row] of [
    [1, 1],
    [1, 2],
    [2, 1],
  ]) {
    const bytes = new Uint8Array(TILE * TILE);
    for (let y = 0; y < TILE; y++) {
      for (let x = 0; x < TILE; x++) {
        const east = (column * TILE + x) * 8 - QUARRY.east;
        const south = (row * TILE + y) * 8 - QUARRY.south;
        // An ellipse whose rim wanders a little.
        const around = Math.atan2(south, east);
        const r = Math.hypot(east / 330, south / 230) / (1 + 0.12 * Math.sin(3 * around + 1) + 0.07 * Math.sin(7 * around));
        bytes[y * TILE + x] = Math.round(255 * Math.min(1, Math.max(0, (1.12 - r) / 0.16)));
      }
    }
    if (!bytes.some((b) => b > 0)) continue;
    const sha = await sha256(bytes);
    tiles[`${column},${row}`] = sha;
    assets.set(sha, bytes);
  }
  return maskUse('painted', { samples: { across: 1025, down: 1025, registration: 'point' }, tiles });
}
const within = { masks: [await paintedQuarry()], combine: 'multiply' as const };
const dig = stepUse(
  'landform',
  { form: 'dome', height: 90, radius: 420, east: QUARRY.east - 4096, north: 4096 - QUARRY.south },
  { id: 'dig', name: 'Quarry pit', join: 'subtract', where: within },
);
const benches = stepUse(
  'terrace',
  { spacing: 14, start: 500, sharpness: 0.86, tilt: 0.03, variation: 0.1, seed: 3 },
  { id: 'benches', name: 'Quarry benches', where: within },
);

const course = makeCourse('Dunmorrow', ground, [base, join, moor, wear, ice, scree, dig, benches], [side]);
// Slates and grits that dip to the north-west, one fault through them.
course.rock = rockSchema.parse({
  thickness: 44,
  spread: 0.6,
  hardShare: 0.5,
  contrast: 0.85,
  dip: 17,
  dipDirection: 320,
  foldHeight: 70,
  foldLength: 3_400,
  foldDirection: 40,
  joints: 0.35,
  jointSpacing: 130,
  faults: [{ east: 4_700, south: 3_300, strike: 64, throw: 70 }],
  seed: 8,
});
const beneath = await evaluate(course, { kernels, asset: async (sha) => assets.get(sha)! });
if (beneath.stages.some((s) => s.fault)) throw new Error(beneath.stages.find((s) => s.fault)!.fault);

let tiles: Tiles = new Map();
const record: StrokeRecord[] = [];
async function stroke(parts: Parameters<typeof makeBrush>[0], points: StrokePlace[], times = 1): Promise<void> {
  const brush = makeBrush(parts);
  const places: [number, number, number][] = [];
  for (let n = 0; n < times; n++) {
    let last = points[0];
    places.push([last[0], last[1], 1]);
    for (const point of points.slice(1)) {
      for (const [east, south] of placesBetween(last, point, brush.radius * brush.spacing)) places.push([east, south, 1]);
      last = point;
    }
  }
  record.push({ brush, seed: record.length, places });
  const surface = new Surface(ground, beneath.height, tiles);
  const playing = new StrokeOnSurface(surface, brush, record.length - 1);
  for (const place of places) await playing.dab(place);
  tiles = surface.tiles;
}
const now = (east: number, south: number) => {
  const i = Math.round(south / 8) * 1025 + Math.round(east / 8);
  const tile = tiles.get(`${Math.floor(east / 8 / 256)},${Math.floor(south / 8 / 256)}`);
  return beneath.height[i] + 12 + (tile ? tile[(Math.round(south / 8) % 256) * 256 + (Math.round(east / 8) % 256)] : 0);
};
// The corrie: a bowl under the crags, dug until its floor lies well under the lake at 420 m.
const [cx, cy] = [6420, 2560];
for (let n = 0; n < 60 && now(cx, cy) > 396; n++)
  await stroke({ kind: 'lower', radius: 560, strength: 3.2, softness: 1 }, [
    [cx - 90, cy - 60],
    [cx + 90, cy + 90],
  ]);
await stroke(
  { kind: 'lower', radius: 300, strength: 1.2, softness: 0.9 },
  [
    [cx - 60, cy - 40],
    [cx + 120, cy + 100],
  ],
  2,
);
await stroke({ kind: 'smooth', radius: 200, strength: 0.3, softness: 1 }, [
  [cx - 200, cy - 100],
  [cx + 260, cy + 240],
]);
// The quarry's heap of waste, below it.
const [qx, qy] = [QUARRY.east - 80, QUARRY.south - 30];
await stroke(
  { kind: 'raise', radius: 120, strength: 3, softness: 1 },
  [
    [qx + 420, qy + 120],
    [qx + 520, qy + 330],
  ],
  2,
);

const kept: Record<string, string> = {};
for (const [key, tile] of tiles) {
  if (!tile.some((d) => d !== 0)) continue;
  const bytes = tileToBytes(tile);
  kept[key] = await sha256(bytes);
  assets.set(kept[key], bytes);
}
const recorded: string[] = [];
for (let n = 0; n < record.length; n += STROKES_A_FILE) {
  const bytes = strokesToBytes(record.slice(n, n + STROKES_A_FILE));
  recorded.push(await sha256(bytes));
  assets.set(recorded.at(-1)!, bytes);
}
hand.params = { samples: { across: 1025, down: 1025, registration: 'point' }, tiles: kept, strokes: record.length, record: recorded };
course.stem.push(hand, offset);
course.spots = [
  { id: 'spot-tarn', name: 'Corrie tarn', east: cx, south: cy },
  { id: 'spot-quarry', name: 'Quarry floor', ...QUARRY },
  { id: 'spot-hut', name: 'Rescue post', east: 5060, south: 5480 },
];
course.section = { from: { east: 2500, south: 4400 }, to: { east: 7400, south: 2000 } };

const sheet = await oldSheet(kernels);
const sheetStages = await evaluate(sheet.course, { kernels, asset: async () => sheet.jpeg });
if (sheetStages.stages.some((s) => s.fault)) throw new Error(sheetStages.stages.find((s) => s.fault)!.fault);

const { height, stages } = await evaluate(course, { kernels, asset: async (sha) => assets.get(sha)! });
const field = { ground, height };
/** A relief for a card, 320 × 220. */
/** The card of a terrain, before it is opened. */
async function pictureOf(of: Field): Promise<Uint8Array<ArrayBuffer>> {
  const pixels = await landscapePixels(kernels, of, 320, 220);
  return encodeRgb(
    Uint8Array.from({ length: 320 * 220 * 3 }, (_, i) => pixels[4 * Math.floor(i / 3) + (i % 3)]),
    320,
    220,
  );
}
mkdirSync('app/public/demo', { recursive: true });
writeFileSync(
  'app/public/demo/dunmorrow.uplandcast',
  writeProject({ course, assets, thumbnail: await pictureOf(field), worked: { key: await groundKey(course), height } }),
);
const sheetField = { ground: sheet.course.ground, height: sheetStages.height };
writeFileSync('app/public/demo/old-sheet.jpg', sheet.jpeg);
writeFileSync(
  'app/public/demo/old-sheet.uplandcast',
  writeProject({ course: sheet.course, assets: new Map([[sheet.sha, sheet.jpeg]]), thumbnail: await pictureOf(sheetField) }),
);
kernels.close();
console.log(`Old Sheet: ${sheet.jpeg.length} bytes, mended by ${sheet.course.stem.map((u) => u.step).join(', ')}`);
const { lowest, highest, mean } = statistics(field);
console.log(
  `Dunmorrow: ${lowest.toFixed(1)} to ${highest.toFixed(1)} m, mean ${mean.toFixed(1)} m, ${record.length} strokes, ${Object.keys(kept).length} tiles; ${stages.map((s) => `${s.use.id} ${s.took.toFixed(0)} ms`).join(', ')}`,
);
