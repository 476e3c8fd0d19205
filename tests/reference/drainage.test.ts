import { afterAll, describe, expect, it } from 'vitest';
import {
  catchmentsOf,
  describeDrainage,
  drainageOf,
  evaluate,
  fieldFrom,
  inlineKernels,
  lakesOf,
  makeCourse,
  spreadAccumulation,
  streamsAsGeoJson,
  stepUse,
  streamsOf,
  type Field,
} from '@upland-cast/core';
import { eroded, fractal } from '../helpers/fractal';
import { groundOf, hills, noiseField } from '../helpers/grounds';
import { maungaWhau } from '../helpers/maunga-whau';
import { python, readBytes, save, scratch } from '../helpers/outside';

const { path, done } = scratch();
afterAll(done);
const kernels = inlineKernels();

const floatsAt = (name: string) => new Float32Array(readBytes(path(name)).buffer);

/** Depressions filled by greyscale reconstruction from the rim, and D8 worked out plainly in float64. */
const BY_RECONSTRUCTION = `
import numpy as np, sys
from skimage.morphology import reconstruction
h = np.fromfile(sys.argv[1], np.float32).reshape(int(sys.argv[3]), int(sys.argv[2])).astype(np.float64)
seed = np.full_like(h, h.max())
seed[0], seed[-1], seed[:, 0], seed[:, -1] = h[0], h[-1], h[:, 0], h[:, -1]
reconstruction(seed, h, method='erosion', footprint=np.ones((3, 3))).astype(np.float32).tofile(sys.argv[4])
`;

const D8_PLAIN = `
import numpy as np, sys
w, d, s = int(sys.argv[2]), int(sys.argv[3]), float(sys.argv[4])
h = np.fromfile(sys.argv[1], np.float32).reshape(d, w).astype(np.float64)
area = np.ones((d, w))
for flat in np.argsort(-h, axis=None, kind='stable'):
    y, x = divmod(int(flat), w)
    if y in (0, d - 1) or x in (0, w - 1): continue
    best, to = 0.0, None
    for dy in (-1, 0, 1):
        for dx in (-1, 0, 1):
            if dx or dy:
                drop = (h[y, x] - h[y + dy, x + dx]) / (s * np.hypot(dx, dy))
                if drop > best: best, to = drop, (y + dy, x + dx)
    area[to] += area[y, x]
area.astype(np.float32).tofile(sys.argv[5])
`;

const grounds: [string, Field][] = [
  ['Maunga Whau', maungaWhau()],
  ['hills', hills(groundOf(121, 97, 10), 4)],
  ['white noise', noiseField(groundOf(80, 133, 5), 3, -20, 60)],
  ['a fractal', fractal(groundOf(257, 257, 8), { seed: 5, gain: 0.6 })],
];

describe('depression filling agrees with skimage.morphology.reconstruction by erosion, exactly', () => {
  it.each(grounds)('%s', async (_, field) => {
    const { across, down } = field.ground;
    save(path('h.f32'), new Uint8Array(field.height.buffer.slice(0)));
    python(BY_RECONSTRUCTION, path('h.f32'), String(across), String(down), path('filled.f32'));
    const { filled } = await drainageOf(kernels, field);
    expect(Buffer.compare(Buffer.from(filled.buffer), Buffer.from(floatsAt('filled.f32').buffer))).toBe(0);
  });
});

