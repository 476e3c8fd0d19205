import { writeFileSync } from 'node:fs';
import { afterAll, describe, expect, it } from 'vitest';
import { encode, makeField, readHeightmap, type Encoding } from '@upland-cast/core';
import { groundOf, hills } from '../helpers/grounds';
import { gdalSamples, run, save, scratch, uplandCast, uplandJson } from '../helpers/outside';

/** GDAL's own check of the layout (a sample script of its Python, which comes with Debian's gdal-bin). */
const VALIDATE = '/usr/lib/python3/dist-packages/osgeo_utils/samples/validate_cloud_optimized_geotiff.py';
const { path, done } = scratch();
afterAll(done);

const field = hills(groundOf(1300, 700, 5));
const cases: [string, Encoding][] = [
  ['floats', { format: 'tiff', type: 'f32', options: { cloud: true, compression: 'deflate' } }],
  ['floats that are not packed', { format: 'tiff', type: 'f32', options: { cloud: true } }],
  ['codes', { format: 'tiff', type: 'u16', range: { low: -400, high: 400 }, options: { cloud: true, compression: 'deflate' } }],
  ['doubles', { format: 'tiff', type: 'f64', options: { cloud: true, compression: 'deflate' } }],
];

describe('cloud-optimised TIFF', () => {
  it.each(cases)('of %s is one to GDAL, with every sample, its overviews and its place', async (name, encoding) => {
    const file = path(`${name.replaceAll(' ', '-')}.tif`);
    const { bytes, quantised } = await encode(field, encoding);
    save(file, bytes);
    expect(run('/usr/bin/python3', [VALIDATE, '--full-check=yes', file])).toContain('is a valid cloud optimized GeoTIFF');
    const read = gdalSamples(file);
    expect(read.every((value, i) => value === quantised.page.samples[i])).toBe(true);
    const info = JSON.parse(run('gdalinfo', ['-json', file])) as { bands: { overviews: { size: number[] }[]; block: number[] }[]; geoTransform: number[] };
    expect(info.bands[0].overviews.map(({ size }) => size)).toEqual([
      [650, 350],
      [325, 175],
    ]);
    expect(info.bands[0].block).toEqual([512, 512]);
    expect(info.geoTransform[1]).toBe(5);
    // And to our own reader, which takes the full picture among the overviews.
    const own = await readHeightmap(bytes);
    expect([own.width, own.height]).toEqual([1300, 700]);
    expect(own.samples.every((value, i) => value === quantised.page.samples[i])).toBe(true);
  });

  it('has overviews that are means of what is there, and nothing where nothing is', async () => {
    const valid = Uint8Array.from({ length: field.height.length }, (_, i) => (i % 1300 < 600 || i < 1300 ? 0 : 1));
    const { bytes } = await encode(makeField(field.ground, field.height, valid), { format: 'tiff', type: 'f32', options: { cloud: true } });
    save(path('holes.tif'), bytes);
    run('gdal_translate', ['-q', '-of', 'ENVI', '-ot', 'Float64', '-oo', 'OVERVIEW_LEVEL=0', path('holes.tif'), path('half.bin')]);
    const half = gdalSamples(path('half.bin'));
    expect(half.slice(0, 300).every((value) => value === -9999)).toBe(true);
    // The northernmost row has no data: its squares are means of two samples.
    const at = (row: number, column: number) => field.height[row * 1300 + column];
    expect(half[320]).toBeCloseTo((at(1, 640) + at(1, 641)) / 2, 3);
    expect(half[650 + 400]).toBeCloseTo((at(2, 800) + at(2, 801) + at(3, 800) + at(3, 801)) / 4, 3);
  });

  it('is written by the command on request, and what it is asked in vain is said', async () => {
    writeFileSync(path('in.tif'), (await encode(field, { format: 'tiff', type: 'f32' })).bytes);
    expect(uplandJson<{ proof: { ok: boolean } }>('convert', path('in.tif'), path('out.tif'), '--out-as', 'tiff:cloud').proof.ok).toBe(true);
    expect(run('/usr/bin/python3', [VALIDATE, path('out.tif')])).toContain('is a valid cloud optimized GeoTIFF');
    for (const spec of ['tiff:clod', 'png:cloud'])
      expect(uplandCast('convert', path('in.tif'), path('x.tif'), '--out-as', spec)).toMatchObject({
        status: 1,
        words: expect.stringContaining('says nothing') as string,
      });
  });
});
