// Bundles and runs scripts/make-demo.ts.
import { build } from 'esbuild';
import { resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { execFileSync } from 'node:child_process';

execFileSync(process.execPath, ['scripts/build.mjs', 'cli'], { stdio: 'inherit' });

await build({
  entryPoints: ['scripts/make-demo.ts'],
  outfile: '.cache/make-demo.mjs',
  bundle: true,
  platform: 'node',
  format: 'esm',
  target: 'node20',
  banner: {
    js: "import { createRequire as __createRequire } from 'node:module'; const require = __createRequire(import.meta.url); const __dirname = import.meta.dirname;",
  },
  logLevel: 'warning',
});
await import(pathToFileURL(resolve('.cache/make-demo.mjs')).href);