describe('flow accumulation', () => {
  it('by the steepest drop is that of a plain program in NumPy, exactly, on ground that drains', async () => {
    // Falls to the south between three ridges, roughened by less than it falls: no hollow can be.
    const rough = noiseField(groundOf(129, 129, 20), 8, 0, 0.9).height;
    let k = 0;
    const field = fieldFrom(groundOf(129, 129, 20), (east, south) => 900 - 0.05 * south + 30 * Math.abs(Math.sin(east / 300)) + rough[k++]);
    const drainage = await drainageOf(kernels, field);
    expect(Buffer.compare(Buffer.from(drainage.filled.buffer), Buffer.from(field.height.buffer))).toBe(0);
    save(path('d8.f32'), new Uint8Array(field.height.buffer.slice(0)));
    python(D8_PLAIN, path('d8.f32'), '129', '129', '20', path('area.f32'));
    expect(Buffer.compare(Buffer.from(drainage.accumulation.buffer), Buffer.from(floatsAt('area.f32').buffer))).toBe(0);
  });

  it.each(grounds)('comes to the number of samples at the outlets, however it spreads: %s', async (_, field) => {
    const drainage = await drainageOf(kernels, field);
    const { receiver, accumulation } = drainage;
    const leaving = (area: Float32Array) => area.reduce((sum, a, i) => (receiver[i] === i ? sum + a : sum), 0);
    const samples = field.height.length;
    expect(leaving(accumulation)).toBe(samples);
    expect(Math.abs(leaving(spreadAccumulation(field, drainage, 'multiple')) - samples)).toBeLessThan(1e-3 * samples);
    expect(Math.abs(leaving(spreadAccumulation(field, drainage, 'facet')) - samples)).toBeLessThan(1e-3 * samples);
  });

  it('spreads over a cone alike in all directions, where the steepest drop favours eight', async () => {
    const ground = groundOf(201, 201, 10);
    const cone = fieldFrom(ground, (east, south) => 500 - 0.4 * Math.hypot(east - 1000.3, south - 999.6));
    const drainage = await drainageOf(kernels, cone);
    const spread = (area: Float32Array) => {
      // Along a ring of 60 samples' radius: a cone gathers r / 2 samples for each metre of contour.
      const values = Array.from({ length: 720 }, (__, k) => {
        const a = (k / 360) * Math.PI;
        return area[Math.round(100 - 60 * Math.cos(a)) * 201 + Math.round(100 + 60 * Math.sin(a))];
      });
      const mean = values.reduce((s, v) => s + v, 0) / values.length;
      return Math.sqrt(values.reduce((s, v) => s + (v - mean) ** 2, 0) / values.length) / mean;
    };
    // Freeman 1991 and Tarboton 1997 both show the same on cones, against O'Callaghan & Mark's single way.
    expect(spread(spreadAccumulation(cone, drainage, 'multiple'))).toBeLessThan(0.15);
    expect(spread(spreadAccumulation(cone, drainage, 'facet'))).toBeLessThan(0.5);
    expect(spread(drainage.accumulation)).toBeGreaterThan(4 * spread(spreadAccumulation(cone, drainage, 'multiple')));
  });

  it('goes down a plane in its own direction by facets: each of two neighbours gets its share of the angle (Tarboton 1997)', async () => {
    const ground = groundOf(5, 5, 1);
    // Falls to the east and a third as much to the south: 18.43°, which is 0.4097 of the way to the diagonal.
    const plane = fieldFrom(ground, (east, south) => 100 - 3 * east - south);
    const drainage = await drainageOf(kernels, plane);
    const area = spreadAccumulation(plane, drainage, 'facet');
    const share = Math.atan2(1, 3) / (Math.PI / 4);
    expect(area[1 * 5 + 1]).toBeCloseTo(1, 6);
    expect(area[1 * 5 + 2]).toBeCloseTo(1 + (1 - share), 5);
    expect(area[2 * 5 + 2]).toBeCloseTo(1 + share * area[1 * 5 + 1] + (1 - share) * area[2 * 5 + 1], 5);
  });
});

