import { afterAll, describe, expect, it } from 'vitest';
import {
  ambientShade,
  encodeImage,
  inlineKernels,
  encodePicture,
  encodeRgb,
  normalMap,
  packWeights,
  ranks,
  shorelineLength,
  type Image,
} from '@upland-cast/core';
import { maungaWhau } from '../helpers/maunga-whau';
import { python, readBytes, run, save, scratch } from '../helpers/outside';

const { path, done } = scratch();
afterAll(done);
const field = maungaWhau();
const { across, down } = field.ground;
save(path('heights.f32'), new Uint8Array(field.height.buffer));

/** Runs a program of numpy and scipy over the heights of Maunga Whau; it has `h`, and writes float64 to `out`. */
function numpy(program: string): Float64Array {
  python(
    `import sys, numpy as np, scipy.ndimage as nd\nh = np.fromfile(sys.argv[1], '<f4').reshape(${down}, ${across}).astype('f8')\n${program}\nnp.asarray(out, '<f8').tofile(sys.argv[2])`,
    path('heights.f32'),
    path('out.f64'),
  );
  return new Float64Array(readBytes(path('out.f64')).buffer);
}

const kernels = inlineKernels();

/** Normals as codes of 8 and of 16 bits. */
const normals = () =>
  Promise.all([normalMap(kernels, field) as Promise<Uint8Array<ArrayBuffer>>, normalMap(kernels, field, { bits: 16 }) as Promise<Uint16Array<ArrayBuffer>>]);

