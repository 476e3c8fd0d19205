import { describe, expect, it } from 'vitest';
import { Recent } from './recent';

describe('what was worked out last', () => {
  it('is made once, and again when others have come since', async () => {
    const made: string[] = [];
    const recent = new Recent<string>(2);
    const of = (key: string) => recent.of(key, async () => (made.push(key), key.toUpperCase()));
    expect([await of('a'), await of('a'), await of('b'), await of('a')]).toEqual(['A', 'A', 'B', 'A']);
    expect(made).toEqual(['a', 'b']);
    // The one that was asked for longest ago goes.
    await of('c');
    await of('a');
    await of('b');
    expect(made).toEqual(['a', 'b', 'c', 'b']);
  });

  it('is not kept where it is not worth it, nor where it could not be made', async () => {
    let made = 0;
    const recent = new Recent<number>(4, (value) => value < 10);
    const large = () => recent.of('large', async () => (made++, 12));
    await large();
    await large();
    expect(made).toBe(2);
    await expect(recent.of('wrong', () => Promise.reject(new Error('no')))).rejects.toThrow('no');
    expect(await recent.of('wrong', async () => 3)).toBe(3);
  });

  it('keeps nothing twice where two ask at once', async () => {
    const recent = new Recent<object>(2);
    const make = async () => ({});
    const [one] = await Promise.all([recent.of('a', make), recent.of('a', make)]);
    expect(one).toBeDefined();
    expect(await recent.of('a', make)).toBe(await recent.of('a', make));
  });
});
