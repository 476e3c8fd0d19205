// The core stands alone: it compiles without the types of the DOM's windows, of Node and of
// React, and imports nothing but its own files and the packages it lists.
import { execFileSync } from 'node:child_process';
import { readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';

const allowed = new Set(Object.keys(JSON.parse(readFileSync('core/package.json', 'utf8')).dependencies));
const faults = [];
for (const file of readdirSync('core', { recursive: true })) {
  if (!/\.ts$/.test(file) || /\.test\.ts$|assembly|generated|node_modules/.test(file)) continue;
  const text = readFileSync(join('core', file), 'utf8');
  for (const [, from, bare] of text.matchAll(/^(?:import|export)\b[^;(=]*?\bfrom\s*'([^']+)'|\bimport\s*\(?\s*'([^']+)'/gm)) {
    const name = from ?? bare;
    if (!name.startsWith('.') && !allowed.has(name)) faults.push(`core/${file} imports ${name}`);
    if (name.startsWith('.') && join('core', file, '..', name).split('/')[0] !== 'core') faults.push(`core/${file} imports ${name}, outside of the core`);
  }
}
try {
  execFileSync('npx', ['tsc', '-p', 'core/tsconfig.json', '--noEmit'], { encoding: 'utf8', stdio: 'pipe' });
} catch (error) {
  faults.push(error.stdout.trim());
}
if (faults.length) {
  console.error(`The core does not stand alone:\n${faults.join('\n')}`);
  process.exit(1);
}
console.log('The core stands alone.');
