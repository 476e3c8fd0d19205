import { describe, expect, it } from 'vitest';
import { areSame, boundsIn, boundsOfPlaces, eachOutstanding, measureCodes, putCodes, scan, SCANNED } from './scan';

describe('one pass over floats', () => {
  it('finds what a plain loop does, in the same order of sums, and leaves out what is no number', () => {
    const values = Float32Array.from({ length: SCANNED }, (_, i) => Math.sin(i * 0.37) * 900 + i * 0.01);
    values.set([NaN, Infinity, -Infinity, -0], 100);
    let [lowest, highest, sum, count] = [Infinity, -Infinity, 0, 0];
    for (let i = 7; i < 60_000; i++) {
      const v = values[i];
      if (!(v - v === 0)) continue;
      if (v < lowest) lowest = v;
      if (v > highest) highest = v;
      sum += v;
      count++;
    }
    expect(scan(values, 7, 60_000)).toEqual({ lowest, highest, sum, count, beyond: -1 });
  });

  it('says where a number lies that no height reaches', () => {
    const values = new Float32Array(1000).fill(12);
    values[417] = -3.4028235e38;
    values[600] = 1e38;
    expect(scan(values, 0, 1000).beyond).toBe(417);
    expect(scan(values, 418, 1000).beyond).toBe(600 - 418);
    expect(scan(values, 0, 0)).toMatchObject({ count: 0, beyond: -1 });
  });
});

describe('quicker passes', () => {
  const values = Float32Array.from({ length: 4099 }, (_, i) => Math.sin(i * 0.37) * 900 + i * 0.01);
  it('find the bounds that the whole pass finds, at any place and length', () => {
    const holed = values.slice();
    holed.set([NaN, Infinity, -Infinity, -0], 100);
    for (const [from, to] of [
      [0, 4099],
      [3, 10],
      [99, 106],
      [100, 103],
      [5, 5],
    ]) {
      const { lowest, highest, count } = scan(holed, from, to);
      expect(boundsIn(holed, from, to)).toEqual({ lowest, highest, count });
    }
  });

  it('tell floats apart by a bit, and what is no number from itself', () => {
    expect(areSame(values, values.slice(), 0, 4099)).toBe(true);
    for (const at of [0, 2, 1000, 4098]) {
      const other = values.slice();
      new Uint32Array(other.buffer)[at] ^= 1;
      expect(areSame(values, other, 0, 4099)).toBe(false);
      const none = values.slice();
      none[at] = NaN;
      expect(areSame(none, none, 0, 4099)).toBe(false);
    }
    expect(areSame(Float32Array.of(0), Float32Array.of(-0), 0, 1)).toBe(false);
  });

  it.each([
    ['bytes', new Uint8Array(4099), 255, 0],
    ['signed', new Int16Array(4099), 65_535, -32_768],
    ['words', new Uint32Array(4099), 4_294_967_295, 0],
  ])('put and measure codes as plain loops do: %s', (_, samples, span, min) => {
    const [low, high] = [-700, 950];
    const perMetre = span / (high - low);
    const clipped = putCodes(samples, values, 0, 4099, { low, perMetre, span, min });
    let wanted = 0;
    for (let i = 0; i < 4099; i++) {
      const code = (values[i] - low) * perMetre + 0.5;
      const fits = code >= 0 && code < span + 1;
      if (!fits) wanted++;
      expect(samples[i]).toBe(min + (fits ? Math.floor(code) : code > 0 ? span : 0));
    }
    expect(clipped).toBe(wanted);
    expect(wanted).toBeGreaterThan(0);
    const by = { noData: NaN, datum: 2, least: -1e9, most: 1e9, scale: 1 / perMetre, zero: min, offset: low + 2 };
    const [first, last] = [3000, 3500];
    let [farthest, squares, far] = [0, 0, 0];
    for (let i = first; i < last; i++) {
      const apart = Math.abs(by.offset + by.scale * (samples[i] - min) - (values[i] + 2));
      farthest = Math.max(farthest, apart);
      squares += apart * apart;
      far = Math.max(far, Math.abs(values[i] + 2));
    }
    expect(measureCodes(samples, values, first, last, by)).toEqual({ farthest, squares, far });
    expect(measureCodes(samples, values, first, last, { ...by, most: 100 })).toBeNull();
    expect(measureCodes(samples, values, first, last, { ...by, noData: samples[3100] })).toBeNull();
  });
});

