import { afterAll, describe, expect, it } from 'vitest';
import {
  CODES,
  compareFields,
  encode,
  formats,
  gridMesh,
  meshFormats,
  pressMesh,
  readHeights,
  readHeightmap,
  readMesh,
  statistics,
  type Encoding,
  type SampleType,
} from '@upland-cast/core';
import { groundOf, hills } from '../helpers/grounds';
import { maungaWhau } from '../helpers/maunga-whau';
import { gdalSamples, python, readBytes, run, save, scratch } from '../helpers/outside';

const { path, done } = scratch();
afterAll(done);
const ground = hills(groundOf(133, 97, 12.5), 6);
const { lowest, highest } = statistics(ground);
const range = { low: lowest, high: highest };

// GDAL (https://gdal.org) is the outside reader and writer here; every sample is compared.
describe('GDAL reads every sample that we write', () => {
  const cases: Encoding[] = [
    { format: 'png', type: 'u16', range },
    { format: 'png', type: 'u8', range },
    ...(['f32', 'f64', 'u8', 'u16', 's16', 'u32', 's32'] as SampleType[]).flatMap((type) =>
      (['none', 'deflate'] as const).map((compression): Encoding => ({
        format: 'tiff',
        type,
        range: CODES[type] ? range : undefined,
        options: { compression },
      })),
    ),
    { format: 'asc', type: 'f32' },
    { format: 'asc', type: 'f64' },
  ];
  it.each(cases.map((c) => [`${c.format} ${c.type} ${c.options?.compression ?? ''}`, c] as const))('%s', async (_, encoding) => {
    const { bytes, quantised } = await encode(ground, encoding);
    const file = path(`ours-${encoding.type}-${encoding.options?.compression ?? ''}.${encoding.format}`);
    save(file, bytes);
    // GDAL's ASCII reader would settle on 32 bits; it is told to keep what is printed.
    const read =
      encoding.format === 'asc'
        ? Float64Array.from(
            run('gdal_translate', ['-q', '-ot', 'Float64', '--config', 'AAIGRID_DATATYPE', 'Float64', '-of', 'XYZ', file, '/vsistdout/']).trim().split('\n'),
            (l) => Number(l.split(' ')[2]),
          )
        : gdalSamples(file);
    expect(read.length).toBe(133 * 97);
    for (let i = 0; i < read.length; i++) {
      const mine = quantised.page.samples[i];
      if (encoding.format === 'asc') expect(Math.abs(read[i] - mine)).toBeLessThan(1e-7 * (highest - lowest) + 1e-6);
      else expect(read[i]).toBe(mine);
    }
  });

  it('and finds the place, spacing, registration, no-data and scale of a TIFF', async () => {
    const placed = { ...ground, ground: { ...ground.ground, georeference: { west: 400, north: 9000, crs: '' } }, valid: new Uint8Array(133 * 97).fill(1) };
    placed.valid[7] = 0;
    save(path('placed.tif'), (await encode(placed, { format: 'tiff', type: 'f32' })).bytes);
    const info = JSON.parse(run('gdalinfo', ['-json', path('placed.tif')])) as {
      geoTransform: number[];
      metadata: Record<string, Record<string, string>>;
      bands: { noDataValue: number }[];
    };
    expect(info.metadata[''].AREA_OR_POINT).toBe('Point');
    // GDAL counts from the corner of the first cell: half a spacing outside of the first point.
    expect(info.geoTransform).toEqual([400 - 6.25, 12.5, 0, 9000 + 6.25, 0, -12.5]);
    expect(info.bands[0].noDataValue).toBe(-9999);
    save(path('codes.tif'), (await encode(ground, { format: 'tiff', type: 'u16', range: { low: 200, high: 900 } })).bytes);
    const codes = JSON.parse(run('gdalinfo', ['-json', path('codes.tif')])) as { bands: { scale: number; offset: number }[] };
    expect(codes.bands[0].offset).toBe(200);
    expect(codes.bands[0].scale).toBeCloseTo(700 / 65_535, 12);
  });
});

