import { describe, expect, it } from 'vitest';
import { groundOf, hills, range } from '../../../tests/helpers/grounds';
import { encode } from '../../delivery/heights/encode';
import { evaluate } from '../../course/evaluate';
import { makeCourse, stepUse } from '../../course/schema';
import { fieldFrom } from '../../field/field';
import { sha256 } from '../../field/hash';
import { inlineKernels } from '../../kernels/pool';
import { sourceHeights } from '../../../tests/helpers/source-steps';

const kernels = inlineKernels();

const ground = groundOf(129, 129, 16);

describe('a raster that is placed', () => {
  const picture = hills(groundOf(65, 65, 4), 8, 100);
  const file = async (field = picture) => (await encode(field, { format: 'tiff', type: 'f32' })).bytes;
  const asset = async (bytes: Uint8Array<ArrayBuffer>) => ({ asset: await sha256(bytes) });

  it('lies over the whole ground at first', async () => {
    const bytes = await file();
    const { height } = await sourceHeights('raster', await asset(bytes), ground, bytes);
    for (let r = 0; r < 65; r++) for (let c = 0; c < 65; c++) expect(height[2 * r * 129 + 2 * c]).toBeCloseTo(picture.height[r * 65 + c], 3);
  });

  it('takes a size, a place, a turn and a flip of its own', async () => {
    const bytes = await file();
    const sized = { ...(await asset(bytes)), width: 1024, depth: 1024 };
    const { height: h } = await sourceHeights('raster', sized, ground, bytes);
    expect(h[64 * 129 + 64]).toBeCloseTo(picture.height[32 * 65 + 32], 3);
    expect(h[32 * 129 + 32]).toBeCloseTo(picture.height[0], 3);
    const { height: turned } = await sourceHeights('raster', { ...sized, turn: 90 }, ground, bytes);
    // Clockwise: the north-west corner comes to the north-east.
    expect(turned[32 * 129 + 96]).toBeCloseTo(picture.height[0], 2);
    const { height: flipped } = await sourceHeights('raster', { ...sized, flip: 'rows' }, ground, bytes);
    expect(flipped[32 * 129 + 32]).toBeCloseTo(picture.height[64 * 65], 2);
    const { height: moved } = await sourceHeights('raster', { ...sized, east: 160, north: 320 }, ground, bytes);
    expect(moved[44 * 129 + 74]).toBeCloseTo(picture.height[32 * 65 + 32], 3);
  });

  it('is repeated, wrapped or mirrored, and says when a repeat falls under two samples', async () => {
    const bytes = await file();
    const small = { ...(await asset(bytes)), width: 512, depth: 512 };
    const { height: wrapped } = await sourceHeights('raster', { ...small, edge: 'wrap' }, ground, bytes);
    expect(wrapped[60 * 129 + 20]).toBeCloseTo(wrapped[60 * 129 + 52], 3);
    const { height: mirrored } = await sourceHeights('raster', { ...small, edge: 'mirror' }, ground, bytes);
    expect(mirrored[60 * 129 + 48 - 7]).toBeCloseTo(mirrored[60 * 129 + 48 + 7], 3);
    const { words } = await sourceHeights('raster', { ...small, width: 24, edge: 'wrap' }, ground, bytes);
    expect(words[0]).toMatch(/A repeat is 1\.5 samples wide: under two/);
    expect((await sourceHeights('raster', { ...small, edge: 'wrap' }, ground, bytes)).words).toEqual([]);
  });

  it('is scaled from its lowest to its highest', async () => {
    const bytes = await file();
    const { height } = await sourceHeights('raster', { ...(await asset(bytes)), scaled: true, fullScale: 80, level: 300 }, groundOf(65, 65, 4), bytes);
    expect(range(height)[0]).toBeCloseTo(300, 3);
    expect(range(height)[1]).toBeCloseTo(380, 3);
  });

  it('that is finer than the ground is averaged down, so that nothing of it is missed or invented', async () => {
    const bumpy = fieldFrom(groundOf(257, 257, 4, 'area'), (e, s) => ((Math.floor(e / 4) + Math.floor(s / 4)) % 2 ? 100 : 0));
    const bytes = await file(bumpy);
    const { height } = await sourceHeights('raster', { ...(await asset(bytes)), width: 1028, depth: 1028, east: 1 }, groundOf(65, 65, 16, 'area'), bytes);
    const [low, high] = range(height);
    expect(low).toBeGreaterThan(40);
    expect(high).toBeLessThan(60);
  });
});

