import { afterAll, beforeEach, describe, expect, it, vi } from 'vitest';

// What commands do to the course and to the view; the engine and the storage are tried in the browser tests.
const never = new Proxy({}, { get: (_, key) => (key === 'then' ? undefined : () => new Promise(() => undefined)) });
const stored = [
  { id: 'x', course: { name: 'Own' } },
  { id: 'a b', course: { name: 'Other' } },
];
vi.mock('../../engine/client', () => ({ onEngineEnd: () => undefined, engine: () => never, listening: (l: unknown) => l }));
vi.mock('../../storage/db', () => ({ db: { terrains: { toArray: async () => stored } } }));
vi.mock('../../storage/assets', () => ({ unstoredCount: async () => 0 }));
vi.mock('../../storage/terrains', () => ({ saveTerrain: async () => undefined, ensureDemo: async () => undefined, brought: (r: unknown) => r }));
vi.mock('../import/files', () => ({ bringIn: vi.fn() }));
vi.mock('./rooms', () => ({ rooms: [{ id: 'mesh', title: 'Mesh', finds: ['triangles'] }] }));

const place = { hash: '', assign: vi.fn() };
const page = { documentElement: { dataset: {} as Record<string, string> } };
const openPage = vi.fn();
vi.stubGlobal('location', place);
vi.stubGlobal('document', page);
vi.stubGlobal('window', { open: openPage });
afterAll(() => void vi.unstubAllGlobals());

const { BRUSHES, makeCourse, makeGround, maskKinds, paramsOf, receivers, stepById, steps, stepUse, SYMPTOMS } = await import('@upland-cast/core');
const { search } = await import('../../components/search');
const preferences = await import('../../storage/preference');
const { useTerrain } = await import('../../store/state');
const { commandsNow, terrainsNow } = await import('./commands');

const get = () => useTerrain.getState();
const ids = () => commandsNow().map(({ id }) => id);
const command = (id: string) => {
  const found = commandsNow().find((one) => one.id === id);
  if (!found) throw new Error(`There is no command "${id}".`);
  return found;
};
const run = (id: string) => command(id).run!();
const type = (id: string, value: number) => command(id).takes!.run(value);
const stem = () => get().course!.stem.map(({ step }) => step);

beforeEach(() => {
  const course = makeCourse('t', makeGround({ width: 1000, depth: 800, across: 101, down: 81 }), [
    stepUse('flat', {}, { id: 'a' }),
    stepUse('blur', { size: 8 }, { id: 'b' }),
    stepUse('shift', { by: 3 }, { id: 'c' }),
  ]);
  useTerrain.setState({ id: 'x', course, past: [], future: [], selected: 'b', standing: null, readOnly: false, notice: null, tool: 'none', dialog: null });
  place.hash = '';
  vi.clearAllMocks();
});