describe('we read every sample that GDAL writes', () => {
  const options: [string, string[]][] = [
    ['strips, unpacked', []],
    ['tiles, LZW', ['-co', 'TILED=YES', '-co', 'BLOCKXSIZE=32', '-co', 'BLOCKYSIZE=16', '-co', 'COMPRESS=LZW']],
    ['LZW with predictor 2', ['-co', 'COMPRESS=LZW', '-co', 'PREDICTOR=2']],
    ['Deflate with predictor 2', ['-co', 'COMPRESS=DEFLATE', '-co', 'PREDICTOR=2']],
    ['PackBits', ['-co', 'COMPRESS=PACKBITS']],
    ['big-endian', ['-co', 'ENDIANNESS=BIG']],
    [
      'big-endian tiles with predictor 2',
      ['-co', 'ENDIANNESS=BIG', '-co', 'TILED=YES', '-co', 'BLOCKXSIZE=64', '-co', 'BLOCKYSIZE=64', '-co', 'COMPRESS=DEFLATE', '-co', 'PREDICTOR=2'],
    ],
  ];
  const types: [string, SampleType][] = [
    ['Byte', 'u8'],
    ['UInt16', 'u16'],
    ['Int16', 's16'],
    ['UInt32', 'u32'],
    ['Int32', 's32'],
    ['Float32', 'f32'],
    ['Float64', 'f64'],
  ];
  for (const [name, flags] of options) {
    for (const [gdalType, type] of types) {
      if (flags.includes('PREDICTOR=2') && type === 'f64') continue;
      it(`TIFF ${name} ${type}`, async () => {
        save(path('source.tif'), (await encode(ground, { format: 'tiff', type: 'f32' })).bytes);
        const file = path('theirs.tif');
        run('gdal_translate', [
          '-q',
          '-ot',
          gdalType,
          '-scale',
          String(lowest),
          String(highest),
          '0',
          type === 'u8' ? '255' : '30000',
          ...flags,
          path('source.tif'),
          file,
        ]);
        const reading = await readHeightmap(readBytes(file));
        expect(reading.type).toBe(type);
        expect(Float64Array.from(reading.samples)).toEqual(gdalSamples(file));
      });
    }
  }

  it('TIFF float with predictor 3', async () => {
    save(path('source.tif'), (await encode(ground, { format: 'tiff', type: 'f32' })).bytes);
    for (const type of ['Float32', 'Float64']) {
      for (const flags of [
        ['-co', 'COMPRESS=DEFLATE'],
        ['-co', 'COMPRESS=LZW', '-co', 'TILED=YES', '-co', 'BLOCKXSIZE=32', '-co', 'BLOCKYSIZE=32'],
        ['-co', 'COMPRESS=DEFLATE', '-co', 'ENDIANNESS=BIG'],
      ]) {
        run('gdal_translate', ['-q', '-ot', type, '-co', 'PREDICTOR=3', ...flags, path('source.tif'), path('theirs.tif')]);
        expect(Float64Array.from((await readHeightmap(readBytes(path('theirs.tif')))).samples)).toEqual(gdalSamples(path('theirs.tif')));
      }
    }
  });

  it('PNG of 8 and 16 bits, and ASCII grid', async () => {
    save(path('source.tif'), (await encode(ground, { format: 'tiff', type: 'f32' })).bytes);
    for (const [type, top] of [
      ['Byte', '255'],
      ['UInt16', '65535'],
    ]) {
      run('gdal_translate', ['-q', '-of', 'PNG', '-ot', type, '-scale', String(lowest), String(highest), '0', top, path('source.tif'), path('theirs.png')]);
      expect(Float64Array.from((await readHeightmap(readBytes(path('theirs.png')))).samples)).toEqual(gdalSamples(path('theirs.png')));
    }
    run('gdal_translate', ['-q', '-of', 'AAIGrid', '-co', 'SIGNIFICANT_DIGITS=9', path('source.tif'), path('theirs.asc')]);
    const back = await readHeights(readBytes(path('theirs.asc')));
    expect(back.ground.width / back.ground.across).toBeCloseTo(12.5, 9);
    for (let i = 0; i < back.height.length; i++) expect(Math.fround(back.height[i] + back.ground.datum)).toBeCloseTo(ground.height[i], 3);
  });

  it('PNG as ImageMagick and Netpbm see it', async () => {
    const { bytes, quantised } = await encode(ground, { format: 'png', type: 'u16', range });
    save(path('ours.png'), bytes);
    run('/usr/bin/convert', [path('ours.png'), '-depth', '16', '-endian', 'MSB', `gray:${path('im.raw')}`]);
    const magick = new DataView(readBytes(path('im.raw')).buffer);
    const pnm = run('sh', ['-c', `pngtopnm ${path('ours.png')} | pnmtoplainpnm`])
      .trim()
      .split(/\s+/)
      .slice(4)
      .map(Number);
    for (let i = 0; i < quantised.page.samples.length; i++) {
      expect(magick.getUint16(2 * i)).toBe(quantised.page.samples[i]);
      expect(pnm[i]).toBe(quantised.page.samples[i]);
    }
    run('/usr/bin/convert', [path('ours.png'), '-interlace', 'PNG', path('interlaced.png')]);
    expect((await readHeightmap(readBytes(path('interlaced.png')))).samples).toEqual(quantised.page.samples);
  });

  it('raw bytes as NumPy writes them, every type and both orders', async () => {
    const numpy: [SampleType, string][] = [
      ['u8', 'u1'],
      ['u16', 'u2'],
      ['s16', 'i2'],
      ['u32', 'u4'],
      ['s32', 'i4'],
      ['f32', 'f4'],
      ['f64', 'f8'],
    ];
    for (const [type, code] of numpy) {
      for (const order of ['le', 'be'] as const) {
        python(
          `import sys,numpy as n; a=(n.arange(13*7)*37%251).reshape(7,13); open(sys.argv[1],'wb').write(b'HEAD'+a.astype(sys.argv[2]).tobytes())`,
          path('np.raw'),
          `${order === 'le' ? '<' : '>'}${code}`,
        );
        const { samples } = await readHeightmap(readBytes(path('np.raw')), `raw:${type}:${order}:13x7:skip=4`);
        for (let i = 0; i < 91; i++) expect(samples[i]).toBe((i * 37) % 251);
      }
    }
  });
});

