import { describe, expect, it } from 'vitest';
import { daylight, fresnel, rgbOfYxy, skyAt, skyModel, sunAt, sunThrough, throughWater, WATER_ABSORPTION, type Rgb } from './sky';

const bright = ([r, g, b]: Rgb) => 0.2126 * r + 0.7152 * g + 0.0722 * b;

describe('the sky', () => {
  it('is as bright at the zenith as the model’s own formula says (Preetham et al. 1999, appendix)', () => {
    // T = 3, sun 30° from the zenith: χ = (4/9 − 3/120)(π − 2·30°) = 0.87848; Y = 7.1649 · tan χ − 0.6465 + 2.4192.
    const model = skyModel({ azimuth: 0, altitude: 60, turbidity: 3 });
    const chi = (4 / 9 - 3 / 120) * (Math.PI - Math.PI / 3);
    expect(bright(skyAt(model, [0, 1, 0]))).toBeCloseTo(7.1649 * Math.tan(chi) - 0.6465 + 2.4192, 1);
  });

  it('is brighter about the sun than away from it, blue overhead by day, and reddens as the sun sets', () => {
    const day = skyModel({ azimuth: 90, altitude: 35, turbidity: 3 });
    const towards = skyAt(day, [Math.cos(0.6), Math.sin(0.6), 0]);
    expect(bright(towards)).toBeGreaterThan(2 * bright(skyAt(day, [-Math.cos(0.6), Math.sin(0.6), 0])));
    const [r, , b] = skyAt(day, [0, 1, 0]);
    expect(b).toBeGreaterThan(1.5 * r);
    const low = sunThrough(3, 3);
    expect(low[0] / low[2]).toBeGreaterThan(3 * (sunThrough(60, 3)[0] / sunThrough(60, 3)[2]));
  });

  it('gives level ground 10 to 30 thousand lux beside some 80 to 100 of a high sun (handbook figures, common practice)', () => {
    const { sun, sky } = daylight({ azimuth: 180, altitude: 60, turbidity: 2.5 });
    expect(bright(sky)).toBeGreaterThan(8);
    expect(bright(sky)).toBeLessThan(30);
    expect(bright(sun)).toBeGreaterThan(75);
    expect(bright(sun)).toBeLessThan(115);
  });

  it('fades when the sun has set and is dark at the end of twilight', () => {
    const at = (altitude: number) => bright(daylight({ azimuth: 270, altitude, turbidity: 3 }).sky);
    expect(at(-3)).toBeLessThan(at(0));
    expect(at(-6)).toBe(0);
    expect(daylight({ azimuth: 270, altitude: -1, turbidity: 3 }).sun).toEqual([0, 0, 0]);
  });

  it('turns white of D65 into equal parts', () => {
    const [r, g, b] = rgbOfYxy(1, 0.3127, 0.329);
    for (const part of [r, g, b]) expect(part).toBeCloseTo(1, 2);
  });
});

describe('water', () => {
  it('throws back 2.0 % from straight above, 6 % at 60°, all at a grazing look (Fresnel’s equations for 1.333)', () => {
    expect(fresnel(1)).toBeCloseTo((0.333 / 2.333) ** 2, 6);
    expect(fresnel(0.5)).toBeCloseTo(0.0597, 3);
    expect(fresnel(0)).toBe(1);
  });

  it('takes light as the depth grows, red first (Beer & Lambert)', () => {
    expect(throughWater(0)).toEqual([1, 1, 1]);
    throughWater(3).forEach((left, k) => expect(left).toBeCloseTo(Math.exp(-6 * WATER_ABSORPTION[k]), 12));
    const [r, , b] = throughWater(2);
    expect(r).toBeLessThan(b / 2);
  });
});

describe('the hour', () => {
  it('puts the noon sun in the south at 90° less the latitude at the equinox, and higher by 23.4° at midsummer', () => {
    expect(sunAt(12, 54, 0).altitude).toBeCloseTo(36, 6);
    expect(sunAt(12, 54, 0).azimuth).toBeCloseTo(180, 6);
    expect(sunAt(12, 54, 1).altitude).toBeCloseTo(59.44, 2);
    expect(sunAt(12, -30, 0).azimuth % 360).toBeCloseTo(0, 6);
  });

  it('has it rise in the east at six at the equinox, and set in the west', () => {
    expect(sunAt(6, 54, 0).altitude).toBeCloseTo(0, 6);
    expect(sunAt(6, 54, 0).azimuth).toBeCloseTo(90, 6);
    expect(sunAt(18, 54, 0).azimuth).toBeCloseTo(270, 6);
  });
});
