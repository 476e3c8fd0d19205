#!/usr/bin/env node
import { existsSync } from 'node:fs';

const built = new URL('../dist/cli.mjs', import.meta.url);
if (!existsSync(built)) {
  console.error('The command is not built yet. Run "npm run build" in the project folder once.');
  process.exit(1);
}
await import(built.href);
