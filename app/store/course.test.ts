import { beforeEach, describe, expect, it, vi } from 'vitest';

// The engine and the storage are tried in the browser tests; here only what happens to the course.
const never = new Proxy({}, { get: (_, key) => (key === 'then' ? undefined : () => new Promise(() => undefined)) });
vi.mock('../engine/client', () => ({ onEngineEnd: () => undefined, engine: () => never, listening: (l: unknown) => l }));
vi.mock('../storage/db', () => ({ db: {} }));
vi.mock('../storage/assets', () => ({ unstoredCount: async () => 0 }));
vi.mock('../storage/terrains', () => ({ saveTerrain: async () => undefined, ensureDemo: async () => undefined, brought: (r: unknown) => r }));

const { allUses, makeCourse, makeGround, makeTributary, rockSchema, stepUse } = await import('@upland-cast/core');
const { change, redo, undo } = await import('./history');
const { useTerrain } = await import('./state');
const ops = await import('./course');
const keeping = await import('./keeping');

const ground = makeGround({ width: 1000, depth: 800, across: 101, down: 81 });
const flat = (id: string) => stepUse('flat', {}, { id });
const get = () => useTerrain.getState();
const stem = () => get().course!.stem.map((u) => u.id);
const side = () => get().course!.tributaries[0]?.steps.map((u) => u.id);

beforeEach(() => {
  const course = makeCourse(
    't',
    ground,
    [flat('a'), stepUse('join', { tributary: 'side' }, { id: 'j' }), flat('b')],
    [makeTributary('Side', [flat('c'), flat('d')], 'side')],
  );
  useTerrain.setState({ id: 'x', course, past: [], future: [], selected: 'a', standing: null, readOnly: false, notice: null, tool: 'none', showMask: false });
});

describe('steps', () => {
  it('are put in at a place of any line, and are selected', () => {
    ops.addStep('shift', { line: 'side', index: 1 });
    expect(side()).toHaveLength(3);
    expect(get().course!.tributaries[0].steps[1].step).toBe('shift');
    expect(get().selected).toBe(side()![1]);
  });

  it('ask how they join where they would put away what came before', () => {
    ops.addStep('flat', { line: '', index: 2 });
    expect(stem()).toHaveLength(3);
    expect(get().askedJoin).toMatchObject({ step: 'flat', at: { line: '', index: 2 } });
    ops.addStep('flat', { line: '', index: 2 }, {}, 'higher');
    expect(get().course!.stem[2]).toMatchObject({ step: 'flat', join: 'higher' });
    useTerrain.setState({ askedJoin: null });
    // At the head of a line there is nothing to ask about.
    ops.addStep('flat', { line: '', index: 0 });
    expect(get().askedJoin).toBeNull();
    expect(stem()).toHaveLength(5);
  });

  it('that need a line wait for it, with the pointer ready to draw it', () => {
    ops.addStep('channel', { line: '', index: 3 });
    expect(get().course!.stem[3].params.points ?? []).toEqual([]);
    expect(get().tool).toBe('line');
    ops.addStep('shift', { line: '', index: 4 });
    expect(get().tool).toBe('none');
    useTerrain.setState({ view: { ...get().view, camera: 'section' } });
    ops.addStep('level-area', { line: '', index: 4 });
    expect(get().tool).toBe('line');
    // A section has no ground to draw on.
    expect(get().view.camera).toBe('plan');
    // One that comes with its line has nothing to wait for.
    ops.addStep(
      'path',
      { line: '', index: 5 },
      {
        points: [
          { east: 1, south: 2 },
          { east: 30, south: 40 },
        ],
      },
    );
    expect(get().tool).toBe('none');
  });

  it('are moved within a line and across, and back by undo', () => {
    ops.moveStep('a', { line: '', index: 3 });
    expect(stem()).toEqual(['j', 'b', 'a']);
    ops.moveStep('a', { line: 'side', index: 0 });
    expect([stem(), side()]).toEqual([
      ['j', 'b'],
      ['a', 'c', 'd'],
    ]);
    undo();
    undo();
    expect([stem(), side()]).toEqual([
      ['a', 'j', 'b'],
      ['c', 'd'],
    ]);
    redo();
    expect(stem()).toEqual(['j', 'b', 'a']);
    // To where it stands already: nothing to undo.
    const { past } = get();
    ops.moveStep('j', { line: '', index: 0 });
    ops.moveStep('j', { line: '', index: 1 });
    expect(get().past).toBe(past);
  });

  it('are nudged along and across from the keyboard, not beyond the ends', () => {
    ops.nudgeStep('a', -1, 0);
    expect(stem()).toEqual(['a', 'j', 'b']);
    ops.nudgeStep('a', 1, 0);
    expect(stem()).toEqual(['j', 'a', 'b']);
    ops.nudgeStep('a', 0, -1);
    expect(side()).toEqual(['c', 'a', 'd']);
    ops.nudgeStep('a', 0, -1);
    expect(side()).toEqual(['c', 'a', 'd']);
    ops.nudgeStep('a', 0, 1);
    expect(stem()).toEqual(['j', 'a', 'b']);
  });

  it('that read a line cannot be moved onto it, and it is said why', () => {
    ops.moveStep('j', { line: 'side', index: 0 });
    expect(stem()).toEqual(['a', 'j', 'b']);
    expect(get().notice).toMatch(/"Side" would flow into itself/);
  });

  it('are duplicated behind themselves with all that is set, and removed; a removed one is not stood on', () => {
    ops.setUse('c', 'Set', (u) => void (u.strength = 0.4));
    ops.duplicateStep('c');
    const [, copy] = get().course!.tributaries[0].steps;
    expect(copy).toMatchObject({ step: 'flat', strength: 0.4 });
    expect(copy.id).not.toBe('c');
    ops.standAt(copy.id);
    expect(get().standing).toBe(copy.id);
    ops.removeStep(copy.id);
    expect(side()).toEqual(['c', 'd']);
    expect(get().standing).toBeNull();
    ops.standAt('c');
    ops.standAt('c');
    expect(get().standing).toBeNull();
  });

  it('of a terrain that is open elsewhere stay as they are', () => {
    useTerrain.setState({ readOnly: true });
    ops.removeStep('a');
    ops.addStep('flat', { line: '', index: 0 });
    keeping.reRoll('a', 1);
    expect(stem()).toEqual(['a', 'j', 'b']);
    expect(get().course!.rolls).toEqual({});
  });
});

