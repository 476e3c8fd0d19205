import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../tests/helpers/grounds';
import { turnTakingKernels } from '../../tests/helpers/turn-taking';
import { inlineKernels } from '../kernels/pool';
import { ambientShade, skyLight, sunShare } from './ambient';
import { fieldFrom } from '../field/field';

const kernels = inlineKernels();

describe('ambient shade', () => {
  it('of level ground is 1, and of a hilltop', async () => {
    const flat = await ambientShade(
      kernels,
      fieldFrom(groundOf(33), () => 7),
    );
    expect(flat.every((v) => v === 1)).toBe(true);
  });

  it('at the middle of a bowl with its rim at 45° is cos² 45° = ½ (arithmetic)', async () => {
    const n = 201;
    const cone = fieldFrom(groundOf(n, n, 1), (east, south) => Math.min(80, Math.hypot(east - 100, south - 100)));
    const sky = await ambientShade(kernels, cone, { directions: 32, exaggeration: 1 });
    expect(Math.abs(sky[100 * n + 100] - 0.5)).toBeLessThan(0.005);
  });

  it('agrees with a horizon that is looked for sample by sample', async () => {
    const small = hills(groundOf(48, 40, 5), 4);
    const { across, down } = small.ground;
    const sky = await ambientShade(kernels, small, { directions: 4, exaggeration: 2 });
    // Four directions at 22.5° + 90° k… as the sweep has them: 45° and 135°, both ways.
    const truth = (column: number, row: number) => {
      let sum = 0;
      for (const [dx, dy] of [
        [1, 1],
        [-1, -1],
        [-1, 1],
        [1, -1],
      ]) {
        let horizon = 0;
        for (let k = 1; ; k++) {
          const [x, y] = [column + k * dx, row + k * dy];
          if (x < 0 || y < 0 || x >= across || y >= down) break;
          horizon = Math.max(horizon, (2 * (small.height[y * across + x] - small.height[row * across + column])) / (k * 5 * Math.SQRT2));
        }
        sum += 1 / (1 + horizon * horizon);
      }
      return sum / 4;
    };
    let off = 0;
    for (let row = 0; row < down; row++)
      for (let column = 0; column < across; column++) off = Math.max(off, Math.abs(sky[row * across + column] - truth(column, row)));
    expect(off).toBeLessThan(1e-6);
  });
});

describe('along slanting lines', () => {
  /** Sample by sample and step by step: every line between two rows of samples, and what is highest along it. */
  function byDefinition(
    { height, ground: { across, down, spacingX: s } }: { height: Float32Array; ground: { across: number; down: number; spacingX: number } },
    directions: number,
  ) {
    const sums = new Float64Array(across * down);
    for (let k = 0; k < directions / 2; k++) {
      const angle = ((k + 0.5) * 2 * Math.PI) / directions;
      const [east, south] = [Math.cos(angle), Math.sin(angle)];
      const alongX = Math.abs(east) >= Math.abs(south) - 1e-12;
      const [long, wide] = alongX ? [across, down] : [down, across];
      const lean = alongX ? south / east : east / south;
      const step = s / Math.max(Math.abs(east), Math.abs(south));
      const at = (n: number, r: number) => height[alongX ? r * across + n : n * across + r];
      const clamped = (n: number, r: number) => at(n, Math.max(0, Math.min(wide - 1, r)));
      // A line's height at its place n, and whether it hides what lies behind.
      const on = (line: number, n: number) => {
        const place = line + lean * n;
        const low = Math.floor(place);
        return {
          beside: low >= -1 && low < wide,
          hides: place >= -0.5 && place <= wide - 0.5,
          height: clamped(n, low) + (place - low) * (clamped(n, low + 1) - clamped(n, low)),
        };
      };
      const horizon = (line: number, n: number, way: number) => {
        let best = -Infinity;
        const here = on(line, n).height;
        for (let m = n + way; m >= 0 && m < long; m += way) {
          const there = on(line, m);
          if (there.beside && there.hides) best = Math.max(best, (there.height - here) / (Math.abs(m - n) * step));
        }
        return best;
      };
      for (let r = 0; r < wide; r++)
        for (let n = 0; n < long; n++) {
          // Between the lines north and south of it.
          const line = r - lean * n;
          const low = Math.floor(line + 1e-9);
          const share = Math.max(0, line - low);
          for (const way of [1, -1]) {
            const [a, b] = [horizon(low, n, way), horizon(low + 1, n, way)];
            let slope = a + share * (b - a);
            if (share < 1e-9) slope = a;
            else if (a === -Infinity || b === -Infinity) slope = share > 0.5 ? b : a;
            const t = Math.max(0, slope);
            sums[alongX ? r * across + n : n * across + r] += 1 / (1 + t * t) / directions;
          }
        }
    }
    return sums;
  }

  it('has the sky that the definition has, whatever the sides', async () => {
    for (const [across, down] of [
      [37, 53],
      [50, 18],
      [5, 9],
      [7, 2],
    ]) {
      const land = hills(groundOf(across, down, 5), 4);
      const sky = await ambientShade(kernels, land, { directions: 6, exaggeration: 1 });
      const truth = byDefinition({ height: land.height, ground: { across, down, spacingX: 5 } }, 6);
      const off = sky.reduce((most, v, i) => Math.max(most, Math.abs(v - truth[i])), 0);
      expect(off, `${across} × ${down}`).toBeLessThan(2e-6);
    }
  });

  it('gives the same bits in several bands, in either order', async () => {
    const land = hills(groundOf(70, 131, 6), 9);
    for (const map of [ambientShade, skyLight]) {
      const one = await map(kernels, land);
      for (const lastFirst of [false, true])
        expect(Buffer.compare(Buffer.from(one.buffer), Buffer.from((await map(turnTakingKernels(5, lastFirst), land)).buffer))).toBe(0);
    }
  });
});

