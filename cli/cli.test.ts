import { spawnSync } from 'node:child_process';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { encode, gridMesh, makeCourse, meshFormats, readHeightmap, stepUse, type LandReport, type PartsReport, type SampleType } from '@upland-cast/core';
import { groundOf, hills, noiseField } from '../tests/helpers/grounds';
import { readBytes, save, scratch, uplandCast, uplandJson } from '../tests/helpers/outside';

const { path, done } = scratch();
afterAll(done);
const field = hills(groundOf(65, 49, 10), 3);

interface Made {
  out: string;
  width: number;
  height: number;
  min: number;
  max: number;
  proof: { maxAbs: number; rmse: number; step: number; clipped: number; codesUsed: number; sha256: string; ok: boolean };
}

beforeAll(async () => {
  expect(existsSync('cli/dist/cli.mjs'), 'the command has to be built').toBe(true);
  save(path('g.tif'), (await encode(field, { format: 'tiff', type: 'f32' })).bytes);
  save(path('g.png'), (await encode(field, { format: 'png', type: 'u16', range: { low: 200, high: 900 } })).bytes);
  save(path('course.json'), JSON.stringify(makeCourse('Course', groundOf(129, 129, 20), [stepUse('noise', { seed: 4 }), stepUse('talus', { sweeps: 20 })])));
});

describe('inspect', () => {
  it('prints exactly the fields it promises', () => {
    const found = uplandJson('inspect', path('g.png'));
    expect(Object.keys(found)).toEqual([
      'file',
      'format',
      'width',
      'height',
      'channels',
      'bits',
      'sampleFormat',
      'min',
      'max',
      'mean',
      'unit',
      'spacing',
      'registration',
      'noData',
      'distinct',
      'findings',
      'readings',
    ]);
    expect(found).toMatchObject({ format: 'png', width: 65, height: 49, bits: 16, sampleFormat: 'uint', unit: 'code', spacing: null, registration: null });
    expect(uplandJson('inspect', path('g.tif'))).toMatchObject({
      unit: 'm',
      spacing: { x: 10, y: 10 },
      registration: 'point',
      sampleFormat: 'float',
      bits: 32,
    });
  });

  it('ranks what raw bytes could be', async () => {
    save(path('g.raw'), (await encode(field, { format: 'raw', type: 'u16', range: { low: 0, high: 1000 }, options: { order: 'be' } })).bytes);
    const { readings, width } = uplandJson<{ readings: { as: string; score: number }[]; width: number }>('inspect', path('g.raw'));
    expect(readings[0].as).toMatch(/^raw:[us]16:be:65x49$/);
    expect(width).toBe(65);
    expect(uplandJson<{ readings: unknown[] }>('inspect', path('g.raw'), '--as', 'raw:u16:be:65x49').readings).toEqual([]);
  });
});

