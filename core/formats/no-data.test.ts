import { describe, expect, it } from 'vitest';
import { noDataAmong, withSilentNoData } from './no-data';
import type { Reading } from './format';

const reading = (samples: Float32Array | Float64Array): Reading => ({
  format: 'tiff',
  width: samples.length,
  height: 1,
  channels: 1,
  type: samples instanceof Float32Array ? 'f32' : 'f64',
  samples,
  unit: 'm',
  scale: 1,
  offset: 0,
  spacing: null,
  registration: null,
  noData: null,
  odd: [],
});

describe('the number for no height', () => {
  it('is the sample’s own within the digits that a header prints, whatever else there is', () => {
    const samples = Float32Array.of(NaN, 12, -9999.9, 3);
    expect(noDataAmong(samples, 'f32', -9999.9)).toBe(Math.fround(-9999.9));
    expect(noDataAmong(Float64Array.of(NaN, 5, -9999.900390625), 'f64', -9999.9)).toBe(-9999.900390625);
    expect(noDataAmong(samples, 'f32', -32_768)).toBe(-32_768);
    expect(noDataAmong(samples, 'f32', NaN)).toBeNull();
  });

  it.each([Float32Array, Float64Array])('is known where no header says so, in any block of the samples', (Kind) => {
    const samples = new Kind(200_000).fill(40);
    samples[150_001] = samples[199_999] = -3.4028234663852886e38;
    const found = withSilentNoData(reading(samples));
    expect(found.noData).toBe(-3.4028234663852886e38);
    expect(found.odd[0]).toMatch(/^2 samples hold/);
    samples[3] = 2e38;
    expect(withSilentNoData(reading(samples)).noData).toBeNull();
    expect(withSilentNoData(reading(new Kind(10).fill(Infinity))).noData).toBeNull();
  });
});
