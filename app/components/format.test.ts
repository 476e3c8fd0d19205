import { describe, expect, it } from 'vitest';
import { ago, bytes, figure, metres, smallMetres, volume } from './format';

describe('figures', () => {
  it('group thousands with thin spaces and use a true minus', () => {
    expect(figure(8192, 0)).toBe('8\u2009192');
    expect(figure(-1234567.25, 2)).toBe('−1\u2009234\u2009567.25');
  });
  it('show no minus before a rounded zero', () => {
    expect(figure(-0.0004, 1)).toBe('0.0');
  });
  it('carry their unit', () => {
    expect(metres(688.24)).toBe('688.2 m');
    expect(smallMetres(0.01526)).toBe('15.26 mm');
    expect(smallMetres(0.0000024)).toBe('2.40 µm');
    expect(volume(412_000_000)).toBe('0.4120 km³');
    expect(bytes(2 * 2 ** 20)).toBe('2.0 MiB');
  });
  it('say how long ago a thing was', () => {
    expect(ago(0, 5 * 60_000)).toBe('5 min ago');
    expect(ago(0, 3 * 3_600_000)).toBe('3 h ago');
  });
});
