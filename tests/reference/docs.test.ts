import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { format, resolveConfig } from 'prettier';
import { errorsPage, stepsPage } from '../../scripts/docs';

describe('docs/steps.md', () => {
  it('is what the steps say of themselves (npm run docs writes it)', () => {
    expect(readFileSync('docs/steps.md', 'utf8')).toBe(stepsPage());
  });
});

describe('docs/errors.md', () => {
  it('is the list of codes (npm run docs writes it)', async () => {
    const text = await format(errorsPage(), { ...(await resolveConfig('docs/errors.md')), parser: 'markdown' });
    expect(readFileSync('docs/errors.md', 'utf8')).toBe(text);
  });
});
