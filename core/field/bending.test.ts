import { describe, expect, it } from 'vitest';
import { settleFree, type Plate, type Stiffness } from './bending';
import { hash32 } from './hash';

const random = (seed: number, k: number) => hash32(seed, k) / 2 ** 32;

/** Rows of the squares that the energy sums: each is a weight of samples, by the definition, sample by sample. */
function energyRows({ across, down, aspect, stiffness }: Plate): [number, number][][] {
  const rows: [number, number][][] = [];
  const at = (row: number, column: number) => row * across + column;
  const [wx, wy] = stiffness === 'bending' ? [1 / aspect, aspect] : [1 / Math.sqrt(aspect), Math.sqrt(aspect)];
  for (let row = 0; row < down; row++)
    for (let column = 0; column < across; column++) {
      if (stiffness === 'membrane') {
        if (column + 1 < across)
          rows.push([
            [at(row, column), -wx],
            [at(row, column + 1), wx],
          ]);
        if (row + 1 < down)
          rows.push([
            [at(row, column), -wy],
            [at(row + 1, column), wy],
          ]);
        continue;
      }
      for (const [dr, dc, w, inside] of [
        [0, 1, wx, column > 0 && column + 1 < across],
        [1, 0, wy, row > 0 && row + 1 < down],
      ] as const)
        if (inside)
          rows.push([
            [at(row - dr, column - dc), w],
            [at(row, column), -2 * w],
            [at(row + dr, column + dc), w],
          ]);
      if (column + 1 < across && row + 1 < down)
        rows.push([
          [at(row, column), Math.SQRT2],
          [at(row, column + 1), -Math.SQRT2],
          [at(row + 1, column), -Math.SQRT2],
          [at(row + 1, column + 1), Math.SQRT2],
        ]);
    }
  return rows;
}

const energyOf = (rows: [number, number][][], height: Float64Array) => rows.reduce((sum, row) => sum + row.reduce((v, [i, w]) => v + w * height[i], 0) ** 2, 0);

/** The least energy by normal equations and elimination, as a textbook has them. */
function byElimination(rows: [number, number][][], height: Float64Array, free: Uint8Array): Float64Array {
  const index = [...free.keys()].filter((i) => free[i]);
  const place = new Map(index.map((i, k) => [i, k]));
  const n = index.length;
  const a = Array.from({ length: n }, () => new Float64Array(n + 1));
  for (const row of rows) {
    const held = row.reduce((sum, [i, w]) => (place.has(i) ? sum : sum + w * height[i]), 0);
    for (const [i, w] of row) {
      const k = place.get(i);
      if (k === undefined) continue;
      for (const [j, v] of row) if (place.has(j)) a[k][place.get(j)!] += w * v;
      a[k][n] -= w * held;
    }
  }
  for (let k = 0; k < n; k++) {
    let best = k;
    for (let r = k + 1; r < n; r++) if (Math.abs(a[r][k]) > Math.abs(a[best][k])) best = r;
    [a[k], a[best]] = [a[best], a[k]];
    for (let r = k + 1; r < n; r++) {
      const by = a[r][k] / a[k][k];
      if (by !== 0) for (let c = k; c <= n; c++) a[r][c] -= by * a[k][c];
    }
  }
  const out = height.slice();
  for (let k = n - 1; k >= 0; k--) {
    let sum = a[k][n];
    for (let c = k + 1; c < n; c++) sum -= a[k][c] * out[index[c]];
    out[index[k]] = sum / a[k][k];
  }
  return out;
}

const heightsOf = (across: number, down: number, at: (x: number, y: number) => number) =>
  Float64Array.from({ length: across * down }, (_, i) => at(i % across, Math.floor(i / across)));

const holeOf = (across: number, down: number, inside: (x: number, y: number) => boolean) =>
  Uint8Array.from({ length: across * down }, (_, i) => (inside(i % across, Math.floor(i / across)) ? 1 : 0));

