import { encode as encodeJpeg } from 'jpeg-js';
import { afterAll, describe, expect, it } from 'vitest';
import { encode, formats, readHeightmap, readMesh, statistics, toField } from '@upland-cast/core';
import { groundOf, hills } from '../helpers/grounds';
import { gdalSamples, python, readBytes, run, save, scratch } from '../helpers/outside';

/**
 * Files as other programs write them, every sample against GDAL, NumPy, Netpbm and OpenImageIO;
 * and those that are not read, each refused by what it is.
 */
const { path, done } = scratch();
afterAll(done);

const ground = hills(groundOf(133, 97, 12.5, 'area'), 6);
const { lowest, highest } = statistics(ground);
const range = { low: lowest - 1, high: highest + 1 };

const read = (name: string, beside?: Record<string, Uint8Array>) => readHeightmap(readBytes(path(name)), undefined, beside ? { beside } : {});
const worstOff = (a: ArrayLike<number>, b: ArrayLike<number>) => {
  expect(a.length).toBe(b.length);
  let worst = 0;
  for (let i = 0; i < a.length; i++) if (!(Number.isNaN(a[i]) && Number.isNaN(b[i]))) worst = Math.max(worst, Math.abs(a[i] - b[i]) || 0);
  return worst;
};
const prepared = (async () => {
  save(path('f32.tif'), (await encode(ground, { format: 'tiff', type: 'f32' })).bytes);
  save(path('u16.tif'), (await encode(ground, { format: 'tiff', type: 'u16', range })).bytes);
  save(path('u8.tif'), (await encode(ground, { format: 'tiff', type: 'u8', range })).bytes);
})();
/** Another program's copy of a file of ours. */
async function translated(from: string, to: string, ...options: string[]): Promise<string> {
  await prepared;
  run('gdal_translate', ['-q', ...options, path(from), path(to)]);
  return to;
}

