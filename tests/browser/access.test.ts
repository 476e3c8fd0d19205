import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { readHeightmap } from '@upland-cast/core';
import { Application, demoTogether, downloadsInto, drawn, fullGround, openDemo, twoFrames } from '../helpers/application';
import { axeViolations } from '../helpers/axe';
import { readBytes, scratch } from '../helpers/outside';

const { path, done } = scratch();
const download = downloadsInto(path);
let app: Application;
beforeAll(async () => {
  app = await Application.start();
});
afterAll(async () => {
  await app.stop();
  done();
});

/** For those that leave the demo as it is. */
const demo = demoTogether(() => app);

/** The sizes that a page is for: a laptop, a small one, and a laptop at 200 %. */
const SIZES = [
  [1280, 800],
  [1024, 720],
  [640, 400],
] as const;

/** No sideways scroll and one heading of level one at every size; nothing that axe finds at the largest and the smallest. */
async function reaches(page: Page, what: string, sizes: readonly (readonly [number, number])[] = SIZES, within = ':root'): Promise<void> {
  for (const [width, height] of sizes) {
    await page.setViewportSize({ width, height });
    // A view that is drawn again does not change what is asked here.
    await twoFrames(page);
    const at = `${what} at ${width}`;
    if (width !== 1024) expect(await axeViolations(page, within), at).toEqual([]);
    expect(await page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth), `${at}: sideways`).toBeLessThanOrEqual(0);
    expect(await page.locator('h1').count(), at).toBe(1);
  }
  await page.setViewportSize({ width: 1280, height: 800 });
}

/** A room with its figures. */
async function filled(page: Page, room: string): Promise<void> {
  if (room === 'Mesh') await page.getByText('largest error').waitFor({ timeout: 60_000 });
  else if (room === 'Export') await page.getByText('metres a code').waitFor({ timeout: 60_000 });
  else await page.getByRole('status', { name: 'What was found' }).waitFor();
}

/** What is open over the page, which is looked at without it. */
const DIALOG = 'dialog[open]';
const HEADER = ['Rock', 'Lakes and streams', 'Another one like this', 'Marks', 'Find a command'];

describe('every room and dialog', () => {
  it('is clean to axe and has no sideways scroll, at 1280, 1024 and 200 %', async () => {
    const { context, page, faults } = await app.person();
    await page.goto(app.address);
    await page.getByRole('link', { name: 'Open Dunmorrow' }).waitFor();
    await reaches(page, 'terrains');
    for (const [where, heading] of [
      ['/help', 'Help'],
      ['/walks', 'Jobs, step by step'],
      ['/survey', 'Survey'],
    ]) {
      await page.goto(`${app.address}${where}`);
      await page.getByRole('heading', { level: 1 }).first().waitFor();
      await reaches(page, heading);
    }
    await openDemo(page, app.address);
    for (const camera of ['Plan', 'Section', 'Land', 'Relief']) {
      await page.getByRole('radio', { name: camera, exact: true }).click();
      await reaches(page, camera);
    }
    for (const panel of ['Spots', 'Views', 'Rules of the ground colour']) {
      await page.getByRole('button', { name: panel, exact: true }).click();
      await reaches(page, panel);
      await page.getByRole('button', { name: panel, exact: true }).click();
    }
    await page
      .getByRole('button', { name: /^Add a step after/ })
      .last()
      .click();
    // It lies over other things until it is closed: they are looked at without it.
    await reaches(page, 'the menu of steps', SIZES, 'div:has(> [role=menu])');
    await page.keyboard.press('Escape');
    for (const dialog of HEADER) {
      await page.getByRole('button', { name: dialog, exact: true }).click();
      await page.getByRole('dialog').waitFor();
      await reaches(page, dialog, SIZES, DIALOG);
      await page.keyboard.press('Escape');
    }
    for (const [button, dialog] of [
      [page.getByTitle('The ground: size, samples, sea'), 'the ground'],
      [page.getByTitle('Past saves, project file'), 'saves'],
    ] as const) {
      await button.click();
      await page.getByRole('dialog').waitFor();
      await reaches(page, dialog, SIZES, DIALOG);
      await page.keyboard.press('Escape');
    }
    for (const room of ['Compare', 'Mesh', 'Export']) {
      await page.getByRole('link', { name: room, exact: true }).click();
      await page.getByRole('heading', { level: 1, name: new RegExp(`${room}$`) }).waitFor({ state: 'attached' });
      await filled(page, room);
      await reaches(page, room);
    }
    expect(faults).toEqual([]);
    await context.close();
  });

  it('is clean to axe on the dark sheet too', async () => {
    const { context, page, faults } = await app.person();
    await page.goto(app.address);
    await page.evaluate(() => localStorage.setItem('upland-cast:sheet', 'dark'));
    const one = [[1280, 800]] as const;
    for (const where of ['/', '/help', '/walks', '/survey']) {
      await page.goto(`${app.address}${where}`);
      await page.getByRole('heading', { level: 1 }).first().waitFor();
      await reaches(page, `${where}, dark`, one);
    }
    await openDemo(page, app.address);
    expect(await page.locator('html').getAttribute('data-sheet')).toBe('dark');
    for (const dialog of HEADER) {
      await page.getByRole('button', { name: dialog, exact: true }).click();
      await page.getByRole('dialog').waitFor();
      await reaches(page, `${dialog}, dark`, one, DIALOG);
      await page.keyboard.press('Escape');
    }
    for (const room of ['Compare', 'Mesh', 'Export']) {
      await page.getByRole('link', { name: room, exact: true }).click();
      await page.getByRole('heading', { level: 1, name: new RegExp(`${room}$`) }).waitFor({ state: 'attached' });
      await filled(page, room);
      await reaches(page, `${room}, dark`, one);
    }
    expect(faults).toEqual([]);
    await context.close();
  });

  it('tells what is on where colours are forced', async () => {
    const { page } = await demo();
    await page.emulateMedia({ forcedColors: 'active' });
    const paint = (name: string) => page.getByRole('radio', { name, exact: true }).evaluate((one) => getComputedStyle(one).backgroundColor);
    expect(await paint('Relief')).not.toBe(await paint('Plan'));
    expect(await axeViolations(page)).toEqual([]);
    await page.emulateMedia({ forcedColors: null });
  });
});

