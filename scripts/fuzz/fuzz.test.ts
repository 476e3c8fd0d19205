import { execFileSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';

describe('changed files and bombs', () => {
  it('are read or refused by every reader with a sentence, within 2 s and 256 MiB: a small run of `npm run fuzz`', () => {
    const out = execFileSync(process.execPath, ['scripts/fuzz.mjs', '--files', '1500', '--seed', '7'], { encoding: 'utf8' });
    expect(out).toMatch(/1500 files, seed 7: 0 failures/);
  }, 180_000);
});