describe('TIFF as GDAL writes it', () => {
  it.each([
    ['BigTIFF', 'f32.tif', ['-co', 'BIGTIFF=YES']],
    [
      'BigTIFF in tiles, big-endian',
      'u16.tif',
      ['-co', 'BIGTIFF=YES', '-co', 'TILED=YES', '-co', 'BLOCKXSIZE=32', '-co', 'BLOCKYSIZE=48', '-co', 'ENDIANNESS=BIG'],
    ],
    ['floats with predictor 2', 'f32.tif', ['-co', 'COMPRESS=DEFLATE', '-co', 'PREDICTOR=2']],
    ['floats with predictor 3, big-endian', 'f32.tif', ['-co', 'COMPRESS=LZW', '-co', 'PREDICTOR=3', '-co', 'ENDIANNESS=BIG']],
    ['doubles with predictor 2', 'f32.tif', ['-ot', 'Float64', '-co', 'COMPRESS=DEFLATE', '-co', 'PREDICTOR=2']],
    ['doubles with predictor 3', 'f32.tif', ['-ot', 'Float64', '-co', 'COMPRESS=DEFLATE', '-co', 'PREDICTOR=3']],
    ['half floats', 'f32.tif', ['-co', 'NBITS=16']],
    ['ZSTD', 'f32.tif', ['-co', 'COMPRESS=ZSTD', '-co', 'PREDICTOR=3']],
    ['ZSTD at its highest', 'u16.tif', ['-co', 'COMPRESS=ZSTD', '-co', 'ZSTD_LEVEL=22', '-co', 'PREDICTOR=2', '-co', 'TILED=YES']],
    ['LERC without loss', 'f32.tif', ['-co', 'COMPRESS=LERC']],
    [
      'LERC within half a metre, in tiles',
      'f32.tif',
      ['-co', 'COMPRESS=LERC', '-co', 'MAX_Z_ERROR=0.5', '-co', 'TILED=YES', '-co', 'BLOCKXSIZE=64', '-co', 'BLOCKYSIZE=64'],
    ],
    ['LERC packed again by deflate', 'u16.tif', ['-co', 'COMPRESS=LERC_DEFLATE']],
    ['LERC packed again by ZSTD', 'f32.tif', ['-co', 'COMPRESS=LERC_ZSTD', '-co', 'MAX_Z_ERROR=0.01']],
    ['JPEG inside', 'u8.tif', ['-co', 'COMPRESS=JPEG', '-co', 'JPEG_QUALITY=90']],
    ['JPEG inside, in tiles', 'u8.tif', ['-co', 'COMPRESS=JPEG', '-co', 'TILED=YES', '-co', 'BLOCKXSIZE=64', '-co', 'BLOCKYSIZE=64']],
  ])('%s', async (_, from, options) => {
    const name = await translated(from, 'theirs.tif', ...options);
    const reading = await read(name);
    expect(reading).toMatchObject({ format: 'tiff', width: 133, height: 97 });
    // JPEG decoders may differ by a level or two in the last place of their transform.
    expect(worstOff(reading.samples, gdalSamples(path(name)))).toBeLessThanOrEqual(options.includes('COMPRESS=JPEG') ? 2 : 0);
  });

  it.each([1, 2, 4, 7, 10, 12, 14, 24])('whole numbers of %i bits, their largest code said', async (bits) => {
    const most = 2 ** bits - 1;
    await translated(
      'f32.tif',
      'scaled.tif',
      '-ot',
      bits <= 8 ? 'Byte' : bits <= 16 ? 'UInt16' : 'UInt32',
      '-scale',
      String(lowest),
      String(highest),
      '0',
      String(most),
    );
    run('gdal_translate', ['-q', '-co', `NBITS=${bits}`, '-co', 'COMPRESS=DEFLATE', path('scaled.tif'), path('bits.tif')]);
    const reading = await read('bits.tif');
    expect(worstOff(reading.samples, gdalSamples(path('bits.tif')))).toBe(0);
    if (bits < 16) expect(reading.odd.join(' ')).toContain(`its largest is ${most}`);
  });

  it('cloud-optimised, the full picture among its overviews', async () => {
    save(path('large.tif'), (await encode(hills(groundOf(700, 640, 10, 'area'), 2), { format: 'tiff', type: 'f32' })).bytes);
    run('gdal_translate', ['-q', '-of', 'COG', '-co', 'BLOCKSIZE=128', '-co', 'COMPRESS=ZSTD', '-co', 'BIGTIFF=YES', path('large.tif'), path('cog.tif')]);
    const reading = await read('cog.tif');
    expect(reading).toMatchObject({ width: 700, height: 640, spacing: { x: 10, y: 10 } });
    expect(worstOff(reading.samples, gdalSamples(path('large.tif')))).toBe(0);
  });

  it('sparse tiles are no data where that is named, else 0, and that is said', async () => {
    await translated('f32.tif', 'empty.tif', '-a_nodata', '-9999', '-srcwin', '0', '0', '64', '64');
    for (const noData of [true, false]) {
      run('gdalwarp', [
        '-q',
        '-overwrite',
        '-te',
        '0',
        '0',
        '3200',
        '1212.5',
        '-tr',
        '12.5',
        '12.5',
        ...(noData ? ['-dstnodata', '-9999'] : ['-dstnodata', 'None']),
        '-co',
        'TILED=YES',
        '-co',
        'BLOCKXSIZE=16',
        '-co',
        'BLOCKYSIZE=16',
        '-co',
        'SPARSE_OK=TRUE',
        path('empty.tif'),
        path('sparse.tif'),
      ]);
      const reading = await read('sparse.tif');
      expect(worstOff(reading.samples, gdalSamples(path('sparse.tif')))).toBe(0);
      expect(reading.odd.join(' ')).toMatch(noData ? /hold nothing: they were read as no data/ : /read as 0/);
    }
  });

  it.each([
    ['-9999.9', -9999.900390625],
    ['-3.402823e+38', -3.4028234663852886e38],
    ['-3.40282346638529e+38', -3.4028234663852886e38],
    ['-3.4028235e+38', -3.4028234663852886e38],
    ['3.40282e+38', 3.4028234663852886e38],
    ['1e20', Math.fround(1e20)],
    ['-32767,5', -32767.5],
    ['nan', NaN],
  ])('no data spelt %s is no height', async (spelt, number) => {
    const holed = Float32Array.from(ground.height);
    holed.fill(number, 40, 60);
    const { bytes } = await encode({ ...ground, height: holed }, { format: 'tiff', type: 'f32', noData: 12_345_678 });
    // The header's own text, as another writer would have spelt it.
    const at = Buffer.from(bytes).indexOf('12345678\0');
    expect(at).toBeGreaterThan(0);
    const room = await withText(bytes, spelt);
    const field = toField(await readHeightmap(room));
    expect(field.valid?.reduce((n, v) => n + (v ? 0 : 1), 0)).toBe(20);
    expect(statistics(field).lowest).toBeCloseTo(lowest, 2);
  });

  it('the lowest float there is, where no number is named, is taken for no data, and that is said', async () => {
    const holed = Float32Array.from(ground.height);
    holed.fill(-3.4028234663852886e38, 0, 9);
    const reading = await readHeightmap((await encode({ ...ground, height: holed }, { format: 'tiff', type: 'f32' })).bytes);
    expect(reading.odd.join(' ')).toMatch(/9 samples hold -3\.402823e\+38, which is no height/);
    expect(toField(reading).valid?.reduce((n, v) => n + (v ? 0 : 1), 0)).toBe(9);
  });

  it.each([1, 2, 3, 4, 5, 6, 7, 8])('stored with orientation %i it is put upright as ImageMagick does', async (orientation) => {
    await prepared;
    run('convert', [path('u8.tif'), '-strip', path('plain.tif')]);
    run('convert', [path('plain.tif'), '-orient', ORIENT[orientation - 1], path('turned.tif')]);
    run('convert', [path('turned.tif'), '-auto-orient', path('upright.pgm')]);
    const [ours, theirs] = [await read('turned.tif'), await read('upright.pgm')];
    expect([ours.width, ours.height]).toEqual([theirs.width, theirs.height]);
    expect(worstOff(ours.samples, theirs.samples)).toBe(0);
    if (orientation > 1) expect(ours.odd.join(' ')).toMatch(/put upright/);
  });

  it('signed bytes', async () => {
    const name = await translated('u8.tif', 'signed.tif', '-co', 'PIXELTYPE=SIGNEDBYTE');
    // This GDAL shows them as 0 to 255 and says in its metadata that they are signed.
    expect(worstOff((await read(name)).samples, Int8Array.from(gdalSamples(path(name))))).toBe(0);
  });

  it('palettes: greys as what they are, colours said', async () => {
    await prepared;
    run('convert', [path('u8.tif'), '-strip', '-resize', '60x40!', path('grey.png')]);
    for (const colour of [false, true]) {
      // libtiff through Python's imaging is not here: the tags by hand, as TIFF 6.0 section 5 has them.
      python(
        `import sys, struct, subprocess
g = open(sys.argv[1], 'rb').read(); w, h, bits = 16, 12, 8
codes = bytes((x * 13 + y * 29) % 256 for y in range(h) for x in range(w))
ramp = [257 * ((i * 7) % 256) for i in range(256)]
cmap = ramp + (list(reversed(ramp)) if ${colour ? 'True' : 'False'} else ramp) + ramp
tags = [(256, 3, 1, w), (257, 3, 1, h), (258, 3, 1, bits), (259, 3, 1, 1), (262, 3, 1, 3), (273, 4, 1, 8), (277, 3, 1, 1), (278, 3, 1, h), (279, 4, 1, len(codes)), (320, 3, 768, 8 + len(codes))]
body = codes + struct.pack('<768H', *cmap)
ifd = struct.pack('<H', len(tags)) + b''.join(struct.pack('<HHII', t, k, n, v) for t, k, n, v in tags) + struct.pack('<I', 0)
open(sys.argv[2], 'wb').write(bytes([73, 73, 42, 0]) + struct.pack('<I', 8 + len(body)) + body + ifd)`,
        path('grey.png'),
        path('palette.tif'),
      );
      const reading = await read('palette.tif');
      run('gdal_translate', ['-q', '-expand', 'rgb', path('palette.tif'), path('expanded.tif')]);
      run('gdal_translate', ['-q', '-b', '2', path('expanded.tif'), path('green.tif')]);
      const green = await readHeightmap(readBytes(path('palette.tif')), undefined, colour ? { band: 2 } : {});
      expect(worstOff(green.samples, gdalSamples(path('green.tif')))).toBe(0);
      expect(reading.odd.join(' ')).toMatch(colour ? /colours were listed in a palette/ : /greys were listed in a palette/);
    }
  });

  it.each([
    ['CCITTFAX4', /packed by fax group 4/],
    ['LZMA', /packed by LZMA/],
    ['WEBP', /packed by WebP/],
  ])('packed by %s is refused by that name', async (method, sentence) => {
    await translated('u8.tif', 'grey.tif');
    const bands = method === 'WEBP' ? ['-b', '1', '-b', '1', '-b', '1'] : [];
    run('gdal_translate', [
      '-q',
      ...bands,
      ...(method === 'CCITTFAX4' ? ['-co', 'NBITS=1'] : []),
      '-co',
      `COMPRESS=${method}`,
      path('grey.tif'),
      path('refused.tif'),
    ]);
    await expect(read('refused.tif')).rejects.toThrow(sentence);
  });

  it('complex numbers are refused by what they are', async () => {
    await translated('f32.tif', 'complex.tif', '-ot', 'CFloat32');
    await expect(read('complex.tif')).rejects.toThrow(/complex samples/);
  });
});

