import { describe, expect, it } from 'vitest';
import { makeCourse, stepUse } from '@upland-cast/core';
import { groundOf } from '../../../tests/helpers/grounds';
import type { TerrainRow } from '../../storage/db';
import { listed, tagsOf } from './listing';

const row = (name: string, changed: number, made: number, side: number, step = 'noise'): TerrainRow => ({
  id: name,
  course: makeCourse(name, groundOf(33, 33, side), [stepUse(step, {}, { name: step === 'glacier' ? 'Long winter' : '' })]),
  changed,
  made,
});
const rows = [row('Fell 10', 3, 1, 4), row('Fell 2', 1, 3, 8, 'glacier'), row('dale', 2, 2, 2)];
const names = (found: TerrainRow[]) => found.map(({ id }) => id);

describe('the list of terrains', () => {
  it('is ordered by when they were worked on or made, by name as people count, or by size', () => {
    expect(names(listed(rows, '', 'changed'))).toEqual(['Fell 10', 'dale', 'Fell 2']);
    expect(names(listed(rows, '', 'made'))).toEqual(['Fell 2', 'dale', 'Fell 10']);
    expect(names(listed(rows, ' ', 'name'))).toEqual(['dale', 'Fell 2', 'Fell 10']);
    expect(names(listed(rows, '', 'size'))).toEqual(['Fell 2', 'Fell 10', 'dale']);
    expect(names(rows)).toEqual(['Fell 10', 'Fell 2', 'dale']);
  });

  it('is put in order by tags, and by when a terrain was opened', () => {
    const tagged = [{ ...rows[0], tags: ['north', 'client'] }, { ...rows[1], tags: ['north'], opened: 9 }, rows[2]];
    expect(tagsOf(tagged)).toEqual([
      ['client', 1],
      ['north', 2],
    ]);
    expect(names(listed(tagged, '', 'name', 'north'))).toEqual(['Fell 2', 'Fell 10']);
    expect(names(listed(tagged, 'client', 'name'))).toEqual(['Fell 10']);
    expect(names(listed(tagged, '', 'opened'))[0]).toBe('Fell 2');
  });

  it('finds by name, by a step, or by what a step is called', () => {
    expect(names(listed(rows, 'fell', 'name'))).toEqual(['Fell 2', 'Fell 10']);
    expect(names(listed(rows, 'ice', 'changed'))).toEqual(['Fell 2']);
    expect(names(listed(rows, 'winter', 'changed'))).toEqual(['Fell 2']);
    expect(names(listed(rows, 'sea', 'changed'))).toEqual([]);
  });
});