describe('what stands beyond all of its neighbours', () => {
  const byLooking = (values: Float32Array, across: number, down: number, least: number) => {
    const out: number[] = [];
    for (let row = 1; row + 1 < down; row++)
      for (let column = 1; column + 1 < across; column++) {
        const i = row * across + column;
        const around = [-across - 1, -across, -across + 1, -1, 1, across - 1, across, across + 1].map((k) => values[i + k]);
        if (Math.fround(values[i] - Math.max(...around)) > least || Math.fround(Math.min(...around) - values[i]) > least) out.push(i);
      }
    return out;
  };
  const found = (values: Float32Array, across: number, down: number, least: number) => {
    const out: number[] = [];
    eachOutstanding(values, across, down, least, (i) => out.push(i));
    return out.sort((a, b) => a - b);
  };
  const rough = (length: number) => Float32Array.from({ length }, (_, i) => Math.fround(Math.sin(i * 12.9898) * 43.5 + Math.sin(i * 0.013) * 300));

  it.each([
    [3, 3],
    [4, 3],
    [5, 9],
    [6, 40],
    [67, 31],
    // Wider than what is looked at together, and of more rows.
    [1_025, 6],
    [2_300, 70],
    [40, 3_000],
  ])('%i × %i', (across, down) => {
    const values = rough(across * down);
    for (const least of [0, 2.5, 30]) expect(found(values, across, down, least)).toEqual(byLooking(values, across, down, least));
    expect(byLooking(values, across, down, 0).length).toBeGreaterThan(across * down > 20 ? 0 : -1);
  });

  it('is nothing on level ground, on a slope, and where there is no inside', () => {
    expect(found(new Float32Array(400), 20, 20, 0)).toEqual([]);
    expect(
      found(
        Float32Array.from({ length: 400 }, (_, i) => i % 20),
        20,
        20,
        0,
      ),
    ).toEqual([]);
    for (const [across, down] of [
      [2, 30],
      [30, 2],
      [1, 1],
    ])
      expect(found(rough(across * down), across, down, 0)).toEqual([]);
  });
});

describe('bounds of places', () => {
  /** One number after another. */
  const plainly = (places: Float32Array) => {
    const min = [Infinity, Infinity, Infinity];
    const max = [-Infinity, -Infinity, -Infinity];
    let finite = true;
    for (let i = 0; i < places.length; i++) {
      if (!Number.isFinite(places[i])) finite = false;
      else [min[i % 3], max[i % 3]] = [Math.min(min[i % 3], places[i]), Math.max(max[i % 3], places[i])];
    }
    return { min, max, finite };
  };

  it.each([0, 1, 2, 3, 4, 5, 7, 16_383, 16_384, 70_001])('of %i places: as one finds them number by number', (count) => {
    const places = Float32Array.from({ length: 3 * count }, (_, i) => Math.sin(i * 12.9898) * 4e4 + (i % 3) * 1e5);
    expect(boundsOfPlaces(places)).toEqual(plainly(places));
  });

  it('what is not finite is said, and counts for nothing, wherever it stands', () => {
    for (const strange of [NaN, Infinity, -Infinity]) {
      for (const at of [0, 4, 11, 3 * 16_384 + 1, 3 * 20_000 - 1]) {
        const places = Float32Array.from({ length: 60_000 }, (_, i) => (i * 7919) % 1013);
        places[at] = strange;
        expect(boundsOfPlaces(places)).toEqual(plainly(places));
        expect(boundsOfPlaces(places).finite).toBe(false);
      }
    }
    const none = new Float32Array(36).fill(NaN);
    expect(boundsOfPlaces(none)).toEqual({ min: [Infinity, Infinity, Infinity], max: [-Infinity, -Infinity, -Infinity], finite: false });
  });
});