const ORIENT = ['TopLeft', 'TopRight', 'BottomRight', 'BottomLeft', 'LeftTop', 'RightTop', 'RightBottom', 'LeftBottom'];

/** A TIFF of ours whose text for no data is another one, made longer at its end. */
async function withText(bytes: Uint8Array<ArrayBuffer>, text: string): Promise<Uint8Array<ArrayBuffer>> {
  const view = new DataView(bytes.buffer);
  const out = new Uint8Array(bytes.length + text.length + 1);
  out.set(bytes);
  out.set(new TextEncoder().encode(`${text}\0`), bytes.length);
  const entries = view.getUint16(8, true);
  for (let i = 0; i < entries; i++) {
    const at = 10 + 12 * i;
    if (view.getUint16(at, true) !== 42_113) continue;
    const own = new DataView(out.buffer);
    own.setUint32(at + 4, text.length + 1, true);
    if (text.length + 1 > 4) own.setUint32(at + 8, bytes.length, true);
    else out.set(new TextEncoder().encode(`${text}\0`), at + 8);
  }
  return out;
}

describe('NumPy as NumPy writes it', () => {
  it.each(['int64', 'uint64', 'int8', 'uint8', 'bool', 'float16', 'float64', '>i8', '>f4', '>u2', 'int32'])(
    '%s, in both orders of dimensions, also behind a dimension of 1',
    async (type) => {
      python(
        `import numpy as np, sys
a = (np.arange(35 * 21).reshape(35, 21) * 7 % 120).astype('${type}')
np.save(sys.argv[1] + '/c.npy', a); np.save(sys.argv[1] + '/f.npy', np.asfortranarray(a)); np.save(sys.argv[1] + '/lead.npy', a[None, :, :]); np.save(sys.argv[1] + '/trail.npy', a[:, :, None])
np.savez(sys.argv[1] + '/many.npz', names=np.array([1, 2, 3]), heights=a); np.savez_compressed(sys.argv[1] + '/packed.npz', a)
a.astype('<f8').tofile(sys.argv[1] + '/want.bin')`,
        path('.'),
      );
      const want = new Float64Array(readBytes(path('want.bin')).buffer);
      for (const name of ['c.npy', 'f.npy', 'lead.npy', 'trail.npy', 'many.npz', 'packed.npz']) {
        const reading = await read(name);
        expect([reading.width, reading.height], name).toEqual([21, 35]);
        expect(worstOff(reading.samples, want), name).toBe(0);
      }
    },
  );

  it('records and texts are refused by what they are', async () => {
    python(
      `import numpy as np, sys
np.save(sys.argv[1] + '/r.npy', np.zeros((3, 3), dtype=[('a', 'f4'), ('b', 'i2')])); np.save(sys.argv[1] + '/t.npy', np.array([['a', 'b'], ['c', 'd']]))`,
      path('.'),
    );
    await expect(read('r.npy')).rejects.toThrow(/records of several fields/);
    await expect(read('t.npy')).rejects.toThrow(/numbers of the type "U1"/);
  });
});