describe('a raster that is set into the ground', () => {
  // A dish 400 m across with a rim at 10 m, whose corners have no height, on a moor of noise.
  const dish = fieldFrom(groundOf(51, 51, 8), (e, s) => {
    const r = Math.hypot(e - 200, s - 200);
    return 10 - 30 * Math.max(0, 1 - r / 180);
  });
  const valid = dish.height.map((_, i) => (Math.hypot((i % 51) * 8 - 200, Math.floor(i / 51) * 8 - 200) <= 200 ? 1 : 0));
  const holed = { ground: dish.ground, height: dish.height, valid: Uint8Array.from(valid) };
  const set = async (params: object) => {
    const { bytes } = await encode(holed, { format: 'tiff', type: 'f32', noData: -9999 });
    const sha = await sha256(bytes);
    const use = stepUse('raster', { asset: sha, width: 400, depth: 400, beyond: 'ground', ...params }, { id: 'dish', join: 'replace' });
    const { stages } = await evaluate(makeCourse('t', ground, [stepUse('noise', { feature: 900, height: 60, seed: 5 }, { id: 'moor' }), use]), {
      kernels,
      asset: async () => bytes,
    });
    expect(stages[1].fault).toBeUndefined();
    return stages[1];
  };
  const at = (column: number, row: number) => row * 129 + column;

  it('leaves the ground where it does not reach, and where it has no height, to the bit', async () => {
    const { height, before } = await set({});
    let [outside, changed] = [0, 0];
    for (let row = 0; row < 129; row++) {
      for (let column = 0; column < 129; column++) {
        const r = Math.hypot((column - 64) * 16, (row - 64) * 16);
        const i = at(column, row);
        if (r > 215 && height[i] !== before[i]) outside++;
        if (r < 190 && height[i] !== before[i]) changed++;
      }
    }
    expect(outside).toBe(0);
    expect(changed).toBeGreaterThan(300);
    // The tip of the dish, averaged to the ground's spacing.
    expect(height[at(64, 64)]).toBeLessThan(-17);
    expect(height[at(64, 64)]).toBeGreaterThan(-20.01);
    // Its border is its own: nothing of what stands for no height was drawn into it.
    for (let row = 55; row < 74; row++)
      if (Math.abs(height[at(64, row)] - (10 - 30 * Math.max(0, 1 - (Math.abs(row - 64) * 16) / 180))) > 2) expect(row).toBe(64);
  });

  it('sits on the ground: its border is moved to it on the mean, and says by how much', async () => {
    const { height, before, words } = await set({ sits: true });
    const [, moved] = /moved by (-?[\d.]+) m/.exec(words.join(' '))!;
    // The middle of the dish, as far as a surface through every second sample of it knows it.
    expect(Math.abs(height[at(64, 64)] - (await set({})).height[at(64, 64)] - Number(moved))).toBeLessThan(0.06);
    let [sum, count] = [0, 0];
    for (let k = 0; k < 64; k++) {
      const [column, row] = [Math.round(64 + 12 * Math.cos(k / 10.2)), Math.round(64 + 12 * Math.sin(k / 10.2))];
      sum += height[at(column, row)] - before[at(column, row)];
      count++;
    }
    expect(Math.abs(sum / count)).toBeLessThan(6);
  });

  it('fades in from its border: no step is left where it was one', async () => {
    const step = (stage: { height: Float32Array }) => {
      let most = 0;
      for (let row = 40; row < 90; row++)
        for (let column = 40; column < 90; column++) most = Math.max(most, Math.abs(stage.height[at(column, row)] - stage.height[at(column + 1, row)]));
      return most;
    };
    const [sharp, soft] = [await set({}), await set({ sits: true, fade: 120 })];
    expect(step(soft)).toBeLessThan(0.6 * step(sharp));
    expect(Math.abs(soft.height[at(64, 64)] - sharp.height[at(64, 64)])).toBeLessThan(100);
  });
});