describe('the keyboard', () => {
  /** Presses Tab until what has the focus has this name; says how many presses it took. */
  async function tabTo(page: Page, name: RegExp, most = 60): Promise<number> {
    for (let presses = 1; presses <= most; presses++) {
      await page.keyboard.press('Tab');
      const now = await page.evaluate(() => {
        const one = document.activeElement;
        return one?.getAttribute('aria-label') ?? one?.textContent ?? '';
      });
      if (name.test(now)) return presses;
    }
    throw new Error(`Tab does not come to ${name}.`);
  }

  it('alone goes from the first load to a file that is proved', async () => {
    const { context, page, faults } = await app.person();
    await page.goto(app.address);
    await page.getByRole('link', { name: 'Open Dunmorrow' }).waitFor();
    await tabTo(page, /Begin from Downland/);
    await page.keyboard.press('Enter');
    await fullGround(page);
    await tabTo(page, /^Export$/);
    await page.keyboard.press('Enter');
    await page.getByRole('button', { name: 'Export', exact: true }).waitFor();
    await tabTo(page, /^Export$/, 90);
    await page.keyboard.press('Enter');
    const save = page.getByRole('button', { name: /^(Take |Everything)/ }).first();
    await save.waitFor({ timeout: 120_000 });
    await tabTo(page, /^(Take |Everything)/, 120);
    const file = await download(page, () => page.keyboard.press('Enter'), 'by-keyboard.zip');
    expect(readBytes(file).length).toBeGreaterThan(100_000);
    expect(faults).toEqual([]);
    await context.close();
  });

  it('has one stop for the course and one for each tool bar, and goes on by arrow keys', async () => {
    const { page, faults } = await demo();
    const stops = (within: string) =>
      page.locator(within).evaluate((box) => [...box.querySelectorAll<HTMLElement>('button')].filter((b) => b.tabIndex === 0 && b.offsetParent).length);
    const cards = await page.locator('[data-card]').count();
    expect(cards).toBeGreaterThan(6);
    // The card that is selected with its four buttons, the places before and after it, and the tributaries' own.
    expect(await stops('section[aria-label=Course] ol[aria-label=Stem]')).toBeLessThanOrEqual(6);
    await page.locator('[data-card]').first().focus();
    await page.keyboard.press('ArrowRight');
    expect(await page.evaluate(() => document.activeElement?.getAttribute('data-card'))).not.toBeNull();

    const bar = page.getByRole('toolbar', { name: 'Tools' });
    await bar.getByRole('button', { name: 'Find a command' }).focus();
    await page.keyboard.press('ArrowRight');
    expect(await page.evaluate(() => document.activeElement?.getAttribute('aria-label'))).toBe('Import heights');
    await page.keyboard.press('Tab');
    expect(await bar.evaluate((box) => box.contains(document.activeElement))).toBe(false);
    expect(faults).toEqual([]);
  });

  it('stays near after a step is deleted, one is added, and a panel is closed; a label presses its switch', async () => {
    const { context, page, faults } = await app.person();
    await page.goto(app.address);
    await page.getByRole('button', { name: 'New from noise' }).click();
    await fullGround(page);
    await page.getByRole('button', { name: 'Add a step after Noise' }).click();
    await page.getByLabel('Find a step').fill('terrace');
    await page.keyboard.press('Enter');
    const focused = () => page.evaluate(() => document.activeElement?.getAttribute('aria-label') ?? document.activeElement?.tagName);
    await expect.poll(focused).toMatch(/^Terrace/);
    await page.keyboard.press('Delete');
    await expect.poll(focused).toMatch(/Noise|Flat|Add a step/);
    await page.getByRole('button', { name: 'Spots', exact: true }).focus();
    await page.keyboard.press('Enter');
    await page.keyboard.press('Enter');
    expect(await page.evaluate(() => document.activeElement?.textContent)).toBe('Spots');
    await page.getByRole('link', { name: 'Export', exact: true }).click();
    const docket = page.getByRole('switch', { name: 'With a docket' });
    const before = await docket.getAttribute('aria-checked');
    await page.getByText('With a docket', { exact: true }).click();
    await expect.poll(() => docket.getAttribute('aria-checked')).not.toBe(before);
    expect(faults).toEqual([]);
    await context.close();
  });
});