describe('convert', () => {
  it('prints exactly the fields it promises, measured on the file', () => {
    const made = uplandJson<Made>('convert', path('g.tif'), path('o.png'), '--depth', '16', '--out-range', '100:1000');
    expect(Object.keys(made)).toEqual(['out', 'width', 'height', 'min', 'max', 'proof']);
    expect(Object.keys(made.proof)).toEqual(['maxAbs', 'rmse', 'step', 'clipped', 'codesUsed', 'sha256', 'ok']);
    expect(made.proof.step).toBeCloseTo(900 / 65_535, 12);
    expect(made.proof.maxAbs).toBeLessThanOrEqual(made.proof.step * 0.500001);
    expect(made.proof.ok).toBe(true);
  });

  it('keeps every code of an integer file that is turned, flipped and written again, whatever its type', async () => {
    for (const type of ['u8', 'u16', 's16', 'u32', 's32'] as SampleType[]) {
      const { bytes, quantised } = await encode(noiseField(groundOf(9, 7), 5), { format: 'raw', type, range: { low: 0, high: 1 } });
      save(path('codes.raw'), bytes);
      const as = `raw:${type}:le:`;
      let from = 'codes.raw';
      for (const [i, flags] of [
        ['--turn', '90'],
        ['--flip', 'rows'],
        ['--turn', '90'],
        ['--flip', 'rows'],
      ].entries()) {
        const size = i === 1 || i === 2 ? '7x9' : '9x7';
        const { status, words } = uplandCast('convert', path(from), path(`codes${i}.raw`), '--as', as + size, '--out-as', `raw:${type}:le`, ...flags);
        expect(status, words).toBe(0);
        from = `codes${i}.raw`;
      }
      // A turn and a flip, twice over, is the beginning again.
      expect((await readHeightmap(readBytes(path(from)), `${as}9x7`)).samples).toEqual(quantised.page.samples);
    }
  });

  it('resamples, shifts and stretches', () => {
    const moved = uplandJson<Made>('convert', path('g.tif'), path('s.tif'), '--shift', '-70', '--size', '129x97', '--filter', 'cubic');
    expect([moved.width, moved.height]).toEqual([129, 97]);
    const compared = uplandJson<{ bestShift: number; sameForm: boolean }>(
      'compare',
      path('g.tif'),
      (uplandCast('convert', path('g.tif'), path('s2.tif'), '--shift', '-70'), path('s2.tif')),
    );
    expect(compared.bestShift).toBeCloseTo(-70, 4);
    expect(compared.sameForm).toBe(true);
    const wide = uplandJson<Made>('convert', path('g.tif'), path('w.tif'), '--stretch', '0:100');
    expect([wide.min, wide.max].map((v) => Number(v.toFixed(4)))).toEqual([0, 100]);
  });

  it('reads codes by a range and by two points', () => {
    const a = uplandJson<Made>('convert', path('g.png'), path('a.tif'), '--range', '200:900', '--depth', '32f');
    expect(Math.abs(a.max - Math.max(...field.height))).toBeLessThan(0.01);
    const b = uplandJson<Made>('convert', path('g.png'), path('b.tif'), '--map', '0=200,65535=900', '--depth', '32f');
    expect(b.max).toBe(a.max);
  });
});

describe('apply, derive, run', () => {
  it('apply does one step and says what it moved', () => {
    const made = uplandJson<Made & { volumeCut: number; volumeFill: number; steepest: number }>(
      'apply',
      path('g.tif'),
      path('t.tif'),
      '--step',
      'talus',
      '--set',
      'repose=25',
      '--set',
      'sweeps=300',
      // All of it loose: then nothing stands steeper than it rests.
      ...['soil=10000', 'fall=0', 'spread=0'].flatMap((setting) => ['--set', setting]),
      '--layer',
      `cut=${path('cut.tif')}`,
    );
    expect(made.steepest).toBeLessThanOrEqual(25.5);
    expect(made.volumeCut).toBeGreaterThan(0);
    expect(Math.abs(made.volumeCut - made.volumeFill)).toBeLessThan(1e-6 * made.volumeCut);
    expect(existsSync(path('cut.tif'))).toBe(true);
  });

  it('derive writes slope in degrees', () => {
    expect(uplandJson<Made>('derive', path('g.tif'), path('slope.tif'), '--map', 'slope').max).toBeLessThan(90);
    expect(uplandCast('derive', path('g.tif'), path('n.png'), '--map', 'normal').status).toBe(0);
    const sky = uplandJson<Made>('derive', path('g.tif'), path('shade.tif'), '--map', 'shade', '--set', 'directions=8');
    expect(sky.max).toBeLessThanOrEqual(1);
    expect(sky.min).toBeGreaterThan(0);
    expect(sky.min).toBeLessThan(sky.max);
    expect(uplandCast('derive', path('g.tif'), path('shade.tif'), '--map', 'shade', '--set', 'directions=0').words).toMatch(/2 to 256 directions/);
  });

  it('derive writes flow, whose largest is no more than the ground, and streams as GeoJSON; refuses what it does not know', () => {
    const flow = uplandJson<Made>('derive', path('g.tif'), path('flow.tif'), '--map', 'flow');
    expect(flow.max).toBeGreaterThan(0);
    for (const by of ['multiple', 'facet']) expect(uplandCast('derive', path('g.tif'), path('flow2.tif'), '--map', 'flow', '--set', `by=${by}`).status).toBe(0);
    const made = uplandJson<{ streams: number; order: number }>('derive', path('g.tif'), path('s.geojson'), '--map', 'streams', '--set', 'least=2000');
    expect(made.streams).toBeGreaterThan(0);
    const lines = JSON.parse(readFileSync(path('s.geojson'), 'utf8')) as { features: unknown[] };
    expect(lines.features.length).toBe(made.streams);
    const wrong = uplandCast('derive', path('g.tif'), path('flow3.tif'), '--map', 'flow', '--set', 'by=magic');
    expect(wrong.status).toBe(1);
    expect(wrong.words).toContain('by is steepest, multiple or facet.');
  });

  it('apply writes every layer that weathering leaves', () => {
    for (const [step, ...names] of [
      ['fluvial', 'flow', 'cut', 'fill'],
      ['runoff', 'water', 'sediment', 'flow'],
    ]) {
      const layers = names.flatMap((name) => ['--layer', `${name}=${path(`${step}-${name}.tif`)}`]);
      uplandJson('apply', path('g.tif'), path(`${step}.tif`), '--step', step, '--set', step === 'runoff' ? 'amount=20' : 'amount=500', ...layers);
      for (const name of names) expect(existsSync(path(`${step}-${name}.tif`))).toBe(true);
    }
  });

  it('run gives the same bytes with one worker and with two', () => {
    const one = uplandJson<Made>('run', path('course.json'), path('r1.tif'), '--threads', '1');
    const two = uplandJson<Made>('run', path('course.json'), path('r2.tif'), '--threads', '2');
    expect(two.proof.sha256).toBe(one.proof.sha256);
    expect(uplandJson<Made>('run', path('course.json'), path('r3.tif'), '--samples', '65').width).toBe(65);
  });

  it('steps lists every setting with unit and bounds', () => {
    const list = uplandJson<{ id: string; params: { key: string; unit: string; min: number; max: number }[] }[]>('steps');
    expect(list.find((s) => s.id === 'talus')!.params.find((p) => p.key === 'repose')).toMatchObject({ key: 'repose', unit: '°', min: 5, max: 80 });
  });
});