describe('the list of commands', () => {
  it('names each of them once, in words', () => {
    const all = ids();
    expect(new Set(all).size).toBe(all.length);
    for (const { title, group, run: does, takes } of commandsNow()) {
      expect(title.trim()).not.toBe('');
      expect(group.trim()).not.toBe('');
      expect(does ?? takes).toBeDefined();
    }
  });

  it('has every step to add and to read about, every brush, mask, receiver and symptom', () => {
    const all = new Set(ids());
    for (const { id } of steps) expect(all.has(`add ${id}`) && all.has(`help ${id}`), id).toBe(true);
    for (const kind of Object.keys(BRUSHES)) expect(all.has(`brush ${kind}`), kind).toBe(true);
    for (const { id } of maskKinds) expect(all.has(`mask ${id}`), id).toBe(true);
    for (const { id } of receivers) expect(all.has(`receiver ${id}`), id).toBe(true);
    for (const id of Object.keys(SYMPTOMS)) expect(all.has(`symptom ${id}`), id).toBe(true);
  });

  it('is empty without a terrain, and only looks where nothing may be changed', () => {
    useTerrain.setState({ readOnly: true });
    const looking = ids();
    for (const id of ['room mesh', 'contours', 'saves', 'keys', 'help']) expect(looking).toContain(id);
    for (const id of ['sea', 'undo', 'add blur', 'brush raise', 'mask slope', 'remove', 'set blur size', 'another']) expect(looking).not.toContain(id);
    useTerrain.setState({ course: null });
    expect(commandsNow()).toEqual([]);
  });

  it('says nothing of a selected step where none is', () => {
    useTerrain.setState({ selected: null });
    for (const id of ['switch', 'duplicate', 'remove', 'stand', 'mask slope']) expect(ids()).not.toContain(id);
    expect(ids()).toContain('brush raise');
  });

  it.each([
    ['reroll', 'another'],
    ['wireframe', 'mesh lines'],
    ['hillshade', 'drape shade'],
    ['water level', 'sea'],
    ['snapshot', 'mark'],
    ['geology', 'rock'],
    ['shortcuts', 'keys'],
    ['azimuth', 'sun from'],
    ['dark mode', 'sheet'],
  ])('finds by the trade’s word “%s”', (word, id) => {
    expect(
      search(commandsNow(), word)
        .slice(0, 4)
        .map(({ item }) => item.id),
    ).toContain(id);
  });
});

describe('commands of the course', () => {
  it('put a step behind the one that is selected, or at the end', () => {
    run('add clamp');
    expect(stem()).toEqual(['flat', 'blur', 'clamp', 'shift']);
    expect(place.hash).toBe('#work');
    useTerrain.setState({ selected: null });
    run('add levels');
    expect(stem().at(-1)).toBe('levels');
  });

  it('give a step that is added the number that was typed, as its first setting that is shown', () => {
    for (const { id, params } of steps) {
      const { takes } = command(`add ${id}`);
      if (!takes) continue;
      expect(takes.min, id).toBeLessThan(takes.max);
      const settings = params.parse({}) as Record<string, unknown>;
      const numbers = paramsOf(params).filter(({ meta }) => typeof settings[meta.label] === 'number' || meta.unit === takes.unit);
      expect(numbers.length, id).toBeGreaterThan(0);
    }
    type('add blur', 44);
    expect(get().course!.stem[2]).toMatchObject({ step: 'blur', params: { size: 44 } });
  });

  it('set each number of the step that is selected, within the bounds that it has', () => {
    type('set blur size', 21);
    expect(get().course!.stem[1].params.size).toBe(21);
    const { meta } = paramsOf(stepById('blur').params).find(({ key }) => key === 'size')!;
    expect(command('set blur size').takes).toMatchObject({ unit: meta.unit, min: meta.min, max: meta.max, percent: false });
    expect(ids()).not.toContain('set shift by');
  });

  it('switch it off and on, duplicate it, remove it and stand at it, and are called by what they will do', () => {
    expect(command('switch').title).toMatch(/^Switch off /);
    run('switch');
    expect(get().course!.stem[1].on).toBe(false);
    expect(command('switch').title).toMatch(/^Switch on /);
    run('switch');
    expect(get().course!.stem[1].on).toBe(true);
    run('duplicate');
    expect(stem()).toEqual(['flat', 'blur', 'blur', 'shift']);
    useTerrain.setState({ selected: 'b' });
    run('stand');
    expect(get().standing).toBe('b');
    expect(command('stand').title).toBe('See the end of the course');
    run('stand');
    expect(get().standing).toBeNull();
    run('remove');
    expect(stem()).toEqual(['flat', 'blur', 'shift']);
    run('undo');
    expect(stem()).toEqual(['flat', 'blur', 'blur', 'shift']);
    run('redo');
    expect(stem()).toEqual(['flat', 'blur', 'shift']);
  });

  it('offer to compare a step with what was before it, but not the first', () => {
    expect(ids()).toContain('compare step');
    useTerrain.setState({ selected: 'a' });
    expect(ids()).not.toContain('compare step');
  });

  it('give the step a mask', () => {
    run('mask slope');
    expect(get().course!.stem[1].where.masks.map(({ kind }) => kind)).toEqual(['slope']);
  });

  it('take a brush in hand: with the hand work there is, or with a new one', () => {
    run('brush smooth');
    expect(stem().at(-1)).toBe('sculpt');
    expect(get().brush).toMatchObject({ kind: 'smooth', strength: BRUSHES.smooth.begin });
    const hand = get().selected;
    useTerrain.setState({ selected: 'a' });
    run('brush raise');
    expect(stem().filter((step) => step === 'sculpt')).toHaveLength(1);
    expect(get().selected).toBe(hand);
  });

  it('set the sea, and open what belongs to the terrain', () => {
    type('sea', 12.5);
    expect(get().course!.ground.sea).toBe(12.5);
    for (const [id, dialog] of [
      ['ground', 'ground'],
      ['rock', 'rock'],
      ['lakes', 'water'],
      ['rolls', 'rolls'],
      ['marks', 'marks'],
      ['saves', 'saves'],
      ['keys', 'keys'],
    ]) {
      run(id);
      expect(get().dialog).toBe(dialog);
    }
    run('tributary');
    expect(get().course!.tributaries).toHaveLength(1);
  });
});

