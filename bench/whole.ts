import { execFileSync, spawnSync } from 'node:child_process';
import { existsSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { noiseProgram } from '../core/kernels/programs/noise';
import type { Kernels } from '../core/kernels/pool';
import { encode } from '../core/delivery/heights/encode';
import { makeGround } from '../core/field/ground';
import { inPairs, median, type Row } from './pairs';

const CLI = 'cli/bin/upland-cast.mjs';
const at = (name: string) => `.cache/bench-${name}`;

/** One whole process: milliseconds, and the most memory that it held, bytes. What it said goes with an error. */
function whole(command: string, args: string[]): { ms: number; bytes: number } {
  const { status, stderr } = spawnSync('/usr/bin/time', ['-f', 'took %e %M', command, ...args], { encoding: 'utf8', maxBuffer: 1 << 26 });
  const [, seconds, kilobytes] = /took ([\d.]+) (\d+)/.exec(stderr) ?? [];
  if (status !== 0) throw new Error(stderr.split('\n').slice(0, 3).join(' '));
  return { ms: Number(seconds) * 1000, bytes: Number(kilobytes) * 1024 };
}

const ours = (...args: string[]) => whole(process.execPath, [CLI, ...args]);

/** Fractal ground of so many samples a side as a float TIFF, made once. */
async function ground(kernels: Kernels, side: number): Promise<string> {
  const file = at(`ground-${side}.tif`);
  if (existsSync(file)) return file;
  const octaves = Array.from({ length: 10 }, (_, k) => ({
    frequency: 2 ** k / 2600,
    cos: Math.cos(k),
    sin: Math.sin(k),
    offset: 17.25 * (k + 1),
    weight: 0.5 ** k,
    seed: 7919 * (k + 1),
  }));
  const step = 8192 / side;
  const args = { across: side, down: side, firstX: 0, stepX: step, firstY: 0, stepY: step, kind: 0, octaves, scale: 400, add: 900 };
  const height = await kernels.run(noiseProgram, args, null);
  const field = { ground: makeGround({ width: 8192, depth: 8192, across: side, down: side, registration: 'area' }), height };
  writeFileSync(file, (await encode(field, { format: 'tiff', type: 'f32' })).bytes);
  return file;
}

/** The demo's ground at 2 048 samples a side. */
async function demoGround(): Promise<string> {
  const file = at('demo-2048.tif');
  if (existsSync(file)) return file;
  ours('run', 'app/public/demo/dunmorrow.uplandcast', at('demo.tif'));
  ours('convert', at('demo.tif'), file, '--size', '2048x2048');
  return file;
}

/** The demo as a world in a folder of its own. */
function world(side: number, weather: 'samples' | 'base'): { ms: number; bytes: number } {
  const folder = at('world');
  rmSync(folder, { recursive: true, force: true });
  try {
    const samples = ['--samples', String(side), '--base', String(Math.min(side, 1025)), '--tile', '1024'];
    return ours('world', 'app/public/demo/dunmorrow.uplandcast', folder, ...samples, '--weather', weather);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

interface Wanted {
  name: string;
  run(): { ms: number; bytes: number };
  peer?: () => { ms: number; bytes: number };
  aim: { ratio?: number; ms?: number };
  pairs: number;
  /** The most memory that it may hold, bytes. */
  most?: number;
  /** Files whose sizes are laid beside each other. */
  sizes?: [string, string];
}

/** Commands beside general tools, from the call to the end of the process: reading, work, writing and, on our side, the proof. */
export async function wholeRows(kernels: Kernels, wants: (name: string) => boolean): Promise<Row[]> {
  const rows: Row[] = [];
  const named: (() => Promise<Wanted>)[] = [];
  const add = (name: string, make: () => Promise<Omit<Wanted, 'name'>>) => {
    if (wants(name)) named.push(async () => ({ name, ...(await make()) }));
  };
  const slope = async (side: number, pairs: number, most?: number) => {
    const file = await ground(kernels, side);
    return {
      run: () => ours('derive', file, at('slope.tif'), '--map', 'slope'),
      peer: () => whole('gdaldem', ['slope', '-q', file, at('slope-peer.tif')]),
      aim: { ratio: 1 },
      pairs,
      most,
    };
  };
  const png = async (file: string, low: number, high: number, pairs: number) => ({
    run: () => ours('convert', file, at('ours.png'), '--depth', '16', '--out-range', `${low}:${high}`),
    peer: () => whole('gdal_translate', ['-q', '-ot', 'UInt16', '-scale', String(low), String(high), '0', '65535', '-of', 'PNG', file, at('peer.png')]),
    aim: { ratio: 0.8 },
    pairs,
    sizes: [at('ours.png'), at('peer.png')] as [string, string],
  });
  add('whole: slope (Horn), 4096² float TIFF', () => slope(4096, 11));
  add('whole: hillshade, 4096² float TIFF', async () => {
    const file = await ground(kernels, 4096);
    return {
      run: () => ours('derive', file, at('shade.tif'), '--map', 'hillshade'),
      peer: () => whole('gdaldem', ['hillshade', '-q', file, at('shade-peer.tif')]),
      aim: { ratio: 1 },
      pairs: 11,
    };
  });
  add('whole: 16-bit PNG, 2048² demo ground', async () => png(await demoGround(), 249, 845, 11));
  add('whole: 16-bit PNG, 8193²', async () => png(await ground(kernels, 8193), 0, 1800, 5));
  add('whole: cubic 2049² → 8193², float TIFF', async () => {
    const file = await ground(kernels, 2049);
    return {
      run: () => ours('convert', file, at('cubic.tif'), '--size', '8193x8193', '--filter', 'cubic'),
      peer: () => whole('gdalwarp', ['-q', '-overwrite', '-r', 'cubic', '-ts', '8193', '8193', file, at('cubic-peer.tif')]),
      aim: { ratio: 1 },
      pairs: 5,
    };
  });
  add('whole: inspect, 4096² float TIFF, findings and all', async () => {
    const file = await ground(kernels, 4096);
    return { run: () => ours('inspect', file), aim: { ms: 1500 }, pairs: 5 };
  });
  add('whole: 8193² slope', () => slope(8193, 5, 1.2 * 2 ** 30));
  add('ambient shade, 16 directions, 4096²', async () => {
    const file = await ground(kernels, 4096);
    return { run: () => ours('derive', file, at('ambient.tif'), '--map', 'shade', '--set', 'directions=16'), aim: { ms: 4000 }, pairs: 3 };
  });
  add('whole: 8 M triangles to OBJ', async () => {
    const file = await ground(kernels, 2001);
    execFileSync('gcc', ['-O3', '-o', at('peer-obj'), 'bench/peers/obj.c', '-lm']);
    return {
      run: () => ours('mesh', file, at('mesh.obj')),
      peer: () => whole(at('peer-obj'), ['2001', at('peer.obj')]),
      aim: { ratio: 1 },
      pairs: 5,
      most: 2 ** 30,
    };
  });
  add('bundle of 4096² (heights, normal, colour, slope, water, two masks)', async () => {
    writeFileSync(at('bundle.json'), JSON.stringify(bundleCourse()));
    return { run: () => ours('order', at('bundle.json'), at('bundle')), aim: { ms: 15_000 }, pairs: 3, most: 1.5 * 2 ** 30 };
  });
  add('world of the demo, weather by the base: a million samples at 8 193² beside one at 4 097²', async () => {
    // The peer is the same at a quarter of the samples: a rate of 0.8 or better is a ratio of 1.25 or less.
    const million = (side: number) => {
      const { ms, bytes } = world(side, 'base');
      return { ms: ms / ((side * side) / 1e6), bytes };
    };
    return { run: () => million(8193), peer: () => million(4097), aim: { ratio: 1.25 }, pairs: 1, most: 3 * 2 ** 30 };
  });
  for (const make of named) {
    const { name, run, peer, aim, pairs, most, sizes } = await make();
    try {
      let bytes = 0;
      const measured = () => {
        const took = run();
        bytes = Math.max(bytes, took.bytes);
        return took.ms;
      };
      const row = await inPairs(name, measured, peer ? () => peer().ms : null, aim, pairs);
      const beside = sizes ? `size ${(statSync(sizes[0]).size / statSync(sizes[1]).size).toFixed(3)} (≤ 1.02)` : '';
      rows.push({
        ...row,
        bytes,
        note: [beside, most ? `≤ ${(most / 2 ** 30).toFixed(1)} GiB` : ''].filter(Boolean).join(', '),
        met: row.met && (!most || bytes <= most),
      });
    } catch (error) {
      rows.push({ work: name, ours: NaN, theirs: null, ratio: null, aim: '', met: false, note: `not to be had: ${String(error).slice(0, 200)}` });
    }
  }
  return rows;
}

/** Ground without weather, with a recipe that has a map of every kind that a studio asks for. */
function bundleCourse(): unknown {
  const side = 4096;
  const masked = (kind: string) => ({ masks: [{ id: kind, kind, on: true, params: {}, invert: false, gain: 1, equalise: false }], combine: 'multiply' });
  const use = (id: string, step: string, params: object, where: object = { masks: [], combine: 'multiply' }) => ({ id, step, params, where });
  const receivers = JSON.parse(readFileSync('bench/bundle-receiver.json', 'utf8')) as unknown;
  return {
    format: 'upland-cast course',
    version: 4,
    name: 'Bundle',
    ground: { width: 8192, depth: 8192, across: side, down: side, registration: 'area', datum: 0, sea: 300 },
    stem: [
      use('n', 'noise', { feature: 2600, height: 400, level: 500 }),
      use('a', 'shift', { by: 4 }, masked('slope')),
      use('b', 'shift', { by: 2 }, masked('height')),
    ],
    orders: [
      {
        id: 'bundle',
        name: 'Bundle',
        receiver: receivers,
        grounds: [{ kind: 'end' }],
        frame: null,
        samples: side,
        fit: 'anew',
        height: { on: true, format: 'png', type: 'u16', range: null, scale: null, order: 'le', rows: 'north' },
        tiles: null,
        maps: [{ kind: 'normal' }, { kind: 'colour' }, { kind: 'slope' }, { kind: 'water mask' }, { kind: 'mask', use: 'a' }, { kind: 'mask', use: 'b' }],
        docket: true,
      },
    ],
  };
}

/** How whole commands grow with the samples: reading, proof, slope, PNG, rivers, mesh; seconds and the most memory. */
export async function growth(kernels: Kernels, wants: (name: string) => boolean): Promise<string[][]> {
  const sides = [1025, 2049, 4097, 8193];
  const lines: string[][] = [['growth', ...sides.map((side) => `${side}²`), 'growth 2049² → 8193²']];
  const work: [string, (file: string) => string[]][] = [
    ['reading (inspect)', (file) => ['inspect', file]],
    ['proof (float TIFF written and read back)', (file) => ['convert', file, at('grow.tif'), '--shift', '1']],
    ['slope', (file) => ['derive', file, at('grow.tif'), '--map', 'slope']],
    ['16-bit PNG', (file) => ['convert', file, at('grow.png'), '--depth', '16', '--out-range', '0:1800']],
    ['rivers', (file) => ['apply', file, at('grow.tif'), '--step', 'fluvial']],
    ['mesh (regular grid, GLB)', (file) => ['mesh', file, at('grow.glb'), '--segments', '1024x1024']],
  ];
  for (const [name, args] of work) {
    if (!wants(`growth: ${name}`)) continue;
    const took: { ms: number; bytes: number }[] = [];
    const cells: string[] = [];
    for (const side of sides) {
      const file = await ground(kernels, side);
      // Rivers at 8193² take many minutes; it is said instead.
      if (name === 'rivers' && side > 4097) {
        cells.push('not run');
        continue;
      }
      try {
        const found = ours(...args(file));
        took.push(found);
        cells.push(`${(found.ms / 1000).toFixed(2)} s, ${(found.bytes / 2 ** 30).toFixed(2)} GiB`);
      } catch (error) {
        cells.push(String(error).slice(0, 60));
      }
    }
    lines.push([name, ...cells, took.length === sides.length ? `${(took[3].ms / median([took[1].ms])).toFixed(1)} ×` : '–']);
  }
  for (const weather of ['base', 'samples'] as const) {
    const name = `world of the demo, weather ${weather === 'base' ? 'by the base' : 'to its samples'}`;
    if (!wants(`growth: ${name}`)) continue;
    // To its own samples 8193² takes ten minutes; it is said instead.
    const took = sides.map((side) => (weather === 'samples' && side > 4097 ? null : world(side, weather)));
    const cells = took.map((found) => (found ? `${(found.ms / 1000).toFixed(2)} s, ${(found.bytes / 2 ** 30).toFixed(2)} GiB` : 'not run'));
    const grown = took[3] ? `${(took[3].ms / took[1]!.ms).toFixed(1)} ×` : '–';
    lines.push([name, ...cells, grown]);
  }
  return lines;
}
