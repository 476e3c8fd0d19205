import { describe, expect, it } from 'vitest';
import { groundOf } from '../../tests/helpers/grounds';
import { isShown, paramsOf } from '../steps/params';
import { changeMeshSettings, checkMeshSettings, meshFormatOf, meshSettings, meshSettingsFor, ownSegments, type MeshSettings } from './settings';
import { meshFormats } from './formats';

const begun = meshSettingsFor(groundOf(301, 233, 4));

describe('the settings of a mesh', () => {
  it('begin with the ground’s own size, and with no more faces than it has samples for', () => {
    expect([begun.width, begun.depth]).toEqual([1200, 928]);
    expect(begun.segments).toBe(256);
    expect(meshSettingsFor(groundOf(65, 65, 4)).segments).toBe(64);
    expect(ownSegments({ ...groundOf(64, 64, 4), registration: 'area' })).toBe(64);
    expect(ownSegments(groundOf(1, 1, 4))).toBe(1);
  });

  it('say of themselves what a panel and a command line have to know: words, bounds that hold the usual value, choices', () => {
    for (const { key, meta, value } of paramsOf(meshSettings)) {
      expect(meta.label, key).toBeTruthy();
      if (typeof value !== 'number') continue;
      expect(value, key).toBeGreaterThanOrEqual(meta.min!);
      expect(value, key).toBeLessThanOrEqual(meta.max!);
      if (meta.span) expect([meta.span[0] >= meta.min! && meta.span[1] <= meta.max!, key]).toEqual([true, key]);
      if (meta.choices) for (const n of Object.keys(meta.choices)) expect([Number(n) >= meta.min! && Number(n) <= meta.max!, key]).toEqual([true, key]);
    }
  });

  it('refuse what is out of bounds', () => {
    for (const wrong of [{ segments: 0 }, { segments: 2.5 }, { levels: 9 }, { strength: 0 }, { scale: -1 }, { format: 'dae' }, { maxError: Number.NaN }])
      expect(meshSettings.safeParse(wrong).success, JSON.stringify(wrong)).toBe(false);
  });

  it('show only what means something beside the others', () => {
    const shown = (settings: Partial<MeshSettings>) =>
      paramsOf(meshSettings)
        .filter(({ meta }) => isShown(meta, { ...begun, ...settings }))
        .map(({ key }) => key);
    expect(shown({})).toContain('segments');
    expect(shown({})).not.toContain('maxError');
    expect(shown({ kind: 'adaptive' })).toContain('maxError');
    expect(shown({ kind: 'adaptive', until: 'count' })).toEqual(expect.arrayContaining(['triangles']));
    expect(shown({ kind: 'adaptive', until: 'count' })).not.toContain('maxError');
    expect(shown({ faces: 'quads' })).not.toContain('levels');
    expect(shown({ format: 'stl' })).not.toEqual(expect.arrayContaining(['colours']));
    expect(shown({ format: 'ply' })).toContain('colours');
    expect(shown({ format: 'ply' })).not.toContain('water');
    expect(shown({ format: 'obj' })).not.toContain('packed');
    expect(shown({})).not.toContain('segmentsDown');
  });
});

describe('a setting that is changed', () => {
  const after = (change: Partial<MeshSettings>, before: Partial<MeshSettings> = {}) => changeMeshSettings({ ...begun, ...before }, change);

  it('takes along what cannot stand beside it', () => {
    expect(after({ kind: 'adaptive' }, { faces: 'quads' }).faces).toBe('triangles');
    expect(after({ kind: 'halved' }, { parts: 'limit' }).parts).toBe('count');
    expect(after({ faces: 'quads' }, { levels: 3 }).levels).toBe(0);
    expect(after({ parts: 'count' }, { kind: 'adaptive', until: 'count' }).until).toBe('error');
    expect(after({ until: 'count' }, { kind: 'adaptive', parts: 'count' }).parts).toBe('one');
    expect(after({ normals: 'smooth' }, { normalMap: 512 }).normalMap).toBe(0);
    expect(after({ uvs: 'none' }, { normalMap: 512, colourMap: 512 })).toMatchObject({ normalMap: 0, colourMap: 0 });
    expect(after({ edge: 'closed' }, { normalMap: 512 }).normalMap).toBe(0);
    expect(after({ normalMap: 512 }, { normals: 'flat', uvs: 'none', edge: 'closed' })).toMatchObject({ normals: 'exact', uvs: 'whole', edge: 'open' });
    expect(after({ normalMap: 512 }, { edge: 'skirt' }).edge).toBe('skirt');
    expect(after({ colourMap: 512 }, { uvs: 'part' }).uvs).toBe('whole');
  });

  it('leaves all else as it was', () => {
    expect(after({ strength: 2 })).toEqual({ ...begun, strength: 2 });
    expect(after({ normalMap: 0 }, { normals: 'flat' }).normals).toBe('flat');
  });

  it('of the format brings the axes that its readers take for granted', () => {
    for (const format of meshFormats) {
      const now = after({ format: format.id }, { up: 'z', handed: 'left' });
      expect([now.up, now.handed], format.id).toEqual(format.axes ? [format.axes.up, format.axes.handed] : ['z', 'left']);
      expect(meshFormatOf(now)).toBe(format);
    }
  });

  it('never leads to what a check refuses', () => {
    const some: Partial<MeshSettings>[] = [
      { kind: 'adaptive' },
      { faces: 'quads' },
      { levels: 2 },
      { until: 'count' },
      { normals: 'flat' },
      { edge: 'closed' },
      { normalMap: 512 },
      { uvs: 'metres' },
      { parts: 'count' },
      { kind: 'grid' },
    ];
    // A panel shows quads and lighter levels only where they can be.
    const offered = (settings: MeshSettings, change: Partial<MeshSettings>) => {
      if (change.faces && settings.kind !== 'grid') return false;
      return !(change.levels && settings.faces === 'quads');
    };
    for (const a of some)
      for (const b of some)
        for (const c of some) {
          let settings = begun;
          for (const change of [a, b, c]) if (offered(settings, change)) settings = changeMeshSettings(settings, change);
          expect(() => checkMeshSettings(settings), JSON.stringify([a, b, c])).not.toThrow();
        }
  });
});

describe('settings that come from elsewhere', () => {
  it.each([
    [{ kind: 'adaptive', faces: 'quads' }, /only a regular grid/],
    [{ faces: 'quads', levels: 1 }, /out of triangles/],
    [{ parts: 'count', kind: 'adaptive', until: 'count' }, /by its error, not by its count/],
    [{ normalMap: 256, normals: 'flat' }, /exact normals and UVs/],
    [{ normalMap: 256, edge: 'closed' }, /open mesh/],
    [{ water: true, format: 'stl' }, /one of its own/],
    [{ packed: true, format: 'obj' }, /Only GLB and glTF/],
  ] as [Partial<MeshSettings>, RegExp][])('%j are refused with a sentence', (wrong, sentence) => {
    expect(() => checkMeshSettings({ ...begun, ...wrong })).toThrow(sentence);
  });
});