describe('starting courses', () => {
  it('are listed, worked out by their id, and again with every seed drawn anew: the same number, the same bytes', () => {
    const list = uplandJson<{ id: string; summary: string; width: number; steps: string[] }[]>('starts');
    expect(list.length).toBeGreaterThan(8);
    expect(list.find((start) => start.id === 'dune-sea')).toMatchObject({ width: 8192, steps: ['noise', 'dunes', 'dunes'] });
    const work = (name: string, ...more: string[]) => {
      expect(uplandCast('run', 'start:dune-sea', path(name), '--samples', '129', ...more).status).toBe(0);
      return readFileSync(path(name));
    };
    const [own, seven, again, eight] = [work('d0.tif'), work('d7.tif', '--roll', '7'), work('d7b.tif', '--roll', '7'), work('d8.tif', '--roll', '8')];
    expect(Buffer.compare(seven, again)).toBe(0);
    expect(Buffer.compare(seven, own)).not.toBe(0);
    expect(Buffer.compare(seven, eight)).not.toBe(0);
    const none = uplandCast('run', 'start:nowhere', path('n.tif'));
    expect(none.status).toBe(1);
    expect(none.words).toContain('There is no starting course "nowhere"');
  });
});

describe('measure', () => {
  it('prints exactly the fields it promises', () => {
    const land = uplandJson<Record<string, unknown>>('measure', path('g.tif'));
    expect(Object.keys(land)).toEqual([
      'slope',
      'fullestDegree',
      'flat',
      'eightFold',
      'fourFold',
      'hollows',
      'spectrum',
      'concavity',
      'drainageDensity',
      'reliefBySize',
      'hypsometricIntegral',
      'verdict',
    ]);
    expect(Object.keys(land.slope as object)).toEqual(['q05', 'q25', 'q50', 'q75', 'q95', 'q99']);
    expect(land.reliefBySize).not.toHaveLength(0);
  });

  it('takes codes by a range and a spacing, and says where it is not as real ground is', () => {
    const steep = uplandJson<{ slope: { q50: number } }>('measure', path('g.png'), '--range', '0:6553.5', '--spacing', '1');
    const gentle = uplandJson<{ slope: { q50: number } }>('measure', path('g.png'), '--range', '200:900', '--spacing', '10');
    expect(steep.slope.q50).toBeGreaterThan(gentle.slope.q50);
    expect(uplandCast('measure', path('g.tif')).status).toBe(0);
  });
});

