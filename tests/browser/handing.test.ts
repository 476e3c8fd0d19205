import { readFileSync } from 'node:fs';
import { unzipSync } from 'fflate';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { evaluateAtSamples, groundForReceiver, inlineKernels, readProject, receivers, type Ground } from '@upland-cast/core';
import { framesOf, requestToBytes } from '../../app/run/frames';
import { Application, demoOfFewSamples, demoTogether, downloadsInto, fullGround, nextFullGround, openDemo, pictures, together } from '../helpers/application';
import { gdalSamples, python, readBytes, run, save, scratch } from '../helpers/outside';

const { path, done } = scratch();
let app: Application;
beforeAll(async () => {
  app = await Application.start();
});
afterAll(async () => {
  await app.stop();
  done();
});

const download = downloadsInto(path);

/** The demo's heights at a receiver's samples, worked out beside the browser. */
const known = new Map<string, { ground: Ground; height: Float32Array }>();
async function truth(id: string, samples: number) {
  const { course, assets } = await readProject(await demoOfFewSamples());
  const ground = groundForReceiver(
    receivers.find((r) => r.id === id)!,
    course.ground,
    samples,
  );
  const key = `${ground.across} ${ground.down} ${ground.registration}`;
  const found =
    known.get(key) ??
    (await evaluateAtSamples(course, ground, 'auto', { kernels: inlineKernels(), asset: async (sha) => assets.get(sha)! }, { measure: false })).evaluation;
  known.set(key, found);
  return found;
}

async function write(page: Page): Promise<void> {
  await page.getByRole('button', { name: 'Export', exact: true }).click();
  await page.getByText('Read back and found right').waitFor({ timeout: 90_000 });
}

const said = (page: Page, label: string) =>
  page.getByRole('complementary', { name: 'Proof and docket' }).locator('dl > div', { hasText: label }).first().locator('dd').textContent();
const numberOf = (text: string | null) => Number((text ?? '').replace('−', '-').replace(/[^\d.e-]/gi, ''));

/** The heights of a downloaded file as another program reads it, by what the docket says. */
async function heightsOf(page: Page, id: string, file: string): Promise<Float64Array> {
  const samples = gdalSamples(file);
  if (id === 'displacement-plane') {
    const strength = numberOf(await said(page, 'Strength'));
    const zero = numberOf(((await said(page, 'Base value (mid level)')) ?? '').split('at ')[1]);
    return samples.map((v) => zero + v * strength);
  }
  if (id === 'patch-grid') {
    const scale = numberOf(await said(page, 'Vertical scale'));
    return samples.map((code) => ((code - 32_768) * 512 * scale) / 65_536);
  }
  if (id === 'displacement-metres' || id === 'elevation-grid') return samples;
  if (id === 'block-world') return samples.map((code) => code - 64);
  const [low, high] = [numberOf(await said(page, 'Height of code 0')), numberOf(await said(page, 'Height of code 65535'))];
  return samples.map((code) => low + (code / 65_535) * (high - low));
}

async function setSamples(page: Page, samples: number): Promise<void> {
  const count = page.getByLabel('Samples', { exact: true });
  if (await count.evaluate((e) => e.tagName === 'SELECT')) await count.selectOption('0');
  await count.fill(String(samples));
  await count.press('Enter');
}

/** For those that leave nothing behind but what is undone. */
const demo = demoTogether(() => app);

const handOff = (page: Page, address: string) => page.goto(`${address}/terrain?id=demo-dunmorrow#hand-off`);

