import { encode as encodeJpeg } from 'jpeg-js';
import { afterAll, describe, expect, it } from 'vitest';
import { encode, readHeightmap, statistics, toField, type SampleType } from '@upland-cast/core';
import { groundOf, hills } from '../helpers/grounds';
import { gdalSamples, readBytes, run, save, scratch } from '../helpers/outside';

/**
 * The formats that come as two files, as text, in colour or with a place on a map, against
 * GDAL and ImageMagick.
 */
const { path, done } = scratch();
afterAll(done);
const ground = hills(groundOf(133, 97, 12.5, 'area'), 6);
const { lowest, highest } = statistics(ground);
const range = { low: lowest - 1, high: highest + 1 };

const same = (a: ArrayLike<number>, b: ArrayLike<number>) => {
  expect(a.length).toBe(b.length);
  let worst = 0;
  for (let i = 0; i < a.length; i++) worst = Math.max(worst, Math.abs(a[i] - b[i]));
  expect(worst).toBe(0);
};
const withHeader = async (file: string, header: string) => readHeightmap(readBytes(path(file)), undefined, { beside: { '.hdr': readBytes(path(header)) } });

describe('grids with their header beside them, with GDAL', () => {
  it.each([
    ['flt', 'f32'],
    ['bil', 'f32'],
    ['bil', 'u8'],
    ['bil', 'u16'],
    ['bil', 's16'],
    ['bil', 's32'],
    ['bil', 'u32'],
  ] as [string, SampleType][])('.%s %s: it reads ours, we read its', async (format, type) => {
    const { bytes, beside, quantised } = await encode(ground, { format, type, range: type[0] === 'f' ? undefined : range });
    save(path(`ours.${format}`), bytes);
    for (const file of beside) save(path(`ours${file.ending}`), file.bytes);
    same(gdalSamples(path(`ours.${format}`)), quantised.page.samples);
    const info = JSON.parse(run('gdalinfo', ['-json', path(`ours.${format}`)])) as { geoTransform: number[] };
    expect(info.geoTransform[1]).toBeCloseTo(12.5, 9);
    expect(info.geoTransform[3]).toBeCloseTo(ground.ground.depth, 6);
    run('gdal_translate', ['-q', '-of', 'EHdr', path(`ours.${format}`), path('theirs.bil')]);
    const back = await withHeader('theirs.bil', 'theirs.hdr');
    expect(back).toMatchObject({ width: 133, height: 97, type, spacing: { x: 12.5, y: 12.5 }, registration: 'area' });
    same(back.samples, quantised.page.samples);
    // Without its header it can be read again by what the first reading noted.
    same((await readHeightmap(readBytes(path('theirs.bil')), back.as)).samples, quantised.page.samples);
  });

  it('several bands line by line', async () => {
    const { bytes } = await encode(ground, { format: 'tiff', type: 'f32' });
    save(path('one.tif'), bytes);
    run('gdal_translate', ['-q', '-b', '1', '-b', '1', '-scale_2', '0', '1000', '0', '10', '-ot', 'Float32', path('one.tif'), path('two.tif')]);
    run('gdal_translate', ['-q', '-of', 'EHdr', path('two.tif'), path('two.bil')]);
    const beside = { '.hdr': readBytes(path('two.hdr')) };
    const second = await readHeightmap(readBytes(path('two.bil')), undefined, { beside, band: 2 });
    for (let i = 0; i < second.samples.length; i += 7) expect(second.samples[i]).toBeCloseTo(ground.height[i] / 100, 4);
    same((await readHeightmap(readBytes(path('two.bil')), second.as)).samples, second.samples);
    for (const interleave of ['PIXEL', 'BAND']) {
      run('gdal_translate', [
        '-q',
        '-co',
        `INTERLEAVE=${interleave}`,
        '-co',
        'TILED=YES',
        '-co',
        'BLOCKXSIZE=64',
        '-co',
        'BLOCKYSIZE=32',
        path('two.tif'),
        path('b.tif'),
      ]);
      same((await readHeightmap(readBytes(path('b.tif')), undefined, { band: 2 })).samples, second.samples);
      const first = await readHeightmap(readBytes(path('b.tif')));
      same(first.samples, ground.height);
      expect(first).toMatchObject({ channels: 2, band: 1 });
      expect(first.odd.join()).toMatch(/2 bands; band 1 is read/);
    }
  });
});

