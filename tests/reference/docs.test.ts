import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { stepsPage } from '../../scripts/docs';

describe('docs/steps.md', () => {
  it('is what the steps say of themselves (npm run docs writes it)', () => {
    expect(readFileSync('docs/steps.md', 'utf8')).toBe(stepsPage());
  });
});
