// Before a commit, in about a minute: types, lint and layers, and the unit tests of what changed since the last one.
import { spawnSync } from 'node:child_process';
import { buildKernels } from './kernels.mjs';

await buildKernels();
const steps = [
  ['types', 'tsc', ['-p', 'tsconfig.json', '--noEmit']],
  ['lint', 'eslint', ['.', '--max-warnings', '0', '--cache', '--cache-location', '.cache/eslint']],
  ['layers', 'depcruise', ['core', 'app', 'cli']],
  ['unit tests of what changed', 'vitest', ['run', '--project', 'unit', '--changed', '--passWithNoTests', '--exclude', '**/fuzz.test.ts']],
];
for (const [name, command, args] of steps) {
  const began = Date.now();
  const { status, stdout, stderr } = spawnSync('npx', [command, ...args], { encoding: 'utf8' });
  console.log(`${status === 0 ? 'ok  ' : 'FAIL'} ${name}, ${((Date.now() - began) / 1000).toFixed(1)} s`);
  if (status === 0) continue;
  console.log(`${stdout}${stderr}`.split('\n').slice(-60).join('\n'));
  process.exit(1);
}
