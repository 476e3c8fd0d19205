#!/usr/bin/env node
import { existsSync } from 'node:fs';

const built = (name) => new URL(`../dist/${name}.mjs`, import.meta.url);
if (!existsSync(built('cli'))) {
  console.error('The command is not built yet. Run "npm run build" in the project folder once.');
  process.exit(1);
}
// A command by itself begins in half the time of all of them.
const [word = ''] = process.argv.slice(2);
const own = built(`command-${word}`);
await import((/^[a-z-]+$/.test(word) && existsSync(own) ? own : built('cli')).href);
