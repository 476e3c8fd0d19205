import { readFileSync } from 'node:fs';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { compareFields, rasterizeMesh, readHeights, readMesh } from '@upland-cast/core';
import {
  Application,
  demoOfFewSamples,
  demoStrokes,
  demoTogether,
  downloadsInto,
  fromAbove,
  fullGround,
  nextFullGround,
  openDemo,
  pictures,
  stored,
  together,
  watch,
} from '../helpers/application';
import { gdalSamples, readBytes, save, scratch, uplandCast } from '../helpers/outside';

const { path, done } = scratch();
let app: Application;
beforeAll(async () => {
  app = await Application.start();
});
afterAll(async () => {
  await app.stop();
  done();
});

const figure = (name: string, value: string) => console.log(`measured: ${name}: ${value}`);

const download = downloadsInto(path);

/** For those that leave the demo in the browser. */
const demo = demoTogether(() => app);

/** Who opens the demo as it is delivered, for the first time: the same goes on to a file. */
const whole = together(
  () => app,
  () => Promise.resolve(),
  { whole: true },
);

const card = (page: Page, name: string) => page.getByRole('button', { name: new RegExp(`^${name},`) });

describe('from the first load to a file on disk', () => {
  it('the demo terrain comes up from nothing, isolated, with headers on every script and worker', async () => {
    const { page, faults } = await whole();
    const bare: string[] = [];
    const kinds = new Set<string>();
    page.on('response', (response) => {
      const headers = response.headers();
      if (!response.url().startsWith('http')) return;
      kinds.add(/worker/.test(response.url()) ? 'worker' : response.request().resourceType());
      if (headers['cross-origin-opener-policy'] !== 'same-origin' || headers['cross-origin-embedder-policy'] !== 'require-corp') bare.push(response.url());
    });
    await page.goto(app.address);
    await page.getByRole('link', { name: 'Open Dunmorrow' }).waitFor();
    const began = Date.now();
    await page.getByRole('link', { name: 'Open Dunmorrow' }).click();
    await page.waitForSelector('canvas[data-ground]');
    const usable = Date.now() - began;
    figure('first load of the demo to a usable view', `${usable} ms (aim 4 000)`);
    expect(usable).toBeLessThan(20_000);
    await fullGround(page);
    figure('first load of the demo to the full ground', `${Date.now() - began} ms`);
    expect(await page.evaluate(() => self.crossOriginIsolated)).toBe(true);
    expect(bare).toEqual([]);
    expect([...kinds]).toEqual(expect.arrayContaining(['document', 'script', 'worker', 'stylesheet', 'font']));
    // What the steps did is known when they have been worked out behind the ground that came with the demo.
    await expect.poll(() => page.getByText('steepest').count(), { timeout: 120_000 }).toBeGreaterThan(0);
    expect(faults).toEqual([]);
  });

  it('a setting of noise moved shows a preview soon and holds the page in no long task', async () => {
    const { context, page, faults } = await app.person();
    // Noise alone on 1025², as a new terrain begins.
    await page.goto(app.address);
    await page.getByRole('button', { name: 'New from noise' }).click();
    await fullGround(page);
    await card(page, 'Noise').click();
    await page.evaluate(() => {
      const seen = ((window as unknown as { tasks: number[] }).tasks = []) as number[];
      new PerformanceObserver((list) => list.getEntries().forEach((e) => seen.push(e.duration))).observe({ entryTypes: ['longtask'] });
    });
    const slider = page.getByLabel('Height, slider');
    const waits: number[] = [];
    for (let i = 0; i < 5; i++) {
      const before = await pictures(page);
      await slider.focus();
      waits.push(
        await page.evaluate(
          ([count]) =>
            new Promise<number>((resolve) => {
              const canvas = document.querySelector<HTMLElement>('canvas[data-pictures]')!;
              const began = performance.now();
              const watcher = new MutationObserver(() => {
                if (Number(canvas.dataset.pictures) <= count) return;
                watcher.disconnect();
                resolve(performance.now() - began);
              });
              watcher.observe(canvas, { attributes: true });
              const input = document.activeElement as HTMLInputElement;
              const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value')!.set!;
              set.call(input, String(Number(input.value) + 10));
              input.dispatchEvent(new Event('input', { bubbles: true }));
            }),
          [before],
        ),
      );
      await nextFullGround(page, before);
    }
    const tasks = await page.evaluate(() => (window as unknown as { tasks: number[] }).tasks);
    waits.sort((a, b) => a - b);
    figure('noise setting moved at 1025² to the preview', `median ${waits[2].toFixed(0)} ms, worst ${waits[4].toFixed(0)} ms (aim 150)`);
    figure('longest task of the page meanwhile', `${Math.max(0, ...tasks).toFixed(0)} ms (aim 100)`);
    // What it comes to is measured in the bench: here only that nothing hangs.
    expect(waits[2]).toBeLessThan(5000);
    expect(Math.max(0, ...tasks)).toBeLessThan(4000);
    expect(faults).toEqual([]);
    await context.close();
  });

  it('gives the same bytes in the browser as on the command line, and a 16-bit file that GDAL reads within half a code', async () => {
    const { page, faults } = await whole();
    await openDemo(page, app.address, '#hand-off');
    await page.getByLabel('Format').selectOption('tiff');
    await page.getByLabel('Depth').selectOption('f32');
    await page.getByRole('button', { name: 'Export', exact: true }).click();
    await page.getByText('Read back and found right').waitFor({ timeout: 150_000 });
    const browserFile = await download(page, () => page.getByRole('button', { name: 'dunmorrow-1025.tif' }).click(), 'browser.tif');
    expect(uplandCast('run', 'app/public/demo/dunmorrow.uplandcast', path('cli.tif')).status).toBe(0);
    // Compared as buffers: a difference printed byte by byte would never end.
    expect(Buffer.compare(readFileSync(browserFile), readFileSync(path('cli.tif')))).toBe(0);

    await page.getByLabel('Format').selectOption('png');
    await page.getByLabel('Depth').selectOption('u16');
    await page.getByLabel('Height of the lowest code').fill('200');
    await page.getByLabel('Height of the highest code').fill('900');
    await page.getByLabel('Height of the highest code').press('Enter');
    await page.getByRole('button', { name: 'Export', exact: true }).click();
    const png = page.getByRole('button', { name: 'dunmorrow-1025.png' });
    await png.waitFor({ timeout: 90_000 });
    const file = await download(page, () => png.click(), 'browser.png');
    const truth = (await readHeights(readBytes(path('cli.tif')))).height;
    const codes = gdalSamples(file);
    const step = 700 / 65_535;
    let worst = 0;
    for (let i = 0; i < truth.length; i++) worst = Math.max(worst, Math.abs(200 + codes[i] * step - truth[i]));
    expect(worst).toBeLessThanOrEqual(step * 0.500001);
    const docket = await download(page, () => page.getByRole('button', { name: 'Docket', exact: true }).click(), 'docket.html');
    const html = readFileSync(docket, 'utf8');
    expect(html).toContain('200 m');
    expect(html).toContain('data:image/png');

    // A range that cuts the tops off is said before anything is written.
    await page.getByLabel('Height of the highest code').fill('700');
    await page.getByLabel('Height of the highest code').press('Enter');
    await page.getByText(/would stand at its ends/).waitFor();
    await page.getByLabel('Height of the highest code').fill('100');
    await page.getByLabel('Height of the highest code').press('Enter');
    expect(await page.getByRole('button', { name: 'Export', exact: true }).isDisabled()).toBe(true);
    expect(faults).toEqual([]);
  });

  it('writes a mesh, presses it again, and lays it over the terrain', async () => {
    const { context, page, faults } = await app.person();
    await openDemo(page, app.address, '#mesh');
    await page.getByRole('button', { name: '256', exact: true }).click();
    await page.getByText('66 049').first().waitFor({ timeout: 90_000 });
    const glb = await download(page, () => page.getByRole('button', { name: 'Write the mesh' }).click(), 'demo.glb');
    const { field } = rasterizeMesh(readMesh(readBytes(glb)), { size: { across: 257, down: 257 } });
    save(path('few.uplandcast'), await demoOfFewSamples());
    expect(uplandCast('run', path('few.uplandcast'), path('truth.tif')).status).toBe(0);
    const truth = await readHeights(readBytes(path('truth.tif')));
    expect(compareFields(truth, field).maxAbs).toBeLessThanOrEqual(1e-6 * 530);

    await page.getByRole('radio', { name: 'Mesh to heights' }).click();
    await page.getByRole('button', { name: 'The one just written' }).click();
    await page.getByText('under overhangs').waitFor({ timeout: 90_000 });
    await page.getByRole('switch', { name: 'Hold it against this terrain' }).click();
    await page.getByText('largest difference').waitFor({ timeout: 90_000 });
    const before = await pictures(page);
    await page.getByRole('button', { name: 'Lay it over this terrain' }).click();
    await nextFullGround(page, before);
    await card(page, 'dunmorrow.glb').waitFor();

    // A file that is no mesh is refused with a sentence, and the terrain stays.
    await page.getByRole('link', { name: 'Mesh' }).click();
    await page.getByRole('radio', { name: 'Mesh to heights' }).click();
    await page.getByLabel('Mesh file').setInputFiles({ name: 'notes.obj', mimeType: 'text/plain', buffer: Buffer.from('only words') });
    await page.getByText('notes.obj: This is not a mesh that is read here').waitFor();
    expect(faults).toEqual([]);
    await context.close();
  });
});