describe('at another count', () => {
  it('run resamples for fewer samples, works out again for more or when told, and says how far off that is', () => {
    type Run = Made & { sampling: { how: string; filter: string | null; maxAbs: number; rmse: number } | null };
    const run = (...more: string[]) => uplandJson<Run>('run', path('course.json'), path('s.tif'), ...more);
    expect(run().sampling).toBeNull();
    expect(run('--samples', '65').sampling).toMatchObject({ how: 'resampled', filter: 'average' });
    expect(run('--samples', '200').sampling).toMatchObject({ how: 'worked', filter: null });
    const again = run('--samples', '65', '--sampling', 'worked');
    expect(again.sampling!.how).toBe('worked');
    expect(again.sampling!.rmse).toBeGreaterThan(0);
    expect(again.width).toBe(65);
  });

  it('apply begins with values that fit the ground', () => {
    save(path('small.tif'), readBytes(path('g.tif')));
    const cut = (...sets: string[]) =>
      uplandJson<{ volumeCut: number }>('apply', path('small.tif'), path('f.tif'), '--step', 'fluvial', ...sets.flatMap((set) => ['--set', set])).volumeCut;
    // 640 m wide: a thirteenth of the ground that defaults are written for.
    expect(cut()).toBe(cut('scale=16', 'soften=2.8'));
    expect(cut()).not.toBe(cut('scale=200', 'soften=36'));
  });
});

describe('a JPEG', () => {
  it('is read by the command as by the page', () => {
    expect(uplandJson<{ format: string; width: number }>('inspect', 'app/public/demo/old-sheet.jpg')).toMatchObject({ format: 'jpeg', width: 512 });
  });
});

