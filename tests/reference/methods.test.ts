import { afterAll, describe, expect, it } from 'vitest';
import { aspect, encode, fieldFrom, hillshade, resample, roughness, slope, withSamples, type Field } from '@upland-cast/core';
import { instantiate } from '../../core/kernels/loader';
import { groundOf, hills } from '../helpers/grounds';
import { maungaWhau } from '../helpers/maunga-whau';
import { gdalSamples, run, save, scratch } from '../helpers/outside';

const { path, done } = scratch();
afterAll(done);

describe('gradient noise', () => {
  // Perlin, "Improving Noise", 2002: the reference implementation's permutation. Its value at
  // (3.14, 42, 7) is widely reprinted as a worked example; both are given here from memory.
  const permutation =
    '151 160 137 91 90 15 131 13 201 95 96 53 194 233 7 225 140 36 103 30 69 142 8 99 37 240 21 10 23 190 6 148 247 120 234 75 0 26 197 62 94 252 219 203 117 35 11 32 57 177 33 88 237 149 56 87 174 20 125 136 171 168 68 175 74 165 71 134 139 48 27 166 77 146 158 231 83 111 229 122 60 211 133 230 220 105 92 41 55 46 245 40 244 102 143 54 65 25 63 161 1 216 80 73 209 76 132 187 208 89 18 169 200 196 135 130 116 188 159 86 164 100 109 198 173 186 3 64 52 217 226 250 124 123 5 202 38 147 118 126 255 82 85 212 207 206 59 227 47 16 58 17 182 189 28 42 223 183 170 213 119 248 152 2 44 154 163 70 221 153 101 155 167 43 172 9 129 22 39 253 19 98 108 110 79 113 224 232 178 185 112 104 218 246 97 228 251 34 242 193 238 210 144 12 191 179 162 241 81 51 145 235 249 14 239 107 49 192 214 31 181 199 106 157 184 84 204 176 115 121 50 45 127 4 150 254 138 236 205 93 222 114 67 29 24 72 243 141 128 195 78 66 215 61 156 180'
      .split(' ')
      .map(Number);

  it('has the published value with the published permutation: 0.136919958784', () => {
    expect(new Set(permutation).size).toBe(256);
    const memory = new WebAssembly.Memory({ initial: 2 });
    const kernels = instantiate('plain', memory);
    const table = (kernels.heapBase() + 63) & ~63;
    new Uint8Array(memory.buffer, table, 512).set([...permutation, ...permutation]);
    expect(kernels.publishedNoise(table, 3.14, 42, 7)).toBeCloseTo(0.13691995878400012, 12);
    expect(kernels.publishedNoise(table, 4, 42, 7)).toBe(0);
  });
});

// GDAL's gdaldem on ground of whole metres at 10 m: its single-precision sums err more on flat or fractional ground.
describe('slope, aspect, hillshade and roughness agree with gdaldem', () => {
  const whole = (field: Field): Field => ({ ...field, height: field.height.map(Math.round) });
  const grounds: [string, Field][] = [
    ['Maunga Whau', maungaWhau()],
    ['hills', whole(hills(groundOf(91, 73, 10), 7, 240))],
  ];
  const inside = (field: Field, check: (i: number) => void) => {
    const { across, down } = field.ground;
    for (let row = 1; row < down - 1; row++) for (let column = 1; column < across - 1; column++) check(row * across + column);
  };
  for (const [name, field] of grounds) {
    const dem = async (mode: string, ...flags: string[]) => {
      save(path('dem.tif'), (await encode(field, { format: 'tiff', type: 'f32' })).bytes);
      run('gdaldem', [mode, '-q', path('dem.tif'), path(`${mode}.tif`), ...flags]);
      return gdalSamples(path(`${mode}.tif`));
    };
    it(`${name}: slope within 1e-3°`, async () => {
      const theirs = await dem('slope');
      const ours = slope(field);
      inside(field, (i) => expect(Math.abs(ours[i] - theirs[i])).toBeLessThan(1e-3));
    });
    it(`${name}: aspect within 1e-3° where the slope exceeds 1°`, async () => {
      const theirs = await dem('aspect');
      const ours = aspect(field);
      const steep = slope(field);
      inside(field, (i) => {
        if (steep[i] <= 1) return;
        const off = Math.abs(ours[i] - theirs[i]);
        expect(Math.min(off, 360 - off)).toBeLessThan(1e-3);
      });
    });
    it(`${name}: hillshade within one grey`, async () => {
      const theirs = await dem('hillshade', '-az', '300', '-alt', '40', '-z', '2');
      const ours = hillshade(field, { azimuth: 300, altitude: 40, exaggeration: 2 });
      inside(field, (i) => expect(Math.abs(ours[i] - theirs[i])).toBeLessThanOrEqual(1));
    });
    it(`${name}: roughness exactly`, async () => {
      const theirs = await dem('roughness');
      const ours = roughness(field);
      inside(field, (i) => expect(ours[i]).toBe(theirs[i]));
    });
  }

  it('a plane rising 45° to the east slopes 45° and faces west', () => {
    const plane = fieldFrom(groundOf(9), (east) => east);
    expect(slope(plane)[40]).toBeCloseTo(45, 5);
    expect(aspect(plane)[40]).toBe(270);
  });
});

// GDAL's warper-free resampling of gdal_translate, on cells.
describe('resampling agrees with GDAL', () => {
  it.each([
    ['average', 'average', 0.5],
    ['cubic', 'cubic', 2],
    ['linear', 'bilinear', 2],
  ] as const)('%s, inside, within 1e-4 of the range', async (ours, theirs, scale) => {
    const field = hills(groundOf(96, 72, 10, 'area'), 9);
    const across = 96 * scale;
    const down = 72 * scale;
    save(path('in.tif'), (await encode(field, { format: 'tiff', type: 'f32' })).bytes);
    run('gdal_translate', ['-q', '-r', theirs, '-outsize', String(across), String(down), path('in.tif'), path('out.tif')]);
    const want = gdalSamples(path('out.tif'));
    const got = resample(field, withSamples(field.ground, across, down), ours).height;
    let worst = 0;
    for (let row = 6; row < down - 6; row++)
      for (let c = 6; c < across - 6; c++) worst = Math.max(worst, Math.abs(got[row * across + c] - want[row * across + c]));
    expect(worst).toBeLessThan(1e-4 * 600);
  });
});
