import { describe, expect, it } from 'vitest';
import { makeCourse, makeGround, makeTributary, maskUse, stepUse } from '@upland-cast/core';
import { layoutOf } from './course-layout';

const ground = makeGround({ width: 100, depth: 100, across: 11, down: 11 });
const flat = (id: string) => stepUse('flat', {}, { id });
const join = (id: string, tributary: string) => stepUse('join', { tributary }, { id });

describe('the drawn course', () => {
  const course = makeCourse(
    't',
    ground,
    [flat('a'), join('j', 'one'), flat('b'), join('k', 'two')],
    [makeTributary('One', [flat('c'), flat('d'), flat('e')], 'one'), makeTributary('Two', [flat('f'), join('l', 'one')], 'two')],
  );
  const column = (id: string, of = course) => layoutOf(of).cards.find((c) => c.use.id === id)!.column;

  it('has the stem at the foot and every step right of what it reads', () => {
    const { rows, confluences, columns } = layoutOf(course);
    expect(rows.map((r) => r.name)).toEqual(['Two', 'One', 'Stem']);
    expect([column('a'), column('j'), column('b')]).toEqual([0, 3, 4]);
    expect([column('f'), column('l'), column('k')]).toEqual([0, 3, 5]);
    expect(columns).toBe(6);
    const flows = confluences.map(({ from, to, mask }) => `${from} ${to} ${mask}`).sort();
    expect(flows).toEqual(['one j false', 'one l false', 'two k false']);
  });

  it('draws a collapsed tributary in one column, a mask’s tributary as such, and a loop as it can', () => {
    const small = { ...course, tributaries: course.tributaries.map((t) => (t.id === 'one' ? { ...t, collapsed: true } : t)) };
    expect(column('j', small)).toBe(1);
    const masked = makeCourse(
      't',
      ground,
      [stepUse('shift', {}, { id: 's', where: { masks: [maskUse('tributary', { tributary: 'one' })], combine: 'multiply' } })],
      [course.tributaries[0]],
    );
    expect(layoutOf(masked).confluences).toEqual([{ from: 'one', to: 's', mask: true }]);
    const looped = makeCourse('t', ground, [join('j', 'x')], [makeTributary('X', [join('y', 'x')], 'x')]);
    expect(layoutOf(looped).cards).toHaveLength(2);
  });
});