describe('the kin of PGM, as Netpbm has them', () => {
  it('PBM, PPM and PAM, as text and as bytes', async () => {
    await prepared;
    run('convert', [path('u8.tif'), '-strip', '-resize', '37x29!', path('grey.pgm')]);
    const want = await read('grey.pgm');
    const through = (command: string, to: string) => run('sh', ['-c', `${command} > ${path(to)}`]);
    through(`pgmtoppm black-white ${path('grey.pgm')}`, 'grey.ppm');
    through(`pnmtoplainpnm ${path('grey.ppm')}`, 'plain.ppm');
    through(`pamstack -tupletype GRAYSCALE ${path('grey.pgm')}`, 'grey.pam');
    through(`pamditherbw -threshold -value 0.5 ${path('grey.pgm')} | pamtopnm`, 'bits.pbm');
    through(`pnmtoplainpnm ${path('bits.pbm')}`, 'bits-plain.pbm');
    for (const name of ['grey.ppm', 'plain.ppm', 'grey.pam']) expect(worstOff((await read(name)).samples, want.samples), name).toBe(0);
    const bits = await read('bits.pbm');
    expect(worstOff(bits.samples, (await read('bits-plain.pbm')).samples)).toBe(0);
    through(`pbmtopgm 1 1 ${path('bits.pbm')}`, 'bits.pgm');
    expect(
      worstOff(
        bits.samples,
        (await read('bits.pgm')).samples.map((v: number) => (v ? 1 : 0)),
      ),
    ).toBe(0);
  });
});

