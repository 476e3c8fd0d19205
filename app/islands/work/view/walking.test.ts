import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { groundOf } from '../../../../tests/helpers/grounds';
import type { Picture } from '../../../engine/api';
import { useTerrain } from '../../../store/state';
import { putDown } from '../../../view/ground/walk';
import { Eyes, Legs } from './walking';

const picture = { ground: groundOf(101, 101, 10), height: new Float32Array(101 * 101).fill(50), preview: false } as Picture;
const walker = () => useTerrain.getState().walker!;

describe('somebody on the ground', () => {
  let frames: FrameRequestCallback[] = [];
  const frame = (now: number) => frames.splice(0).forEach((one) => one(now));
  const pressed = (code: string, more: Partial<KeyboardEvent> = {}) =>
    ({ code, key: code, target: null, preventDefault: vi.fn(), stopPropagation: vi.fn(), ...more }) as unknown as KeyboardEvent;

  beforeEach(() => {
    frames = [];
    vi.stubGlobal('requestAnimationFrame', (one: FrameRequestCallback) => frames.push(one));
    vi.stubGlobal('cancelAnimationFrame', () => (frames = []));
    vi.stubGlobal('HTMLInputElement', class {});
    vi.stubGlobal('HTMLSelectElement', class {});
    vi.spyOn(performance, 'now').mockReturnValue(0);
    useTerrain.setState({ picture, walker: putDown(picture, null, 'walk', 500, 500, 0) });
  });
  afterEach(() => {
    vi.unstubAllGlobals();
    vi.restoreAllMocks();
    useTerrain.setState({ picture: null, walker: null });
  });

  it('goes north while the key is held, at the pace of a walk, and stands when it is let go', () => {
    const legs = new Legs();
    legs.press(pressed('KeyW'));
    for (let t = 100; t <= 1000; t += 100) frame(t);
    expect(walker().south).toBeCloseTo(500 - 1.4, 1);
    expect(walker().east).toBeCloseTo(500, 6);
    legs.release('KeyW');
    frame(1100);
    frame(1200);
    expect(frames).toEqual([]);
    expect(walker().south).toBeCloseTo(500 - 1.4, 1);
  });

  it('does not leap after a slow frame, and two keys of one way cancel out', () => {
    const legs = new Legs();
    legs.press(pressed('KeyD'));
    frame(10_000);
    expect(walker().east - 500).toBeLessThan(0.5);
    legs.press(pressed('KeyA'));
    const { east } = walker();
    frame(10_100);
    expect(walker().east).toBe(east);
    legs.stop();
    expect(frames).toEqual([]);
  });

  it('leaves other keys alone, and those with Control; Escape ends it', () => {
    const legs = new Legs();
    const [other, copies] = [pressed('KeyT'), pressed('KeyA', { ctrlKey: true })];
    legs.press(other);
    legs.press(copies);
    expect(other.preventDefault).not.toHaveBeenCalled();
    expect(copies.preventDefault).not.toHaveBeenCalled();
    expect(frames).toEqual([]);
    legs.press(pressed('Escape'));
    expect(useTerrain.getState().walker).toBeNull();
  });

  it('looks around by a drag: all the way round, and no further up or down than the neck goes', () => {
    const eyes = new Eyes();
    eyes.turn(900, 900);
    expect(walker().heading).toBe(0);
    eyes.hold(100, 100);
    eyes.turn(50, 100);
    expect(walker().heading).toBeCloseTo(350, 6);
    eyes.turn(50, -900);
    expect(walker().pitch).toBe(85);
    eyes.let();
    eyes.turn(0, 100);
    expect(walker().pitch).toBe(85);
  });
});