describe('tributaries', () => {
  it('come with a Join behind the selected step, and a name of their own', () => {
    ops.addTributary('a');
    ops.addTributary('a');
    const { tributaries, stem: steps } = get().course!;
    expect(tributaries.map((t) => t.name)).toEqual(['Side', 'Side 2', 'Side 3']);
    expect(steps.map((u) => u.step)).toEqual(['flat', 'join', 'join', 'join', 'flat']);
    expect(steps[1].params.tributary).toBe(tributaries[2].id);
  });

  it('that are removed say who read them, and come back by undo', () => {
    ops.removeTributary('side');
    expect(get().course!.tributaries).toEqual([]);
    expect(get().notice).toMatch(/One step read this tributary and is left out/);
    undo();
    expect(side()).toEqual(['c', 'd']);
  });

  it('of a mask are made beside it and chosen at once', () => {
    ops.addMask('b', 'tributary');
    const mask = get().course!.stem[2].where.masks[0];
    ops.tributaryFor((course, line) => {
      const found = course.stem[2].where.masks.find((m) => m.id === mask.id);
      if (found) found.params.tributary = line;
    });
    expect(get().course!.tributaries).toHaveLength(2);
    expect(get().course!.stem[2].where.masks[0].params.tributary).toBe(get().course!.tributaries[1].id);
    undo();
    expect(get().course!.tributaries).toHaveLength(1);
  });
});

describe('undo', () => {
  it('takes the changes of one gesture together, and those of two apart', () => {
    for (const by of [1, 2, 3]) ops.setParam('a', 'level', by, 'drag');
    expect(get().past).toHaveLength(1);
    ops.select('b');
    ops.setParam('a', 'level', 9, 'drag');
    expect(get().past).toHaveLength(2);
    undo();
    expect(get().course!.stem[0].params.level).toBe(3);
    undo();
    expect(get().course!.stem[0].params.level).toBeUndefined();
  });

  it('leaves rolls and spots where they are: they are kept beside it', () => {
    ops.addStep('noise', { line: '', index: 1 }, { seed: 5 });
    const id = get().selected!;
    keeping.reRoll(id, 5);
    const second = get().course!.stem[1].params.seed as number;
    keeping.favourRoll(id, second, true);
    keeping.addSpot(10, 20);
    undo();
    expect(get().course!.stem[1].params.seed).toBe(5);
    expect(get().course!.rolls[id]).toEqual([
      { seed: 5, favourite: false },
      { seed: second, favourite: true },
    ]);
    expect(get().course!.spots).toHaveLength(1);
    change('Shift the list', (c) => void c.stem.splice(0, 1));
    undo();
    expect(get().course!.rolls[id]).toHaveLength(2);
    keeping.goToRoll(id, second);
    expect(allUses(get().course!).find((u) => u.id === id)!.params.seed).toBe(second);
    expect(get().course!.rolls[id]).toHaveLength(2);
  });

  it('rolls the rock of the whole terrain with its steps, and knows rolls that were kept before it did', () => {
    change('Give it beds', (course) => void (course.rock = rockSchema.parse({ seed: 8 })));
    ops.addStep('noise', { line: '', index: 1 }, { seed: 5 });
    keeping.reRollWhole();
    const { seed } = get().course!.rock!;
    expect(seed).not.toBe(8);
    keeping.goToWholeRoll(0);
    expect(get().course!.rock!.seed).toBe(8);
    change('As it was kept once', (course) => course.wholeRolls.forEach(({ seeds }) => delete seeds['/rock']));
    expect(keeping.wholeRollOf(get().course!)!.number).toBe(0);
  });

  it('keeps the rolls of the whole terrain, and goes back to each', () => {
    ops.addStep('noise', { line: '', index: 1 }, { seed: 5 });
    const began = get().course!.stem.map((use) => use.params.seed);
    keeping.reRollWhole();
    const rolled = get().course!.stem.map((use) => use.params.seed);
    expect(rolled).not.toEqual(began);
    expect(get().course!.wholeRolls.map(({ number }) => number)).toEqual([0, keeping.wholeRollOf(get().course!)!.number]);
    keeping.goToWholeRoll(0);
    expect(get().course!.stem.map((use) => use.params.seed)).toEqual(began);
    undo();
    undo();
    expect(get().course!.stem.map((use) => use.params.seed)).toEqual(began);
    // Undo takes back the ground; what was rolled stays to go to.
    expect(get().course!.wholeRolls).toHaveLength(2);
    keeping.favourWholeRoll(0, true);
    for (let i = 0; i < 70; i++) keeping.reRollWhole();
    expect(get().course!.wholeRolls.length).toBeLessThanOrEqual(60);
    expect(get().course!.wholeRolls[0]).toMatchObject({ number: 0, favourite: true });
  });
});