describe('lakes, catchments and streams', () => {
  it('finds a bowl dammed at a known level: its area and volume by the handbook’s cone', async () => {
    const ground = groundOf(401, 401, 2);
    // A cone of 100 m radius and 50 m depth in level ground at 200 m, with a notch in the rim down to 190 m.
    const bowl = fieldFrom(ground, (east, south) => {
      const r = Math.hypot(east - 400, south - 400);
      const ground0 = r < 100 ? 150 + r / 2 : 200 - (r - 100) / 50;
      return Math.abs(south - 400) <= 4 && east > 400 ? Math.min(ground0, r < 100 ? 190 : 190 - (r - 100) / 50) : ground0;
    });
    const { lakes, label } = lakesOf(bowl, await drainageOf(kernels, bowl));
    expect(lakes.length).toBe(1);
    expect(lakes[0].level).toBeCloseTo(190, 3);
    expect(lakes[0].depth).toBeCloseTo(40, 3);
    // Volume of a cone, π r² h / 3 with r = 80 m and h = 40 m.
    expect(lakes[0].volume / ((Math.PI * 80 * 80 * 40) / 3)).toBeCloseTo(1, 2);
    expect(lakes[0].area / (Math.PI * 80 * 80)).toBeCloseTo(1, 2);
    expect(label[200 * 401 + 200]).toBe(1);
    expect(label[0]).toBe(0);
  });

  it('parts the ground among its outlets without rest', async () => {
    const field = eroded(groundOf(129, 129, 20), 3);
    const drainage = await drainageOf(kernels, field);
    const { label, areas, outlets } = catchmentsOf(field, drainage);
    expect(areas.reduce((a, b) => a + b, 0)).toBeCloseTo(129 * 129 * 400, 3);
    outlets.forEach((outlet, i) => expect(label[outlet]).toBe(i));
    for (let i = 0; i < label.length; i++) expect(label[i]).toBe(label[drainage.receiver[i]]);
  });

  it('orders streams as Strahler did: two of an order make one of the next, a lesser one changes nothing', async () => {
    // A valley to the south with two arms of equal size, and a small arm lower down: orders 1 + 1 → 2, 2 + 1 → 2.
    const ground = groundOf(41, 61, 10);
    const lines: [number, number, number, number][] = [
      [20, 25, 20, 60],
      [5, 2, 20, 25],
      [35, 2, 20, 25],
      [38, 38, 20, 48],
    ];
    const distance = (x: number, y: number, [x0, y0, x1, y1]: (typeof lines)[0]) => {
      const t = Math.min(1, Math.max(0, ((x - x0) * (x1 - x0) + (y - y0) * (y1 - y0)) / ((x1 - x0) ** 2 + (y1 - y0) ** 2)));
      return Math.hypot(x - x0 - t * (x1 - x0), y - y0 - t * (y1 - y0));
    };
    const field = fieldFrom(ground, (east, south) => 300 - south * 0.05 + 8 * Math.min(...lines.map((l) => distance(east / 10, south / 10, l))));
    const drainage = await drainageOf(kernels, field);
    const streams = streamsOf(field, drainage, 15_000);
    expect(Math.max(...streams.map((s) => s.order))).toBe(2);
    const last = streams.filter((s) => s.order === 2 && s.joins === -1);
    expect(last.length).toBe(1);
    for (const stream of streams) {
      if (stream.joins >= 0) expect(streams[stream.joins].order).toBeGreaterThanOrEqual(stream.order);
      for (let k = 1; k < stream.path.length; k++) expect(drainage.receiver[stream.path[k - 1]]).toBe(stream.path[k]);
    }
    const text = JSON.parse(streamsAsGeoJson(field, streams)) as { type: string; features: { geometry: { type: string; coordinates: number[][] } }[] };
    expect(text.type).toBe('FeatureCollection');
    expect(text.features.length).toBe(streams.length);
    expect(text.features[0].geometry.coordinates[0].length).toBe(3);
  });

  it('tells worn ground from white noise by its concavity (Flint 1974), which Horton’s ratios do not', async () => {
    const start = fractal(groundOf(257, 257, 20), { seed: 2, height: 60 });
    const wear = stepUse('fluvial', { amount: 200_000, uplift: 3000, soften: 0, scale: 0, bank: 85, toSea: false });
    const { height } = await evaluate(makeCourse('worn', start.ground, [wear]), { kernels, from: start });
    const worn = { ...start, height };
    const noise = noiseField(worn.ground, 3, 0, 400);
    const [a, b] = await Promise.all([worn, noise].map(async (f) => describeDrainage(f, await drainageOf(kernels, f), 40_000)));
    expect(a.concavity).toBeGreaterThan(0.35);
    expect(a.concavity).toBeLessThan(0.6);
    expect(a.uphill).toBe(0);
    expect(a.connected).toBe(1);
    expect(b.concavity < 0.2 || Number.isNaN(b.concavity)).toBe(true);
    expect(b.connected).toBeLessThan(0.5);
    expect(b.bifurcation).toBeGreaterThan(1.8);
    expect(a.bifurcation).toBeGreaterThan(1.8);
  });
});
