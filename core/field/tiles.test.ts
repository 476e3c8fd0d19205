import { describe, expect, it } from 'vitest';
import { TILE, tileFromBytes, tileToBytes } from './tiles';

describe('tiles', () => {
  it('as bytes come back bit for bit, and refuse another length', () => {
    const tile = new Float32Array(TILE * TILE).map((_, i) => Math.fround(i * 0.1 - 300));
    expect(tileFromBytes(tileToBytes(tile))).toEqual(tile);
    expect(() => tileFromBytes(new Uint8Array(7))).toThrow(/needs 262144/);
  });
});