describe('point text with GDAL', () => {
  it('it reads ours, we read its, also with a hole and in another order', async () => {
    const { bytes } = await encode(ground, { format: 'xyz', type: 'f32' });
    save(path('ours.xyz'), bytes);
    same(gdalSamples(path('ours.xyz')), ground.height);
    save(path('source.tif'), (await encode(ground, { format: 'tiff', type: 'f32' })).bytes);
    run('gdal_translate', [
      '-q',
      '-of',
      'XYZ',
      '-co',
      'ADD_HEADER_LINE=YES',
      '-co',
      'COLUMN_SEPARATOR=,',
      '-co',
      'SIGNIFICANT_DIGITS=9',
      path('source.tif'),
      path('theirs.xyz'),
    ]);
    const back = await readHeightmap(readBytes(path('theirs.xyz')));
    expect(back).toMatchObject({ format: 'xyz', width: 133, height: 97 });
    expect(back.spacing!.x).toBeCloseTo(12.5, 9);
    same(Float32Array.from(back.samples), ground.height);
    const lines = run('cat', [path('theirs.xyz')])
      .trim()
      .split('\n')
      .slice(1);
    const shuffled = lines.filter((_, i) => i !== 200).reverse();
    const holed = await readHeightmap(new TextEncoder().encode(shuffled.join('\n')) as Uint8Array<ArrayBuffer>);
    expect(Number.isNaN(holed.samples[200])).toBe(true);
    expect(Math.fround(holed.samples[201])).toBe(ground.height[201]);
  });

  it('points that lie anyhow are gathered, and that is said', async () => {
    const lines = Array.from({ length: 900 }, (_, i) => `${(i * 37.77) % 300} ${(i * 91.31) % 300} ${100 + i / 10}`);
    const reading = await readHeightmap(new TextEncoder().encode(lines.join('\n')) as Uint8Array<ArrayBuffer>);
    expect(reading.odd.join()).toMatch(/lie on no lattice/);
    expect(toField(reading).valid).toBeDefined();
  });
});

describe('pictures in colour', () => {
  const rgba = new Uint8Array(4 * 133 * 97);
  for (let i = 0; i < 133 * 97; i++) rgba.set([(ground.height[i] / 4) & 255, (i * 3) & 255, (i >> 6) & 255, 255], 4 * i);

  it.each(['grey', 'colour', 'progressive'])('JPEG, %s, as ImageMagick unpacks it, but for the rounding of the transform', async (kind) => {
    save(path('a.jpg'), new Uint8Array(encodeJpeg({ data: rgba, width: 133, height: 97 }, 90).data));
    const flags = kind === 'grey' ? ['-colorspace', 'Gray'] : kind === 'progressive' ? ['-interlace', 'JPEG'] : [];
    run('/usr/bin/convert', [path('a.jpg'), '-sampling-factor', '1x1', '-quality', '88', ...flags, path('b.jpg')]);
    for (const [k, channel] of (kind === 'grey' ? ['R'] : ['R', 'G', 'B']).entries()) {
      run('/usr/bin/convert', [path('b.jpg'), '-channel', channel, '-separate', '-depth', '8', `gray:${path('c.raw')}`]);
      const theirs = readBytes(path('c.raw'));
      const ours = await readHeightmap(readBytes(path('b.jpg')), undefined, kind === 'grey' ? {} : { band: k + 1 });
      expect(ours).toMatchObject({ format: 'jpeg', width: 133, height: 97, lossy: true, channels: kind === 'grey' ? 1 : 3 });
      let worst = 0;
      for (let i = 0; i < theirs.length; i++) worst = Math.max(worst, Math.abs(ours.samples[i] - theirs[i]));
      expect(worst).toBeLessThanOrEqual(
        // One level of each of luma and chroma, which the colour transform weighs up to 1.772 times.
        kind === 'grey' ? 1 : 3,
      );
    }
  });

  it('heights packed over colour: ImageMagick sees the channels, we know them again', async () => {
    for (const [low, high] of [
      [-10_000, 0.1 * 16_777_215 - 10_000],
      [-500, 1200],
    ]) {
      const { bytes, quantised } = await encode(ground, { format: 'packed', type: 'u24', range: { low, high } });
      save(path('packed.png'), bytes);
      const channels = ['R', 'G', 'B'].map((c) => {
        run('/usr/bin/convert', [path('packed.png'), '-channel', c, '-separate', '-depth', '8', `gray:${path('c.raw')}`]);
        return readBytes(path('c.raw'));
      });
      same(
        quantised.page.samples.map((_, i) => 65_536 * channels[0][i] + 256 * channels[1][i] + channels[2][i]),
        quantised.page.samples,
      );
      const reading = await readHeightmap(bytes);
      expect(reading).toMatchObject({ band: 'packed', type: 'u24' });
      same(reading.samples, quantised.page.samples);
      const back = toField(reading, { range: { low, high } });
      for (let i = 0; i < back.height.length; i++)
        expect(Math.abs(back.height[i] + back.ground.datum - ground.height[i])).toBeLessThanOrEqual(quantised.step * 0.51 + 4e-5);
    }
    // A picture is not taken for one.
    save(path('picture.jpg'), new Uint8Array(encodeJpeg({ data: rgba, width: 133, height: 97 }, 90).data));
    run('/usr/bin/convert', [path('picture.jpg'), path('picture.png')]);
    expect((await readHeightmap(readBytes(path('picture.png')))).band).toBe('luminance');
  });
});

