import { describe, expect, it } from 'vitest';
import { makeCourse, steps, stepUse } from '@upland-cast/core';
import { groundOf } from '../../../../tests/helpers/grounds';
import { captionOf } from './caption';

const course = makeCourse('t', groundOf(33), []);
const sha = 'a'.repeat(64);
course.assets[sha] = { name: 'old sheet.png', bytes: 10 };
const said = (step: string, params = {}, more = {}) => captionOf(stepUse(step, params, more), course);

describe('a card', () => {
  it('says something of every step as it comes', () => {
    for (const { id } of steps) expect(said(id), id).not.toBe('');
  });

  it('names the file that a step reads', () => {
    expect(said('raster', { asset: sha, width: 4096 })).toBe('old sheet.png · 4096 m');
  });

  it('says what is off, set wrong, or waits to be drawn', () => {
    expect(said('blur', {}, { on: false })).toBe('off');
    expect(said('blur', { size: 'large' })).toBe('set wrong');
    expect(said('path')).toBe('waits for its line');
    expect(said('level-area')).toBe('waits for its line');
    expect(said('path', { points: [{ east: 0, south: 0 }] })).toBe('waits for its line');
    expect(
      said('path', {
        points: [
          { east: 0, south: 0 },
          { east: 9, south: 9 },
        ],
      }),
    ).toBe('way, 24 m');
  });

  it('falls back to the first setting that was changed', () => {
    expect(said('bands')).toBe('as it comes');
    expect(said('bands', { to16: 1.4 })).toMatch(/^under 16 m 140 %|^under 16 m 1.4/);
    expect(said('join', { tributary: 'gone' }, { join: 'mean' })).toBe('? · average');
  });
});
