import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Compared } from '@upland-cast/core';

// Storage and engine are tried in the browser tests.
vi.mock('../engine/client', () => ({ onEngineEnd: () => undefined, engine: () => ({}), listening: (l: unknown) => l }));
const rows = {
  where: () => ({ equals: () => ({ primaryKeys: async () => [], filter: () => ({ first: async () => undefined }) }) }),
  get: async () => undefined,
};
vi.mock('../storage/db', () => ({ db: { marks: rows, saves: rows, terrains: rows } }));
vi.mock('../storage/assets', () => ({
  unstoredCount: async () => 0,
  keepAsset: async (bytes: Uint8Array) => `a${bytes.length}`.padEnd(64, '0'),
  loadAsset: async (sha: string) => {
    if (sha[0] !== 'a') throw new Error('gone');
    return Uint8Array.of(7);
  },
}));
vi.mock('../storage/terrains', () => ({ saveTerrain: async () => undefined, ensureDemo: async () => undefined, brought: (r: unknown) => r }));

// Files share their modules: those that another file's stand-ins were given to are read anew.
vi.resetModules();
const { makeCourse, makeTributary, stepUse } = await import('@upland-cast/core');
const { groundOf } = await import('../../tests/helpers/grounds');
const compare = await import('./compare');
const { useTerrain } = await import('./state');

const get = useTerrain.getState;
const course = () =>
  makeCourse(
    't',
    groundOf(33),
    [stepUse('flat', { level: 5 }, { id: 'a' }), stepUse('shift', { distance: 3 }, { id: 'b' }), stepUse('shift', { distance: 4 }, { id: 'c', on: false })],
    [makeTributary('Crags', [stepUse('flat', { level: 1 }, { id: 'crag' })], 'crags')],
  );

beforeEach(() => {
  useTerrain.setState({ id: 't', course: course(), readOnly: false, past: [], future: [] });
  vi.stubGlobal('location', { hash: '' });
});

describe('the sides of a comparison', () => {
  it('are at first the ground now and what the last step that is on found', () => {
    expect(compare.comparisonOf(get().course!)).toMatchObject({ a: { kind: 'step', id: 'a' }, b: { kind: 'now' }, laid: 'usual' });
  });

  it('are exchanged, kept with the terrain and by name, and gone back to', () => {
    compare.setComparison({ b: { kind: 'tributary', id: 'crags' }, laid: 'size' });
    compare.exchangeSides();
    expect(get().course!.comparison).toMatchObject({ a: { kind: 'tributary', id: 'crags' }, b: { kind: 'step', id: 'a' }, laid: 'size' });
    compare.keepComparison('Crags');
    compare.setComparison({ a: { kind: 'now' } });
    compare.keepComparison('Crags');
    expect(get().course!.comparisons).toHaveLength(1);
    expect(get().course!.comparisons[0]).toMatchObject({ name: 'Crags', a: { kind: 'now' } });
    compare.removeComparison('Crags');
    expect(get().course!.comparisons).toEqual([]);
    // Beside the work, and not in its undo.
    expect(get().past).toEqual([]);
  });

  it('of a step are what it found and what it left', () => {
    compare.compareStep('b');
    expect(location.hash).toBe('#compare');
    expect(get().course!.comparison).toMatchObject({ a: { kind: 'step', id: 'a' }, b: { kind: 'step', id: 'b' } });
    // A step that is off finds what is found where it stands; the first of a line finds nothing, and changes nothing.
    compare.compareStep('c');
    expect(get().course!.comparison).toMatchObject({ a: { kind: 'step', id: 'b' }, b: { kind: 'step', id: 'c' } });
    const before = get().course!.comparison;
    compare.compareStep('crag');
    expect(get().course!.comparison).toBe(before);
  });

  it('come from a course, a step, or a file; what is gone says so', async () => {
    const now = get().course!;
    expect(await compare.sourceOf({ kind: 'now' }, now, 't')).toEqual({ kind: 'course', course: now });
    expect(await compare.sourceOf({ kind: 'tributary', id: 'crags' }, now, 't')).toMatchObject({ kind: 'step', id: 'crag' });
    expect(await compare.sourceOf({ kind: 'tributary', id: 'gone' }, now, 't')).toMatch(/not there any more/);
    expect(await compare.sourceOf({ kind: 'mark', id: 7 }, now, 't')).toMatch(/mark is not there/);
    expect(await compare.sourceOf({ kind: 'save', at: 7 }, now, 't')).toMatch(/not kept/);
    expect(await compare.sourceOf({ kind: 'roll', number: 7 }, now, 't')).toMatch(/roll is not kept/);
    expect(await compare.sourceOf({ kind: 'terrain', id: 'other' }, now, 't')).toMatch(/not in this browser/);
    expect(await compare.sourceOf({ kind: 'file', name: 'x.tif' }, now, 't')).toMatch(/choose it again/);
    await compare.takeSideMesh('b', [new File([Uint8Array.of(1, 2)], 'x.obj'), new File([Uint8Array.of(3)], 'y.obj')]);
    const mesh = get().course!.comparison!.b as Extract<Compared, { kind: 'file' }>;
    expect(mesh).toMatchObject({ kind: 'file', name: 'x.obj and 1 more', mesh: [{ name: 'x.obj' }, { name: 'y.obj' }] });
    expect(await compare.sourceOf({ ...mesh, scale: 2 }, now, 't')).toMatchObject({
      kind: 'mesh',
      files: [{ name: 'x.obj' }, { name: 'y.obj' }],
      scale: 2,
      lift: 0,
    });
    const sha = 'a'.repeat(64);
    compare.takeSideHeights('a', 'x.tif', sha, { flip: 'rows' });
    const side = get().course!.comparison!.a;
    expect(await compare.sourceOf(side, now, 't')).toEqual({
      kind: 'file',
      name: 'x.tif',
      bytes: Uint8Array.of(7),
      reading: { flip: 'rows' },
      steps: [],
      scale: 1,
      lift: 0,
    });
    expect(await compare.sourceOf({ kind: 'file', name: 'gone.tif', sha: 'b'.repeat(64) }, now, 't')).toMatch(/not in this browser any more/);
    compare.compareAssets({ sha, name: 'x.tif, as it was' }, { sha: 'c'.repeat(64), name: 'x.tif, on disk' });
    expect(get().course!.comparison).toMatchObject({ a: { sha }, b: { sha: 'c'.repeat(64) } });
  });
});