describe('maps of Maunga Whau (open data: vega-datasets, volcano.json; 10 m) against numpy and scipy', () => {
  it('normals are those of scipy’s Sobel differences, which are Horn’s, within a code', async () => {
    const wanted = numpy(
      "gx = nd.sobel(h, 1, mode='nearest') / 80\ngy = nd.sobel(h, 0, mode='nearest') / 80\nl = np.sqrt(1 + gx * gx + gy * gy)\nout = np.stack([-gx / l, gy / l, 1 / l], -1)",
    );
    for (const bits of [8, 16] as const) {
      const map = await normalMap(kernels, field, { bits });
      const full = bits === 8 ? 255 : 65_535;
      let off = 0;
      for (let row = 1; row + 1 < down; row++) {
        for (let i = 3 * (row * across + 1); i < 3 * (row * across + across - 1); i++) off = Math.max(off, Math.abs(map[i] - (wanted[i] * 0.5 + 0.5) * full));
      }
      expect(off).toBeLessThanOrEqual(1);
    }
  });

  it('ranks are the shares that lie lower, as numpy sorts them, within what samples of one height leave open', () => {
    const wanted = numpy(
      "s = np.sort(h.ravel())\nout = np.stack([np.searchsorted(s, h.ravel(), 'left'), np.searchsorted(s, h.ravel(), 'right')], -1) / s.size",
    );
    const own = ranks(field.height);
    for (let i = 0; i < own.length; i++) {
      expect(own[i]).toBeGreaterThanOrEqual(wanted[2 * i] - 1e-6);
      expect(own[i]).toBeLessThanOrEqual(wanted[2 * i + 1] + 1e-6);
    }
  });

  it('ambient shade is what rays find that numpy casts along rows, columns and diagonals', async () => {
    const wanted = numpy(
      [
        'z = np.zeros_like(h)',
        'for dx, dy in [(1, 1), (-1, -1), (1, -1), (-1, 1)]:',
        '  t = np.zeros_like(h)',
        '  for k in range(1, max(h.shape)):',
        '    ys, xs = np.mgrid[0:h.shape[0], 0:h.shape[1]]',
        '    y, x = ys + k * dy, xs + k * dx',
        '    ok = (y >= 0) & (x >= 0) & (y < h.shape[0]) & (x < h.shape[1])',
        '    if not ok.any(): break',
        '    s = np.zeros_like(h)',
        '    s[ok] = (h[y[ok], x[ok]] - h[ok]) / (k * 10 * np.sqrt(2))',
        '    t = np.maximum(t, s)',
        '  z += 1 / (1 + t * t)',
        'out = z / 4',
      ].join('\n'),
    );
    const own = await ambientShade(inlineKernels(), field, { directions: 4, exaggeration: 1 });
    let off = 0;
    for (let i = 0; i < own.length; i++) off = Math.max(off, Math.abs(own[i] - wanted[i]));
    expect(off).toBeLessThan(1e-6);
  });

  it('the length of a contour is that of scikit-image’s marching squares, within a thousandth', () => {
    // Between the whole metres of the heights: at a whole one plateaus lie on the line, and have no one contour.
    for (const level of [110.5, 130.5, 160.25]) {
      const length = Number(
        python(
          `import sys, numpy as np\nfrom skimage import measure\nh = np.fromfile(sys.argv[1], '<f4').reshape(${down}, ${across}).astype('f8')\nprint(sum(np.hypot(*np.diff(c, axis=0).T).sum() for c in measure.find_contours(h, ${level})) * 10)`,
          path('heights.f32'),
        ),
      );
      expect(shorelineLength(field, level) / length, `${level} m`).toBeCloseTo(1, 3);
    }
  });

  it('pictures of one, three and four channels, of 8 and 16 bits, are what ImageMagick reads', async () => {
    const [narrow, wide] = await normals();
    const weights = packWeights([field.height, Float32Array.from(field.height, (h) => 200 - h), new Float32Array(field.height.length).fill(7)], 16)[0];
    const pictures: [string, Uint8Array<ArrayBuffer>, ArrayLike<number>, number][] = [
      ['rgb8', encodeRgb(narrow, across, down), narrow, 8],
      ['rgb16', encodeImage({ width: across, height: down, channels: 3, samples: wide }), wide, 16],
      ['rgba16', encodeImage({ width: across, height: down, channels: 4, samples: weights }), weights, 16],
    ];
    for (const [name, bytes, samples, bits] of pictures) {
      save(path(`${name}.png`), bytes);
      const order = name.includes('rgba') ? 'RGBA' : 'RGB';
      run('convert', [path(`${name}.png`), '-depth', String(bits), '-endian', 'LSB', `${order.toLowerCase()}:${path(`${name}.raw`)}`]);
      const raw = readBytes(path(`${name}.raw`));
      const read = bits === 8 ? raw : new Uint16Array(raw.buffer);
      expect(read.length).toBe(samples.length);
      expect(Array.from(read).findIndex((v, i) => v !== samples[i])).toBe(-1);
    }
  });

  it('the same as TIFF are what GDAL reads, band by band, and raw ones what numpy reads', async () => {
    const [narrow, broad] = await normals();
    const weights = packWeights([field.height, Float32Array.from(field.height, (h) => 200 - h)], 16)[0];
    const images: [string, Image][] = [
      ['rgb8', { width: across, height: down, channels: 3, samples: narrow }],
      ['rgb16', { width: across, height: down, channels: 3, samples: broad }],
      ['rgba16', { width: across, height: down, channels: 4, samples: weights }],
    ];
    for (const [name, image] of images) {
      const wide = image.samples instanceof Uint16Array;
      save(path(`${name}.tif`), encodePicture(image, { format: 'tiff', order: 'le', rows: 'north' }));
      run('gdal_translate', ['-q', '-of', 'ENVI', '-co', 'INTERLEAVE=BIP', path(`${name}.tif`), path(`${name}.bip`)]);
      const theirs = readBytes(path(`${name}.bip`));
      const read = wide ? new Uint16Array(theirs.buffer) : theirs;
      expect(read.length, name).toBe(image.samples.length);
      expect(
        Array.from(read).findIndex((v, i) => v !== image.samples[i]),
        name,
      ).toBe(-1);
      save(path(`${name}.raw`), encodePicture(image, { format: 'raw', order: 'be', rows: 'south' }));
      python(
        `import sys, numpy as np\nnp.fromfile(sys.argv[1], '${wide ? '>u2' : 'u1'}').reshape(${down}, ${across}, ${image.channels})[::-1].astype('<u2').tofile(sys.argv[2])`,
        path(`${name}.raw`),
        path(`${name}.u2`),
      );
      const numbers = new Uint16Array(readBytes(path(`${name}.u2`)).buffer);
      expect(
        Array.from(numbers).findIndex((v, i) => v !== image.samples[i]),
        name,
      ).toBe(-1);
    }
  });
});
