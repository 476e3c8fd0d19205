// Hands changed files to every reader: `npm run fuzz -- --files N [--seed S] [--only INDEX]`.
// Each runs in a process that is watched for time and memory; a file is known by the seed and its number.
import { fork } from 'node:child_process';
import { mkdirSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { parseArgs } from 'node:util';
import { build } from 'esbuild';
import { buildKernels } from './kernels.mjs';

const { values } = parseArgs({ options: { files: { type: 'string', default: '10000' }, seed: { type: 'string', default: '1' }, only: { type: 'string' } } });
const seed = Number(values.seed);
// Below 0 are the bombs: files made to take far more than they hold.
const BOMBS = 60;
const [first, files] = values.only === undefined ? [-BOMBS, Number(values.files)] : [Number(values.only), Number(values.only) + 1];

await buildKernels();
mkdirSync('.cache', { recursive: true });
await build({
  entryPoints: ['scripts/fuzz/worker.ts'],
  outfile: '.cache/fuzz-worker.mjs',
  bundle: true,
  platform: 'node',
  format: 'esm',
  target: 'node20',
  sourcemap: 'inline',
  banner: { js: "import { createRequire as __createRequire } from 'node:module'; const require = __createRequire(import.meta.url);" },
  logLevel: 'warning',
});

/** Longer than this and a file hangs: the process is ended. */
const PATIENCE = 20_000;
const CHUNK = 500;
const faults = [];
let next = first;
let done = 0;
const began = Date.now();

function watch() {
  return new Promise((resolve) => {
    let at = null;
    let upTo = 0;
    let since = Date.now();
    let child = start();
    const timer = setInterval(() => {
      if (at !== null && Date.now() - since > PATIENCE) lost(`hung for ${PATIENCE} ms`);
    }, 500);
    function start() {
      const own = fork('.cache/fuzz-worker.mjs', { execArgv: ['--enable-source-maps', '--max-old-space-size=1024'] });
      own.on('message', (message) => {
        if (message.kind === 'begin') [at, since] = [message, Date.now()];
        else if (message.kind === 'end') at = null;
        else if (message.kind === 'fault') faults.push(message);
        else more();
      });
      own.on('exit', (code, signal) => own === child && at !== null && lost(`ended its process (${signal ?? code})`));
      return own;
    }
    function lost(fault) {
      const { index, name } = at;
      faults.push({ index, name, fault });
      at = null;
      const old = child;
      child = start();
      old.kill('SIGKILL');
      if (index + 1 < upTo) child.send({ seed, from: index + 1, to: upTo });
      else more();
    }
    function more() {
      at = null;
      if (next >= files) {
        clearInterval(timer);
        const old = child;
        child = null;
        old.kill();
        return resolve();
      }
      const from = next;
      next = upTo = Math.min(files, next < 0 ? 0 : next + CHUNK);
      if (from >= 0) done += upTo - from;
      if (from >= 0 && from % (CHUNK * 20) === 0)
        console.log(`${from} of ${files} files, ${faults.length} failures, ${Math.round((Date.now() - began) / 1000)} s`);
      child.send({ seed, from, to: upTo });
    }
    more();
  });
}

await Promise.all(Array.from({ length: Math.min(8, availableParallelism()) }, watch));
for (const { index, name, fault } of faults.slice(0, 50)) console.log(`\nFile ${index} (${name}): ${fault}`);
console.log(`\n${done} files, seed ${seed}: ${faults.length} failures, ${Math.round((Date.now() - began) / 1000)} s.`);
process.exit(faults.length ? 1 : 0);