describe('a place on a map goes through', () => {
  const source = async () => {
    save(path('plain.tif'), (await encode(ground, { format: 'tiff', type: 'f32' })).bytes);
    return path('plain.tif');
  };
  const placed = async (srs: string, corners: string[]) => {
    run('gdal_translate', ['-q', '-a_srs', srs, '-a_ullr', ...corners, await source(), path('placed.tif')]);
    return toField(await readHeightmap(readBytes(path('placed.tif'))));
  };
  const infoOf = (file: string) => JSON.parse(run('gdalinfo', ['-json', file])) as { geoTransform: number[]; coordinateSystem?: { wkt: string } };

  it.each([
    ['EPSG:32633', ['500000', '5300000', '501662.5', '5298787.5']],
    ['EPSG:4326', ['11.25', '47.5', '11.271', '47.488']],
    ['EPSG:2227', ['6000000', '2100000', '6005454.4', '2096022.0']],
  ])('%s to TIFF and to ASCII grid, as GDAL sees it', async (srs, corners) => {
    const field = await placed(srs, corners);
    const before = infoOf(path('placed.tif'));
    expect(field.ground.georeference!.crs).toBe(srs);
    save(path('out.tif'), (await encode(field, { format: 'tiff', type: 'f32' })).bytes);
    const after = infoOf(path('out.tif'));
    expect(after.coordinateSystem!.wkt).toBe(before.coordinateSystem!.wkt);
    after.geoTransform.forEach((v, i) => expect(Math.abs(v - before.geoTransform[i])).toBeLessThan(1e-7 * Math.max(1, Math.abs(before.geoTransform[i]))));
    const { bytes, beside } = await encode(field, { format: 'asc', type: 'f64' });
    save(path('out.asc'), bytes);
    for (const file of beside) save(path(`out${file.ending}`), file.bytes);
    const grid = infoOf(path('out.asc'));
    // Of feet in California no WKT is known here: its number goes along in words.
    if (srs === 'EPSG:2227') expect(run('cat', [path('out.crs.txt')]).trim()).toBe(srs);
    else expect(run('gdalsrsinfo', ['-o', 'proj4', path('out.asc')])).toBe(run('gdalsrsinfo', ['-o', 'proj4', path('placed.tif')]));
    grid.geoTransform.forEach((v, i) => expect(Math.abs(v - before.geoTransform[i])).toBeLessThan(1e-6 * Math.max(1, Math.abs(before.geoTransform[i]))));
  });

  it('the spacing is in metres whatever the map counts in', async () => {
    const feet = await placed('EPSG:2227', ['6000000', '2100000', '6005454.4', '2096022.0']);
    expect(feet.ground.width).toBeCloseTo(5454.4 * (1200 / 3937), 6);
    const degrees = await placed('EPSG:4326', ['11.25', '47.5', '11.271', '47.488']);
    // A degree of latitude at 47.5° is 111.18 km, one of longitude 75.35 km (handbook tables; from memory).
    expect(degrees.ground.depth / 0.012 / 1000).toBeCloseTo(111.18, 1);
    expect(degrees.ground.width / 0.021 / 1000).toBeCloseTo(75.35, 1);
  });

  it('WKT beside a grid is carried beside the next one', async () => {
    await placed('EPSG:32633', ['500000', '5300000', '501662.5', '5298787.5']);
    run('gdal_translate', ['-q', '-of', 'EHdr', path('placed.tif'), path('wkt.bil')]);
    const reading = await readHeightmap(readBytes(path('wkt.bil')), undefined, {
      beside: { '.hdr': readBytes(path('wkt.hdr')), '.prj': readBytes(path('wkt.prj')) },
    });
    const { bytes, beside } = await encode(toField(reading), { format: 'asc', type: 'f64' });
    save(path('wkt.asc'), bytes);
    save(path('wkt.prj'), beside.find((b) => b.ending === '.prj')!.bytes);
    expect(infoOf(path('wkt.asc')).coordinateSystem!.wkt).toMatch(/UTM zone 33N/i);
  });
});
