import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { Scheduler } from './scheduler';

/** A page whose passes take as long as a test says, with a record of what was done. */
function page({ preview = 10, full = 300, small = false, grows = false } = {}) {
  const done: string[] = [];
  let shown: 'nothing' | 'preview' | 'full' = 'nothing';
  let stopped = () => undefined as void;
  const scheduler = new Scheduler({
    pass: (kind, turn) =>
      new Promise((resolve) => {
        done.push(`${kind} ${turn}`);
        const timer = setTimeout(
          () => {
            shown = kind === 'full' || small ? 'full' : 'preview';
            resolve(true);
          },
          kind === 'preview' ? preview : full,
        );
        stopped = () => {
          clearTimeout(timer);
          done.push('stopped');
          resolve(false);
        };
      }),
    stop: () => stopped(),
    seesFull: () => shown === 'full',
    growsInView: () => grows && shown === 'nothing',
    settle: () => {
      done.push('settled');
      return Promise.resolve();
    },
  });
  return { scheduler, done, now: () => shown, keep: () => void (shown = 'full') };
}

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());

describe('the scheduler', () => {
  it('shows a preview at once, and the full ground when the hand rests', async () => {
    const { scheduler, done } = page();
    scheduler.ask();
    expect(done).toEqual(['preview 1']);
    await vi.advanceTimersByTimeAsync(200);
    expect(done).toEqual(['preview 1']);
    await vi.advanceTimersByTimeAsync(400);
    expect(done).toEqual(['preview 1', 'full 1', 'settled']);
  });

  it('works the full ground out at once where it is seen while it grows, and shows a preview when something changes meanwhile', async () => {
    const { scheduler, done } = page({ grows: true });
    scheduler.ask();
    expect(done).toEqual(['full 1']);
    await vi.advanceTimersByTimeAsync(600);
    expect(done).toEqual(['full 1', 'settled']);
    scheduler.ask();
    await vi.advanceTimersByTimeAsync(600);
    expect(done.slice(2)).toEqual(['preview 2', 'full 2', 'settled']);
  });

  it('shows a preview of a ground that was stopped before anything was seen of it', async () => {
    const { scheduler, done, now } = page({ grows: true });
    scheduler.ask();
    await vi.advanceTimersByTimeAsync(100);
    scheduler.giveUp();
    await vi.advanceTimersByTimeAsync(600);
    expect(done).toEqual(['full 1', 'stopped', 'preview 1']);
    expect(now()).toBe('preview');
  });

  it('does not begin a ground that grows in view while a hand is on it', async () => {
    const { scheduler, done } = page({ grows: true });
    await scheduler.hold(true);
    scheduler.ask();
    expect(done).toEqual(['preview 1']);
  });

  it('works out behind a full ground that was kept, without a preview, and is settled when that is over', async () => {
    const { scheduler, done, keep } = page();
    keep();
    scheduler.askSeen();
    const settled = scheduler.settled(5000);
    let over = false;
    void settled.then(() => (over = true));
    await vi.advanceTimersByTimeAsync(200);
    expect([done, over]).toEqual([['full 1'], false]);
    await vi.advanceTimersByTimeAsync(400);
    expect([done, over]).toEqual([['full 1', 'settled'], true]);
  });

  it('works a ground that is small enough out once', async () => {
    const { scheduler, done } = page({ small: true });
    scheduler.ask();
    await vi.advanceTimersByTimeAsync(1000);
    expect(done).toEqual(['preview 1', 'settled']);
  });

  it('lets a preview finish, however fast things change, and then shows the latest', async () => {
    const { scheduler, done } = page({ preview: 100 });
    for (let k = 0; k < 5; k++) {
      scheduler.ask();
      await vi.advanceTimersByTimeAsync(10);
    }
    await vi.advanceTimersByTimeAsync(1500);
    expect(done).toEqual(['preview 1', 'preview 5', 'full 5', 'settled']);
  });

  it('stops a full ground that is not wanted any more', async () => {
    const { scheduler, done } = page();
    scheduler.ask();
    await vi.advanceTimersByTimeAsync(250);
    expect(done).toEqual(['preview 1', 'full 1']);
    scheduler.ask();
    await vi.advanceTimersByTimeAsync(1500);
    expect(done).toEqual(['preview 1', 'full 1', 'stopped', 'preview 2', 'full 2', 'settled']);
  });

  it('stops by hand: the ground stays as it was seen, and the next change is worked out', async () => {
    const { scheduler, done, now } = page();
    scheduler.ask();
    await vi.advanceTimersByTimeAsync(250);
    scheduler.giveUp();
    await vi.advanceTimersByTimeAsync(2000);
    expect(done).toEqual(['preview 1', 'full 1', 'stopped']);
    expect(now()).toBe('preview');
    expect(scheduler.goesOn(1)).toBe(false);
    scheduler.ask();
    expect(scheduler.goesOn(2)).toBe(true);
    await vi.advanceTimersByTimeAsync(2000);
    expect(done.slice(3)).toEqual(['preview 2', 'full 2', 'settled']);
  });

  it('gives up a full ground that only waits for the hand to rest', async () => {
    const { scheduler, done } = page();
    scheduler.ask();
    await vi.advanceTimersByTimeAsync(100);
    scheduler.giveUp();
    await vi.advanceTimersByTimeAsync(2000);
    expect(done.filter((d) => d.startsWith('full'))).toEqual([]);
  });

  it('after a stroke works out only the full ground, once for a row of strokes', async () => {
    const { scheduler, done } = page();
    scheduler.ask();
    await vi.advanceTimersByTimeAsync(1000);
    done.length = 0;
    for (let k = 0; k < 3; k++) {
      scheduler.askBehind();
      await vi.advanceTimersByTimeAsync(200);
    }
    await vi.advanceTimersByTimeAsync(1500);
    expect(done).toEqual(['full 4', 'settled']);
  });

  it('after a stroke over a preview works out as after any change', async () => {
    const { scheduler, done } = page();
    scheduler.ask();
    await vi.advanceTimersByTimeAsync(50);
    done.length = 0;
    scheduler.askBehind();
    await vi.advanceTimersByTimeAsync(1500);
    expect(done).toEqual(['preview 2', 'full 2', 'settled']);
  });

  it('works nothing out while a hand is on the ground, and goes on when it has left', async () => {
    const { scheduler, done } = page();
    scheduler.ask();
    await vi.advanceTimersByTimeAsync(250);
    const held = scheduler.hold(true);
    await vi.advanceTimersByTimeAsync(50);
    await held;
    expect(done).toEqual(['preview 1', 'full 1', 'stopped']);
    await vi.advanceTimersByTimeAsync(2000);
    expect(done).toHaveLength(3);
    await scheduler.hold(false);
    scheduler.askBehind();
    await vi.advanceTimersByTimeAsync(2000);
    expect(done.slice(3)).toEqual(['preview 2', 'full 2', 'settled']);
  });

  it('while held lets what waits wait, and does it when the hand has left', async () => {
    const { scheduler, done } = page();
    scheduler.ask();
    await vi.advanceTimersByTimeAsync(1000);
    done.length = 0;
    scheduler.askBehind();
    await scheduler.hold(true);
    await vi.advanceTimersByTimeAsync(5000);
    expect(done).toEqual([]);
    await scheduler.hold(false);
    await vi.advanceTimersByTimeAsync(1500);
    expect(done).toEqual(['full 2', 'settled']);
  });

  it('says whether the full ground is seen and stays, within one’s patience', async () => {
    const { scheduler } = page({ full: 800 });
    scheduler.ask();
    const soon = scheduler.settled(400);
    await vi.advanceTimersByTimeAsync(450);
    expect(await soon).toBe(false);
    const later = scheduler.settled(5000);
    await vi.advanceTimersByTimeAsync(1000);
    expect(await later).toBe(true);
    // What only follows strokes does not change what is seen under the brush.
    scheduler.askBehind();
    const behind = scheduler.settled(5000);
    await vi.advanceTimersByTimeAsync(1);
    expect(await behind).toBe(true);
  });

  it('after a pass that went wrong tries nothing more until it is asked', async () => {
    let passes = 0;
    const scheduler = new Scheduler({
      pass: () => {
        passes++;
        return Promise.resolve(false);
      },
      stop: () => undefined,
      seesFull: () => false,
      growsInView: () => false,
      settle: () => Promise.reject(new Error('nothing was shown')),
    });
    scheduler.ask();
    await vi.advanceTimersByTimeAsync(3000);
    expect(passes).toBe(1);
    scheduler.ask();
    await vi.advanceTimersByTimeAsync(3000);
    expect(passes).toBe(2);
  });
});