describe('the way to a file', () => {
  it('of a starting course is five presses at the most, proof and sixteen bits with it', async () => {
    const { context, page, faults } = await app.person();
    await page.goto(app.address);
    let presses = 0;
    const press = async (name: string | RegExp, role: 'button' | 'link' = 'button') => {
      await page
        .getByRole(role, { name, exact: typeof name === 'string' })
        .first()
        .click({ timeout: 120_000 });
      presses++;
    };
    await press(/^Begin from Downland/);
    await fullGround(page);
    await press('Export', 'link');
    await press('Export');
    await page.getByText('Read back and found right').waitFor({ timeout: 120_000 });
    const file = await download(page, () => press(/\.png$|PNG/), 'downland.png');
    expect(presses).toBeLessThanOrEqual(5);
    const { type, width } = await readHeightmap(readBytes(file));
    expect([type, width]).toEqual(['u16', 1025]);
    expect(faults).toEqual([]);
    await context.close();
  });
});

describe('a first visit', () => {
  it('sees the demo with five hints, each with a thing to do, and is not shown them again', async () => {
    const { context, page, faults } = await app.person({ first: true });
    await page.goto(app.address);
    await page.waitForURL(/terrain\?id=demo-dunmorrow/);
    await fullGround(page);
    const hints = page.getByRole('complementary', { name: 'Hints' });
    await hints.getByText('1 of 5').waitFor();
    await hints.getByRole('button', { name: 'Select “Becks and gills”' }).click();
    await page.getByRole('complementary', { name: 'Settings of Becks and gills' }).waitFor();
    await hints.getByRole('button', { name: 'Next' }).click();
    await hints.getByRole('button', { name: 'See the plan' }).click();
    expect(await page.getByRole('radio', { name: 'Plan', exact: true }).getAttribute('aria-checked')).toBe('true');
    await page.reload();
    await hints.getByText('2 of 5').waitFor();
    await page.getByRole('heading', { level: 1 }).waitFor();
    expect(await axeViolations(page)).toEqual([]);
    await hints.getByRole('button', { name: 'Put the hints away for good' }).click();
    await page.reload();
    await fullGround(page);
    expect(await hints.count()).toBe(0);
    await page.goBack();
    await page.goto(app.address);
    await page.getByRole('heading', { name: 'Terrains' }).waitFor();
    expect(faults).toEqual([]);
    await context.close();
  });
});