describe('OpenEXR as OpenImageIO writes it', () => {
  it.each([
    ['tiled', ['--tile', '32', '32', '--compression', 'zip']],
    ['tiled with smaller copies', ['-otex', '']],
    ['by runs', ['--compression', 'rle']],
    ['by lines', ['--compression', 'zips']],
  ])('%s', async (kind, options) => {
    await prepared;
    if (kind.includes('copies')) run('oiiotool', [path('f32.tif'), '-otex:fileformatname=exr:resize=0', path('theirs.exr')]);
    else run('oiiotool', [path('f32.tif'), ...options, '-o', path('theirs.exr')]);
    const reading = await read('theirs.exr');
    expect(worstOff(reading.samples, gdalSamples(path('f32.tif')))).toBe(0);
  });

  it('several parts, and ways of packing that are not read, are refused by name', async () => {
    await prepared;
    run('oiiotool', [path('f32.tif'), path('f32.tif'), '--siappend', '-o', path('parts.exr')]);
    await expect(read('parts.exr')).rejects.toThrow(/several parts/);
    run('oiiotool', [path('f32.tif'), '--compression', 'piz', '-o', path('piz.exr')]);
    await expect(read('piz.exr')).rejects.toThrow(/packed by PIZ/);
  });
});

describe('PNG with a transparent code', () => {
  it.each([8, 16])('%i bits: the code stands for no height, as for libpng', async (bits) => {
    python(
      `import sys, zlib, struct
w, h, bits = 19, 11, ${bits}
step = bits // 8
rows = b''.join(b'\\0' + b''.join(struct.pack('>H' if step == 2 else 'B', 7 if (x + y) % 5 == 0 else 20 + x * y) for x in range(w)) for y in range(h))
chunk = lambda k, b: struct.pack('>I', len(b)) + k + b + struct.pack('>I', zlib.crc32(k + b))
open(sys.argv[1], 'wb').write(b'\\x89PNG\\r\\n\\x1a\\n' + chunk(b'IHDR', struct.pack('>IIBBBBB', w, h, bits, 0, 0, 0, 0)) + chunk(b'tRNS', struct.pack('>H', 7)) + chunk(b'IDAT', zlib.compress(rows)) + chunk(b'IEND', b''))`,
      path('clear.png'),
    );
    const reading = await read('clear.png');
    expect(reading.noData).toBe(7);
    expect(JSON.parse(run('gdalinfo', ['-json', path('clear.png')])).bands[0].noDataValue).toBe(7);
    expect(worstOff(reading.samples, gdalSamples(path('clear.png')))).toBe(0);
  });
});

