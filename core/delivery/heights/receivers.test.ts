import { describe, expect, it } from 'vitest';
import { groundOf } from '../../../tests/helpers/grounds';
import { receiverSchema } from '../../course/receiver';
import { badName, fileNameFor, groundForReceiver, readReceiver, receivers, safeName, sizesOfReceiver, whyReceiverRefuses } from './receivers';

const receiver = (id: string) => receivers.find((r) => r.id === id)!;

describe('receivers', () => {
  it('are receivers by their own schema, and read back from their own JSON', () => {
    for (const r of receivers) expect(readReceiver(JSON.stringify(r))).toEqual(receiverSchema.parse(r));
  });

  it('of patches take 2 017 = 16 × 2 × 63 + 1 (common practice) and no other count beside it', () => {
    const patches = receiver('patch-grid');
    expect(whyReceiverRefuses(patches, 2017)).toBeNull();
    expect(whyReceiverRefuses(patches, 2048)).toMatch(/flat strip of \d+ samples/);
    const offers = sizesOfReceiver(patches, groundOf(2017));
    const own = offers.find((o) => o.own)!;
    expect(own.patching!.patches * own.patching!.split * own.patching!.faces + 1).toBe(2017);
    expect(offers.map((o) => o.samples)).toEqual([...offers.map((o) => o.samples)].sort((a, b) => a - b));
  });

  it('say what the nearest sizes cost: metres from sample to sample, metres left out or added', () => {
    const offers = sizesOfReceiver(receiver('power-of-two-plus-one'), groundOf(1000, 1000, 2));
    expect(offers.map((o) => o.samples)).toEqual([129, 257, 513, 1025, 2049]);
    const smaller = offers.find((o) => o.samples === 513)!;
    expect(smaller.spacing).toBeCloseTo(1998 / 512, 9);
    expect(smaller.leavesOut).toBeCloseTo((1000 - 513) * 2, 9);
    expect(offers.find((o) => o.samples === 1025)!.leavesOut).toBeCloseTo(-50, 9);
  });

  it('keep the land’s shape where they take any: 2 : 1 stays 2 : 1', () => {
    expect(groundForReceiver(receiver('elevation-grid'), groundOf(201, 101, 10), 401)).toMatchObject({ across: 401, down: 201, width: 2000, depth: 1000 });
  });

  it.each([
    ['{', 'not JSON'],
    ['{"id":"Räuber"}', 'cannot be used: id'],
    [JSON.stringify({ ...receivers[0], formats: [{ format: 'png', types: ['f64'] }] }), 'PNG is not written with f64'],
    [JSON.stringify({ ...receivers[0], formats: [{ format: 'doc', types: ['u8'] }] }), 'no format "doc"'],
    [JSON.stringify({ ...receiver('block-world'), heights: { by: 'blocks', floor: 9, ceiling: 9, water: 9, edge: 1 } }), 'ceiling'],
    [JSON.stringify({ ...receivers[0], heights: { by: 'range', codes: { low: 9, high: 3 } } }), 'higher code'],
    [JSON.stringify({ ...receiver('patch-grid'), sizes: { kind: 'patches', faces: [900], splits: [16], most: 100 } }), 'no count of patches'],
  ])('out of nonsense are refused with a sentence: %s', (text, words) => {
    expect(() => readReceiver(text)).toThrow(words);
  });

  it('name files so that every file system takes them', () => {
    expect(safeName('CON')).toBe('con-file');
    expect(badName('a/b.png')).toMatch(/cannot hold/);
    expect(badName('x.')).toMatch(/end in a dot/);
    expect(badName('lpt1.raw')).toMatch(/keep for themselves/);
    expect(badName('')).toMatch(/needs a name/);
    expect(badName('heightmap-1.png')).toBeNull();
    expect(fileNameFor(receiver('printed-model'), 'Sallow Pit', 300, 'stl', '')).toBe('sallow-pit-1-to-50000.stl');
  });
});
