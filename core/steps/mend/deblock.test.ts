import { encode as encodeJpeg } from 'jpeg-js';
import { describe, expect, it } from 'vitest';
import { type Field } from '../../field/field';
import { readHeightmap } from '../../formats';
import { findBlocks } from './deblock';
import { runMend, rmse, clean } from '../../../tests/helpers/mend-steps';

const spanOf = (h: Float32Array) => h.reduce((a, b) => Math.max(a, b), -Infinity) - h.reduce((a, b) => Math.min(a, b), Infinity);

describe('de-block', () => {
  const jpegOf = async (truth: Float32Array, across: number, down: number, quality: number) => {
    const data = new Uint8Array(4 * truth.length);
    truth.forEach((v, i) => data.set([Math.round(v), Math.round(v), Math.round(v), 255], 4 * i));
    const bytes = new Uint8Array(encodeJpeg({ data, width: across, height: down }, quality).data);
    return Float32Array.from((await readHeightmap(bytes)).samples);
  };
  /** How much larger steps across the grid are than the others, in all. */
  const excess = (h: Float32Array, across: number, down: number) => {
    const sums = [0, 0];
    const counts = [0, 0];
    for (let y = 1; y < down; y++) {
      for (let x = 1; x < across; x++) {
        const i = y * across + x;
        sums[x % 8 === 0 ? 1 : 0] += Math.abs(h[i] - h[i - 1]);
        counts[x % 8 === 0 ? 1 : 0]++;
        sums[y % 8 === 0 ? 1 : 0] += Math.abs(h[i] - h[i - across]);
        counts[y % 8 === 0 ? 1 : 0]++;
      }
    }
    return sums[1] / counts[1] - sums[0] / counts[0];
  };
  const grounds: [string, Field][] = [clean[0], clean[1], ['eroded', clean[2][1]]];
  for (const quality of [30, 50, 75]) {
    it.each(grounds)(`brings the excess across the grid of %s at quality ${quality} down by 80 %, no worse in error`, async (_, field) => {
      const { across, down } = field.ground;
      const low = field.height.reduce((a, b) => Math.min(a, b), Infinity);
      const span = spanOf(field.height);
      const truth = field.height.map((h) => (250 * (h - low)) / span);
      const packed = await jpegOf(truth, across, down, quality);
      const before = excess(packed, across, down) - excess(truth, across, down);
      const { height } = await runMend('deblock', { ground: field.ground, height: packed as Float32Array<ArrayBuffer> });
      if (!findBlocks(packed, across, down)) {
        expect(before).toBeLessThan(0.05);
        return;
      }
      expect(Math.abs(excess(height, across, down) - excess(truth, across, down))).toBeLessThan(0.2 * before);
      expect(rmse(height, truth)).toBeLessThanOrEqual(rmse(packed, truth));
    });
  }
});
