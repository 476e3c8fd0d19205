import { describe, expect, it } from 'vitest';
import { evaluate, inlineKernels, makeCourse, makeGround, stepUse } from '@upland-cast/core';
import { boundsOf } from '../../core/field/statistics';
import { entryAt, rockHere } from '../../core/rock/hardness';
import { rockSchema } from '../../core/rock/rock';

const kernels = inlineKernels();
const N = 321;
const SPACING = 25;
const ground = makeGround({ width: 8000, depth: 8000, across: N, down: N, registration: 'point', sea: -9000 });

/** A level plain that rises over dipping beds while rivers wear it down. */
async function wornStack(dip: number, felt: number) {
  const rock = rockSchema.parse({ thickness: 100, spread: 0.1, hardShare: 0.4, contrast: 1, dip, dipDirection: 90, foldHeight: 0, joints: 0 });
  const from = { ground, height: Float32Array.from({ length: N * N }, (_, i) => 900 + 0.08 * Math.floor(i / N)) };
  const rivers = stepUse('fluvial', { amount: 100_000, uplift: 500, soften: 40, rock: felt });
  const { height } = await evaluate({ ...makeCourse('Scarps', ground, [rivers]), rock }, { kernels, from });
  return { rock, height };
}

/** The slopes towards the east, degrees, of patches of 375 m that follow the top of a hard bed within 30 m for four fifths of their area. */
async function strippedSlopes({ rock, height }: Awaited<ReturnType<typeof wornStack>>): Promise<number[]> {
  const { table, uplift } = await rockHere(kernels, rock, ground, boundsOf(height));
  const hard = (entry: number) => table.hardness[entry] > 0.5;
  const offTop = height.map((h, i) => {
    const own = entryAt(table, h, uplift[i]);
    let at = own;
    while (at < table.hardness.length - 1 && hard(own) && hard(at)) at++;
    while (at > 0 && !hard(own) && !hard(at)) at--;
    return Math.abs(at - own) * table.step;
  });
  const slopes: number[] = [];
  const half = 7;
  for (let row = 20; row < N - 20; row += 4) {
    for (let column = 20; column < N - 20; column += 4) {
      let [near, count, rise, run] = [0, 0, 0, 0];
      for (let y = -half; y <= half; y++) {
        for (let x = -half; x <= half; x++) {
          const i = (row + y) * N + column + x;
          count++;
          if (offTop[i] < 30) near++;
          rise += x * height[i];
          run += x * x;
        }
      }
      if (near >= 0.8 * count) slopes.push((-Math.atan(rise / run / SPACING) * 180) / Math.PI);
    }
  }
  return slopes.sort((a, b) => a - b);
}

describe('bedded rock', () => {
  // A cuesta's long slope is the stripped back of a hard bed (any textbook of geomorphology; common knowledge).
  it.each([6, 12])('stands as cuestas: on beds that dip by %s° to the east the long slopes follow them within 3°', async (dip) => {
    const slopes = await strippedSlopes(await wornStack(dip, 1));
    const without = await strippedSlopes(await wornStack(dip, 0));
    const median = slopes[slopes.length >> 1];
    console.log(
      `measured: beds that dip by ${dip}°: the long slopes dip by ${median.toFixed(1)}° (${slopes.length} patches; ${without.length} where the rock is not felt)`,
    );
    expect(Math.abs(median - dip)).toBeLessThan(3);
    // Ground that does not feel its rock has hardly any of them.
    expect(slopes.length).toBeGreaterThan(4 * without.length + 40);
  });
});
