import { afterAll, describe, expect, it } from 'vitest';
import { describeLand, evaluate, fieldFrom, fieldOf, inlineKernels, makeCourse, makeGround, stepUse, type Field } from '@upland-cast/core';
import { fractal } from '../helpers/fractal';
import { groundOf } from '../helpers/grounds';
import { maungaWhau } from '../helpers/maunga-whau';
import { python, save, scratch } from '../helpers/outside';

const { path, done } = scratch();
afterAll(done);
const kernels = inlineKernels();

/** The same measures by numpy: its gradient, its histograms, its transforms. */
const NUMPY = `
import sys, json, numpy as np
h = np.fromfile(sys.argv[1], '<f4').astype(float).reshape(int(sys.argv[2]), int(sys.argv[3])); d = float(sys.argv[4])
gy, gx = np.gradient(h, d)
slope = np.degrees(np.arctan(np.hypot(gx, gy)))
aspect = np.degrees(np.arctan2(-gx, gy)) % 360
bins = np.histogram(aspect[slope > max(np.median(slope), 0.5)], 72, (0, 360))[0].astype(float)
k = np.abs(np.fft.rfft(bins / bins.mean())) / 36
degrees = np.histogram(slope, 90, (0, 90))[0] / slope.size
w = np.hanning(h.shape[0])[:, None] * np.hanning(h.shape[1])[None]
power = np.abs(np.fft.fft2((h - h.mean()) * w)) ** 2
f = np.hypot(np.fft.fftfreq(h.shape[0])[:, None], np.fft.fftfreq(h.shape[1])[None])
edges = np.logspace(np.log10(4 / min(h.shape)), np.log10(0.4), 14)
p = [np.log(power[(f >= a) & (f < b)].mean()) for a, b in zip(edges, edges[1:])]
x = np.log(np.sqrt(edges[1:] * edges[:-1]))
print(json.dumps([degrees[1:].max(), (slope < 0.5).mean(), k[8], k[4], *np.quantile(slope, [.05, .25, .5, .75, .95, .99]),
  np.polyfit(x[:6], p[:6], 1)[0], np.polyfit(x[6:], p[6:], 1)[0]]))
`;

async function byNumpy({ ground, height }: Field, spacing: number): Promise<number[]> {
  save(path('h.f32'), new Uint8Array(height.buffer.slice(0)) as Uint8Array<ArrayBuffer>);
  return JSON.parse(python(NUMPY, path('h.f32'), String(ground.down), String(ground.across), String(spacing))) as number[];
}

const measured = async (field: Field) => {
  const { slope, spectrum, fullestDegree, flat, eightFold, fourFold } = await describeLand(kernels, field);
  return [fullestDegree.share, flat, eightFold, fourFold, ...Object.values(slope), spectrum.large, spectrum.small];
};

describe('land is measured as numpy measures it, within 2 %', () => {
  it.each([
    ['513²', fractal(groundOf(513, 513, 8), { seed: 5, height: 400 }), 8],
    ['of 300 × 260 cells', fractal(groundOf(300, 260, 5, 'area'), { seed: 2, height: 300, gain: 0.6 }), 5],
    ['half of it level', fieldFrom(groundOf(200, 201, 10), (e, s) => Math.max(0, 40 * Math.sin(e / 170) + 30 * Math.cos(s / 140))), 10],
  ] as const)('%s', async (_, field, spacing) => {
    const [ours, theirs] = [await measured(field), await byNumpy(field, spacing)];
    ours.forEach((value, i) =>
      expect(Math.abs(value - theirs[i]), `measure ${i}: ${value} and ${theirs[i]}`).toBeLessThanOrEqual(0.02 * Math.abs(theirs[i]) + 1e-4),
    );
  });

  it('Maunga Whau, a real hill (R’s volcano grid, in vega-datasets)', async () => {
    const field = maungaWhau();
    const [ours, theirs] = [await measured(field), await byNumpy(field, 10)];
    ours.slice(0, 10).forEach((value, i) => expect(Math.abs(value - theirs[i]), `measure ${i}`).toBeLessThanOrEqual(0.02 * Math.abs(theirs[i]) + 1e-4));
  });
});

describe('weather as it comes makes ground that measures as land', () => {
  const fractals = async (seed: number, spacing: number, step: string, params: Record<string, unknown>) => {
    const side = 512 * spacing;
    const ground = makeGround({ width: side, depth: side, across: 513, down: 513, registration: 'point', sea: -9000 });
    const source = stepUse('noise', { kind: 'fbm', feature: side * 0.42, height: side * 0.06, level: 400, octaves: 9, gain: 0.48, seed }, { join: 'replace' });
    const evaluation = await evaluate(makeCourse('f', ground, [source, stepUse(step, params)]), { kernels });
    expect(evaluation.stages[1].fault).toBeUndefined();
    const { before, height } = evaluation.stages[1];
    const range = before.reduce((most, h) => Math.max(most, h), -Infinity) - before.reduce((least, h) => Math.min(least, h), Infinity);
    const change = Math.sqrt(height.reduce((sum, h, i) => sum + (h - before[i]) ** 2, 0) / height.length) / range;
    return { land: await describeLand(kernels, fieldOf(evaluation, ground)), change };
  };

  // The grid shows through by chance on any one ground: three seeds each, their mean.
  it.each([
    ['fluvial', { scale: 200, soften: 36, breach: 200 }],
    ['runoff', {}],
  ] as const)('%s: no direction of the grid, no one slope, hardly level', async (step, params) => {
    let [eight, four] = [0, 0];
    for (const seed of [3, 4, 5]) {
      const { land, change } = await fractals(seed, 16, step, params);
      console.log(
        `measured: ${step} on fractal ${seed}: eight-fold ${land.eightFold.toFixed(3)}, four-fold ${land.fourFold.toFixed(3)}, fullest ${land.fullestDegree.share.toFixed(3)} at ${land.fullestDegree.at}°, level ${land.flat.toFixed(3)}`,
      );
      eight += land.eightFold / 3;
      four += land.fourFold / 3;
      expect(land.fullestDegree.share).toBeLessThan(0.08);
      expect(land.flat).toBeLessThan(0.03);
      expect(change).toBeGreaterThan(0.0145);
    }
    expect(eight).toBeLessThan(0.06);
    expect(four).toBeLessThan(0.08);
  });
});
