import type { Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Application, noiseTogether, stored, together, type Present } from '../helpers/application';
import { axeViolations } from '../helpers/axe';

let app: Application;
beforeAll(async () => {
  app = await Application.start();
});
afterAll(async () => {
  await app.stop();
});

/** Some begin at the list of terrains. */
const there = together(
  () => app,
  () => Promise.resolve(),
);

/** Others at noise alone, which is selected. */
const noise = noiseTogether(() => app);
async function atNoise(): Promise<Present> {
  const person = await noise();
  await person.page.getByRole('button', { name: /^Noise,/ }).click();
  return person;
}

async function newTerrain(page: Page): Promise<void> {
  await page.goto(app.address);
  await page.locator('astro-island:not([ssr])').first().waitFor({ state: 'attached' });
  await page.getByRole('button', { name: 'New from noise' }).click();
  await page.waitForURL(/terrain/);
  await page.getByRole('complementary', { name: 'Settings of Noise' }).waitFor();
}

async function command(page: Page, query: string): Promise<void> {
  await page.keyboard.press('Control+K');
  await page.keyboard.type(query);
  await page.keyboard.press('Enter');
}

describe('the list of commands', () => {
  it('finds a step by the trade’s other words and says by which; a number with its unit goes along', async () => {
    const { page, faults } = await atNoise();
    await page.keyboard.press('Control+K');
    const list = page.getByRole('dialog', { name: 'Find a command' });
    await page.keyboard.type('thermal erosion');
    await list.getByRole('option', { name: /^Add Talus thermal, erosion/ }).waitFor();
    await page.keyboard.press('Escape');
    await list.waitFor({ state: 'detached' });

    await command(page, 'shift 0.025 km');
    const shift = page.getByRole('complementary', { name: 'Settings of Shift' });
    await expect.poll(() => shift.getByLabel('Distance', { exact: true }).inputValue()).toBe('25.0');
    // What is selected is set by its name.
    await command(page, 'distance 40 m');
    await expect.poll(() => shift.getByLabel('Distance', { exact: true }).inputValue()).toBe('40.0');
    await command(page, 'undo');
    await expect.poll(() => shift.getByLabel('Distance', { exact: true }).inputValue()).toBe('25.0');
    await command(page, 'sea 12 m');
    await expect.poll(() => page.evaluate(() => document.body.innerText)).toMatch(/12\.0/);

    // What cannot be taken is said, and does nothing.
    await page.keyboard.press('Control+K');
    await page.keyboard.type('sea 12 °');
    await list.getByText('It takes m, not °.').first().waitFor();
    await page.getByRole('combobox', { name: 'Commands' }).fill('qwertz');
    await list.getByText('Nothing is found by “qwertz”.').waitFor();
    // What was used last stands first.
    await page.getByRole('combobox', { name: 'Commands' }).fill('');
    const options = await list.getByRole('option').allInnerTexts();
    expect(options[0]).toMatch(/^Sea at/);
    expect(await axeViolations(page)).toEqual([]);
    expect(faults).toEqual([]);
  });

  it('goes to rooms, receivers and views, and leaves the focus where it was', async () => {
    const { page, faults } = await atNoise();
    await command(page, 'block world');
    await expect.poll(() => page.getByRole('button', { name: /^Block world/ }).getAttribute('aria-pressed')).toBe('true');
    await command(page, 'mesh geometry');
    const greedy = page.getByRole('radiogroup', { name: 'Made by' }).getByRole('radio', { name: 'Greedy' });
    await greedy.click();
    await expect.poll(() => greedy.getAttribute('aria-checked')).toBe('true');
    await command(page, 'cross-section');
    await expect.poll(() => page.getByRole('radio', { name: 'Section' }).getAttribute('aria-checked')).toBe('true');
    // What was chosen last in a room is there again, also on the next visit.
    await stored(page);
    await page.reload();
    await page.getByRole('link', { name: 'Export', exact: true }).click();
    await expect.poll(() => page.getByRole('button', { name: /^Block world/ }).getAttribute('aria-pressed')).toBe('true');
    await page.getByRole('link', { name: 'Mesh', exact: true }).click();
    await expect.poll(() => greedy.getAttribute('aria-checked')).toBe('true');
    const button = page.getByRole('button', { name: 'Find a command' });
    await button.click();
    await page.getByRole('dialog', { name: 'Find a command' }).waitFor();
    await page.keyboard.press('Escape');
    await expect.poll(() => button.evaluate((e) => e === document.activeElement)).toBe(true);
    expect(faults).toEqual([]);
  });

  it('has keys that are changed by pressing others, kept for the next visit', async () => {
    const { context, page, faults } = await app.person();
    await newTerrain(page);
    await command(page, 'shortcuts');
    const keys = page.getByRole('dialog', { name: 'Keys' });
    await keys.getByRole('button', { name: 'Key of: Find a command, a step, a receiver, a terrain' }).click();
    await page.keyboard.press('Control+Z');
    await keys.getByText('Ctrl+Z is the key of “Undo” already.').waitFor();
    await keys.getByRole('button', { name: 'Key of: Find a command, a step, a receiver, a terrain' }).click();
    await page.keyboard.press('Control+E');
    await keys.getByText('Ctrl+E').waitFor();
    await page.reload();
    await page.getByRole('button', { name: /^Noise,/ }).waitFor();
    const list = page.getByRole('dialog', { name: 'Find a command' });
    await page.keyboard.press('Control+K');
    expect(await list.count()).toBe(0);
    await page.keyboard.press('Control+E');
    await list.waitFor();
    expect(faults).toEqual([]);
    await context.close();
  });

  it('has the step menu find by the same words, and says when nothing is found', async () => {
    const { page, faults } = await atNoise();
    await page.getByRole('button', { name: 'Add a step after Noise' }).click();
    const menu = page.getByRole('menu', { name: 'Add a step' });
    await page.getByLabel('Find a step').fill('road');
    await menu.getByRole('menuitem', { name: /^Path/ }).waitFor();
    expect(await menu.getByRole('menuitem').count()).toBe(1);
    await page.getByLabel('Find a step').fill('qwertz');
    await page.getByText('No step is found by “qwertz”.').waitFor();
    expect(faults).toEqual([]);
  });
});

