import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Course } from '@upland-cast/core';
import type { JournalEntry } from '../storage/db';

// The database itself is tried in the browser tests; here it is what the saving hands to it.
vi.mock('../storage/db', () => ({ db: {} }));
const { Saving } = await import('./saving');

const amend = (n: number): JournalEntry => ({ kind: 'amend', forward: [{ op: 'add', path: ['spots', n], value: n }] });

function bench() {
  const log: (['journal', number, number] | ['whole', number])[] = [];
  const said: string[] = [];
  const state = { gone: false, fails: 0, slow: 0, unsaved: false };
  const pause = () => new Promise<void>((resolve) => setTimeout(resolve, state.slow));
  const attempt = async () => {
    await pause();
    if (state.fails > 0) {
      state.fails--;
      throw Object.assign(new Error('no room'), { name: 'QuotaExceededError' });
    }
    return !state.gone;
  };
  const saving = new Saving({
    now: () => ({ id: 'a', course: { name: 'Fell' } as Course, past: [], future: [] }),
    whole: async (_, at) => {
      const there = await attempt();
      if (there) log.push(['whole', at]);
      return there;
    },
    append: async (_, base, entries) => {
      const there = await attempt();
      if (there) log.push(['journal', base, entries.length]);
      return there;
    },
    onNoted: () => void (state.unsaved = true),
    onSaved: (_, all) => {
      said.push('saved');
      state.unsaved = !all;
    },
    onFault: (sentence) => void said.push(sentence),
    onGone: () => void said.push('gone'),
  });
  saving.begin(1);
  return { saving, log, said, state };
}

describe('saving as one works', () => {
  beforeEach(() => {
    vi.useFakeTimers();
    vi.setSystemTime(1_000_000);
    return () => vi.useRealTimers();
  });

  it('a finished stroke is stored at once, every other change within a fifth of a second, however many come', async () => {
    const { saving, log } = bench();
    saving.note(amend(0), true);
    await vi.advanceTimersByTimeAsync(1);
    expect(log).toEqual([['journal', 1, 1]]);
    // Without a pause: the journal does not wait for quiet.
    for (let k = 0; k < 40; k++) {
      saving.note(amend(k));
      await vi.advanceTimersByTimeAsync(100);
    }
    const stored = log.reduce((sum, entry) => sum + (entry[0] === 'journal' ? entry[2] : 0), 0);
    expect(stored).toBeGreaterThanOrEqual(39);
    await vi.advanceTimersByTimeAsync(250);
    expect(log.reduce((sum, entry) => sum + (entry[0] === 'journal' ? entry[2] : 0), 0)).toBe(41);
  });

  it('is saved whole when the hand rests, and every ten seconds where it does not; the journal counts from there', async () => {
    const { saving, log } = bench();
    saving.note(amend(0));
    await vi.advanceTimersByTimeAsync(2000);
    const whole = log.find((entry) => entry[0] === 'whole')!;
    saving.note(amend(1), true);
    await vi.advanceTimersByTimeAsync(1);
    expect(log.at(-1)).toEqual(['journal', whole[1], 1]);
    log.length = 0;
    for (let k = 0; k < 110; k++) {
      saving.note(amend(k));
      await vi.advanceTimersByTimeAsync(100);
    }
    expect(log.filter((entry) => entry[0] === 'whole').length).toBeGreaterThanOrEqual(1);
  });

  it('one after the other: what comes while it is saved whole goes into the journal of that save', async () => {
    const { saving, log, state } = bench();
    state.slow = 50;
    void saving.whole();
    saving.note(amend(0), true);
    await vi.advanceTimersByTimeAsync(200);
    expect(log.map((entry) => entry[0])).toEqual(['whole', 'journal']);
    expect(log[1][1]).toBe(log[0][1]);
  });

  it('tells that something is not stored yet until all of it is, also what comes while it is stored', async () => {
    const { saving, state } = bench();
    state.slow = 50;
    saving.note(amend(0), true);
    expect(state.unsaved).toBe(true);
    await vi.advanceTimersByTimeAsync(30);
    saving.note(amend(1));
    await vi.advanceTimersByTimeAsync(30);
    expect(state.unsaved).toBe(true);
    await vi.advanceTimersByTimeAsync(1000);
    expect(state.unsaved).toBe(false);
    state.fails = 1;
    saving.note(amend(2), true);
    await vi.advanceTimersByTimeAsync(60);
    expect(state.unsaved).toBe(true);
  });

  it('what could not be stored is said, and is part of the next save', async () => {
    const { saving, log, said, state } = bench();
    state.fails = 1;
    saving.note(amend(0), true);
    await vi.advanceTimersByTimeAsync(1);
    expect(said).toEqual([expect.stringMatching(/no room left to save/)]);
    // A journal with a gap is no journal: the whole is saved instead.
    saving.note(amend(1), true);
    await vi.advanceTimersByTimeAsync(1);
    expect(log.map((entry) => entry[0])).toEqual(['whole']);
    expect(saving.pending).toBe(false);
    expect(said.at(-1)).toBe('saved');
  });

  it('a terrain that was removed elsewhere is said once, and not brought back by a save', async () => {
    const { saving, log, said, state } = bench();
    state.gone = true;
    saving.note(amend(0), true);
    await vi.advanceTimersByTimeAsync(3000);
    expect(said).toEqual(['gone']);
    expect(log).toEqual([]);
  });
});