describe('the layout', () => {
  it('folds its panels, keeps the height that the course is given, and gives the view the window', async () => {
    const { page, faults } = await demo();
    const view = () => page.locator('canvas[data-ground]').boundingBox();
    const before = (await view())!;
    await page.getByRole('button', { name: 'Fold the settings away' }).click();
    expect((await view())!.width).toBeGreaterThan(before.width + 250);
    const edge = page.getByRole('separator', { name: 'Height of the course' });
    const at = (await edge.boundingBox())!;
    await page.mouse.move(at.x + 500, at.y + 3);
    await page.mouse.down();
    await page.mouse.move(at.x + 500, at.y + 63, { steps: 6 });
    await page.mouse.up();
    const lower = (await view())!.height;
    expect(lower).toBeGreaterThan(before.height + 50);
    await edge.focus();
    await page.keyboard.press('ArrowUp');
    await expect.poll(async () => (await view())!.height).toBeLessThan(lower);
    await page.reload();
    await fullGround(page);
    expect((await view())!.width).toBeGreaterThan(before.width + 250);
    expect((await view())!.height).toBeGreaterThan(before.height + 30);
    await page.getByRole('button', { name: 'The view fills the window' }).click();
    await expect.poll(async () => (await view())!.height).toBeGreaterThan(790);
    expect(await page.locator('header').count()).toBe(0);
    await page.keyboard.press('w');
    await page.getByRole('banner').waitFor();
    await page.getByRole('button', { name: 'Open the settings' }).click();
    await page.getByRole('complementary', { name: /^Settings of/ }).waitFor();
    expect(faults).toEqual([]);
  });
});

describe('fingers', () => {
  it('turn the ground, pinch it nearer, and draw with a brush', async () => {
    const { context, page, faults } = await app.person({ touch: true });
    await openDemo(page, app.address);
    const canvas = page.locator('canvas[data-ground]');
    const box = (await canvas.boundingBox())!;
    const middle = [box.x + box.width / 2, box.y + box.height / 2 + 40] as const;
    const hand = await context.newCDPSession(page);
    const touch = (type: 'touchStart' | 'touchMove' | 'touchEnd', points: (readonly [number, number])[]) =>
      hand.send('Input.dispatchTouchEvent', { type, touchPoints: points.map(([x, y], id) => ({ x, y, id })) });
    const north = () => page.locator('svg[aria-label^="North is"]').getAttribute('aria-label');
    const scale = () => page.locator('svg[aria-label^="North is"] + div').evaluate((one) => one.getBoundingClientRect().width + (one.textContent ?? ''));
    const facing = await north();
    await touch('touchStart', [middle]);
    for (let i = 1; i <= 6; i++) await touch('touchMove', [[middle[0] + 20 * i, middle[1]]]);
    await touch('touchEnd', []);
    await expect.poll(north).not.toBe(facing);
    const far = await scale();
    await touch('touchStart', [middle, [middle[0] + 60, middle[1]]]);
    for (let i = 1; i <= 6; i++) await touch('touchMove', [middle, [middle[0] + 60 + 25 * i, middle[1]]]);
    await touch('touchEnd', []);
    await expect.poll(scale).not.toBe(far);
    // Hand work: one finger is the brush, two are the view. A tap whose end is sent when its beginning was answered is a long press where the page draws meanwhile.
    await drawn(page);
    await page.locator('[data-card]').filter({ hasText: 'Hand work' }).tap();
    const undo = page.getByRole('button', { name: 'Undo' });
    const strokes = () => undo.getAttribute('title');
    await expect.poll(() => page.getByText(/^Brush$/).count()).toBeGreaterThan(0);
    await touch('touchStart', [middle, [middle[0] + 60, middle[1]]]);
    await touch('touchMove', [middle, [middle[0] + 90, middle[1]]]);
    await touch('touchEnd', []);
    expect(await strokes()).toBe('Nothing to undo');
    await touch('touchStart', [middle]);
    await page.waitForTimeout(200);
    for (let i = 1; i <= 6; i++) await touch('touchMove', [[middle[0] + 12 * i, middle[1]]]);
    await touch('touchEnd', []);
    await expect.poll(strokes).not.toBe('Nothing to undo');
    expect(faults).toEqual([]);
    await context.close();
  });
});
