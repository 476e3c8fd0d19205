import { existsSync } from 'node:fs';
import { pathToFileURL } from 'node:url';
import { resolve } from 'node:path';
import { Worker } from 'node:worker_threads';
import { describe, expect, it } from 'vitest';
import { nodeKernels } from '../../cli/node-kernels';
import { everyStep } from '../../tests/helpers/every-step';
import { groundOf, hills } from '../../tests/helpers/grounds';
import { evaluate } from '../course/evaluate';
import { inlineKernels, pooledKernels, type PoolWorker } from './pool';
import { noiseProgram } from './programs/noise';
import { talusProgram } from './programs/talus';
import { octavesOf } from '../field/octaves';

const script = pathToFileURL(resolve('cli/dist/pool-worker.mjs'));
const built = existsSync(script);
const noiseArgs = {
  across: 301,
  down: 203,
  firstX: 0,
  stepX: 7,
  firstY: 0,
  stepY: 7,
  kind: 1 as const,
  scale: 50,
  add: 3,
  octaves: octavesOf({ feature: 500, octaves: 6, gain: 0.5, lacunarity: 2.1, seed: 5 }, 7),
};
const talusArgs = { across: 257, down: 129, point: true, spacingX: 5, spacingY: 5, tanRepose: 0.6, sweeps: 40 };
const steep = hills(groundOf(257, 129, 5), 3, 700).height;

// Compared as buffers: a difference printed sample by sample would take minutes.
const sameBytes = (a: Float32Array, b: Float32Array) => Buffer.compare(Buffer.from(a.buffer), Buffer.from(b.buffer)) === 0;

describe.runIf(built)('the pool', () => {
  it('gives the same bytes with one thread in place and with two, three and five workers', async () => {
    const alone = inlineKernels();
    const noise = await alone.run(noiseProgram, noiseArgs, null);
    const talus = await alone.run(talusProgram, talusArgs, { bed: steep });
    for (const threads of [2, 3, 5]) {
      const pool = nodeKernels(script, threads);
      expect(sameBytes(await pool.run(noiseProgram, noiseArgs, null), noise)).toBe(true);
      expect(sameBytes((await pool.run(talusProgram, talusArgs, { bed: steep })).change, talus.change)).toBe(true);
      pool.close();
    }
  });

  it('gives the same bytes for a course of every step, whatever the number of workers', async () => {
    const course = everyStep();
    const alone = await evaluate(course, { kernels: inlineKernels() });
    expect(alone.stages.filter((s) => s.fault)).toEqual([]);
    for (const threads of [1, 2]) {
      const pool = nodeKernels(script, threads);
      const { stages } = await evaluate(course, { kernels: pool });
      pool.close();
      stages.forEach((stage, i) => expect(sameBytes(stage.height, alone.stages[i].height), stage.use.step).toBe(true));
    }
  });

  it('does jobs that come together one after the other', async () => {
    const pool = nodeKernels(script, 2);
    const [a, b] = await Promise.all([pool.run(noiseProgram, noiseArgs, null), pool.run(noiseProgram, { ...noiseArgs, add: 10 }, null)]);
    expect(b[0] - a[0]).toBeCloseTo(7, 4);
    pool.close();
  });

  it('stops when told to, and works again afterwards', async () => {
    const pool = nodeKernels(script, 2);
    const control = new AbortController();
    const work = pool.run(talusProgram, { ...talusArgs, sweeps: 100_000 }, { bed: steep }, { signal: control.signal });
    setTimeout(() => control.abort(), 100);
    let told = 0;
    control.signal.addEventListener('abort', () => (told = performance.now()));
    await expect(work).rejects.toThrow('Stopped.');
    const took = performance.now() - told;
    console.log(`measured: a kernel stopped ${took.toFixed(0)} ms after it was told (aim 100)`);
    expect(took).toBeLessThan(3000);
    expect(await pool.run(noiseProgram, noiseArgs, null)).toHaveLength(301 * 203);
    pool.close();
  });

  it('tells how far it is', async () => {
    const pool = nodeKernels(script, 2);
    const shares: number[] = [];
    await pool.run(talusProgram, { ...talusArgs, sweeps: 1500 }, { bed: steep }, { progress: (s) => shares.push(s) });
    pool.close();
    expect(shares.length).toBeGreaterThan(0);
    expect(shares.every((s, i) => s >= 0 && s <= 1 && (i === 0 || s >= shares[i - 1]))).toBe(true);
  });
});

describe.runIf(built)('a worker that ends', () => {
  /** Workers of Node; the first `deaths` jobs that reach one end it. */
  const mortal = (deaths: number, begun: Worker[]) =>
    pooledKernels(2, () => {
      const worker = new Worker(script);
      begun.push(worker);
      let meant = false;
      return {
        send: (message) => {
          worker.postMessage(message);
          if (message.kind === 'run' && message.band === 0 && deaths-- > 0) void worker.terminate();
        },
        onMessage: (listener) => worker.on('message', listener),
        onError: (listener) => worker.on('exit', () => meant || listener('it was ended')),
        end: () => {
          meant = true;
          void worker.terminate();
        },
      };
    });

  it('in the middle of a job: it is done once more over new ones, to the same bytes', async () => {
    const begun: Worker[] = [];
    const pool = mortal(1, begun);
    const talus = await inlineKernels().run(talusProgram, talusArgs, { bed: steep });
    expect(sameBytes((await pool.run(talusProgram, talusArgs, { bed: steep })).change, talus.change)).toBe(true);
    expect(begun.length).toBe(4);
    pool.close();
  });

  it('again and again: the job ends with a sentence', async () => {
    const pool = mortal(2, []);
    await expect(pool.run(talusProgram, talusArgs, { bed: steep })).rejects.toThrow(/A worker of the computation ended: it was ended/);
    pool.close();
  });

  it('between jobs: the next one gets new workers', async () => {
    const begun: Worker[] = [];
    const pool = mortal(0, begun);
    const noise = await pool.run(noiseProgram, noiseArgs, null);
    await begun[0].terminate();
    expect(sameBytes(await pool.run(noiseProgram, noiseArgs, null), noise)).toBe(true);
    expect(begun.length).toBe(4);
    pool.close();
  });
});

describe('a pool whose worker dies', () => {
  it('says so instead of hanging', async () => {
    const dying = (): PoolWorker => {
      let fail: (reason: string) => void = () => undefined;
      return {
        send: (m) => m.kind === 'run' && setTimeout(() => fail('out of memory')),
        onMessage: () => undefined,
        onError: (listener) => (fail = listener),
        end: () => undefined,
      };
    };
    await expect(pooledKernels(2, dying).run(noiseProgram, noiseArgs, null)).rejects.toThrow(/ended: out of memory/);
  });
});

describe('kernels in place', () => {
  it('give way while they work, and stop', async () => {
    const control = new AbortController();
    const work = inlineKernels().run(talusProgram, { ...talusArgs, sweeps: 100_000 }, { bed: steep }, { signal: control.signal });
    setTimeout(() => control.abort(), 60);
    await expect(work).rejects.toThrow('Stopped.');
  });

  it('refuse what cannot fit into memory with the figure', async () => {
    await expect(inlineKernels().run(noiseProgram, { ...noiseArgs, across: 40_000, down: 40_000 }, null)).rejects.toThrow(/GiB at these samples/);
  });
});