describe('handing on', () => {
  const there = together(() => app, handOff);

  it.each([
    ['power-of-two-plus-one', 257, ''],
    ['power-of-two', 256, ''],
    ['patch-grid', 253, ''],
    ['displacement-plane', 257, 'tiff'],
    ['displacement-metres', 257, 'tiff'],
    ['block-world', 256, ''],
    ['elevation-grid', 257, ''],
  ])('for %s gives a file in which another program finds the heights in metres again', async (id, samples, format) => {
    const { page, faults } = await there();
    const receiver = receivers.find((r) => r.id === id)!;
    await page.getByRole('button', { name: receiver.title, exact: false }).filter({ hasText: receiver.summary }).click();
    if (format) await page.getByLabel('Format').selectOption(format);
    await setSamples(page, samples);
    await write(page);
    const name = (await page.locator('details > summary > b').first().textContent())!;
    const file = await download(page, () => page.getByRole('button', { name, exact: true }).click(), `${id}-${name}`);
    const heights = await heightsOf(page, id, file);
    const { height, ground } = await truth(id, samples);
    expect(heights.length).toBe(ground.across * ground.down);
    const step = (await page.getByText('Metres a code', { exact: true }).count()) ? numberOf(await said(page, 'Metres a code')) : 0;
    let worst = 0;
    for (let i = 0; i < height.length; i++) {
      // The demo's sea stands at 420 m and the block world's at row 62.
      const wanted = id === 'block-world' ? Math.min(319, Math.max(-64, Math.round(height[i] - 420 + 62))) : height[i];
      worst = Math.max(worst, Math.abs(heights[i] - wanted));
    }
    const allowed = id === 'block-world' ? 0 : step ? step * 0.501 : id === 'displacement-plane' ? 600 * 2 ** -23 : 0;
    expect(worst).toBeLessThanOrEqual(allowed);
    expect(faults).toEqual([]);
  });

  it('for printing gives a closed solid of the size that is said, as another program reads it', async () => {
    const { page, faults } = await there();
    await page.getByRole('button', { name: /^Printed model/ }).click();
    await setSamples(page, 129);
    await write(page);
    const size = (await said(page, 'Size'))!.match(/[\d.]+/g)!.map(Number);
    const file = await download(page, () => page.getByRole('button', { name: 'dunmorrow-1-to-50000.stl' }).click(), 'solid.stl');
    const bounds = run('assimp', ['info', file]).match(/Minimum point\s+\(([^)]*)\)[^]*?Maximum point\s+\(([^)]*)\)/)!;
    const [min, max] = [bounds[1], bounds[2]].map((text) => text.trim().split(/\s+/).map(Number));
    for (let axis = 0; axis < 3; axis++) expect(max[axis] - min[axis]).toBeCloseTo(size[axis], 1);
    expect(faults).toEqual([]);
  });

  it('on the server gives the same bytes; what is wrong there comes back as a sentence', async () => {
    const { page, faults } = await there();
    const receiver = receivers.find((r) => r.id === 'power-of-two-plus-one')!;
    await page.getByRole('button', { name: receiver.title, exact: false }).filter({ hasText: receiver.summary }).click();
    await page.getByLabel('Format').selectOption('tiff');
    await setSamples(page, 257);
    const files: Buffer[] = [];
    for (const where of ['Here', 'On the server']) {
      await page.getByRole('radio', { name: where, exact: true }).click();
      await write(page);
      files.push(readFileSync(await download(page, () => page.getByRole('button', { name: 'dunmorrow-257.tif', exact: true }).click(), `${where}.tif`)));
    }
    expect(Buffer.compare(files[0], files[1])).toBe(0);
    expect(faults).toEqual([]);

    const post = (body: Uint8Array<ArrayBuffer> | string) =>
      fetch(`${app.address}/api/run`, { method: 'POST', body, headers: { 'content-type': 'application/octet-stream' } });
    expect((await post('meow')).status).toBe(400);
    const form = (project: string | Uint8Array, order: string) =>
      requestToBytes(order, typeof project === 'string' ? new TextEncoder().encode(project) : project);
    const faultOf = async (body: Uint8Array<ArrayBuffer>) => {
      for await (const frame of framesOf((await post(body)).body!)) if (frame.kind === 'fault') return frame.sentence;
      return '';
    };
    const demo = readBytes('app/public/demo/dunmorrow.uplandcast');
    expect(await faultOf(form('meow', '{}'))).toMatch(/not a project file/);
    expect(await faultOf(form(demo, 'meow'))).toMatch(/not an order/);
    expect(await faultOf(form(demo, '{}'))).toMatch(/This order cannot be carried out/);
  });

  it('takes receivers of one’s own: copied, changed, given out, brought in; nonsense is refused with a sentence', async () => {
    const { page, faults } = await there();
    await page.getByRole('button', { name: /^Patch grid/ }).click();
    await page.getByRole('button', { name: 'Copy', exact: true }).click();
    await page.getByRole('button', { name: 'Edit', exact: true }).click();
    await page.getByLabel('Name', { exact: true }).fill('Studio grid');
    await page.getByLabel('Over all codes').fill('1024');
    await page.getByLabel('Over all codes').press('Enter');
    await page.getByRole('dialog').getByRole('button', { name: 'Keep', exact: true }).click();
    await page.getByRole('button', { name: /^Studio grid/ }).waitFor();
    const file = await download(page, () => page.getByRole('button', { name: 'Give this receiver out as JSON' }).click(), 'studio.json');
    expect((JSON.parse(readFileSync(file, 'utf8')) as { heights: { overAll: number } }).heights.overAll).toBe(1024);
    await page.reload();
    await page.getByLabel('Receiver file').setInputFiles(file);
    await expect.poll(() => page.getByRole('button', { name: /^Studio grid/ }).count()).toBe(2);
    for (const [text, words] of [
      ['meow', 'it is not JSON'],
      [JSON.stringify({ ...receivers[0], id: 'x', heights: { by: 'range', codes: { low: 9, high: 3 } } }), 'higher code has to be larger'],
      [JSON.stringify({ ...receivers[0], id: 'x', sizes: { kind: 'patches', faces: [0], splits: [1] } }), 'cannot be used: sizes'],
    ]) {
      await page.getByLabel('Receiver file').setInputFiles({ name: 'bad.json', mimeType: 'application/json', buffer: Buffer.from(text) });
      await page.getByRole('alert').filter({ hasText: words }).waitFor();
    }
    expect(faults).toEqual([]);
  });

  it('packs heights, normals, colour, weights and masks with a docket; reads it wrongly on purpose; and keeps the recipe', async () => {
    const { context, page, faults } = await app.person();
    await page.goto(`${app.address}/terrain?id=demo-dunmorrow#hand-off`);
    await page.getByText('metres a code').waitFor({ timeout: 60_000 });
    for (const map of ['normal', 'colour', 'weights', 'slope', 'mask']) await page.getByLabel('Add a map').selectOption(map);
    await page.waitForSelector('canvas[data-map=mask]', { timeout: 60_000 });
    await page.getByLabel('Name of the recipe').fill('For the game');
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    await write(page);
    const file = await download(page, () => page.getByRole('button', { name: 'Everything as a ZIP' }).click(), 'all.zip');
    // Another program opens the bundle, and another reads the pictures in it.
    const list = python('import sys, zipfile; z = zipfile.ZipFile(sys.argv[1]); assert z.testzip() is None; print("\\n".join(z.namelist()))', file);
    expect(
      list
        .trim()
        .split('\n')
        .map((n) => n.replace('dunmorrow-257', '')),
    ).toEqual(['.png', '-normal.png', '-slope.png', '-mask-quarry-pit.png', '-colour.png', '-weights.png', '-docket.html', '-docket.json']);
    const files = unzipSync(readBytes(file));
    const docket = JSON.parse(new TextDecoder().decode(files['dunmorrow-257-docket.json'])) as {
      files: { name: string; meaning: string; proof: { ok: boolean } | null }[];
      spots: { now: number; delivered: number }[];
    };
    expect(docket.files.every((f) => f.proof?.ok !== false)).toBe(true);
    expect(docket.files.find((f) => f.name.includes('colour'))!.meaning).toBe('colour');
    expect(docket.spots.length).toBe(3);
    for (const spot of docket.spots) expect(Math.abs(spot.now - spot.delivered)).toBeLessThan(0.005);
    expect(new TextDecoder().decode(files['dunmorrow-257-docket.html'])).toContain('data:image/png');
    save(path('weights.png'), files['dunmorrow-257-weights.png']);
    const sums = run('convert', [
      path('weights.png'),
      '-channel',
      'RGBA',
      '-separate',
      '-evaluate-sequence',
      'add',
      '-format',
      '%[fx:minima] %[fx:maxima]',
      'info:',
    ]);
    expect(sums.trim()).toMatch(/^1 1$/);

    await page.getByRole('radio', { name: 'Trial reading' }).click();
    await page.getByText('It arrives as it is').waitFor({ timeout: 30_000 });
    await page.getByRole('radio', { name: 'South' }).click();
    await page.getByText('North and south are exchanged.').waitFor();
    await page.getByRole('radio', { name: 'North' }).click();
    await page.getByRole('radio', { name: 'Big-endian' }).click();
    await page.getByText('Spikes everywhere, like a bed of nails').waitFor();
    await page.getByRole('radio', { name: 'Little-endian' }).click();
    await page.getByRole('switch', { name: 'Green turned over' }).click();
    await page.getByText('Hills look like hollows under the light').waitFor();

    await page.reload();
    await page.getByRole('button', { name: 'For the game', exact: true }).click();
    await expect.poll(() => page.locator('li', { hasText: 'Normal map' }).count()).toBeGreaterThan(0);
    await write(page);
    expect(faults).toEqual([]);
    await context.close();
  });

  it('the part that is handed on is drawn over the ground, square where the receiver wants it; Escape leaves it', async () => {
    const { page, faults } = await demo();
    await page.goto(`${app.address}/terrain?id=demo-dunmorrow#hand-off`);
    const map = page.locator('canvas[data-map]');
    await map.waitFor({ timeout: 120_000 });
    const { x, y, width, height } = (await map.boundingBox())!;
    const drag = async (from: [number, number], to: [number, number]) => {
      await page.mouse.move(x + from[0] * width, y + from[1] * height);
      await page.mouse.down();
      await page.mouse.move(x + ((from[0] + to[0]) / 2) * width, y + ((from[1] + to[1]) / 2) * height);
      await page.mouse.move(x + to[0] * width, y + to[1] * height);
      await page.mouse.up();
    };
    const draw = page.getByRole('button', { name: 'Draw a part' });
    await draw.click();
    await page.keyboard.press('Escape');
    await drag([0.45, 0.5], [0.55, 0.6]);
    expect(await page.getByRole('switch', { name: 'Only a part' }).getAttribute('aria-checked')).toBe('false');
    await page.getByRole('radiogroup', { name: 'Seen' }).getByRole('radio', { name: 'Plan' }).click();
    await draw.click();
    await drag([0.46, 0.4], [0.54, 0.55]);
    const of = async (what: string) => Number((await page.getByRole('textbox', { name: `Part: ${what}` }).inputValue()).replace(/[^\d.]/g, ''));
    const [across, down] = [await of('Width'), await of('Depth')];
    expect(across).toBe(down);
    expect(across).toBeGreaterThan(1000);
    expect(across % 8).toBe(0);
    expect((await of('From west')) % 8).toBe(0);
    await page.getByRole('img', { name: 'The part that is handed on' }).waitFor();
    await page.getByText(/the whole is worked out at \d+ × \d+/).waitFor({ timeout: 60_000 });
    await page.getByRole('switch', { name: 'Only a part' }).click();
    expect(faults).toEqual([]);
  });

  it('says what cannot be: a range upside down, a name that file systems refuse, a count that fills no patches, a frame beyond the ground', async () => {
    const { page, faults } = await demo();
    await page.goto(`${app.address}/terrain?id=demo-dunmorrow#hand-off`);
    const go = page.getByRole('button', { name: 'Export', exact: true });
    await page.getByText('metres a code').waitFor({ timeout: 60_000 });
    await page.getByLabel('Height of the highest code').fill('100');
    await page.getByLabel('Height of the highest code').press('Enter');
    await page.getByText('The upper end has to lie above the lower one.').first().waitFor();
    expect(await go.isDisabled()).toBe(true);
    await page.getByRole('button', { name: 'Fit to the ground' }).click();
    await page.getByLabel('File name').fill('what?.png');
    await page.getByLabel('File name').press('Enter');
    await page.getByText('A file name cannot hold “?”.').waitFor();
    expect(await go.isDisabled()).toBe(true);
    await page.getByLabel('File name').fill('');
    await page.getByLabel('File name').press('Enter');
    await page.getByRole('button', { name: /^Patch grid/ }).click();
    await page.getByLabel('Samples', { exact: true }).selectOption('0');
    await page.getByLabel('Samples', { exact: true }).fill('1000');
    await page.getByLabel('Samples', { exact: true }).press('Enter');
    await page
      .getByText(/1000 samples fill no whole patches.*flat strip of \d+ samples/)
      .first()
      .waitFor();
    expect(await go.isDisabled()).toBe(true);
    await page.getByRole('button', { name: /^Elevation grid/ }).click();
    await page.getByRole('switch', { name: 'Only a part' }).click();
    await page.getByLabel('Part: From west').fill('7000');
    await page.getByLabel('Part: From west').press('Enter');
    await page.getByRole('alert').filter({ hasText: 'reaches beyond the ground' }).waitFor();
    expect(faults).toEqual([]);
  });
});

