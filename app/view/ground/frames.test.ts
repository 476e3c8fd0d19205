import type { WebGLRenderer } from 'three';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { around, Frames, type Box } from './frames';

const WIDTH = 800;
const HEIGHT = 500;

/** A renderer that draws nothing, and says where it would. */
function rendererOf(took: () => number) {
  const scissors: number[][] = [];
  const renderer = {
    getContext: () => ({
      RGBA: 0,
      UNSIGNED_BYTE: 0,
      // Who asks for a pixel waits until it is drawn.
      readPixels: () => vi.advanceTimersByTime(took()),
    }),
    getSize: (into: { set: (x: number, y: number) => unknown }) => into.set(WIDTH, HEIGHT),
    getDrawingBufferSize: (into: { set: (x: number, y: number) => unknown }) => into.set(WIDTH, HEIGHT),
    setScissorTest: () => undefined,
    setScissor: (...box: number[]) => scissors.push(box),
    setRenderTarget: () => undefined,
    render: () => undefined,
  };
  return { renderer: renderer as unknown as WebGLRenderer, scissors };
}

describe('how pictures come to the screen', () => {
  let said: string[] = [];
  let painted: (Box | null)[] = [];
  let still = false;
  let groups = 3;
  let milliseconds = 20;
  let frames: Frames;
  let scissors: number[][];

  const make = (software: boolean) => {
    let gathered = 0;
    const made = rendererOf(() => milliseconds);
    scissors = made.scissors;
    frames = new Frames(made.renderer, software, {
      begin: (moving) => {
        said.push(moving ? 'begin moving' : 'begin');
        gathered = 0;
      },
      gather: () => {
        said.push('gather');
        return ++gathered >= groups;
      },
      paint: (part) => {
        said.push('paint');
        painted.push(part);
      },
      done: () => said.push('done'),
      rest: (atRest) => (still = atRest),
    });
  };

  beforeEach(() => {
    vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout', 'performance'] });
    vi.stubGlobal('requestAnimationFrame', (call: () => void) => setTimeout(call, 16));
    vi.stubGlobal('cancelAnimationFrame', (id: ReturnType<typeof setTimeout>) => clearTimeout(id));
    vi.advanceTimersByTime(10_000);
    said = [];
    painted = [];
    groups = 3;
    milliseconds = 20;
  });
  afterEach(() => {
    frames.dispose();
    vi.useRealTimers();
    vi.unstubAllGlobals();
  });

  /** Until nothing is asked for any more. */
  const rest = () => vi.runAllTimers();
  const picture = () => {
    said = [];
    painted = [];
    scissors.length = 0;
  };

  it('tells when what is seen is all there is to see, and when something newer is on its way', () => {
    make(true);
    frames.ask();
    expect(still).toBe(false);
    rest();
    expect(still).toBe(true);
    frames.touch({ left: 10, top: 10, right: 30, bottom: 30 });
    expect(still).toBe(false);
    rest();
    expect(still).toBe(true);
    frames.move();
    rest();
    expect(still).toBe(true);
    // Asked for again while it is drawn: not at rest until that is there too.
    frames.ask();
    vi.advanceTimersByTime(40);
    frames.ask();
    const drawn = () => said.filter((one) => one === 'done').length;
    const before = drawn();
    while (drawn() === before) vi.advanceTimersByTime(16);
    expect(still).toBe(false);
    rest();
    expect(still).toBe(true);
  });

  it('are drawn at once where there is a card, however often they were asked for', () => {
    make(false);
    frames.ask();
    frames.ask();
    frames.move();
    frames.touch({ left: 0, top: 0, right: 9, bottom: 9 });
    rest();
    expect(said).toEqual(['begin', 'paint', 'done']);
    expect(painted).toEqual([null]);
  });

  it('without one are gathered first, and then come in strips that cover the canvas once, from its top', () => {
    make(true);
    frames.ask();
    rest();
    const first = said.slice(0, said.indexOf('done') + 1);
    expect(first.slice(0, 4)).toEqual(['begin', 'gather', 'gather', 'gather']);
    const strips = painted.filter((box) => box !== null);
    expect(first.filter((what) => what === 'paint')).toHaveLength(strips.length);
    expect(strips[0].top).toBe(0);
    expect(strips.at(-1)!.bottom).toBe(HEIGHT);
    for (let k = 1; k < strips.length; k++) expect(strips[k].top).toBe(strips[k - 1].bottom);
    expect(strips.every(({ left, right }) => left === 0 && right === WIDTH)).toBe(true);
    // What was gathered counts, too.
    expect(frames.cost).toBe(20 * (groups + strips.length));
  });

  it('take as many strips as the last picture needs for turns of 60 ms, gathering left out', () => {
    make(true);
    groups = 20;
    milliseconds = 100;
    frames.ask();
    rest();
    const before = painted.filter((box) => box !== null).length;
    picture();
    frames.ask();
    rest();
    expect(painted).toHaveLength(Math.round((before * 100) / 60));
  });

  it('are drawn coarsely while something moves, and whole when it rests', () => {
    make(true);
    frames.ask();
    rest();
    picture();
    frames.move();
    vi.advanceTimersByTime(17);
    expect(said).toEqual(['begin moving', 'paint', 'done']);
    expect(painted).toEqual([null]);
    rest();
    expect(said.slice(3, 7)).toEqual(['begin', 'gather', 'gather', 'gather']);
    expect(said.at(-1)).toBe('done');
  });

  it('that stand in for what is worked out are drawn coarsely, and whole at once when it is there, or when nothing newer comes', () => {
    make(true);
    milliseconds = 5;
    frames.standIn();
    vi.advanceTimersByTime(40);
    expect(said).toEqual(['begin moving', 'paint', 'done']);
    // What it cost is said, so that the work is not held up by more of them.
    expect(frames.cost).toBe(5);
    picture();
    frames.standIn();
    vi.advanceTimersByTime(1500);
    expect(said).toEqual(['begin moving', 'paint', 'done']);
    frames.settle();
    vi.advanceTimersByTime(17);
    expect(said.slice(3)).toEqual(['begin', 'gather']);
    rest();
    picture();
    frames.standIn();
    rest();
    expect(said.slice(0, 3)).toEqual(['begin moving', 'paint', 'done']);
    expect(said.slice(3, 5)).toEqual(['begin', 'gather']);
  });

  it('are begun anew from their first strip when what they show moves in between', () => {
    make(true);
    frames.ask();
    while (said.filter((what) => what === 'paint').length < 2) vi.advanceTimersToNextTimer();
    picture();
    frames.move();
    rest();
    expect(said[0]).toBe('begin moving');
    const whole = said.slice(said.indexOf('begin'));
    expect(whole.slice(0, 4)).toEqual(['begin', 'gather', 'gather', 'gather']);
    expect(painted.filter((box) => box !== null)[0].top).toBe(0);
  });

  it.each([
    ['while they are gathered', () => said.filter((what) => what === 'gather').length === 2],
    ['between their strips', () => said.filter((what) => what === 'paint').length === 2],
  ])('are ended and drawn once more when something is seen otherwise %s', (_, reached) => {
    make(true);
    frames.ask();
    while (!reached()) vi.advanceTimersToNextTimer();
    frames.ask();
    rest();
    const begun = said.filter((what) => what === 'begin').length;
    // One of them warms the shaders of what moves.
    expect(begun - said.filter((what) => what === 'begin moving').length).toBe(2);
  });

  it('draw only what was touched, all touches together, and whole again after a while', () => {
    make(true);
    frames.ask();
    rest();
    picture();
    frames.touch({ left: 100, top: 50, right: 140, bottom: 90 });
    frames.touch({ left: 120, top: 40, right: 200, bottom: 80 });
    vi.advanceTimersByTime(17);
    expect(painted).toEqual([{ left: 100, top: 40, right: 200, bottom: 90 }]);
    // From the foot up, as a card counts.
    expect(scissors).toEqual([[100, HEIGHT - 90, 100, 50]]);
    expect(said).not.toContain('gather');
    vi.advanceTimersByTime(1000);
    expect(painted).toHaveLength(1);
    rest();
    expect(said).toContain('gather');
  });

  it('draw all of it where more than half was touched, where it cannot be said what was, and where nothing whole is there yet', () => {
    make(true);
    frames.touch({ left: 0, top: 0, right: 10, bottom: 10 });
    vi.advanceTimersByTime(17);
    expect(said).toEqual(['begin', 'gather']);
    rest();
    for (const box of [{ left: 0, top: 0, right: WIDTH, bottom: 300 }, null]) {
      picture();
      frames.touch(box);
      rest();
      expect(said).toContain('gather');
      expect(painted.filter((one) => one !== null)[0]).toMatchObject({ left: 0, right: WIDTH });
    }
  });

  it('draw nothing of what was touched outside of the canvas', () => {
    make(true);
    frames.ask();
    rest();
    picture();
    frames.touch({ left: -90, top: -90, right: -10, bottom: -10 });
    vi.advanceTimersByTime(17);
    expect(said).toEqual(['begin', 'done']);
  });

  it('wait with a whole picture as long as light is to come, or until it is there', () => {
    make(true);
    frames.coarseFor(1600);
    vi.advanceTimersByTime(1500);
    expect(said.filter((what) => what === 'gather')).toHaveLength(0);
    frames.settle();
    vi.advanceTimersByTime(40);
    expect(said).toContain('gather');
  });

  it('have no coarse one before light that comes at once, and one where it does not or where a camera moves', () => {
    make(true);
    frames.coarseFor(1600);
    frames.ask();
    vi.advanceTimersByTime(300);
    expect(said).toEqual([]);
    frames.settle();
    rest();
    expect(said.slice(0, said.indexOf('done'))).not.toContain('begin moving');
    expect(said).toContain('done');
    picture();
    frames.coarseFor(1600);
    vi.advanceTimersByTime(400);
    expect(said.slice(0, 2)).toEqual(['begin moving', 'paint']);
    picture();
    frames.coarseFor(1600);
    frames.move();
    vi.advanceTimersByTime(17);
    expect(said[0]).toBe('begin moving');
  });

  it('get coarser while a moving one takes too long, and finer again', () => {
    const sizes: number[] = [];
    make(true);
    const coarse = (frames as unknown as { coarse: { setSize: (x: number, y: number) => void } }).coarse;
    vi.spyOn(coarse, 'setSize').mockImplementation((x) => void sizes.push(x));
    milliseconds = 120;
    for (let k = 0; k < 8; k++) {
      frames.move();
      vi.advanceTimersByTime(17);
    }
    expect(sizes[0]).toBe(WIDTH / 2);
    expect(sizes.at(-1)).toBe(WIDTH / 5);
    milliseconds = 10;
    for (let k = 0; k < 14; k++) {
      frames.move();
      vi.advanceTimersByTime(17);
    }
    expect(sizes.at(-1)).toBe(WIDTH / 2);
  });

  it('are not drawn any more once they are stopped', () => {
    make(true);
    frames.ask();
    vi.advanceTimersByTime(40);
    picture();
    frames.stop();
    rest();
    expect(said).toEqual([]);
  });
});

it('what holds all of some boxes', () => {
  expect(
    around([
      { left: 3, top: 4, right: 9, bottom: 5 },
      { left: 1, top: 6, right: 2, bottom: 8 },
    ]),
  ).toEqual({ left: 1, top: 4, right: 9, bottom: 8 });
});
