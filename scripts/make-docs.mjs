// Writes docs/steps.md from the steps' own schemas.
import { mkdirSync, writeFileSync } from 'node:fs';
import { resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { build } from 'esbuild';
import { buildKernels } from './kernels.mjs';

await buildKernels();
mkdirSync('.cache', { recursive: true });
await build({
  entryPoints: ['scripts/docs.ts'],
  outfile: '.cache/docs.mjs',
  bundle: true,
  platform: 'node',
  format: 'esm',
  target: 'node20',
  logLevel: 'warning',
});
const { stepsPage } = await import(pathToFileURL(resolve('.cache/docs.mjs')).href);
writeFileSync('docs/steps.md', stepsPage());
console.log('docs/steps.md');
