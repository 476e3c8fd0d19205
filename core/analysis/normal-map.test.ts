import { describe, expect, it } from 'vitest';
import { groundOf } from '../../tests/helpers/grounds';
import { turnTakingKernels } from '../../tests/helpers/turn-taking';
import { inlineKernels } from '../kernels/pool';
import { eachGradient } from './slope';
import { normalMap } from './surface';
import { fieldFrom } from '../field/field';

const kernels = inlineKernels();

describe('normals', () => {
  const at = (map: ArrayLike<number>, i: number) => [map[3 * i], map[3 * i + 1], map[3 * i + 2]];

  it('of a plane that rises 45° to the east are (37, 128, 218) within 1 (arithmetic: −0.7071, 0, 0.7071)', async () => {
    const plane = fieldFrom(groundOf(9), (east) => east);
    expect(at(await normalMap(kernels, plane), 40)).toEqual([37, 128, 218]);
    const wide = at(await normalMap(kernels, plane, { bits: 16 }), 40);
    for (const [k, v] of [-Math.SQRT1_2, 0, Math.SQRT1_2].entries()) expect(Math.abs(wide[k] - (v * 0.5 + 0.5) * 65_535)).toBeLessThanOrEqual(1);
  });

  it.each(['tangent', 'world-y', 'world-z'] as const)('of a hemisphere are its own directions within a code in 16 bits, %s', async (space) => {
    const [radius, n] = [4_000, 129];
    // Gentle enough a cap that Horn's differences meet the tangent.
    const ground = groundOf(n, n, 1);
    const cap = fieldFrom(ground, (east, south) => Math.sqrt(radius * radius - (east - 64) ** 2 - (south - 64) ** 2) - radius + 10);
    const map = await normalMap(kernels, cap, { bits: 16, space });
    let off = 0;
    for (let row = 2; row < n - 2; row++) {
      for (let column = 2; column < n - 2; column++) {
        const [x, north] = [(column - 64) / radius, (64 - row) / radius];
        const up = Math.sqrt(1 - x * x - north * north);
        const wanted = space === 'world-y' ? [x, up, -north] : [x, north, up];
        for (const [k, v] of wanted.entries()) off = Math.max(off, Math.abs(map[3 * (row * n + column) + k] - (v * 0.5 + 0.5) * 65_535));
      }
    }
    expect(off).toBeLessThanOrEqual(1);
  });

  it('turn green over when +Y is down', async () => {
    const north = fieldFrom(groundOf(9), (_, south) => -south);
    expect((await normalMap(kernels, north))[121]).toBe(37);
    expect((await normalMap(kernels, north, { green: 'down' }))[121]).toBe(218);
  });

  it.each([8, 16] as const)('are those of Horn’s differences at every sample and at the rim, on any number of threads, in %i bits', async (bits) => {
    const ground = groundOf(67, 51, 3);
    const field = fieldFrom(ground, (east, south) => 40 * Math.sin(east / 17) + 25 * Math.cos(south / 11) + ((east * 31 + south * 17) % 7));
    const top = bits === 16 ? 65_535 : 255;
    const plain = bits === 16 ? new Uint16Array(3 * 67 * 51) : new Uint8Array(3 * 67 * 51);
    eachGradient(field.height, 67, 51, { x: 3, y: 3 }, (i, east, south) => {
      const length = Math.sqrt(east * east + south * south + 1);
      plain.set(
        [-east / length, south / length, 1 / length].map((part) => Math.round((part * 0.5 + 0.5) * top)),
        3 * i,
      );
    });
    for (const on of [kernels, turnTakingKernels(3, false), turnTakingKernels(3, true)]) expect(await normalMap(on, field, { bits })).toEqual(plain);
  });
});
