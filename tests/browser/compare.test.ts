import type { Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { encode, fieldFrom, flipRows, makeCourse, makeGround, srgbFromLinear } from '@upland-cast/core';
import { Application, noiseTogether, openCourse, stored, together } from '../helpers/application';

let app: Application;
beforeAll(async () => {
  app = await Application.start();
});
afterAll(async () => {
  await app.stop();
});

const LEVEL = makeGround({ width: 4096, depth: 4096, across: 257, down: 257 });

/** Each of these begins with a terrain of its own. */
const there = together(
  () => app,
  () => Promise.resolve(),
);

const hill = fieldFrom(
  makeGround({ width: 1280, depth: 1280, across: 129, down: 129, registration: 'point', sea: 0 }),
  (east, south) => 120 + 60 * Math.sin(east / 190) * Math.cos(south / 260) + 25 * Math.sin(east / 71 + south / 93) + south / 40,
);
const tiff = async (field: typeof hill) => Buffer.from((await encode(field, { format: 'tiff', type: 'f32' })).bytes);

/** A terrain of that file alone, in the Compare room. */
async function compared(page: Page) {
  await openCourse(page, app.address, makeCourse('New terrain', LEVEL));
  await page.getByRole('link', { name: 'Compare' }).click();
  const found = page.getByRole('status', { name: 'What was found' });
  await found.waitFor();
  return found;
}

/** A file as a side: through the reading sheet, as it stands there. */
async function side(page: Page, letter: 'A' | 'B', name: string, field: typeof hill): Promise<void> {
  await page.getByLabel(`File for side ${letter}`).setInputFiles({ name, mimeType: 'image/tiff', buffer: await tiff(field) });
  const sheet = page.getByRole('dialog', { name: `Side ${letter}: ${name}` });
  await sheet.getByRole('button', { name: `Use it as ${letter}` }).click();
  await sheet.waitFor({ state: 'detached' });
}

describe('comparing', () => {
  it('finds a file whose rows are turned over, shows it as it fits, and reads codes on the other’s scale', async () => {
    const { page, faults } = await there();
    const found = await compared(page);
    await side(page, 'A', 'hill.tif', hill);
    await side(page, 'B', 'turned.tif', { ...flipRows(hill), height: flipRows(hill).height.map((h) => h - 70) });
    await found.getByText('B is A with its rows turned over, north for south and 70.00 m lower.').waitFor();
    await found.getByRole('button', { name: 'See B as it fits' }).click();
    await page.getByText('0.000 m').first().waitFor();
    await found.getByRole('button', { name: 'See B as it is' }).click();
    // One press reads it the right way up; what is left is its height.
    await found.getByRole('button', { name: 'Flip its rows, on the way in' }).click();
    await found.getByText('B lies 70.00 m lower throughout').waitFor();

    await side(page, 'B', 'half.tif', { ...hill, height: hill.height.map((h) => 0.5 * h) });
    await found.getByText(/The heights of B are A’s times 0\.500/).waitFor();
    await found.getByRole('button', { name: 'Read its heights on A’s scale' }).click();
    await found.getByText(/^B is A/).waitFor();

    // Exchanged, the finding is the other way round.
    await side(page, 'B', 'higher.tif', { ...hill, height: hill.height.map((h) => h + 12.5) });
    await found.getByText('B lies 12.50 m higher throughout').waitFor();
    await page.getByRole('button', { name: 'Exchange the sides' }).click();
    await found.getByText('B lies 12.50 m lower throughout').waitFor();
    expect(faults).toEqual([]);
  });

  it('has a way to look for every question, by mouse and by keyboard, a tolerance with a verdict, and files to keep', async () => {
    const { page, faults } = await there();
    const found = await compared(page);
    await side(page, 'A', 'hill.tif', hill);
    const noisy = { ...hill, height: hill.height.map((h, i) => h + (i === 5_000 ? 4 : 0.2 * Math.sin(i))) };
    await side(page, 'B', 'noisy.tif', noisy);
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

    // As land, measured when it is asked for.
    await page.getByRole('button', { name: 'Slope and spectrum of both' }).click();
    await page.getByRole('img', { name: /^Slopes of both/ }).waitFor();

    // Kept by name, with the terrain, files and all.
    await page.getByLabel('Name of the comparison').fill('Noise');
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    await page.getByRole('button', { name: 'Noise', exact: true }).waitFor();
    await stored(page);
    await page.reload();
    await found.getByText(/^B is A but for 0\.1\d m root mean square/).waitFor();
    await page.getByRole('button', { name: 'Noise', exact: true }).waitFor();
    expect(faults).toEqual([]);
  });

  it('takes a tone curve out by one press, says what a file’s codes stand for, and lists the parts of a mesh', async () => {
    const { page, faults } = await there();
    const found = await compared(page);
    await side(page, 'A', 'hill.tif', hill);
    const [low, high] = [Math.min(...hill.height), Math.max(...hill.height)];
    const toned = { ...hill, height: hill.height.map((h) => low + (high - low) * srgbFromLinear((h - low) / (high - low), (a, b) => a ** b)) };
    await side(page, 'B', 'toned.tif', toned);
    await found.getByText(/went through a picture’s tone curve/).waitFor();
    await found.getByRole('button', { name: 'Remove the tone curve' }).click();
    await found.getByText(/^B is A/).waitFor();

    const codes = Buffer.from((await encode(hill, { format: 'png', type: 'u16', range: { low: 0, high: 655.35 } })).bytes);
    await page.getByLabel('File for side B').setInputFiles({ name: 'codes.png', mimeType: 'image/png', buffer: codes });
    await page.getByRole('button', { name: 'Use it as B' }).click();
    await page.getByText(/16 bit, codes [\d\s\u2009]+ to [\d\s\u2009]+/).waitFor();

    const corner = (x: number, z: number) => `v ${x} ${hill.height[(z / 10) * 129 + x / 10]} ${z}`;
    const square = (x: number, lift = 0) => [
      ...[0, 640, 1280]
        .flatMap((z) => [corner(x, z), corner(x + 640, z)])
        .map((line) => line.replace(/ (\S+) (\S+)$/, (_, y, z) => ` ${Number(y) + lift} ${z}`)),
      'f 1 3 2',
      'f 2 3 4',
      'f 3 5 4',
      'f 4 5 6',
    ];
    const part = (name: string, lines: string[]) => ({ name, mimeType: 'model/obj', buffer: Buffer.from(lines.join('\n')) });
    await page.getByLabel('File for side B').setInputFiles([part('west.obj', square(0)), part('east.obj', square(640, 9))]);
    await page.getByText('west.obj and east.obj do not meet: their borders are up to 9.0 m apart.').waitFor();
    expect(await page.getByRole('row', { name: /^(west|east)\.obj/ }).count()).toBe(2);
    expect(faults).toEqual([]);
  });

  it('is one press away from a step', async () => {
    const { page, faults } = await noiseTogether(() => app)();
    // The first step found nothing that it could be held against.
    await page.getByRole('button', { name: /^Flat,/ }).click();
    const flat = page.getByRole('complementary', { name: 'Settings of Flat' });
    expect(await flat.getByRole('button', { name: 'Compare', exact: true }).isDisabled()).toBe(true);
    await page.getByRole('button', { name: 'Add a step after Noise' }).click();
    await page.getByRole('menuitem', { name: /^Shift/ }).click();
    const shift = page.getByRole('complementary', { name: 'Settings of Shift' });
    await shift.getByLabel('Distance', { exact: true }).fill('25');
    await page.keyboard.press('Enter');
    await shift.getByRole('button', { name: 'Compare', exact: true }).click();
    await page.getByRole('status', { name: 'What was found' }).getByText('B lies 25.00 m higher throughout').waitFor();
    const letters = await Promise.all(['A', 'B'].map((letter) => page.getByLabel(`Side ${letter}`, { exact: true }).inputValue()));
    expect(new Set(letters).size).toBe(2);
    for (const value of letters) expect(value).toMatch(/"kind":"step"/);
    await page.goBack();
    await page.getByRole('button', { name: 'Compare', exact: true }).waitFor();
    expect(faults).toEqual([]);
  });
});