describe('a plate over a hole', () => {
  it.each([
    ['bending', 1],
    ['bending', 1.7],
    ['membrane', 1],
    ['membrane', 0.6],
  ] as [Stiffness, number][])('has the least energy, as elimination finds it: %s, aspect %f', async (stiffness, aspect) => {
    const [across, down] = [17, 14];
    const plate: Plate = { across, down, aspect, stiffness };
    const rows = energyRows(plate);
    // Whole patches, single samples, and what lies along the rim and in a corner.
    for (const free of [
      holeOf(across, down, (x, y) => x > 3 && x < 12 && y > 3 && y < 10),
      holeOf(across, down, (x, y) => x < 4 && y < 5),
      holeOf(across, down, (x, y) => random(7, y * across + x) < 0.4),
      holeOf(across, down, (x) => x > 9),
    ]) {
      const height = heightsOf(across, down, (x, y) => 40 * Math.sin(x / 3) + 25 * Math.cos(y / 2) + 3 * random(3, y * across + x));
      const truth = byElimination(rows, height, free);
      const found = height.slice();
      await settleFree(found, free, plate, { tolerance: 1e-9 });
      found.forEach((h, i) => expect(Math.abs(h - truth[i]), String(i)).toBeLessThan(1e-4));
      // What is held is not touched, and every other shape costs more.
      expect(height.every((h, i) => free[i] || found[i] === h)).toBe(true);
      const least = energyOf(rows, found);
      for (let k = 0; k < 5; k++) {
        const other = found.map((h, i) => (free[i] ? h + random(k + 20, i) - 0.5 : h));
        expect(energyOf(rows, other)).toBeGreaterThan(least);
      }
    }
  });

  it('carries a plane on, and under its own slope whatever is cubic', async () => {
    const [across, down] = [40, 33];
    const plate: Plate = { across, down, aspect: 1, stiffness: 'bending' };
    const slope = heightsOf(across, down, (x, y) => 3 * x - 2 * y + 100);
    const corner = holeOf(across, down, (x, y) => x < 15 && y < 15);
    const filled = slope.map((h, i) => (corner[i] ? -999 : h));
    await settleFree(filled, corner, plate, { tolerance: 1e-9 });
    filled.forEach((h, i) => expect(Math.abs(h - slope[i])).toBeLessThan(1e-4));
    // Fourth differences of a cubic are nothing: it solves the biharmonic equation.
    const cubic = heightsOf(across, down, (x, y) => 0.002 * (x - 20) ** 3 - 0.003 * (y - 15) ** 3 + 0.01 * (x - 20) ** 2 * (y - 15));
    const inside = holeOf(across, down, (x, y) => (x - 20) ** 2 + (y - 16) ** 2 < 100);
    const again = cubic.map((h, i) => (inside[i] ? 0 : h));
    await settleFree(again, inside, plate, { tolerance: 1e-10 });
    again.forEach((h, i) => expect(Math.abs(h - cubic[i])).toBeLessThan(1e-4));
  });

  it('is a drum skin where it only stretches: x² − y², which is harmonic', async () => {
    const [across, down] = [41, 41];
    const saddle = heightsOf(across, down, (x, y) => 0.05 * ((x - 20) ** 2 - (y - 20) ** 2));
    const inside = holeOf(across, down, (x, y) => x > 4 && x < 36 && y > 7 && y < 33);
    const found = saddle.map((h, i) => (inside[i] ? 7 : h));
    await settleFree(found, inside, { across, down, aspect: 1, stiffness: 'membrane' }, { tolerance: 1e-10 });
    found.forEach((h, i) => expect(Math.abs(h - saddle[i])).toBeLessThan(1e-4));
  });

  it('takes few rounds whatever its size, and none where nothing is free', async () => {
    const rounds: number[] = [];
    for (const side of [33, 65, 129, 257]) {
      const height = heightsOf(side, side, (x, y) => 50 * Math.sin((6 * x) / side) * Math.cos((5 * y) / side));
      const free = holeOf(side, side, (x, y) => Math.hypot(x - side / 2, y - side / 2) < side / 3);
      rounds.push(await settleFree(height, free, { across: side, down: side, aspect: 1, stiffness: 'bending' }));
    }
    expect(Math.max(...rounds)).toBeLessThan(40);
    expect(rounds[3]).toBeLessThan(2 * rounds[0] + 8);
    const height = heightsOf(20, 20, (x) => x);
    expect(await settleFree(height, new Uint8Array(400), { across: 20, down: 20, aspect: 1, stiffness: 'bending' })).toBe(0);
  });

  it('can be stopped', async () => {
    const stop = new AbortController();
    stop.abort();
    const height = heightsOf(200, 200, (x, y) => Math.sin(x / 9) * y);
    const free = holeOf(200, 200, (x, y) => x > 20 && x < 180 && y > 20 && y < 180);
    await expect(settleFree(height, free, { across: 200, down: 200, aspect: 1, stiffness: 'bending' }, { signal: stop.signal })).rejects.toThrow();
  });
});
