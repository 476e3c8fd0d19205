import { describe, expect, it } from 'vitest';
import { maskKinds, steps } from '@upland-cast/core';
import { search } from './search';

const first = (query: string) => search(steps, query)[0];
const ids = (query: string) => search(steps, query).map(({ item }) => item.id);

describe('search', () => {
  // Words that people of the trade typed, and what they were after.
  it.each([
    ['brush', 'sculpt'],
    ['erosion', 'fluvial'],
    ['hydraulic', 'fluvial'],
    ['thermal', 'talus'],
    ['offset', 'shift'],
    ['gain', 'exposure'],
    ['contrast', 'levels'],
    ['rotate', 'place'],
    ['subtract', 'shift'],
    ['gamma', 'linearise'],
    ['island', 'falloff'],
    ['lake', 'drain'],
    ['seed', 'noise'],
    ['merge', 'join'],
    ['road', 'path'],
    ['dune', 'dunes'],
    ['snow', 'settle'],
    ['normalise', 'fit'],
  ])('finds a step by %s', (query, id) => {
    expect(ids(query)).toContain(id);
  });

  it('puts the title before other words, and those before what is said of a step', () => {
    expect(first('blur').item.id).toBe('blur');
    expect(first('curve').item.id).toBe('curve');
    expect(first('dun').item.id).toBe('dunes');
    expect(first('thermal').item.id).toBe('talus');
  });

  it('takes a whole word before the beginning of one', () => {
    const items = [{ title: 'Brush: Flatten' }, { title: 'Add Flat' }];
    expect(search(items, 'flat')[0].item.title).toBe('Add Flat');
    expect(search(items, 'flatt')[0].item.title).toBe('Brush: Flatten');
  });

  it('says which other word was met, and nothing where the title was', () => {
    expect(first('thermal erosion').by).toEqual(['thermal', 'erosion']);
    expect(first('blur').by).toEqual([]);
  });

  it('wants every word, whatever their order and case, and leaves filling words out', () => {
    expect(ids('Erosion Hydraulic')).toEqual(expect.arrayContaining(['fluvial', 'runoff']));
    expect(ids('erosion hydraulic')).not.toContain('talus');
    expect(ids('add the blur')[0]).toBe('blur');
    expect(ids('blur qwertz')).toEqual([]);
    expect(ids('')).toHaveLength(steps.length);
  });

  it('has other words for everything that can be found', () => {
    for (const { id, finds } of [...steps, ...maskKinds]) expect(finds.length, id).toBeGreaterThan(2);
    for (const { id, finds } of steps) expect(new Set(finds).size, id).toBe(finds.length);
  });
});
