import { afterAll, describe, expect, it } from 'vitest';
import {
  CODES,
  compareFields,
  encode,
  formats,
  gridMesh,
  meshFormats,
  rasterizeMesh,
  readHeights,
  readHeightmap,
  readMesh,
  statistics,
  type Encoding,
  type SampleType,
} from '@upland-cast/core';
import { firstWrong, groundOf, hills } from '../helpers/grounds';
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

// NumPy, Netpbm, ImageMagick, OpenImageIO over the OpenEXR library, and GDAL; every sample is compared.
describe('other programs and we read each other, every sample', () => {
  const ours = async (encoding: Encoding, ending: string) => {
    const { bytes, quantised } = await encode(ground, encoding);
    const file = path(`mine-${encoding.type}.${ending}`);
    save(file, bytes);
    return { file, samples: quantised.page.samples };
  };
  const same = (got: ArrayLike<number>, want: ArrayLike<number>) => {
    expect(got.length).toBe(want.length);
    expect(firstWrong(want.length, (i) => Object.is(got[i], want[i]))).toBe(-1);
  };

  it.each(['f32', 'f64', 'u8', 'u16', 's16', 'u32', 's32'] as SampleType[])('NumPy %s', async (type) => {
    const { file, samples } = await ours({ format: 'npy', type, range: CODES[type] ? range : undefined }, 'npy');
    python('import numpy, sys; a = numpy.load(sys.argv[1]); assert a.shape == (97, 133); a.astype("<f8").tofile(sys.argv[2])', file, path('np.bin'));
    same(new Float64Array(readBytes(path('np.bin')).buffer), samples);
    for (const change of ['a', 'a.astype(a.dtype.newbyteorder(">"))', 'numpy.asfortranarray(a)']) {
      python(`import numpy, sys; a = numpy.load(sys.argv[1]); numpy.save(sys.argv[2], ${change})`, file, path('theirs.npy'));
      same((await readHeightmap(readBytes(path('theirs.npy')))).samples, samples);
    }
  });

  it.each(['u8', 'u16'] as SampleType[])('PGM %s with Netpbm and ImageMagick', async (type) => {
    const { file, samples } = await ours({ format: 'pgm', type, range }, 'pgm');
    // Netpbm as text, ImageMagick through a PNG, and our reader on what both write.
    const text = run('pnmtoplainpnm', [file]).split(/\s+/).filter(Boolean);
    expect(text.slice(0, 4)).toEqual(['P2', '133', '97', type === 'u8' ? '255' : '65535']);
    same(text.slice(4).map(Number), samples);
    save(path('plain.pgm'), run('pnmtoplainpnm', [file]));
    same((await readHeightmap(readBytes(path('plain.pgm')))).samples, samples);
    run('convert', [file, path('im.pgm')]);
    same((await readHeightmap(readBytes(path('im.pgm')))).samples, samples);
  });

  it('PFM with Netpbm', async () => {
    const { file, samples } = await ours({ format: 'pfm', type: 'f32' }, 'pfm');
    // Netpbm turns it into a PAM of 16 bits and back: the layout is what is compared, to half a code.
    const [least, most] = [Math.min(...samples), Math.max(...samples)];
    const unit = { ...ground, height: ground.height.map((h) => (h - least) / (most - least)) };
    save(path('unit.pfm'), (await encode(unit, { format: 'pfm', type: 'f32' })).bytes);
    python(
      'import subprocess, sys; open(sys.argv[2], "wb").write(subprocess.run(["pfmtopam", "-maxval=65535", sys.argv[1]], capture_output=True, check=True).stdout)',
      path('unit.pfm'),
      path('unit.pam'),
    );
    python(
      'import subprocess, sys; open(sys.argv[2], "wb").write(subprocess.run(["pamtopfm", "-endian=big", sys.argv[1]], capture_output=True, check=True).stdout)',
      path('unit.pam'),
      path('back.pfm'),
    );
    const back = (await readHeightmap(readBytes(path('back.pfm')))).samples;
    for (let i = 0; i < back.length; i++) expect(Math.abs(back[i] - unit.height[i])).toBeLessThan(0.51 / 65_535);
    same((await readHeightmap(readBytes(file))).samples, samples);
  });

  it('BMP with GDAL and ImageMagick', async () => {
    const { file, samples } = await ours({ format: 'bmp', type: 'u8', range }, 'bmp');
    same(gdalSamples(file), samples);
    run('gdal_translate', ['-q', '-of', 'BMP', file, path('gdal.bmp')]);
    same((await readHeightmap(readBytes(path('gdal.bmp')))).samples, samples);
    expect(run('identify', ['-format', '%wx%h %z', file])).toBe('133x97 8');
  });

  it('OpenEXR: its own tools take the header, OpenImageIO every sample', async () => {
    const { file, samples } = await ours({ format: 'exr', type: 'f32' }, 'exr');
    const header = run('exrheader', [file]);
    expect(header).toMatch(/Y, 32-bit floating-point/);
    expect(header).toMatch(/zip, multi-scanline/);
    run('oiiotool', [file, '-o', path('exr.tif')]);
    same(gdalSamples(path('exr.tif')), samples);
    for (const packing of ['none', 'zips', 'zip']) {
      run('oiiotool', [file, '--compression', packing, '-o', path('theirs.exr')]);
      same((await readHeightmap(readBytes(path('theirs.exr')))).samples, samples);
    }
    run('oiiotool', [file, '-d', 'half', '-o', path('half.exr')]);
    run('oiiotool', [path('half.exr'), '-d', 'float', '-o', path('half.tif')]);
    const half = await readHeightmap(readBytes(path('half.exr')));
    same(half.samples, gdalSamples(path('half.tif')));
    expect(half.odd.join(' ')).toMatch(/halves of 16 bits/);
    run('oiiotool', [file, '--compression', 'piz', '-o', path('piz.exr')]);
    await expect(readHeightmap(readBytes(path('piz.exr')))).rejects.toThrow(/packed by PIZ/);
  });

  it('elevation tiles with GDAL', async () => {
    const tile = hills(groundOf(1201, 1201, 30), 3);
    const { bytes, quantised } = await encode(
      { ...tile, height: tile.height.map(Math.round) },
      { format: 'hgt', type: 's16', range: { low: -32_768, high: 32_767 } },
    );
    // GDAL reads the place of a tile from its name.
    save(path('N00E000.hgt'), bytes);
    same(gdalSamples(path('N00E000.hgt')), quantised.page.samples);
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
    for (const format of formats.filter((f) => !f.sides)) {
      for (const type of format.writes) {
        const whole = CODES[type] !== null;
        const encoding: Encoding = { format: format.id, type, range: whole ? { low: 90, high: 200 } : undefined };
        const { bytes, quantised, beside } = await encode(volcano, encoding);
        const as = format.id === 'raw' ? `raw:${type}:le:87x61` : format.id === 'packed' ? 'packed' : undefined;
        const reading = await readHeightmap(bytes, as, { beside: Object.fromEntries(beside.map((b) => [b.ending, b.bytes])) });
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
      const mesh = readMesh(format.encode(gridMesh(volcano), 'maunga-whau'));
      const { field, holes } = rasterizeMesh(mesh, { size: { across: 87, down: 61 } });
      expect(holes).toBe(0);
      const { maxAbs } = compareFields(volcano, field);
      expect(maxAbs).toBeLessThanOrEqual((format.id === 'obj' ? 1e-5 : 1e-6) * 101);
    }
  });
});
