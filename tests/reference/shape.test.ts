import { afterAll, describe, expect, it } from 'vitest';
import { evaluate, gaussian, inlineKernels, makeCourse, resample, stepUse, withSamples, type Field } from '@upland-cast/core';
import { groundOf, hills, noiseField, range } from '../helpers/grounds';
import { maungaWhau } from '../helpers/maunga-whau';
import { python, readBytes, save, scratch } from '../helpers/outside';

const { path, done } = scratch();
afterAll(done);
const kernels = inlineKernels();

/** Runs Python over the field (`a`, float64, rows from the north); what it leaves in `out` comes back. */
function inNumpy(field: Field, program: string): Float64Array {
  save(path('in.bin'), new Uint8Array(Float64Array.from(field.height).buffer));
  const { across, down } = field.ground;
  python(
    `import numpy, sys\nfrom scipy import ndimage\na = numpy.fromfile(sys.argv[1]).reshape(${down}, ${across})\n${program}\nnumpy.asarray(out, dtype=float).tofile(sys.argv[2])`,
    path('in.bin'),
    path('out.bin'),
  );
  return new Float64Array(readBytes(path('out.bin')).buffer);
}

const applied = async (step: string, params: object, field: Field) => {
  const { stages } = await evaluate(makeCourse('t', field.ground, [stepUse(step, params as Record<string, unknown>)]), { kernels, from: field });
  expect(stages[0].fault).toBeUndefined();
  return stages[0].height;
};

/** The largest difference inside and at the edge, as shares of the range. */
function apart(field: Field, ours: Float32Array, theirs: Float64Array, margin: number): { inside: number; edge: number } {
  const { across, down } = field.ground;
  const [low, high] = range(field.height);
  const worst = { inside: 0, edge: 0 };
  for (let row = 0; row < down; row++) {
    for (let c = 0; c < across; c++) {
      const i = row * across + c;
      const where = Math.min(row, c, down - 1 - row, across - 1 - c) >= margin ? 'inside' : 'edge';
      worst[where] = Math.max(worst[where], Math.abs(ours[i] - theirs[i]) / (high - low));
    }
  }
  return worst;
}

const grounds: [string, Field][] = [
  ['Maunga Whau', maungaWhau()],
  ['hills', hills(groundOf(301, 211, 10), 3)],
  ['unrelated heights', noiseField(groundOf(260, 190, 10), 5, 0, 800)],
];

// scipy.ndimage.gaussian_filter, double precision, mode "nearest".
describe('blur agrees with SciPy within 1e-4 of the range inside and 1e-3 at the edge', () => {
  for (const [name, field] of grounds) {
    it.each([0.4, 1, 3.3, 8, 15.9, 24, 70])(`${name}, σ = %s samples`, async (sigma) => {
      const theirs = inNumpy(field, `out = ndimage.gaussian_filter(a, ${sigma}, mode="nearest")`);
      const ours = await applied('blur', { size: sigma * 10 }, field);
      const { inside, edge } = apart(field, ours, theirs, 12);
      expect(inside).toBeLessThan(1e-4);
      expect(edge).toBeLessThan(1e-3);
    });
  }

  it('with another deviation across than down', async () => {
    const field = grounds[1][1];
    const theirs = inNumpy(field, 'out = ndimage.gaussian_filter(a, (21, 40), mode="nearest")');
    const ours = await gaussian(kernels, field.height, 301, 211, 40, 21);
    const { inside, edge } = apart(field, ours, theirs, 12);
    expect(inside).toBeLessThan(1e-4);
    expect(edge).toBeLessThan(1e-3);
  });
});