describe('Maunga Whau', () => {
  const volcano = maungaWhau();

  it('is the published grid: 87 × 61, 94 to 195 m', () => {
    expect(statistics(volcano)).toMatchObject({ lowest: 94, highest: 195, count: 87 * 61 });
  });

  it('goes through every format within the bounds', async () => {
    for (const format of formats) {
      for (const type of format.writes) {
        const whole = CODES[type] !== null;
        const encoding: Encoding = { format: format.id, type, range: whole ? { low: 90, high: 200 } : undefined };
        const { bytes, quantised } = await encode(volcano, encoding);
        const reading = await readHeightmap(bytes, format.id === 'raw' ? `raw:${type}:le:87x61` : undefined);
        for (let i = 0; i < reading.samples.length; i++) {
          const metres =
            whole && reading.unit === 'code'
              ? 90 + (reading.samples[i] - CODES[type]!.min) * quantised.step
              : reading.offset + reading.scale * reading.samples[i];
          expect(Math.abs(metres - volcano.height[i]), `${format.id} ${type}`).toBeLessThanOrEqual(whole ? quantised.step * 0.5000001 : 0);
        }
      }
    }
  });

  it('goes to a mesh and back within a millionth of its range in GLB and PLY, and 1e-5 in OBJ', () => {
    for (const format of meshFormats) {
      const mesh = readMesh(format.write(gridMesh(volcano), 'maunga-whau'));
      const { field, holes } = pressMesh(mesh, { size: { across: 87, down: 61 } });
      expect(holes).toBe(0);
      const { maxAbs } = compareFields(volcano, field);
      expect(maxAbs).toBeLessThanOrEqual((format.id === 'obj' ? 1e-5 : 1e-6) * 101);
    }
  });
});
