// Times the work beside its peers, in turn, in one run; prints medians and their ratio.
import { execFileSync } from 'node:child_process';
import { mkdirSync } from 'node:fs';
import { pathToFileURL } from 'node:url';
import { resolve } from 'node:path';
import { build } from 'esbuild';

process.chdir(new URL('..', import.meta.url).pathname);
mkdirSync('.cache', { recursive: true });
execFileSync(process.execPath, ['scripts/build.mjs', 'cli'], { stdio: 'inherit' });
execFileSync('gcc', ['-O3', '-march=native', '-fno-trapping-math', '-o', '.cache/peer-talus', 'bench/peers/talus.c', '-lm']);
await build({
  entryPoints: ['bench/talus.ts'],
  outfile: '.cache/bench-talus.mjs',
  bundle: true,
  platform: 'node',
  format: 'esm',
  target: 'node20',
  logLevel: 'warning',
});
await import(pathToFileURL(resolve('.cache/bench-talus.mjs')).href);
