import { encode as encodeJpeg } from 'jpeg-js';
import { describe, expect, it } from 'vitest';
import { groundOf, random } from '../../../tests/helpers/grounds';
import { evaluate } from '../../course/evaluate';
import { makeCourse, stepUse } from '../../course/schema';
import { type Field } from '../../field/field';
import { readHeightmap } from '../../formats';
import { inlineKernels } from '../../kernels/pool';
import { findSpikes } from './despike';
import { runMend, rmse, clean } from '../../../tests/helpers/mend-steps';

const kernels = inlineKernels();

const spanOf = (h: Float32Array) => h.reduce((a, b) => Math.max(a, b), -Infinity) - h.reduce((a, b) => Math.min(a, b), Infinity);

describe('despike', () => {
  it.each(clean)('takes spikes out of %s: the error falls by 95 % at least', async (_, field) => {
    const next = random(5);
    const damaged = field.height.slice();
    const span = spanOf(field.height);
    for (let k = 0; k < 160; k++) damaged[Math.floor(next() * damaged.length)] += (next() < 0.5 ? -1 : 1) * span * (0.4 + next());
    const { height } = await runMend('despike', { ...field, height: damaged });
    expect(rmse(height, field.height)).toBeLessThan(0.05 * rmse(damaged, field.height));
  });

  it('on clean ground cut into benches next to nothing stands off: one sample in a thousand at the most', async () => {
    const { ground } = clean[0][1];
    for (const [seed, spacing] of [
      [4, 30],
      [5, 12],
      [9, 25],
    ]) {
      const steps = [stepUse('noise', { feature: 900, height: 300, octaves: 5, seed }), stepUse('terrace', { spacing, sharpness: 0.95 })];
      const { height } = await evaluate(makeCourse('benches', ground, steps), { kernels });
      const { count } = await findSpikes(height, ground.across, ground.down, kernels);
      expect(count / height.length).toBeLessThan(0.001);
    }
  });

  it.each([60, 80, 92])('of a JPEG of quality %i it takes what packing smeared around spikes out too', async (quality) => {
    const side = 256;
    const wide = groundOf(side, side, 10);
    const truth = (await evaluate(makeCourse('hills', wide, [stepUse('noise', { feature: 900, height: 200, octaves: 5, seed: 4 })]), { kernels })).height;
    const [low, high] = [Math.min(...truth), Math.max(...truth)];
    const code = (h: number) => Math.round((255 * (h - low)) / (high - low));
    const data = new Uint8Array(4 * side * side);
    truth.forEach((h, i) => data.set([code(h), code(h), code(h), 255], 4 * i));
    const places = Array.from({ length: 25 }, (_, k) => (12 + ((k * 37) % 230)) * side + 12 + ((k * 53) % 230));
    for (const [k, p] of places.entries()) data.set(k % 2 ? [255, 255, 255] : [0, 0, 0], 4 * p);
    const { samples } = await readHeightmap(new Uint8Array(encodeJpeg({ data, width: side, height: side }, quality).data));
    const scan: Field = { ground: wide, height: Float32Array.from(samples, (v) => low + (v * (high - low)) / 255) };
    const least = (20 * (high - low)) / 255;
    const near = (height: Float32Array) => {
      let [sum, n] = [0, 0];
      for (const p of places)
        for (let y = -8; y <= 8; y++) for (let x = -8; x <= 8; x++, n++) sum += Math.abs(height[p + y * side + x] - truth[p + y * side + x]);
      return sum / n;
    };
    const mended = async (params: object) => {
      const spikes = (await runMend('despike', scan, { least, ...params })).height;
      return near((await runMend('deblock', { ...scan, height: spikes })).height);
    };
    const [plain, packed] = [await mended({}), await mended({ packed: true })];
    expect(packed).toBeLessThan(0.75 * plain);
  });
});
