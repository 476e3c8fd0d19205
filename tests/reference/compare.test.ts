import { afterAll, describe, expect, it } from 'vitest';
import { compareFitted, differenceBetween, numbersOf, type Field } from '@upland-cast/core';
import { maungaWhau } from '../helpers/maunga-whau';
import { python, readBytes, save, scratch } from '../helpers/outside';

const { path, done } = scratch();
afterAll(done);
const a = maungaWhau();
const { across, down } = a.ground;
save(path('a.f32'), new Uint8Array(a.height.buffer));

/** Heights that numpy and scipy make of Maunga Whau's, `h`. */
function changed(program: string): Field {
  python(
    `import sys, numpy as np, scipy.ndimage as nd\nh = np.fromfile(sys.argv[1], '<f4').reshape(${down}, ${across}).astype('f8')\n${program}\nnp.asarray(out, '<f4').tofile(sys.argv[2])`,
    path('a.f32'),
    path('b.f32'),
  );
  return { ground: a.ground, height: new Float32Array(readBytes(path('b.f32')).buffer) };
}

/** What numpy and scikit-image measure between the two, as JSON. */
function measured<T>(program: string): T {
  return JSON.parse(
    python(
      `import sys, json, numpy as np\na = np.fromfile(sys.argv[1], '<f4').reshape(${down}, ${across}).astype('f8')\nb = np.fromfile(sys.argv[2], '<f4').reshape(${down}, ${across}).astype('f8')\n${program}`,
      path('a.f32'),
      path('b.f32'),
    ),
  ) as T;
}

describe('comparing Maunga Whau (open data: vega-datasets, volcano.json) with what numpy made of it', () => {
  it('measures what numpy measures: differences, percentiles, correlation, volumes, where it is largest', () => {
    const b = changed('rng = np.random.default_rng(5)\nout = 1.02 * h - 3 + rng.normal(0, 0.8, h.shape)');
    const d = differenceBetween(a, b);
    const wanted = measured<Record<string, number>>(
      'd = b - a\ni = int(np.abs(d).argmax())\nprint(json.dumps({"mean": d.mean(), "rmse": float(np.sqrt((d * d).mean())), "deviation": d.std(), "most": float(np.abs(d).max()), "p50": float(np.quantile(np.abs(d), .5)), "p99": float(np.quantile(np.abs(d), .99)), "r": float(np.corrcoef(a.ravel(), b.ravel())[0, 1]), "loss": float(-d[d < 0].sum() * 100), "gain": float(d[d > 0].sum() * 100), "at": i}))',
    );
    expect(d.mean).toBeCloseTo(wanted.mean, 5);
    expect(d.rmse).toBeCloseTo(wanted.rmse, 5);
    expect(d.deviation).toBeCloseTo(wanted.deviation, 5);
    expect(d.maxAbs).toBeCloseTo(wanted.most, 4);
    expect(d.percentiles[0].within).toBeCloseTo(wanted.p50, 2);
    expect(d.percentiles.at(-1)!.within).toBeCloseTo(wanted.p99, 1);
    expect(d.correlation).toBeCloseTo(wanted.r, 7);
    expect(d.loss / wanted.loss).toBeCloseTo(1, 5);
    expect(d.gain / wanted.gain).toBeCloseTo(1, 5);
    expect([d.at.east, d.at.south]).toEqual([(wanted.at % across) * 10, Math.floor(wanted.at / across) * 10]);
    const own = numbersOf(b);
    const side = measured<Record<string, number>>('print(json.dumps({"low": b.min(), "high": b.max(), "mean": b.mean(), "deviation": b.std()}))');
    expect(own.lowest).toBeCloseTo(side.low, 4);
    expect(own.highest).toBeCloseTo(side.high, 4);
    expect(own.mean).toBeCloseTo(side.mean, 4);
    expect(own.deviation).toBeCloseTo(side.deviation, 4);
  });

  it('finds shifts that scipy’s splines made within a tenth of a sample, as scikit-image’s phase correlation does', async () => {
    for (const [south, east] of [
      [1.4, -2.3],
      [-3.7, 0.6],
    ]) {
      const b = changed(`out = nd.shift(h, (${south}, ${east}), order=3, mode='nearest')`);
      const { fit, findings } = await compareFitted(a, b);
      expect(findings[0].kind).toBe('plan-shift');
      expect(Math.abs(fit.shift.east - east)).toBeLessThan(0.1);
      expect(Math.abs(fit.shift.south - south)).toBeLessThan(0.1);
      const theirs = measured<number[]>(
        'from skimage.registration import phase_cross_correlation\nimport scipy.ndimage as nd\nf = lambda v: nd.gaussian_laplace(v, 1.5)[8:-8, 8:-8]\na, b = f(a), f(b)\nw = np.hanning(a.shape[0])[:, None] * np.hanning(a.shape[1])[None]\ns = phase_cross_correlation((b - b.mean()) * w, (a - a.mean()) * w, upsample_factor=20, normalization=None)[0]\nprint(json.dumps([float(v) for v in s]))',
      );
      // Of curvatures, and without the rim that the splines made up.
      expect(Math.abs(fit.shift.south - theirs[0])).toBeLessThan(0.3);
      expect(Math.abs(fit.shift.east - theirs[1])).toBeLessThan(0.3);
    }
  });

  it('finds the line that numpy fits between the heights, within 1 %', async () => {
    const b = changed('rng = np.random.default_rng(7)\nout = 0.504 * h + 20 + rng.normal(0, 0.2, h.shape)');
    const { relation, findings } = await compareFitted(a, b);
    const [scale, lift] = measured<number[]>('print(json.dumps([float(v) for v in np.polyfit(a.ravel(), b.ravel(), 1)]))');
    expect(relation.scale / scale).toBeCloseTo(1, 6);
    expect(relation.lift / lift).toBeCloseTo(1, 5);
    expect(findings[0].kind).toBe('height-scale');
  });
});