describe('a mesh in every way', () => {
  const ground = () => path('w.tif');
  beforeAll(async () => save(path('w.tif'), (await encode(hills(groundOf(65, 65, 10), 4, 100), { format: 'tiff', type: 'f32' })).bytes));
  type Meshed = {
    maxError: number;
    triangles: number;
    vertices: number;
    parts: number;
    bytes: number;
    levels?: { triangles: number; maxError: number; switchDistance: number }[];
  };

  it('by error, by count, halved, in parts, closed, with a skirt, packed, with levels and a normal map', () => {
    const input = ground();
    const mesh = (out: string, ...rest: string[]) => uplandJson<Meshed>('mesh', input, path(out), '--extent', '640x640', ...rest);
    const byError = mesh('e.glb', '--max-error', '2');
    expect(byError.maxError).toBeLessThanOrEqual(2.0001);
    expect(byError.triangles).toBeLessThan(2 * 64 * 64);
    const byCount = mesh('c.ply', '--triangles', '400');
    expect(byCount.triangles).toBeLessThanOrEqual(400);
    expect(mesh('h.obj', '--max-error', '2', '--halved').maxError).toBeLessThanOrEqual(2.0001);
    const parts = mesh('p.glb', '--max-error', '2', '--parts', '6');
    expect(parts).toMatchObject({ parts: 6 });
    expect(parts.maxError).toBeLessThanOrEqual(2.0001);
    const closed = mesh('s.stl', '--segments', '32x32', '--closed', '20', '--scale', '0.5');
    expect(closed.triangles).toBe(2 * (2 * 32 * 32) + 2 * 4 * 32);
    expect(mesh('k.obj', '--segments', '16x16', '--skirt', '15', '--faces', 'quads').triangles).toBe(2 * (16 * 16 + 4 * 16));
    const plain = mesh('q0.glb', '--segments', '64x64');
    const small = mesh('q.glb', '--segments', '64x64', '--packed', '--quantised');
    expect(small.bytes).toBeLessThan(0.35 * plain.bytes);
    expect(small.maxError).toBeGreaterThan(plain.maxError);
    expect(small.maxError).toBeLessThan(0.5);
    const levels = mesh('l.glb', '--levels', '2', '--normal-map', '64', '--sea', '480');
    expect(levels.levels!.map((l) => l.triangles < levels.triangles)).toEqual([true, true]);
    expect(levels.levels![1].switchDistance).toBeGreaterThan(levels.levels![0].switchDistance);
    expect(readFileSync(path('l-level-2.glb')).length).toBeGreaterThan(1000);
  });

  it('comes back by press from several files, smooth, scaled, and with its holes filled', () => {
    const input = ground();
    uplandJson<Meshed>('mesh', input, path('one.obj'), '--extent', '640x640', '--segments', '32x32');
    const flat = uplandJson<{ spacing: number; min: number; max: number }>('press', path('one.obj'), path('a.tif'), '--size', '65x65');
    expect(flat.spacing).toBeCloseTo(20, 3);
    const half = uplandJson<{ min: number; max: number }>('press', path('one.obj'), path('b.tif'), '--size', '65x65', '--scale', '0.5', '--smooth');
    expect((half.max - half.min) / (flat.max - flat.min)).toBeCloseTo(0.5, 1);
    writeFileSync(path('west.obj'), 'v 0 0 0\nv 10 1 0\nv 10 1 20\nv 0 0 20\nf 1 4 3 2\n');
    writeFileSync(path('east.obj'), 'v 14 2 0\nv 24 2 0\nv 24 2 20\nv 14 2 20\nf 1 4 3 2\n');
    const args = [path('west.obj'), path('east.obj'), path('both.tif'), '--size', '25x21', '--up', 'y'];
    expect(uplandJson<{ holes: number }>('press', ...args)).toMatchObject({ holes: 3 * 21, overhangs: 0 });
    expect(uplandJson<{ noData: { count: number } | null }>('inspect', path('both.tif')).noData?.count).toBe(63);
    uplandJson('press', ...args, '--fill-holes');
    expect(uplandJson<{ noData: { count: number } | null }>('inspect', path('both.tif')).noData?.count ?? 0).toBe(0);
  });

  it('is refused with a sentence where its options do not go together', () => {
    const input = ground();
    const words = (...rest: string[]) => uplandCast('mesh', input, path('x.glb'), '--extent', '640x640', ...rest).words;
    expect(words('--segments', '8x8', '--max-error', '2')).toMatch(/give one of them/);
    expect(words('--parts', '0')).toMatch(/whole number/);
    expect(words('--up', 'z')).toMatch(/y up/);
    expect(words('--skirt', '1', '--closed', '1')).toMatch(/not both/);
    expect(words('--normal-map', '64', '--normals', 'flat')).toMatch(/goes with exact normals/);
    expect(uplandCast('mesh', input, path('x.ply'), '--extent', '640x640', '--sea', '500').words).toMatch(/Write GLB or OBJ/);
    expect(words('--max-error', '2', '--halved', '--parts', '3x3')).toMatch(/1, 2, 4, 8/);
  });
});

