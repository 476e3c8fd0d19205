import { describe, expect, it } from 'vitest';
import { hearing } from './client';

describe('hearing how work stands', () => {
  it('hears all of it until the answer, and nothing that arrives after it', async () => {
    const heard: [string, number][] = [];
    let late: (words: string, share: number) => void = () => undefined;
    const answer = await hearing(
      (words: string, share: number) => heard.push([words, share]),
      async (tell) => {
        late = tell;
        tell('Reading', 0.25);
        await Promise.resolve();
        tell('Reading', 0.75);
        return 'read';
      },
    );
    late('Reading', 0.75);
    expect(answer).toBe('read');
    expect(heard).toEqual([
      ['Reading', 0.25],
      ['Reading', 0.75],
    ]);
  });

  it('nor after work that failed', async () => {
    let heard = 0;
    let late = () => undefined as void;
    const work = hearing(
      () => void heard++,
      (tell) => {
        late = tell;
        return Promise.reject(new Error('gone'));
      },
    );
    await expect(work).rejects.toThrow('gone');
    late();
    expect(heard).toBe(0);
  });
});
