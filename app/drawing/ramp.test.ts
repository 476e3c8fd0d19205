import { describe, expect, it } from 'vitest';
import { rampPixels, roundInterval, TINT } from './ramp';

describe('the tint', () => {
  it('grows lighter evenly from low to high', () => {
    const pixels = rampPixels(TINT);
    const light = (i: number) => 0.2126 * pixels[4 * i] + 0.7152 * pixels[4 * i + 1] + 0.0722 * pixels[4 * i + 2];
    for (let i = 1; i < 256; i++) expect(light(i)).toBeGreaterThanOrEqual(light(i - 1) - 0.01);
    expect([pixels[0], pixels[1], pixels[2]]).toEqual([0x4c, 0x63, 0x50]);
  });

  it('cuts ranges at round numbers', () => {
    expect([roundInterval(529, 30), roundInterval(1000, 10), roundInterval(0.07, 10), roundInterval(0, 5)]).toEqual([20, 100, 0.005, 1].map((v) => v));
  });
});