describe('light of the sky', () => {
  it('is whole on a plain, and what a tilted plane sees: (1 + cos tilt) / 2 less what it hides (a standard of radiation on slopes)', async () => {
    const plain = await skyLight(
      kernels,
      fieldFrom(groundOf(33), () => 3),
    );
    expect(plain.every((v) => Math.abs(v - 1) < 1e-6)).toBe(true);
    for (const rise of [0.3, 1]) {
      const n = 65;
      const slope = await skyLight(
        kernels,
        fieldFrom(groundOf(n, n, 1), (east) => rise * east),
        { directions: 64, exaggeration: 1 },
      );
      const wanted = (1 + 1 / Math.sqrt(1 + rise * rise)) / 2;
      expect(Math.abs(slope[32 * n + 32] - wanted)).toBeLessThan(0.005);
    }
  });

  it('is ½ everywhere in a hemisphere hollowed out of a plain (a sphere lights itself evenly: half of it is open)', async () => {
    const [n, radius] = [401, 150];
    const bowl = fieldFrom(groundOf(n, n, 1), (east, south) => -Math.sqrt(Math.max(0, radius * radius - (east - 200) ** 2 - (south - 200) ** 2)));
    const sky = await skyLight(kernels, bowl, { directions: 64, exaggeration: 1 });
    for (const [dx, dy] of [
      [0, 0],
      [40, 0],
      [-35, 60],
      [70, 70],
    ])
      expect(Math.abs(sky[(200 + dy) * n + 200 + dx] - 0.5), `${dx} ${dy}`).toBeLessThan(0.005);
  });
});

describe('the sun', () => {
  const wall = (height: number) => fieldFrom(groundOf(201, 201, 2), (east) => (east >= 100 && east <= 104 ? height : 0));

  it('casts a wall’s shadow as long as its height over the tangent, within a sample, on the far side alone', async () => {
    for (const altitude of [15, 30, 60]) {
      const lit = await sunShare(kernels, wall(40), { azimuth: 270, altitude });
      const row = [...lit.subarray(100 * 201, 101 * 201)];
      const shadow = row.slice(53).filter((v) => v < 0.5).length * 2;
      expect(Math.abs(shadow - 40 / Math.tan((altitude * Math.PI) / 180))).toBeLessThanOrEqual(2);
      expect(row.slice(0, 50).every((v) => v > 0.999)).toBe(true);
    }
  });

  it('stands where it is said to: a post’s shadow points away from it, whatever the azimuth', async () => {
    const n = 121;
    const post = fieldFrom(groundOf(n, n, 1), (east, south) => (Math.hypot(east - 60, south - 60) < 2.5 ? 30 : 0));
    for (const azimuth of [0, 37, 90, 135, 200, 300]) {
      const lit = await sunShare(kernels, post, { azimuth, altitude: 45 });
      let [x, y, count] = [0, 0, 0];
      for (let row = 0; row < n; row++)
        for (let column = 0; column < n; column++) {
          if (lit[row * n + column] > 0.5 || Math.hypot(column - 60, row - 60) < 4) continue;
          [x, y, count] = [x + column - 60, y + row - 60, count + 1];
        }
      expect(count).toBeGreaterThan(40);
      const away = (Math.atan2(x, -y) * 180) / Math.PI;
      expect(Math.abs(((away - azimuth + 540) % 360) - 0), String(azimuth)).toBeLessThan(4 + 360 * Number(Math.abs(((away - azimuth + 540) % 360) - 360) < 4));
    }
  });

  it('has a penumbra as wide as its disc makes it, and has set under the horizon', async () => {
    const far = async (disc: number) => {
      const lit = await sunShare(kernels, wall(100), { azimuth: 270, altitude: 30, disc });
      return [...lit.subarray(100 * 201, 101 * 201)].slice(53).filter((v) => v > 0.01 && v < 0.99).length * 2;
    };
    const width = (disc: number) => 100 / Math.tan(((30 - disc / 2) * Math.PI) / 180) - 100 / Math.tan(((30 + disc / 2) * Math.PI) / 180);
    expect(Math.abs((await far(4)) - width(4))).toBeLessThan(4);
    expect(Math.abs((await far(8)) - width(8))).toBeLessThan(5);
    const set = await sunShare(kernels, wall(10), { azimuth: 90, altitude: -2 });
    expect(set.every((v) => v === 0)).toBe(true);
  });

  it('gives the same bits in several bands and on ground that is longer than wide', async () => {
    const land = hills(groundOf(70, 131, 6), 9);
    const lit = await sunShare(kernels, land, { azimuth: 290, altitude: 12 });
    const shared = await sunShare(turnTakingKernels(3, true), land, { azimuth: 290, altitude: 12 });
    expect(lit.every((v, i) => v === shared[i])).toBe(true);
    expect(lit.some((v) => v < 0.1)).toBe(true);
    expect(lit.every((v) => v >= 0 && v <= 1)).toBe(true);
  });
});
