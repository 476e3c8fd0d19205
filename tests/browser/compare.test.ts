import type { Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { encode, fieldFrom, flipRows, makeGround } from '@upland-cast/core';
import { Application } from '../helpers/application';

let app: Application;
beforeAll(async () => {
  app = await Application.start();
});
afterAll(async () => {
  await app.stop();
});

const hill = fieldFrom(
  makeGround({ width: 1280, depth: 1280, across: 129, down: 129, registration: 'point', sea: 0 }),
  (east, south) => 120 + 60 * Math.sin(east / 190) * Math.cos(south / 260) + 25 * Math.sin(east / 71 + south / 93) + south / 40,
);
const tiff = async (field: typeof hill) => Buffer.from((await encode(field, { format: 'tiff', type: 'f32' })).bytes);

/** A terrain of that file alone, in the Compare room. */
async function compared(page: Page) {
  await page.goto(app.address);
  await page.locator('astro-island:not([ssr])').first().waitFor({ state: 'attached' });
  await page.getByRole('button', { name: 'New, level' }).click();
  await page.waitForURL(/terrain/);
  await page.getByRole('link', { name: 'Compare' }).click();
  const found = page.getByRole('status', { name: 'What was found' });
  await found.waitFor();
  return found;
}

describe('comparing', () => {
  it('finds a file whose rows are turned over, shows it as it fits, and reads codes on the other’s scale', async () => {
    const { context, page, faults } = await app.person();
    const found = await compared(page);
    await page.getByLabel('File for side A').setInputFiles({ name: 'hill.tif', mimeType: 'image/tiff', buffer: await tiff(hill) });
    await page.getByLabel('File for side B').setInputFiles({
      name: 'turned.tif',
      mimeType: 'image/tiff',
      buffer: await tiff({ ...flipRows(hill), height: flipRows(hill).height.map((h) => h - 70) }),
    });
    await found.getByText('B is A with its rows turned over, north for south and 70.00 m lower.').waitFor();
    await found.getByRole('button', { name: 'See B as it fits' }).click();
    await page.getByText('0.000 m').first().waitFor();
    await found.getByRole('button', { name: 'See B as it is' }).click();

    await page
      .getByLabel('File for side B')
      .setInputFiles({ name: 'half.tif', mimeType: 'image/tiff', buffer: await tiff({ ...hill, height: hill.height.map((h) => 0.5 * h) }) });
    await found.getByText(/The heights of B are A’s times 0\.500/).waitFor();
    await found.getByRole('button', { name: 'Read its heights on A’s scale' }).click();
    await found.getByText(/^B is A/).waitFor();

    // Exchanged, the finding is the other way round.
    await page
      .getByLabel('File for side B')
      .setInputFiles({ name: 'higher.tif', mimeType: 'image/tiff', buffer: await tiff({ ...hill, height: hill.height.map((h) => h + 12.5) }) });
    await found.getByText('B lies 12.50 m higher throughout').waitFor();
    await page.getByRole('button', { name: 'Exchange the sides' }).click();
    await found.getByText('B lies 12.50 m lower throughout').waitFor();
    expect(faults).toEqual([]);
    await context.close();
  });

  it('has a way to look for every question, by mouse and by keyboard, a tolerance with a verdict, and files to keep', async () => {
    const { context, page, faults } = await app.person();
    const found = await compared(page);
    await page.getByLabel('File for side A').setInputFiles({ name: 'hill.tif', mimeType: 'image/tiff', buffer: await tiff(hill) });
    const noisy = { ...hill, height: hill.height.map((h, i) => h + (i === 5_000 ? 4 : 0.2 * Math.sin(i))) };
    await page.getByLabel('File for side B').setInputFiles({ name: 'noisy.tif', mimeType: 'image/tiff', buffer: await tiff(noisy) });
    await found.getByText(/^B is A but for 0\.1\d m root mean square/).waitFor();

    const both = page.getByRole('region', { name: 'Both grounds' });
    const wipe = both.getByRole('slider', { name: /^Wipe/ });
    await wipe.focus();
    await page.keyboard.press('ArrowRight');
    expect(await wipe.getAttribute('aria-valuenow')).toBe('52');
    const choose = (name: string) => both.getByRole('radio', { name, exact: true }).click();
    const picture = async (ground: 'A' | 'B') => (await both.getByLabel(`Ground ${ground}`).screenshot()).toString('base64');
    await choose('Difference');
    await both.getByText('B − A, metres').waitFor();
    const difference = await picture('A');
    await page.getByLabel('Tolerance').fill('1');
    await page.getByLabel('Tolerance').press('Enter');
    await page.getByText('beyond 1.00 m').waitFor();
    await both.getByText('B − A, metres: beyond 1.00').waitFor();
    await expect.poll(() => picture('A')).not.toBe(difference);
    await page.getByLabel('Tolerance').fill('10');
    await page.getByLabel('Tolerance').press('Enter');
    await page.getByText('none: within it everywhere').waitFor();
    await choose('Outlines');
    await both.getByRole('img', { name: /Outlines of both, from the south/ }).waitFor();
    await choose('Contours');
    await choose('In and out');
    await choose('Side by side');
    // One camera moves both.
    await both.getByRole('radio', { name: 'Relief', exact: true }).click();
    const before = await picture('B');
    const box = (await both.getByLabel('Ground A').boundingBox())!;
    await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
    await page.mouse.down();
    await page.mouse.move(box.x + box.width / 2 + 90, box.y + box.height / 2 + 20, { steps: 5 });
    await page.mouse.up();
    await expect.poll(() => picture('B')).not.toBe(before);

    const [sheet] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'Sheet, JSON' }).click()]);
    expect(sheet.suggestedFilename()).toMatch(/comparison\.json$/);
    const [file] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'Difference', exact: true }).click()]);
    expect(file.suggestedFilename()).toMatch(/difference\.tif$/);

    // Kept by name, with the terrain; a file of another visit is asked for again.
    await page.getByLabel('Name of the comparison').fill('Noise');
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    await page.getByRole('button', { name: 'Noise', exact: true }).waitFor();
    await page.waitForTimeout(800);
    await page.reload();
    await page.getByText(/hill\.tif was chosen in another visit/).waitFor();
    await page.getByRole('button', { name: 'Noise', exact: true }).waitFor();
    expect(faults).toEqual([]);
    await context.close();
  });

  it('is one press away from a step', async () => {
    const { context, page, faults } = await app.person();
    await page.goto(app.address);
    await page.locator('astro-island:not([ssr])').first().waitFor({ state: 'attached' });
    await page.getByRole('button', { name: 'New from noise' }).click();
    await page.waitForURL(/terrain/);
    await page.getByRole('button', { name: 'Compare', exact: true }).click();
    await page.getByRole('status', { name: 'What was found' }).getByText(/^B /).first().waitFor();
    expect(await page.getByLabel('Side A', { exact: true }).inputValue()).toMatch(/"kind":"step"/);
    await page.goBack();
    await page.getByRole('button', { name: 'Compare', exact: true }).waitFor();
    expect(faults).toEqual([]);
    await context.close();
  });
});
