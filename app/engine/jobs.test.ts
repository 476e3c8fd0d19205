import { afterEach, describe, expect, it, vi } from 'vitest';
import { StoppedError, UplandError } from '@upland-cast/core';
import { jobs, outcome } from './jobs';

afterEach(() => void vi.restoreAllMocks());

describe('jobs of the engine', () => {
  it('of a kind end one another: the newer one is what was meant', () => {
    const [first, other] = [jobs.begin('map'), jobs.begin('cost')];
    const second = jobs.begin('map');
    expect([first.aborted, second.aborted, other.aborted]).toEqual([true, false, false]);
    expect(first.reason).toBeInstanceOf(StoppedError);
  });

  it('are stopped by kind, several at once; stopping what does not run does nothing', () => {
    const [write, press, preview] = [jobs.begin('write-mesh'), jobs.begin('press'), jobs.begin('mesh')];
    jobs.stop('write-mesh', 'press', 'never begun');
    expect([write.aborted, press.aborted, preview.aborted]).toEqual([true, true, false]);
    expect(jobs.begin('press').aborted).toBe(false);
  });

  it('that belong to one that runs share its signal, and begin one where none does', () => {
    const look = jobs.begin('look');
    expect(jobs.current('look')).toBe(look);
    jobs.stop('look');
    expect(jobs.current('look').aborted).toBe(true);
    expect(jobs.current('first of its kind').aborted).toBe(false);
  });
});

describe('what work came to', () => {
  it('is its value', async () => {
    expect(await outcome(() => 7)).toEqual({ ok: true, value: 7 });
    expect(await outcome(async () => Promise.resolve('late'))).toEqual({ ok: true, value: 'late' });
  });

  it('is a sentence with its code where it was refused, and nothing is logged', async () => {
    const log = vi.spyOn(console, 'error').mockImplementation(() => undefined);
    const refused = await outcome(() => {
      throw new UplandError('layer', 'No step leaves a layer "sand".');
    });
    expect(refused).toEqual({ ok: false, stopped: false, code: 'layer', sentence: 'No step leaves a layer "sand".' });
    expect(await outcome(() => Promise.reject(new StoppedError()))).toMatchObject({ ok: false, stopped: true });
    expect(log).not.toHaveBeenCalled();
  });

  it('is a sentence too where it went wrong, and then it is logged', async () => {
    const log = vi.spyOn(console, 'error').mockImplementation(() => undefined);
    const wrong = await outcome(() => {
      throw new TypeError('x is not a function');
    });
    expect(wrong).toMatchObject({ ok: false, stopped: false, code: 'unexpected' });
    expect(log).toHaveBeenCalledOnce();
  });
});
