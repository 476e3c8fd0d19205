import { describe, expect, it } from 'vitest';
import { typedIn, valueFor } from './typed';

const taking = (unit: string, min = -100, max = 100, percent = false) => ({
  id: 'x',
  group: '',
  title: 'X',
  takes: { unit, min, max, percent, run: () => undefined },
});

describe('a number typed behind a command', () => {
  it.each([
    ['shift 25 m', 'shift', 25, 'm'],
    ['shift −3,5m', 'shift', -3.5, 'm'],
    ['sea -12', 'sea', -12, ''],
    ['blur 0.4 km', 'blur', 0.4, 'km'],
    ['stretch 1 250 m', 'stretch', 1250, 'm'],
    ['sun 30 deg', 'sun', 30, '°'],
    ['gain 45%', 'gain', 45, '%'],
    ['exaggeration 2x', 'exaggeration', 2, '×'],
  ])('%s', (query, words, value, unit) => {
    expect(typedIn(query)).toEqual({ words, typed: { value, unit } });
  });

  it('is none where none is typed, or where a number is part of a name', () => {
    expect(typedIn('blur')).toEqual({ words: 'blur', typed: null });
    expect(typedIn('fit m')).toEqual({ words: 'fit m', typed: null });
    expect(typedIn('3d view')).toEqual({ words: '3d view', typed: null });
    expect(typedIn('')).toEqual({ words: '', typed: null });
  });

  it('comes in the unit of the setting, within its bounds', () => {
    expect(valueFor(taking('m', 0, 1000), { value: 0.4, unit: 'km' })).toBe(400);
    expect(valueFor(taking('m'), { value: 10, unit: 'ft' })).toBeCloseTo(3.048, 9);
    expect(valueFor(taking('m'), { value: 7, unit: '' })).toBe(7);
    expect(valueFor(taking('%', 0, 1, true), { value: 45, unit: '%' })).toBe(0.45);
    expect(valueFor(taking('%', 0, 1, true), { value: 120, unit: '' })).toBe('It takes 0 to 100 %.');
    expect(valueFor(taking('°', 0, 90), { value: 4, unit: 'm' })).toBe('It takes °, not m.');
    expect(valueFor(taking('', 1, 9), { value: 4, unit: 'm' })).toBe('It takes a number without a unit.');
    expect(valueFor(taking('m'), { value: 101, unit: 'm' })).toBe('It takes -100 to 100 m.');
    expect(valueFor({ id: 'y', group: '', title: 'Y' }, { value: 1, unit: '' })).toBe('It takes no number.');
  });
});
