// Writes the pages of the documentation that are made from the code.
import { mkdirSync, writeFileSync } from 'node:fs';
import { resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { build } from 'esbuild';
import { format, resolveConfig } from 'prettier';
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
const { errorsPage, stepsPage } = await import(pathToFileURL(resolve('.cache/docs.mjs')).href);
const pages = { 'docs/steps.md': stepsPage(), 'docs/errors.md': errorsPage() };
for (const [file, text] of Object.entries(pages)) {
  // Formatted as everything else is, so that tables line up.
  writeFileSync(file, file.endsWith('steps.md') ? text : await format(text, { ...(await resolveConfig(file)), parser: 'markdown' }));
  console.log(file);
}