// scipy.ndimage.median_filter, mode "nearest".
describe('median agrees with SciPy exactly', () => {
  for (const [name, field] of grounds) {
    it.each([3, 5, 7, 9, 21, 45])(`${name}, %s samples a side`, async (size) => {
      const theirs = inNumpy(field, `out = ndimage.median_filter(a, size=${size}, mode="nearest")`);
      const ours = await applied('median', { size: (size - 1) * 10 }, field);
      const { inside, edge } = apart(field, ours, theirs, 12);
      expect(inside).toBe(0);
      expect(edge).toBe(0);
    });
  }

  it('on ground of few levels', async () => {
    const field = { ...grounds[1][1], height: grounds[1][1].height.map((h) => Math.round(h / 40) * 40) };
    const theirs = inNumpy(field, 'out = ndimage.median_filter(a, size=19, mode="nearest")');
    const { inside, edge } = apart(field, await applied('median', { size: 180 }, field), theirs, 12);
    expect(Math.max(inside, edge)).toBe(0);
  });
});

// The kernel written out: sinc(x)·sinc(x/3), widened by the reduction, the outer samples carried on.
describe('Lanczos resampling agrees with its kernel', () => {
  it.each([150, 97, 602])('from 301 to %s samples', (count) => {
    const field = hills(groundOf(301, 60, 10, 'area'), 9);
    const program = `
n = ${count}
scale = ${field.ground.across} / n
wide = max(1.0, scale)
out = numpy.zeros((a.shape[0], n))
for i in range(n):
    p = (i + 0.5) * scale - 0.5
    k = numpy.arange(int(numpy.floor(p - 3 * wide)) - 1, int(numpy.ceil(p + 3 * wide)) + 2)
    t = (p - k) / wide
    w = numpy.where(abs(t) < 3, numpy.sinc(t) * numpy.sinc(t / 3), 0)
    out[:, i] = a[:, numpy.clip(k, 0, a.shape[1] - 1)] @ (w / w.sum())`;
    const theirs = inNumpy(field, program);
    const ours = resample(field, withSamples(field.ground, count, 60), 'lanczos').height;
    const [low, high] = range(field.height);
    for (let i = 0; i < ours.length; i++) expect(Math.abs(ours[i] - theirs[i])).toBeLessThan(1e-4 * (high - low));
  });
});

// Power falls as f^(−2H − 2) in two dimensions, H = −log gain / log lacunarity (Musgrave in Ebert et al., ch. 16).
describe('the spectrum of fBm', () => {
  it.each([
    [0.5, 2],
    [0.6, 2],
    [0.45, 2.03],
  ])('with gain %s and lacunarity %s has the slope of theory within 0.15', async (gain, lacunarity) => {
    const field = hills(groundOf(1024, 1024, 1, 'area'));
    let slope = 0;
    const seeds = [1, 2, 3];
    for (const seed of seeds) {
      const use = stepUse('noise', { feature: 256, height: 400, octaves: 7, gain, lacunarity, seed }, { join: 'replace' });
      const { height } = await evaluate(makeCourse('t', field.ground, [use]), { kernels });
      const out = inNumpy(
        { ...field, height },
        `
w = numpy.hanning(1024)
power = abs(numpy.fft.fft2((a - a.mean()) * w[:, None] * w[None, :])) ** 2
f = numpy.fft.fftfreq(1024)
r = numpy.hypot(f[:, None], f[None, :])
edges = numpy.geomspace(1 / 200, 1 / 8, 25)
which = numpy.digitize(r.ravel(), edges)
x, y = [], []
for b in range(1, len(edges)):
    inside = which == b
    x.append(numpy.log(r.ravel()[inside]).mean())
    y.append(numpy.log(power.ravel()[inside].mean()))
out = numpy.polyfit(x, y, 1)[:1]`,
      );
      slope += out[0] / seeds.length;
    }
    const hurst = -Math.log(gain) / Math.log(lacunarity);
    console.log(`measured: spectrum of fBm, gain ${gain}: slope ${slope.toFixed(3)}, theory ${(-2 * hurst - 2).toFixed(3)}`);
    expect(Math.abs(slope - (-2 * hurst - 2))).toBeLessThan(0.15);
  });
});