describe('what is not read is refused by what it is', () => {
  it.each([
    ['gif', /This is a GIF/],
    ['webp', /This is a WebP/],
    ['jp2', /This is a JPEG 2000/],
    ['tga', /This is a TGA/],
    ['psd', /This is a layered picture/],
    ['ico', /This is an icon/],
  ])('%s', async (ending, sentence) => {
    await prepared;
    run('convert', [path('u8.tif'), '-strip', path(`other.${ending}`)]);
    await expect(read(`other.${ending}`)).rejects.toThrow(sentence);
  });

  it('grids of other kinds', async () => {
    await prepared;
    for (const [driver, name, sentence] of [
      ['GSBG', 'grid.grd', /Surfer grid/],
      ['HFA', 'grid.img', /ERDAS Imagine/],
      ['GSAG', 'grid-text.grd', /Surfer grid/],
    ] as const) {
      run('gdal_translate', ['-q', '-of', driver, path('f32.tif'), path(name)]);
      await expect(read(name)).rejects.toThrow(sentence);
    }
  });

  it('a mesh where heights are expected, and heights where a mesh is expected', async () => {
    await expect(readHeightmap(new TextEncoder().encode('# made by hand\no hill\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n'))).rejects.toMatchObject({
      code: 'is-a-mesh',
    });
    await prepared;
    expect(() => readMesh(readBytes(path('f32.tif')))).toThrow(expect.objectContaining({ code: 'is-a-heightmap' }));
  });

  it('a PNG that went through a program for text is a damaged PNG', async () => {
    const png = Buffer.from((await encode(ground, { format: 'png', type: 'u8', range })).bytes);
    const asText = Uint8Array.from(Buffer.from(png.toString('latin1').replace(/\r\n/g, '\n'), 'latin1'));
    await expect(readHeightmap(asText)).rejects.toThrow(/PNG whose first bytes were changed/);
  });

  it('no format takes another one for its own', async () => {
    const jpeg = Uint8Array.from(encodeJpeg({ width: 8, height: 8, data: Buffer.alloc(256, 90) }, 80).data);
    const files = [
      ...(await Promise.all(
        ['png', 'tiff', 'asc', 'exr', 'npy', 'pgm', 'pfm', 'bmp', 'xyz'].map(async (format) => {
          const type = formats.find((f) => f.id === format)!.writes[0];
          return { format, bytes: (await encode(ground, { format, type, ...(type[0] === 'u' ? { range } : {}) })).bytes };
        }),
      )),
      { format: 'jpeg', bytes: jpeg },
    ];
    for (const { format, bytes } of files) expect(formats.filter((f) => f.sniff(bytes)).map((f) => f.id)).toEqual([format]);
  });
});