describe('the hands', () => {
  it('reach what a page is for past its header, which stays one line at 1024', async () => {
    const { page, faults } = await atNoise();
    await page.setViewportSize({ width: 1024, height: 720 });
    const header = (await page.locator('header').first().boundingBox())!;
    expect(header.height).toBeLessThan(60);
    expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(1024);
    for (const link of await page.getByRole('navigation', { name: 'Rooms' }).getByRole('link').all())
      expect((await link.boundingBox())!.height).toBeLessThan(34);
    await page.reload();
    await page.getByRole('complementary', { name: 'Settings of Noise' }).or(page.getByText('Choose a step')).first().waitFor();
    await page.keyboard.press('Tab');
    await expect.poll(() => page.evaluate(() => document.activeElement?.textContent)).toBe('Past the header');
    await page.keyboard.press('Enter');
    expect(await page.evaluate(() => document.activeElement?.tagName)).toBe('MAIN');
    expect(await page.getByRole('heading', { level: 1 }).count()).toBe(1);
    expect(faults).toEqual([]);
  });

  it('change the ground’s size, samples and spacing with one of them held, or fitted to a receiver', async () => {
    const { page, faults } = await there();
    await newTerrain(page);
    await command(page, 'resolution');
    const sheet = page.getByRole('dialog', { name: 'The ground' });
    const type = async (label: string, value: string) => {
      await sheet.getByLabel(label, { exact: true }).fill(value);
      await sheet.getByLabel(label, { exact: true }).press('Enter');
    };
    const held = (label: string) => sheet.getByLabel(label, { exact: true }).inputValue();
    await type('Spacing', '8');
    expect(await held('Samples across')).toBe('513');
    // Noise has less detail at half the samples, and that is all: it is said before the ground is set.
    await sheet.getByRole('button', { name: 'How far from what you see' }).click();
    await sheet.getByText(/^Worked out again at 513 × 513: up to [\d.]+ m from the ground you see/).waitFor({ timeout: 60_000 });
    await sheet.getByRole('radio', { name: 'Samples', exact: true }).click();
    await type('Spacing', '2');
    expect([await held('Samples across'), (await held('Width')).replace(/\D/g, '')]).toEqual(['513', '1024']);
    await sheet.getByLabel('Fit to receiver').selectOption({ label: 'Power of two' });
    await sheet
      .getByRole('button', { name: '1 024', exact: true })
      .or(sheet.getByRole('button', { name: /^1\D?024$/ }))
      .first()
      .click();
    expect((await held('Samples down')).replace(/\D/g, '')).toBe('1024');
    await sheet.getByRole('button', { name: 'Set the ground' }).click();
    await page.getByRole('button', { name: /1\D?024²/ }).waitFor();
    expect(faults).toEqual([]);
  });

  it('are asked how level ground joins what came before', async () => {
    const { page, faults } = await atNoise();
    await page.getByRole('button', { name: 'Add a step after Noise' }).click();
    await page.getByRole('menuitem', { name: /^Flat/ }).click();
    const asked = page.getByRole('dialog', { name: 'How does Flat join what came before?' });
    await asked.getByRole('button', { name: 'Leave it' }).click();
    expect(await page.getByRole('button', { name: /^Flat,/ }).count()).toBe(1);
    await command(page, 'add flat');
    await asked.getByText('Nothing lies lower than it').waitFor();
    await asked.getByRole('button').first().focus();
    await page.keyboard.press('Tab');
    await page.keyboard.press('Enter');
    await expect.poll(() => page.getByRole('button', { name: /^Flat,/ }).count()).toBe(2);
    await expect.poll(() => page.getByLabel('Blend', { exact: true }).inputValue()).toBe('higher');
    expect(faults).toEqual([]);
  });
});
