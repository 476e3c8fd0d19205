import { describe, expect, it } from 'vitest';
import { runMend, clean } from '../../../tests/helpers/mend-steps';

const spanOf = (h: Float32Array) => h.reduce((a, b) => Math.max(a, b), -Infinity) - h.reduce((a, b) => Math.min(a, b), Infinity);

const worst = (a: ArrayLike<number>, b: ArrayLike<number>) => {
  let most = 0;
  for (let i = 0; i < a.length; i++) most = Math.max(most, Math.abs(a[i] - b[i]));
  return most;
};

describe('trim edge, despike and de-block leave clean ground alone', () => {
  it.each(clean)('%s', async (_, field) => {
    for (const step of ['trim-edge', 'despike', 'deblock']) {
      const { height } = await runMend(step, field);
      expect(worst(height, field.height) / spanOf(field.height), step).toBeLessThan(1e-4);
    }
  });
});
