import { describe, expect, it } from 'vitest';
import { along, blurAt, fieldOfView, lensOrder, lensRadius, partsOf, turned, withinPixel } from './still';

const still = { width: 1920, height: 1080, focal: 50, aperture: 2, focus: 10, scale: 1, samples: 8 };

describe('the camera of a still', () => {
  it('sees as a lens does: 35 mm on a film of 24 mm sees 37.8° (2 atan 12/35)', () => {
    expect(fieldOfView(35)).toBeCloseTo(37.85, 2);
    expect(fieldOfView(12)).toBeCloseTo(90, 9);
  });

  it('blurs as a thin lens does: the circle of confusion f² (s₂ − s₁) / N s₂ (s₁ − f), in the limit of far focus', () => {
    // A 50 mm lens at f/2, focused at 10 m, of a point at 20 m: on the film 50² · 10 000 / (2 · 20 000 · 9 950) = 0.0628 mm of 24 mm.
    const film = (50 * 50 * 10_000) / (2 * 20_000 * (10_000 - 50));
    expect(blurAt(20, still) / 1080).toBeCloseTo(film / 24, 4);
    expect(blurAt(10, still)).toBe(0);
    expect(blurAt(20, { ...still, aperture: Infinity })).toBe(0);
    expect(lensRadius({ ...still, scale: 1000 })).toBeCloseTo(12.5, 9);
  });

  it('goes around what it looks at, at one height and distance', () => {
    const place = { eye: [300, 100, 80] as [number, number, number], target: [100, 100, 20] as [number, number, number] };
    const quarter = turned(place, 90);
    expect(quarter.eye[0]).toBeCloseTo(100, 9);
    expect(quarter.eye[1]).toBeCloseTo(300, 9);
    expect(quarter.eye[2]).toBe(80);
    expect(turned(place, 360).eye[0]).toBeCloseTo(300, 9);
  });

  it('is taken in parts that cover it once', () => {
    for (const [width, height] of [
      [640, 360],
      [2048, 2049],
      [8192, 4321],
    ]) {
      const parts = partsOf(width, height);
      expect(parts.reduce((sum, p) => sum + p.width * p.height, 0)).toBe(width * height);
      for (const { left, top, width: w, height: h } of parts) {
        expect(left + w).toBeLessThanOrEqual(width);
        expect(top + h).toBeLessThanOrEqual(height);
        expect(Math.max(w, h)).toBeLessThanOrEqual(2048);
      }
    }
  });

  it('goes through every kept view in turn, smoothly, and stays at the only one', () => {
    const at = (x: number) => ({ eye: [x, 0, 10] as [number, number, number], target: [x, 5, 0] as [number, number, number] });
    const places = [at(0), at(10), at(20), at(30)];
    expect(along(places, 0)).toEqual(at(0));
    expect(along(places, 1 / 3).eye[0]).toBeCloseTo(10, 9);
    expect(along(places, 0.5).eye[0]).toBeCloseTo(15, 9);
    expect(along(places, 1)).toEqual(at(30));
    expect(along([at(7)], 0.4)).toEqual(at(7));
  });

  it('looks through every place on the lens once, and from any number of passes on through its middle and its rim', () => {
    for (const samples of [1, 2, 7, 64, 100]) expect([...lensOrder(samples)].sort((a, b) => a - b)).toEqual(Array.from({ length: samples }, (_, k) => k));
    const order = lensOrder(64);
    // Of any eight passes in turn that begin with a multiple of eight there is one in every eighth of the lens.
    for (let k = 0; k < 64; k += 8) expect(new Set(order.slice(k, k + 8).map((at) => Math.floor(at / 8))).size).toBe(8);
  });

  it('looks all over the pixel, a quarter of it each of four passes that are gathered together', () => {
    const passes = Array.from({ length: 64 }, (_, k) => withinPixel(k, 64, false));
    for (let k = 0; k < 64; k += 4) {
      const four = passes.slice(k, k + 4);
      expect(new Set(four.map(({ jitter: [x, y] }) => `${x < 0},${y < 0}`)).size).toBe(4);
      expect(four.map(({ shared }) => shared!.fresh)).toEqual([true, false, false, false]);
      // The finer picture is one: its pixels lie half a pixel apart.
      for (const { jitter, shared } of four)
        expect([0, 1].map((c) => jitter[c] - shared!.at[c] / 2)).toEqual([0, 1].map((c) => expect.closeTo(four[0].jitter[c], 12)));
    }
    const sixteenths = new Set(passes.map(({ jitter: [x, y] }) => Math.floor(4 * (x + 0.5)) + 4 * Math.floor(4 * (y + 0.5))));
    expect(sixteenths.size).toBe(16);
    expect(passes.every(({ jitter: [x, y] }) => Math.max(Math.abs(x), Math.abs(y)) <= 0.5)).toBe(true);
  });

  it('gathers every pass by itself where a lens blurs, and looks through the middle of the pixel when there is one alone', () => {
    expect(withinPixel(5, 64, true).shared).toBeNull();
    expect(withinPixel(0, 1, false)).toEqual({ jitter: [0, 0], shared: null });
  });
});