describe('commands of the view', () => {
  it('turn to it from any room', () => {
    place.hash = '#mesh';
    run('view section');
    expect(place.hash).toBe('#work');
    expect(get().view.camera).toBe('section');
    run('drape tint');
    expect(get().view.drape).toBe('tint');
  });

  it('show and hide', () => {
    for (const [id, part] of [
      ['contours', 'contours'],
      ['mesh lines', 'meshLines'],
      ['spots', 'spots'],
      ['views', 'views'],
      ['light panel', 'lightPanel'],
      ['grain', 'grain'],
    ] as const) {
      const before = get().view[part];
      run(id);
      expect(get().view[part], id).toBe(!before);
      run(id);
      expect(get().view[part], id).toBe(before);
    }
  });

  it('take numbers for the sun and for the height', () => {
    type('sun height', 14);
    type('sun from', 220);
    type('exaggeration', 2);
    expect(get().view).toMatchObject({ light: 'day', sunHeight: 14, sun: 220, exaggeration: 2 });
    expect(command('light').title).toBe('Light: working light');
    run('light');
    expect(get().view.light).toBe('working');
  });

  it('change the sheet, and keep it for the next visit', () => {
    useTerrain.setState({ sheet: 'light' });
    const keep = vi.spyOn(preferences.sheet, 'keep').mockImplementation(() => undefined);
    run('sheet');
    expect(page.documentElement.dataset.sheet).toBe('dark');
    expect(keep).toHaveBeenCalledWith('dark');
    expect(command('sheet').title).toBe('The light sheet');
  });
});

describe('commands that go elsewhere', () => {
  it('go to a room, to a receiver in Export, and to a page of the help in a window of its own', () => {
    run('room mesh');
    expect(place.hash).toBe('#mesh');
    run(`receiver ${receivers[0].id}`);
    expect(get().wantedReceiver).toBe(receivers[0].id);
    expect(place.hash).toBe('#hand-off');
    run('help blur');
    expect(openPage).toHaveBeenCalledWith('/help#blur', '_blank', 'noreferrer');
    run('all terrains');
    expect(place.assign).toHaveBeenCalledWith('/');
  });

  it('open the other terrains of this browser, and not this one', async () => {
    const others = await terrainsNow();
    expect(others.map(({ title }) => title)).toEqual(['Open Other']);
    others[0].run!();
    expect(place.assign).toHaveBeenCalledWith('/terrain?id=a%20b');
  });
});