describe('mesh and press', () => {
  it('go there and back, measured on what was written', () => {
    const mesh = uplandJson<{ maxError: number; vertices: number; parts: number }>(
      'mesh',
      path('g.tif'),
      path('m.ply'),
      '--extent',
      '640x480',
      '--faces',
      'quads',
    );
    expect(Object.keys(mesh)).toEqual(['out', 'vertices', 'faces', 'triangles', 'parts', 'maxError', 'rmse', 'bounds', 'ratio', 'bytes']);
    expect(mesh).toMatchObject({ vertices: 65 * 49, parts: 1 });
    expect(mesh.maxError).toBeLessThan(1e-3);
    const pressed = uplandJson<Made & { holes: number; overhangs: number }>('press', path('m.ply'), path('p.tif'), '--size', '65x49', '--up', 'y');
    expect(pressed).toMatchObject({ holes: 0, overhangs: 0 });
    expect(uplandJson<{ maxAbs: number }>('compare', path('g.tif'), path('p.tif')).maxAbs).toBeLessThan(1e-3);
  });

  it('compare measures both sides as land where it is asked for', () => {
    uplandCast('convert', path('g.tif'), path('half.tif'), '--stretch', '0:30');
    const { land } = uplandJson<{ land: Record<'a' | 'b', LandReport> }>('compare', path('g.tif'), path('half.tif'), '--land');
    const alone = uplandJson<LandReport>('measure', path('g.tif'));
    expect(land.a.slope.q50).toBe(alone.slope.q50);
    expect(land.b.slope.q50).toBeLessThan(land.a.slope.q50);
    expect(land.b.eightFold).toBeCloseTo(land.a.eightFold, 2);
  });

  it('compare lists the parts of a mesh beside its ground, and says which borders do not meet', () => {
    const square = (west: number, level: number) =>
      [...[0, 480].flatMap((z) => [west, west + 320].map((x) => `v ${x} ${level} ${z}`)), 'f 1 3 2', 'f 2 3 4'].join('\n');
    save(path('west.obj'), square(0, 20));
    save(path('east.obj'), square(320, 23.5));
    const { parts } = uplandJson<{ parts: PartsReport }>('compare', path('g.tif'), path('west.obj'), '--with', path('east.obj'));
    expect(parts.parts.map(({ name, triangles, width, depth }) => [name, triangles, width, depth])).toEqual([
      ['west.obj', 2, 320, 480],
      ['east.obj', 2, 320, 480],
    ]);
    expect(parts.findings.map(({ sentence }) => sentence)).toEqual(['west.obj and east.obj do not meet: their borders are up to 3.5 m apart.']);
  });
});

describe('when it goes wrong', () => {
  it('exits 1 with a sentence for the work, 2 for the command', () => {
    save(path('empty.png'), '');
    save(path('words.txt'), 'these are words');
    save(path('noface.obj'), 'v 0 0 0\n');
    const cases: [number, RegExp, string[]][] = [
      [1, /is no file|There is no file/, ['inspect', path('nothing.png')]],
      [1, /empty: it has 0 bytes/, ['inspect', path('empty.png')]],
      [1, /has no ending/, ['convert', path('g.tif'), path('o.what')]],
      [1, /no step "melt"/, ['apply', path('g.tif'), path('o.tif'), '--step', 'melt']],
      [1, /no setting "angle"/, ['apply', path('g.tif'), path('o.tif'), '--step', 'talus', '--set', 'angle=3']],
      [1, /cannot be 99/, ['apply', path('g.tif'), path('o.tif'), '--step', 'talus', '--set', 'repose=99']],
      [1, /no faces/, ['press', path('noface.obj'), path('o.tif')]],
      [1, /neither a project file nor a course/, ['run', path('words.txt'), path('o.tif')]],
      [1, /cannot be written/, ['convert', path('g.tif'), path('no/such/folder/o.tif')]],
      [2, /LO:HI/, ['convert', path('g.tif'), path('o.tif'), '--range', 'high']],
      [1, /give --extent/, ['mesh', path('g.png'), path('o.obj')]],
      [2, /required option/, ['apply', path('g.tif'), path('o.tif')]],
      [2, /no command "melt"/, ['melt']],
    ];
    for (const [status, words, args] of cases) {
      const result = uplandCast(...args);
      expect(result.status, args.join(' ')).toBe(status);
      expect(result.words, args.join(' ')).toMatch(words);
      expect(result.words).not.toMatch(/\n\s+at /);
    }
  });

  it('ends in peace when whoever reads has heard enough', () => {
    const heard = spawnSync('bash', ['-o', 'pipefail', '-c', `"${process.execPath}" cli/bin/upland-cast.mjs steps | head -n 1`], { encoding: 'utf8' });
    expect(heard).toMatchObject({ status: 0, stderr: '' });
    expect(heard.stdout.split('\n')).toHaveLength(2);
  });

  it('refuses quads in a format that has none', () => {
    save(path('m.glb'), meshFormats[0].encode(gridMesh(field), 'm'));
    expect(uplandCast('mesh', path('g.tif'), path('m.glb'), '--extent', '640x480', '--faces', 'quads').words).toMatch(/triangles only/);
    expect(uplandCast('mesh', path('g.png'), path('m.glb')).words).toMatch(/does not say how large its land is: give --extent/);
  });
});
