import { describe, expect, it } from 'vitest';
import { overfull, withRoom } from './kept';

describe('what is kept for speed', () => {
  const rows = [
    { key: 'oldest', bytes: 40 },
    { key: 'older', bytes: 30 },
    { key: 'newest', bytes: 20 },
  ];

  it('lets those go that were not used for longest, and no more than has to', () => {
    expect(overfull(rows, 90)).toEqual([]);
    expect(overfull(rows, 89)).toEqual(['oldest']);
    expect(overfull(rows, 50)).toEqual(['oldest']);
    expect(overfull(rows, 49)).toEqual(['oldest', 'older']);
    expect(overfull(rows, 0)).toEqual(['oldest', 'older', 'newest']);
  });

  it('makes no second try where room is not what is missing, and none where nothing is kept', async () => {
    let tries = 0;
    const failing = (name: string) => async () => {
      tries++;
      throw new DOMException('It did not work.', name);
    };
    await expect(withRoom(failing('DataError'))).rejects.toThrow('It did not work.');
    // There is no storage here: nothing can give way.
    await expect(withRoom(failing('QuotaExceededError'))).rejects.toThrow('It did not work.');
    expect(tries).toBe(2);
    expect(await withRoom(async () => 5)).toBe(5);
  });
});
