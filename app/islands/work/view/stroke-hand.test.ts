import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { useTerrain } from '../../../store/state';

const told = vi.hoisted(() => [] as string[]);
vi.mock('../../../store/sculpt', () => ({
  beginStroke: () => (told.push('begin'), Promise.resolve(true)),
  strokeTo: (places: [number, number, number][]) => void told.push(places.map(([east]) => east).join(' ')),
  endStroke: () => (told.push('end'), Promise.resolve()),
}));

import { SECOND_FINGER, StrokeHand } from './stroke-hand';

const captured: number[] = [];
const element = { isConnected: true, setPointerCapture: (id: number) => void captured.push(id) };
const pointer = (type: string, clientX: number, more: Partial<PointerEvent> = {}) =>
  ({ type, clientX, button: 0, pointerId: 1, pointerType: 'mouse', pressure: 0.5, ...more }) as PointerEvent;
const finger = (type: string, clientX: number, pointerId: number) => pointer(type, clientX, { pointerType: 'touch', pointerId });
/** Places lie at whole hundreds of metres; left of 0 there is no ground. */
const hand = () => new StrokeHand(element, ({ clientX }) => (clientX < 0 ? null : [clientX, 0, 1]));

describe('a hand on the ground', () => {
  beforeEach(() => {
    vi.useFakeTimers();
    told.length = captured.length = 0;
    const { brush } = useTerrain.getState();
    useTerrain.setState({ brush: { ...brush, radius: 100, spacing: 1, rate: 0 } });
  });
  afterEach(() => vi.useRealTimers());

  it('of a mouse: a dab where it goes down, dabs along its way, and an end', async () => {
    const mine = hand();
    mine.down(pointer('pointerdown', 0));
    mine.move(pointer('pointermove', 250));
    mine.lift(pointer('pointerup', 250));
    await vi.runAllTimersAsync();
    expect(told).toEqual(['begin', '0', '100 200', 'end']);
    expect(captured).toEqual([1]);
  });

  it('beside the ground, or with another button, does nothing', async () => {
    const mine = hand();
    mine.down(pointer('pointerdown', -5));
    mine.down(pointer('pointerdown', 5, { button: 2 }));
    mine.move(pointer('pointermove', 50));
    await vi.runAllTimersAsync();
    expect(told).toEqual([]);
  });

  it('two strokes follow one another, however soon the second is begun', async () => {
    const mine = hand();
    for (const at of [0, 500]) {
      mine.down(pointer('pointerdown', at));
      mine.lift(pointer('pointerup', at));
    }
    await vi.runAllTimersAsync();
    expect(told).toEqual(['begin', '0', 'end', 'begin', '500', 'end']);
  });

  it('is in hand from where it goes down until what it did is taken over, and so are several', async () => {
    const mine = hand();
    const stroking = () => useTerrain.getState().stroking;
    expect(stroking()).toBe(false);
    mine.down(pointer('pointerdown', 0));
    expect(stroking()).toBe(true);
    mine.lift(pointer('pointerup', 0));
    mine.down(pointer('pointerdown', 500));
    await vi.runAllTimersAsync();
    // The first is over, the second is not.
    expect(told.filter((what) => what === 'end')).toHaveLength(1);
    expect(stroking()).toBe(true);
    mine.lift(pointer('pointerup', 500));
    expect(stroking()).toBe(true);
    await vi.runAllTimersAsync();
    expect(stroking()).toBe(false);
  });

  it('of one finger draws after a moment, a tap at once, and two fingers are no stroke', async () => {
    const mine = hand();
    mine.down(finger('pointerdown', 10, 1));
    expect(told).toEqual([]);
    await vi.advanceTimersByTimeAsync(SECOND_FINGER + 1);
    mine.lift(finger('pointerup', 10, 1));
    await vi.runAllTimersAsync();
    expect(told.splice(0)).toEqual(['begin', '10', 'end']);
    mine.down(finger('pointerdown', 20, 1));
    mine.lift(finger('pointerup', 20, 1));
    await vi.runAllTimersAsync();
    expect(told.splice(0)).toEqual(['begin', '20', 'end']);
    mine.down(finger('pointerdown', 30, 1));
    mine.down(finger('pointerdown', 60, 2));
    await vi.advanceTimersByTimeAsync(2 * SECOND_FINGER);
    mine.lift(finger('pointerup', 60, 2));
    expect(told).toEqual([]);
    mine.leave();
  });

  it('held still with a rate, the brush dabs on where it is until it is lifted', async () => {
    useTerrain.setState({ brush: { ...useTerrain.getState().brush, rate: 10 } });
    const mine = hand();
    mine.down(pointer('pointerdown', 40));
    await vi.advanceTimersByTimeAsync(350);
    mine.end();
    await vi.advanceTimersByTimeAsync(500);
    expect(told).toEqual(['begin', '40', '40', '40', '40', 'end']);
  });
});