describe('work', () => {
  it('is undone and redone, saved as one goes, there again after a reload, and can be gone back to', async () => {
    const { page, faults } = await demo();
    const end = () => page.locator('[aria-label=Course]').getByText(/–.*m$/).innerText();
    const first = await end();
    /** The ends of the range where everything lies 100 m higher. */
    const raised = first
      .replace(/\d+\.\d/g, (height) => (Number(height) + 100).toFixed(1))
      .split('\n')
      .find((line) => line.includes('–'))!;

    await card(page, 'Shift').click();
    let count = await pictures(page);
    await page.getByLabel('Distance', { exact: true }).fill('112');
    await page.getByLabel('Distance', { exact: true }).press('Enter');
    await nextFullGround(page, count);
    expect(await end()).toContain(raised);
    await page.keyboard.press('Escape');
    count = await pictures(page);
    await page.getByRole('button', { name: 'Undo' }).click();
    await nextFullGround(page, count);
    expect(await end()).toBe(first);
    count = await pictures(page);
    await page.getByRole('button', { name: 'Redo' }).click();
    await nextFullGround(page, count);

    // Add, move by the keyboard, switch off, remove.
    await page.getByRole('button', { name: 'Add a step after Shift' }).click();
    await page.getByRole('menuitem', { name: /^Stretch/ }).click();
    await card(page, 'Stretch').waitFor();
    await page.getByRole('switch', { name: 'Stretch is on' }).first().click();
    await card(page, 'Stretch')
      .and(page.getByRole('button', { name: /off/ }))
      .waitFor();
    await page.getByRole('button', { name: 'Move Stretch' }).focus();
    // What is said aloud tells when it is held, and over which gap.
    const said = () => page.locator('[id^="DndLiveRegion"]').first().innerText();
    await page.keyboard.press('Space');
    await expect.poll(said, { timeout: 20_000 }).toMatch(/moved over/);
    const over = await said();
    await page.keyboard.press('ArrowLeft');
    await expect.poll(said, { timeout: 20_000 }).not.toBe(over);
    await page.keyboard.press('Space');
    const names = () => page.locator('ol[aria-label=Stem] b').allInnerTexts();
    await expect
      .poll(names)
      .toEqual(['Rolling base', 'Crags', 'Peat moor', 'Becks and gills', 'Ice', 'Scree', 'Quarry pit', 'Quarry benches', 'Hand work', 'Stretch', 'Shift']);
    await card(page, 'Stretch').focus();
    await page.keyboard.press('Delete');
    await expect
      .poll(names)
      .toEqual(['Rolling base', 'Crags', 'Peat moor', 'Becks and gills', 'Ice', 'Scree', 'Quarry pit', 'Quarry benches', 'Hand work', 'Shift']);

    await stored(page);
    await page.reload();
    await fullGround(page);
    expect(await end()).toContain(raised);

    await page.getByRole('button', { name: /^Saved/ }).click();
    const rows = page.getByRole('button', { name: 'Go back' });
    await rows.first().waitFor();
    await rows.last().click();
    await expect.poll(() => end(), { timeout: 60_000 }).toMatch(/\d/);
    expect(faults).toEqual([]);
  });

  it('by hand raises the ground under the brush, survives a reload to the bit, and is undone', async () => {
    const { page, faults } = await demo();
    await card(page, 'Hand work').click();
    await fromAbove(page);
    const box = (await page.locator('canvas[data-ground]').boundingBox())!;
    const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
    const height = async () => {
      await page.mouse.move(x + 1, y);
      await page.mouse.move(x, y);
      return Number((await page.locator('[class*=readout] b').innerText()).replace(/[^\d.]/g, ''));
    };
    const before = await height();
    const drawn = await pictures(page);
    await page.mouse.down();
    await page.mouse.move(x + 60, y, { steps: 8 });
    await page.mouse.move(x, y, { steps: 8 });
    await page.mouse.up();
    await card(page, 'Hand work')
      .and(page.getByRole('button', { name: new RegExp(`${(await demoStrokes()) + 1} strokes`) }))
      .waitFor({ timeout: 30_000 });
    await nextFullGround(page, drawn);
    const after = await height();
    expect(after).toBeGreaterThan(before + 3);

    await stored(page);
    await page.reload();
    await fullGround(page);
    await fromAbove(page);
    expect(await height()).toBe(after);

    // Another base beneath: the hand work stays on top.
    await card(page, 'Rolling base').click();
    const count = await pictures(page);
    await page.getByRole('button', { name: 'Re-roll' }).click();
    await nextFullGround(page, count);
    await card(page, 'Hand work')
      .and(page.getByRole('button', { name: new RegExp(`${(await demoStrokes()) + 1} strokes`) }))
      .waitFor();
    expect(faults).toEqual([]);
  });

  it('in two tabs is writable in one, which says so; the other takes over', async () => {
    const { context, page, faults } = await app.person();
    await openDemo(page, app.address);
    const second = await context.newPage();
    watch(second, faults);
    await openDemo(second, app.address);
    await second.getByText(/open in another tab/).waitFor();
    expect(await second.getByRole('button', { name: 'Undo' }).isDisabled()).toBe(true);
    expect(await second.getByLabel('Name of the terrain').isDisabled()).toBe(true);
    expect(await page.getByText(/open in another tab/).count()).toBe(0);
    await page.close();
    await second.getByText(/open in another tab/).waitFor({ state: 'detached' });
    await second.getByLabel('Name of the terrain').fill('Dunmorrow two');
    await second.getByLabel('Name of the terrain').press('Enter');
    await expect.poll(() => second.title()).toContain('Dunmorrow two');
    expect(faults).toEqual([]);
    await context.close();
  });

  it('on the staff asks whether an end of the range shifts or stretches, and says what that does', async () => {
    const { page, faults } = await demo();
    await page.getByRole('slider', { name: 'Highest' }).focus();
    await page.keyboard.press('Shift+ArrowUp');
    const ask = page.getByRole('dialog', { name: 'Shift or stretch' });
    await ask.getByText('Everything moves by +10.0 m; the form stays.').waitFor();
    await ask.getByText(/Slopes become 1.02 times as steep/).waitFor();
    const count = await pictures(page);
    await ask.getByRole('button', { name: 'Shift' }).click();
    await nextFullGround(page, count);
    await card(page, 'Shift')
      .and(page.getByRole('button', { name: /\+22 m/ }))
      .waitFor();
    await page.getByRole('slider', { name: 'Sea level' }).focus();
    await page.keyboard.press('ArrowUp');
    await expect.poll(() => page.getByRole('slider', { name: 'Sea level' }).getAttribute('aria-valuenow')).toBe('421');
    expect(faults).toEqual([]);
  });

  it('goes between rooms by the back button, and project files go out and in', async () => {
    const { context, page, faults } = await app.person();
    await openDemo(page, app.address);
    await page.getByRole('link', { name: 'Export', exact: true }).click();
    await page.getByRole('button', { name: 'Export', exact: true }).waitFor();
    await page.goBack();
    await page.getByRole('radio', { name: 'Relief' }).waitFor();
    await page.getByRole('button', { name: /^Saved/ }).click();
    const file = await download(page, () => page.getByRole('button', { name: 'Save the project file' }).click(), 'out.uplandcast');
    await page.goto(app.address);
    await page.getByLabel('Project file', { exact: true }).setInputFiles(file);
    await expect.poll(() => page.getByRole('link', { name: 'Open Dunmorrow' }).count()).toBe(2);
    await page.getByLabel('Project file', { exact: true }).setInputFiles({ name: 'cat.uplandcast', mimeType: 'application/zip', buffer: Buffer.from('meow') });
    await page
      .getByRole('alert')
      .getByText(/cat\.uplandcast: This is not a project file/)
      .waitFor();
    expect(await page.getByRole('link', { name: 'Open Dunmorrow' }).count()).toBe(2);
    await page.getByRole('button', { name: 'Remove Dunmorrow' }).first().click();
    await page.getByRole('button', { name: 'Remove it' }).click();
    await expect.poll(() => page.getByRole('link', { name: 'Open Dunmorrow' }).count()).toBe(1);
    await page.goto(`${app.address}/terrain?id=nowhere`);
    await page.getByText(/not in this browser/).waitFor();
    expect(faults).toEqual([]);
    await context.close();
  });
});

describe('every room', () => {
  it('fits 1024 and 1920 wide', async () => {
    const { page, faults } = await demo();
    for (const width of [1024, 1920]) {
      await page.setViewportSize({ width, height: 760 });
      for (const room of ['Work', 'Mesh', 'Export']) {
        await page.getByRole('link', { name: room, exact: true }).click();
        await page.getByRole('heading', { level: 1, name: new RegExp(`${room}$`) }).waitFor({ state: 'attached' });
        expect(await page.evaluate(() => document.documentElement.scrollWidth), `${room} at ${width}`).toBeLessThanOrEqual(width);
      }
    }
    expect(faults).toEqual([]);
  });
});
