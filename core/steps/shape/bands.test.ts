import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../../tests/helpers/grounds';
import { fieldFrom } from '../../field/field';
import { shapedHeights } from '../../../tests/helpers/shape-steps';

describe('size bands', () => {
  it('with gains of 1 give the ground back to the bit', async () => {
    const field = hills(groundOf(97, 65));
    expect(await shapedHeights('bands', {}, field)).toEqual(field.height);
  });

  it('change detail of their own size and hardly any other', async () => {
    const wave = (metres: number) => fieldFrom(groundOf(257, 257, 4), (east) => 10 * Math.sin((east / metres) * 2 * Math.PI));
    const swing = (h: Float32Array) => {
      const middle = h.subarray(128 * 257 + 64, 128 * 257 + 192);
      return (Math.max(...middle) - Math.min(...middle)) / 20;
    };
    const without = { to32: 0, to64: 0 };
    expect(swing(await shapedHeights('bands', without, wave(32)))).toBeLessThan(0.5);
    expect(swing(await shapedHeights('bands', without, wave(400)))).toBeGreaterThan(0.9);
    const doubled = { to256: 2, to512: 2 };
    expect(swing(await shapedHeights('bands', doubled, wave(256)))).toBeGreaterThan(1.4);
    expect(swing(await shapedHeights('bands', doubled, wave(16)))).toBeCloseTo(1, 1);
  });

  it('are counted in metres: more samples change nothing they do to large forms', async () => {
    const form = (n: number, spacing: number) => fieldFrom(groundOf(n, n, spacing), (e, s) => 40 * Math.sin(e / 70) * Math.cos(s / 50));
    const coarse = await shapedHeights('bands', { to512: 2 }, form(129, 16));
    const fine = await shapedHeights('bands', { to512: 2 }, form(513, 4));
    let worst = 0;
    for (let r = 16; r < 113; r++) for (let c = 16; c < 113; c++) worst = Math.max(worst, Math.abs(coarse[r * 129 + c] - fine[4 * r * 513 + 4 * c]));
    expect(worst).toBeLessThan(0.05 * 80);
  });
});
