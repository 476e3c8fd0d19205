import { InvalidArgumentError } from 'commander';
import { describe, expect, it } from 'vitest';
import { fieldFrom, makeGround, stepById, UplandError, type Encoding } from '@upland-cast/core';
import { groundOf } from '../tests/helpers/grounds';
import {
  collect,
  encodingFor,
  encodingForWorked,
  inWords,
  oneOf,
  parseBand,
  parseFilter,
  parseMap,
  parseNumber,
  parsePair,
  parseRange,
  parseSize,
  parseWhole,
  settingOptions,
} from './options';

const slope = fieldFrom(groundOf(5, 4, 10), (east) => 100 + east);

describe('what is typed behind an option', () => {
  it('is read as numbers of every usual form', () => {
    expect(['350:1004', '-12.5:.5', '1e3:+2E3'].map(parseRange)).toEqual([
      { low: 350, high: 1004 },
      { low: -12.5, high: 0.5 },
      { low: 1000, high: 2000 },
    ]);
    expect(parseMap('0=350,65535=1004.5')).toEqual({ code0: 0, height0: 350, code1: 65_535, height1: 1004.5 });
    expect(parsePair('0.5x-2')).toEqual({ x: 0.5, y: -2 });
    expect(parseSize('1025x513')).toEqual({ across: 1025, down: 513 });
    expect([parseNumber('-1.5e-2'), parseWhole('12'), parseWhole('0')]).toEqual([-0.015, 12, 0]);
    expect(['luminance', 'packed', '3'].map(parseBand)).toEqual(['luminance', 'packed', 3]);
    expect(collect('b', ['a'])).toEqual(['a', 'b']);
  });

  it.each([
    [parseRange, ['350', '350:', ':', '350-1004', '350:1004:2', 'low:high', '1 : 2', 'NaN:1', 'Infinity:1']],
    [parseMap, ['0=350', '0=350,65535', '0:350,1:2', '']],
    [parsePair, ['12', '12x', 'x12', '12x13x14', '12 x 13']],
    [parseSize, ['0x5', '5x-1', '2.5x5', '5x']],
    [parseNumber, ['', 'ten', '1,5', '0x10', '1e', '--1', 'Infinity']],
    [parseWhole, ['-1', '1.5', 'x']],
    [parseBand, ['0', '-1', '1.5', 'grey']],
    [parseFilter, ['', 'Cubic', 'nearest-ish']],
  ] as [(text: string) => unknown, string[]][])('is refused with what it should be: %o', (read, wrong) => {
    for (const text of wrong) {
      expect(() => read(text), text).toThrow(InvalidArgumentError);
      expect(() => read(text), text).toThrow(/\w{3,}.*\.$/);
    }
  });

  it('is one of some words, which come with it for completion', () => {
    const read = oneOf('walk', 'run');
    expect(read('run')).toBe('run');
    expect(read.choices).toEqual(['walk', 'run']);
    expect(() => read('fly')).toThrow('walk, run');
  });
});

describe('settings as options', () => {
  const [cliff, sweeps, edges] = settingOptions(stepById('talus').params, ['cliff', 'sweeps', 'edges']);
  const [toSea] = settingOptions(stepById('fluvial').params, ['toSea']);

  it('have the names, words and bounds that their schema has', () => {
    expect(cliff.flags).toBe('--cliff <°>');
    expect(cliff.description).toMatch(/^Cliff angle\. .*; 42 without it$/);
    expect(sweeps.flags).toBe('--sweeps <n>');
    expect(edges.flags).toBe('--edges <closed|open>');
    expect(toSea.flags).toBe('--to-sea');
    expect(cliff.parseArg!('25', undefined)).toBe(25);
    expect(() => cliff.parseArg!('4', undefined)).toThrow('5 to 85 °');
    expect(() => sweeps.parseArg!('9.5', undefined)).toThrow('whole number');
    expect(() => sweeps.parseArg!('2001', undefined)).toThrow('8 to 2000.');
    expect(() => edges.parseArg!('half', undefined)).toThrow('closed, open');
  });
});

