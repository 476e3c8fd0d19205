import { describe, expect, it } from 'vitest';
import { UplandError } from '../errors';
import { parseRawSpec, readRaw } from './raw';

describe('raw bytes', () => {
  it('take a layout in words, and say what is wrong with it', () => {
    expect(parseRawSpec('raw:u16:be:513x257:skip=64:rows=south:channels=3:channel=2')).toEqual({
      type: 'u16',
      order: 'be',
      width: 513,
      height: 257,
      skip: 64,
      rows: 'south',
      channels: 3,
      channel: 1,
    });
    for (const bad of ['raw', 'raw:u12:le:4x4', 'raw:u16:xe:4x4', 'raw:u16:le:4', 'raw:u16:le:4x4:deep=2', 'raw:u16:le:4x4:channels=2:channel=3'])
      expect(() => parseRawSpec(bad)).toThrow(UplandError);
  });

  it('say what would fit when the count is wrong', () => {
    const bytes = new Uint8Array(512 * 512);
    expect(() => readRaw(bytes, parseRawSpec('raw:u16:le:512x512'))).toThrow(
      'This file has 262 144 bytes; 512 × 512 samples of 16 bits need 524 288. It fits 512 × 512 of 8 bits, or 512 × 256 of 16.',
    );
  });
});