/** Opens the sheet of a still. */
async function openStill(page: Page, address: string): Promise<void> {
  await openDemo(page, address);
  await page.getByRole('button', { name: 'Views', exact: true }).click();
  await page.getByRole('button', { name: 'Still …' }).click();
}

describe('a still', () => {
  const there = together(() => app, openStill);
  /** Types a number into a field of the page's sheet. */
  const typing = (page: Page) => async (label: string, value: string) => {
    await page.getByLabel(label, { exact: true }).fill(value);
    await page.getByLabel(label, { exact: true }).press('Enter');
  };

  it('in passes comes to the same picture through a pinhole and through a lens too small to blur, and with settled pixels left out', async () => {
    const { page, faults } = await there();
    const set = typing(page);
    const take = (name: string) => download(page, () => page.getByRole('button', { name: 'Take it' }).click(), name);
    await set('Width of the still', '480');
    await set('Height of the still', '270');
    // Seven passes are all drawn whole; of forty the later ones only where edges are.
    await set('Passes', '7');
    const few = await take('few.png');
    await set('Passes', '40');
    const many = await take('many.png');
    // Through a lens every pass is gathered by itself; at f/64 a kilometre of ground is blurred by nothing.
    await page.getByRole('switch', { name: 'All sharp' }).click();
    await set('Aperture', '64');
    await set('As a model 1 :', '1');
    await set('Passes', '40');
    const lens = await take('lens.png');
    const apart = (a: string, b: string) => Number(run('convert', [a, b, '-metric', 'RMSE', '-compare', '-format', '%[distortion]', 'info:']));
    expect(apart(many, lens)).toBeLessThan(0.004);
    expect(apart(many, few)).toBeLessThan(0.01);
    // A picture of one pass lies further off: that these agree is not for want of edges.
    await set('Passes', '1');
    const one = await take('one.png');
    expect(apart(one, many)).toBeGreaterThan(1.5 * apart(few, many));
    expect(faults).toEqual([]);
  });

  it('is taken at its size from the view, and a turn around it frame by frame', async () => {
    const { page, faults } = await there();
    const set = typing(page);
    await set('Width of the still', '320');
    await set('Height of the still', '180');
    await set('Passes', '2');
    const still = await download(page, () => page.getByRole('button', { name: 'Take it' }).click(), 'still.png');
    const [size, colours] = run('identify', ['-format', '%wx%h %k', still]).split(' ');
    expect(size).toBe('320x180');
    expect(Number(colours)).toBeGreaterThan(2_000);
    await set('Frames', '3');
    const turn = await download(page, () => page.getByRole('button', { name: 'Take 3 frames' }).click(), 'turn.zip');
    const frames = unzipSync(readBytes(turn));
    expect(Object.keys(frames)).toEqual([1, 2, 3].map((n) => `dunmorrow-turn-000${n}.png`));
    // The first frame is where the still was, the others are not.
    for (const [n, name] of Object.keys(frames).entries()) {
      save(path(name), frames[name]);
      const apart = run('convert', [still, path(name), '-metric', 'RMSE', '-compare', '-format', '%[distortion]', 'info:']);
      if (n === 0) expect(Number(apart)).toBeLessThan(0.001);
      else expect(Number(apart)).toBeGreaterThan(0.02);
    }
    // The same as one file, where the browser encodes it.
    await page.getByRole('radio', { name: /^One film \((mp4|webm)\)$/ }).click();
    const film = readBytes(await download(page, () => page.getByRole('button', { name: 'Take 3 frames' }).click(), 'turn.film'));
    const [mp4, webm] = [new TextDecoder().decode(film.subarray(4, 8)) === 'ftyp', new DataView(film.buffer, film.byteOffset).getUint32(0) === 0x1a45dfa3];
    expect(mp4 || webm).toBe(true);
    expect(film.length).toBeGreaterThan(3_000);
    expect(faults).toEqual([]);
  });
});

