// Bundles and runs scripts/sallow-pit.ts.
import { build } from 'esbuild';
import { resolve } from 'node:path';
import { pathToFileURL } from 'node:url';

await build({
  entryPoints: ['scripts/sallow-pit.ts'],
  outfile: '.cache/sallow-pit.mjs',
  bundle: true,
  platform: 'node',
  format: 'esm',
  target: 'node20',
  logLevel: 'warning',
});
await import(pathToFileURL(resolve('.cache/sallow-pit.mjs')).href);