describe('how heights are written', () => {
  const named = (out: string, options = {}, source?: Parameters<typeof encodingFor>[3]) => encodingFor(out, slope, options, source);

  it('follows the ending, then what is asked for, then what came in', () => {
    expect(named('a.tif')).toMatchObject({ format: 'tiff', type: 'f32' });
    expect(named('a.png')).toMatchObject({ format: 'png', type: 'u16' });
    expect(named('a.tif', { depth: '16' })).toMatchObject({ format: 'tiff', type: 'u16' });
    expect(named('a.tif', {}, { type: 'u16' })).toMatchObject({ type: 'u16' });
    expect(named('a.tif', { depth: '32f' }, { type: 'u16' })).toMatchObject({ type: 'f32' });
    expect(named('a.dat', { outAs: 'raw:s16:be' })).toMatchObject({ format: 'raw', type: 's16', options: { order: 'be' } });
    expect(named('a.dat', { outAs: 'raw:u16:le:5x4:rows=south' })).toMatchObject({ options: { order: 'le', rows: 'south' } });
  });

  it('spreads codes over the heights there are, the range that is asked for, or that of the input where they fit', () => {
    expect(named('a.png').range).toEqual({ low: 100, high: 140 });
    expect(named('a.png', { outRange: { low: 0, high: 500 } }).range).toEqual({ low: 0, high: 500 });
    const from = (low: number, high: number) => named('a.png', {}, { type: 'u16', range: { low, high } }).range;
    expect(from(50, 200)).toEqual({ low: 50, high: 200 });
    expect(from(120, 200)).toEqual({ low: 100, high: 140 });
    // Codes of another size than its own are no reason to keep its range.
    expect(named('a.png', { depth: '8' }, { type: 'u16', range: { low: 50, high: 200 } }).range).toEqual({ low: 100, high: 140 });
    const level = fieldFrom(groundOf(3, 3, 10), () => 7);
    expect(encodingFor('a.png', level, {}).range).toEqual({ low: 7, high: 8 });
    expect(encodingFor('a.png', { ground: slope.ground, measure: () => ({ lowest: -3, highest: 9 }) }, {}).range).toEqual({ low: -3, high: 9 });
    expect(named('a.tif').range).toBeUndefined();
  });

  it('carries heights on a datum in decimal text, and what was worked out never in eight bits unless asked', () => {
    const high = fieldFrom({ ...groundOf(3, 3, 10), datum: 4000 } as ReturnType<typeof makeGround>, () => 7);
    expect(encodingFor('a.asc', high, {}).type).toBe('f64');
    expect(encodingFor('a.asc', slope, {}).type).toBe('f32');
    expect(encodingForWorked('a.png', slope, {}).type).toBe('u16');
    expect(encodingForWorked('a.png', slope, { depth: '8' }).type).toBe('u8');
    expect(encodingForWorked('a.tif', slope, {}).type).toBe('f32');
  });

  it('lays a TIFF out as asked, and says so where another format is', () => {
    expect(named('a.tif', { outAs: 'tiff' }).options).toBeUndefined();
    expect(named('a.tif', { outAs: 'tiff:deflate' }).options).toEqual({ cloud: false, compression: 'deflate' });
    expect(named('a.tif', { outAs: 'tiff:cloud' }).options).toEqual({ cloud: true, compression: 'deflate' });
    for (const outAs of ['tiff:zip', 'png:deflate']) expect(() => named('a.tif', { outAs })).toThrow(UplandError);
    expect(() => named('a.asc', { depth: '16' })).toThrow(/not written with u16/);
    expect(() => named('a.nothing')).toThrow(UplandError);
  });

  it('is said in words', () => {
    const said = (type: Encoding['type']) => inWords({ format: 'tiff', type } as Encoding);
    expect([said('u16'), said('f32'), said('f64'), said('u8')]).toEqual(['16-bit codes', '32-bit floats', '64-bit floats', '8-bit codes']);
  });
});
