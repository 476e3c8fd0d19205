import { execFileSync, spawn } from 'node:child_process';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { cpus, totalmem } from 'node:os';
import { createInterface } from 'node:readline';
import { resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { nodeKernels } from '../cli/node-kernels';
import { evaluate } from '../core/course/evaluate';
import { StageCache } from '../core/course/cache';
import { drainageOf } from '../core/analysis/drainage';
import { makeCourse, makeTributary, stepUse } from '../core/course/schema';
import { maskUse } from '../core/course/where';
import { gaussian } from '../core/field/gaussian';
import { makeGround, previewGround } from '../core/field/ground';
import { medianProgram } from '../core/kernels/programs/median';
import { noiseProgram } from '../core/kernels/programs/noise';
import { against, asMarkdown, inPairs, kept, print, printed, timed, type Row } from './pairs';
import { pageRows } from './page';
import { growth, wholeRows } from './whole';
import { brushRows } from './brush';
import { talusRow } from './talus';
import { meshRows } from './mesh';
import { waterRows } from './water';

const N = 2048;
const RESULTS = 'bench/results.md';
const kernels = nodeKernels(pathToFileURL(resolve('cli/dist/pool-worker.mjs')));
const rows: Row[] = [];
const wanted = process.argv.slice(2).filter((word, i, all) => word !== '--against' && all[i - 1] !== '--against');
const fresh = () => nodeKernels(pathToFileURL(resolve('cli/dist/pool-worker.mjs')));
const wants = (name: string) => wanted.length === 0 || wanted.some((w) => name.includes(w));
async function row(work: string, ...rest: Parameters<typeof inPairs> extends [string, ...infer R] ? R : never): Promise<void> {
  if (wants(work)) rows.push(await inPairs(work, ...rest));
}

const octaves = Array.from({ length: 8 }, (_, k) => {
  let [c, s] = [0.8, 0.6];
  for (let i = 0; i < k; i++) [c, s] = [c * 0.8 - s * 0.6, c * 0.6 + s * 0.8];
  return { frequency: 2.03 ** k / 1000, cos: c, sin: s, offset: 17.25 * (k + 1), weight: 0.5 ** k, seed: 1234567 * (k + 1) };
});
const fbm = () => kernels.run(noiseProgram, { across: N, down: N, firstX: 0, stepX: 1, firstY: 0, stepY: 1, kind: 0, octaves, scale: 1, add: 0 }, null);

const ground = (await fbm()).map((h) => 600 + 200 * h);
const scipy = spawn('/usr/bin/python3', ['bench/peers/filters.py'], { stdio: ['pipe', 'pipe', 'inherit'] });
const answers = createInterface({ input: scipy.stdout })[Symbol.asyncIterator]();
const ask = async (name: string) => {
  scipy.stdin.write(`${name}\n`);
  return Number((await answers.next()).value);
};

await row(
  `gaussian σ 8, ${N}²`,
  () => timed(() => gaussian(kernels, ground, N, N, 8, 8)),
  () => ask('gaussian'),
  { ratio: 0.2 },
);
await row(
  `median 5 × 5, ${N}²`,
  () => timed(() => kernels.run(medianProgram, { across: N, down: N, radiusX: 2, radiusY: 2 }, ground)),
  () => ask('median'),
  { ratio: 0.03 },
);
scipy.stdin.end();
await row(
  `fBm 8 octaves, ${N}²`,
  () => timed(fbm),
  () => Number(execFileSync('.cache/peer-fbm', { encoding: 'utf8', stdio: ['ignore', 'pipe', 'ignore'] })),
  {
    ratio: 1.2,
  },
);

const families = (...names: string[]) => names.some((name) => wants(name) || wanted.some((w) => name.includes(w)));
if (families('runoff', 'fluvial', 'fill + D8', 'adaptive mesh', 'mesh to heights', 'M triangles to GLB')) {
  const fractal = async (n: number) => {
    const values = await kernels.run(
      noiseProgram,
      { across: n, down: n, firstX: 0, stepX: 2048 / n, firstY: 0, stepY: 2048 / n, kind: 0, octaves, scale: 1, add: 0 },
      null,
    );
    return values.map((h) => 600 + 200 * h);
  };
  if (families('runoff', 'fluvial', 'fill + D8')) await waterRows(kernels, fractal, row);
  if (families('adaptive mesh', 'mesh to heights', 'M triangles to GLB')) await meshRows(kernels, fractal, row);
}

// A setting of the last steps moved, on the preview's ground: what comes before is in the cache.
const land = makeGround({ width: 8192, depth: 8192, across: 1025, down: 1025, registration: 'point', sea: 0 });
const cache = new StageCache();
let height = 300;
const course = () =>
  makeCourse(
    'bench',
    land,
    [
      stepUse('noise', { feature: 3200, height: 500 }, { id: 'base' }),
      stepUse('noise', { kind: 'ridged', feature: 2400, height, octaves: 9 }, { id: 'crags', join: 'higher' }),
      stepUse('terrace', { spacing: 30 }, { id: 't', where: { masks: [maskUse('slope', {})], combine: 'multiply' } }),
      stepUse('blur', { size: 30 }, { id: 'b' }),
    ],
    [],
  );
await row(
  'setting moved → preview at 512²',
  () => {
    height += 1;
    return timed(() => evaluate(course(), { kernels, ground: previewGround(land), cache }));
  },
  null,
  { ms: 33 },
  31,
);

// Twenty steps that do not weather, at 2048²: from cold, and after a change of the last.
const wide = makeGround({ width: 8192, depth: 8192, across: N, down: N, registration: 'area' });
const twenty = (by: number) =>
  makeCourse(
    'twenty',
    wide,
    [
      stepUse('noise', { feature: 3200, height: 500 }, { id: 's1' }),
      stepUse('join', { tributary: 'side' }, { id: 's2', join: 'smooth-higher' }),
      stepUse('warp', { amount: 150 }, { id: 's3' }),
      stepUse('terrace', { spacing: 30 }, { id: 's4', where: { masks: [maskUse('slope', {})], combine: 'multiply' } }),
      stepUse('blur', { size: 30 }, { id: 's5', strength: 0.6 }),
      stepUse('median', { size: 20 }, { id: 's6' }),
      stepUse('edge-smooth', { size: 20 }, { id: 's7' }),
      stepUse('bands', { to64: 1.4, to256: 0.8 }, { id: 's8' }),
      stepUse('roughen', {}, { id: 's9' }),
      stepUse(
        'curve',
        {
          points: [
            { from: -400, to: -300 },
            { from: 0, to: 20 },
            { from: 400, to: 500 },
          ],
        },
        { id: 's10' },
      ),
      stepUse('levels', { inLow: -600, inHigh: 900, gamma: 1.2, outLow: 0, outHigh: 1200 }, { id: 's11' }),
      stepUse('exposure', { stops: 0.2, pivot: 300 }, { id: 's12' }),
      stepUse('clamp', { low: 20, high: 1300 }, { id: 's13' }),
      stepUse('falloff', { width: 1500 }, { id: 's14' }),
      stepUse('place', { turn: 12 }, { id: 's15' }),
      stepUse('shift', { by }, { id: 's16' }),
    ],
    [
      makeTributary(
        'Side',
        [
          stepUse('noise', { kind: 'ridged', feature: 2400, height: 700 }, { id: 't1' }),
          stepUse('landform', { form: 'crater', height: 200 }, { id: 't2' }),
          stepUse('equalise', { amount: 0.3 }, { id: 't3' }),
          stepUse('invert', {}, { id: 't4', strength: 0 }),
        ],
        'side',
      ),
    ],
  );
const plain = (step: string, params = {}) => {
  const at = makeGround({ width: 8192, depth: 8192, across: 2049, down: 2049, registration: 'point', sea: -900 });
  const noise = stepUse('noise', { feature: 3400, height: 500, level: 400, octaves: 9, gain: 0.48, seed: 5 }, { join: 'replace' });
  return async () => {
    const { stages } = await evaluate(makeCourse('w', at, [noise, stepUse(step, params)]), { kernels });
    return stages[1].took;
  };
};
// Beside one pass of ours over the same ground: hollows filled, what drains through every sample added up.
const drained = async () => {
  const at = makeGround({ width: 8192, depth: 8192, across: 2049, down: 2049, registration: 'point', sea: -900 });
  const noise = stepUse('noise', { feature: 3400, height: 500, level: 400, octaves: 9, gain: 0.48, seed: 5 }, { join: 'replace' });
  const { height } = await evaluate(makeCourse('w', at, [noise]), { kernels });
  return () => timed(() => drainageOf(kernels, { ground: at, height }, {}));
};
if (wants('rivers as they come')) await row('rivers as they come, 2049²', plain('fluvial'), await drained(), { ratio: 4 }, 5);
await row('rain as it comes, 2049²', plain('runoff'), null, { ms: 25_000 }, 3);

let by = 0;
const warm = new StageCache();
await row(`twenty steps without weather, ${N}², cold`, () => timed(() => evaluate(twenty(1), { kernels })), null, { ms: 3000 }, 3);
await row(
  `twenty steps without weather, ${N}², last changed`,
  () => {
    by += 1;
    return timed(() => evaluate(twenty(by), { kernels, cache: warm }));
  },
  null,
  { ms: 46 },
);
if (wants('talus')) rows.push(await talusRow());
if (wants('dab')) rows.push(...(await brushRows()));
kernels.close();
rows.push(...(await wholeRows(fresh(), wants)), ...(await pageRows(wants)));
print(printed(rows));
const other = process.argv.indexOf('--against');
if (other > 0) {
  console.log();
  print(against(rows, readFileSync(process.argv[other + 1], 'utf8')));
}
const pool = fresh();
const grown = await growth(pool, wants);
pool.close();
if (grown.length > 1) {
  console.log();
  print(grown);
}
// What was measured takes the place of what was; of a run with words the rest stays.
const machine = `${cpus()[0].model}, ${cpus().length} cores, ${Math.round(totalmem() / 2 ** 30)} GiB, Node ${process.versions.node}`;
const words = `# What \`npm run bench\` measured\n\nOn ${machine}. Medians; each pair in turn, in one run.\n\n`;
const then = wanted.length && existsSync(RESULTS) ? readFileSync(RESULTS, 'utf8') : '';
const day = `${new Date().toISOString().slice(0, 16).replace('T', ' ')}`;
writeFileSync(RESULTS, `${words}${asMarkdown(kept(then, printed(rows), day))}\n\n## Growth of whole commands\n\n${asMarkdown(kept(then, grown, day))}\n`);
process.exit(0);
