import { execFileSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import type { Kernels } from '../core/kernels/pool';
import { drainageProgram } from '../core/kernels/programs/drainage';
import { fluvialProgram } from '../core/kernels/programs/fluvial';
import { runoffProgram } from '../core/kernels/programs/runoff';
import { timed } from './pairs';

const peer = (program: string, ...args: string[]) =>
  Number(execFileSync(`.cache/peer-${program}`, args, { encoding: 'utf8', stdio: ['ignore', 'pipe', 'ignore'] }));

type AddRow = (work: string, ours: () => Promise<number>, theirs: () => number, aim: { ratio: number }, pairs?: number) => Promise<void>;

/** Rain, rivers and drainage beside the same in C and C++ on one thread. */
export async function waterRows(kernels: Kernels, ground: (n: number) => Promise<Float32Array>, row: AddRow): Promise<void> {
  const n = 1024;
  const waves = new Float32Array(n * n);
  for (let y = 0; y < n; y++) for (let x = 0; x < n; x++) waves[y * n + x] = 300 * Math.sin(x * 0.05) * Math.cos(y * 0.04) + 12 * Math.sin(x * 1.7 + y * 2.3);
  const rain = {
    across: n,
    down: n,
    point: false,
    spacingX: 4,
    spacingY: 4,
    steps: 100,
    coarsest: 4,
    rain: 4,
    evaporation: 0.01,
    carry: 0.3,
    wear: 0.04,
    settle: 0.04,
    bank: Infinity,
    open: false,
    alone: true,
    keepAfloat: true,
  };
  await row(
    `runoff, 100 iterations, ${n}²`,
    () => timed(() => kernels.run(runoffProgram, rain, { bed: waves })),
    () => peer('runoff', '100'),
    { ratio: 0.7 },
  );

  const small = await ground(n);
  writeFileSync('.cache/ground-1024.f32', small);
  const rivers = {
    across: n,
    down: n,
    point: false,
    spacingX: 8,
    spacingY: 8,
    reach: 5,
    exponent: 0.45,
    head: 3600,
    creep: 0,
    uplift: 0,
    deposit: 0,
    breach: 0,
    silt: -1,
    open: true,
    sea: -Infinity,
    seed: 1,
    steps: 1,
    alone: 50,
  };
  await row(
    `fluvial, 50 steps, ${n}²`,
    () => timed(() => kernels.run(fluvialProgram, rivers, { bed: small, bank: 1.28 })),
    () => peer('drainage', '.cache/ground-1024.f32', String(n), '50'),
    { ratio: 0.6 },
    // Half a minute each.
    5,
  );

  const large = await ground(2048);
  writeFileSync('.cache/ground-2048.f32', large);
  const drainage = { across: 2048, down: 2048, spacingX: 8, spacingY: 8, open: true, sea: -Infinity };
  await row(
    'fill + D8 accumulation, 2048²',
    () => timed(() => kernels.run(drainageProgram, drainage, large)),
    () => peer('drainage', '.cache/ground-2048.f32', '2048'),
    { ratio: 0.5 },
  );
}