describe('range work', () => {
  it('says what it does before it is done, with the water line live; a locked sea moves the land', async () => {
    const { page, faults } = await demo();
    const highest = async () => Number(await page.locator('[aria-label="Highest"]').getAttribute('aria-valuenow'));
    const begun = await highest();
    await page.getByRole('button', { name: 'Range …' }).click();
    const panel = page.getByRole('dialog', { name: 'Range' });
    await panel.getByLabel('Shift by').fill('-70');
    await panel.getByLabel('Shift by').press('Enter');
    await panel.getByText('Everything moves by −70.0 m; the form stays.').waitFor();
    await panel.getByText(/% under water, shore [\d. ]+ k?m/).waitFor();
    await panel.getByRole('radio', { name: 'Stretch' }).click();
    await panel.getByLabel('Highest to').fill('1100');
    await panel.getByLabel('Highest to').press('Enter');
    await panel.getByText(/Slopes become 1\.\d\d times as steep\. \d+\.\d m stays\./).waitFor();
    await panel.getByRole('radio', { name: 'Clip' }).click();
    await panel.getByText(/% of the ground lies beyond/).waitFor();
    await panel.getByRole('radio', { name: 'Sea' }).click();
    await panel.getByRole('switch', { name: 'Sea is locked' }).click();
    await panel.getByLabel('Shore at').fill('500');
    await panel.getByLabel('Shore at').press('Enter');
    await panel.getByText('The sea stays at 420.0 m: the land moves by −80.0 m, and its form stays.').waitFor();
    const before = await pictures(page);
    await panel.getByRole('button', { name: 'Sea', exact: true }).last().click();
    await nextFullGround(page, before);
    await expect.poll(async () => Math.abs((await highest()) - (begun - 80))).toBeLessThan(0.11);
    // From the keyboard the flag of a locked sea moves the land as well.
    await page.locator('[aria-label="Sea level"]').focus();
    const again = await pictures(page);
    await page.keyboard.press('ArrowUp');
    await nextFullGround(page, again);
    expect(await page.locator('[aria-label="Sea level"]').getAttribute('aria-valuenow')).toBe('420');
    await fullGround(page);
    expect(faults).toEqual([]);
  });
});
