// Times the work beside its peers, in turn, in one run; prints medians and their ratio.
// With words: only the rows whose name holds one of them; they take the place of theirs in bench/results.md.
import { execFileSync } from 'node:child_process';
import { mkdirSync } from 'node:fs';
import { pathToFileURL } from 'node:url';
import { resolve } from 'node:path';
import { build } from 'esbuild';
import { checkNode, installPackages, installTools } from '../scripts/setup.mjs';

process.chdir(new URL('..', import.meta.url).pathname);
checkNode();
installPackages();
installTools();
mkdirSync('.cache', { recursive: true });
execFileSync(process.execPath, ['scripts/build.mjs', 'cli'], { stdio: 'inherit' });
for (const peer of ['talus', 'fbm']) {
  execFileSync('gcc', ['-O3', '-march=native', '-fno-trapping-math', '-o', `.cache/peer-${peer}`, `bench/peers/${peer}.c`, '-lm']);
}
execFileSync('gcc', ['-O3', '-march=native', '-ffast-math', '-o', '.cache/peer-runoff', 'bench/peers/runoff.c', '-lm']);
for (const peer of ['drainage', 'press']) execFileSync('g++', ['-O3', '-march=native', '-o', `.cache/peer-${peer}`, `bench/peers/${peer}.cpp`]);
await build({
  entryPoints: ['bench/table.ts'],
  outfile: '.cache/bench.mjs',
  bundle: true,
  platform: 'node',
  format: 'esm',
  target: 'node20',
  external: ['playwright-core', 'vitest'],
  logLevel: 'warning',
});
await import(pathToFileURL(resolve('.cache/bench.mjs')).href);
