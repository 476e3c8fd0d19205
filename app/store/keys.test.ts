import { afterAll, beforeEach, describe, expect, it, vi } from 'vitest';
import { chordOf, FIXED_KEYS, isPressed, keyOf, KEYS, setKey, useKeys, type KeyId } from './keys';

const press = (key: string, more: Partial<KeyboardEvent> = {}) => ({ key, ctrlKey: false, metaKey: false, altKey: false, shiftKey: false, ...more });

const kept = new Map<string, string>();
beforeEach(() => {
  kept.clear();
  useKeys.setState({ own: {} });
  vi.stubGlobal('localStorage', { getItem: (k: string) => kept.get(k) ?? null, setItem: (k: string, v: string) => kept.set(k, v) });
});

afterAll(() => void vi.unstubAllGlobals());

describe('keys', () => {
  it('are written alike, whatever the case and whichever the command key', () => {
    expect(chordOf(press('z', { metaKey: true }))).toBe('Ctrl+Z');
    expect(chordOf(press('Z', { ctrlKey: true, shiftKey: true }))).toBe('Ctrl+Shift+Z');
    expect(chordOf(press('f'))).toBe('F');
    expect(chordOf(press('ArrowLeft', { altKey: true }))).toBe('Alt+ArrowLeft');
    expect(chordOf(press('{', { shiftKey: true }))).toBe('{');
    expect(chordOf(press('Shift', { shiftKey: true }))).toBeNull();
  });

  it('do one thing each, and none is one that stays', () => {
    const usual = Object.values(KEYS).map((key) => key.usual);
    expect(new Set(usual).size).toBe(usual.length);
    expect(FIXED_KEYS.length).toBeGreaterThan(3);
  });

  it('are changed, kept in the browser, and set back', () => {
    expect(setKey('frameAll', 'A')).toBeNull();
    expect(keyOf('frameAll')).toBe('A');
    expect(isPressed(press('a'), 'frameAll')).toBe(true);
    expect(isPressed(press('f'), 'frameAll')).toBe(false);
    expect(JSON.parse([...kept.values()][0])).toEqual({ frameAll: 'A' });
    // Its old one is free for another.
    expect(setKey('standHere', 'F')).toBeNull();
    expect(setKey('frameAll', null)).toBe('F is the key of “See the ground as after this step” already.');
    expect(setKey('standHere', null)).toBeNull();
    expect(setKey('frameAll', null)).toBeNull();
    expect(useKeys.getState().own).toEqual({});
  });

  it('that are another’s or the page’s own are refused in a sentence', () => {
    expect(setKey('frameAll', 'Ctrl+Z')).toMatch(/^Ctrl\+Z is the key of “Undo”/);
    for (const key of ['Tab', 'Escape', 'ArrowUp', 'Alt+ArrowLeft', '+']) expect(setKey('frameAll', key), key).toMatch(/of its own/);
    expect(keyOf('frameAll')).toBe('F');
  });

  it('stay usual where what the browser kept is spoiled', async () => {
    for (const spoiled of ['{', '[]', '"x"', 'null', '{"undo":3,"nonsense":"Q"}']) {
      kept.set('upland-cast:keys', spoiled);
      vi.resetModules();
      const again = await import('./keys');
      for (const id of Object.keys(KEYS) as KeyId[]) expect(again.keyOf(id)).toBe(KEYS[id].usual);
    }
  });
});
