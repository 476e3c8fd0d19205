import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Application, demoTogether, nextFullGround, pictures } from '../helpers/application';

let app: Application;
beforeAll(async () => {
  app = await Application.start();
});
afterAll(async () => {
  await app.stop();
});

const demo = demoTogether(() => app);

describe('rock and water', () => {
  it('rock is given to a terrain, felt by its rivers, seen as a drape, taken away again and undone', async () => {
    const { page, faults } = await demo();
    const range = () => page.locator('[class*=outcome], [class*=end]').first().innerText();
    await page.getByRole('button', { name: 'Rock', exact: true }).click();
    const sheet = page.getByRole('dialog', { name: 'The rock' });
    await sheet.getByRole('img', { name: /A block of the ground cut open/ }).waitFor();
    const drawn = () => sheet.locator('canvas').evaluate((canvas: HTMLCanvasElement) => canvas.toDataURL());
    const block = await drawn();
    await sheet.getByLabel('Begin from').selectOption('Upended ribs');
    await sheet.getByRole('button', { name: 'Add a fault' }).click();
    await expect.poll(drawn).not.toBe(block);
    await sheet.getByLabel('Fault 1, throw').fill('120');
    await sheet.getByLabel('Fault 1, throw').press('Enter');
    const before = await pictures(page);
    await sheet.getByRole('button', { name: 'Set the rock' }).click();
    await nextFullGround(page, before);
    await page.getByLabel('Drape').selectOption('rock');
    await page.getByText('100 %').first().waitFor();
    const changed = await pictures(page);
    await page.getByRole('button', { name: 'Rock', exact: true }).click();
    await sheet.getByRole('button', { name: 'Take the rock away' }).click();
    await nextFullGround(page, changed);
    await page.getByText('This terrain’s rock is alike everywhere.').waitFor();
    const away = await pictures(page);
    await page.getByRole('button', { name: 'Undo' }).click();
    await nextFullGround(page, away);
    await expect.poll(() => page.getByText('This terrain’s rock is alike everywhere.').count()).toBe(0);
    expect(await range()).toBeTruthy();
    expect(faults).toEqual([]);
  });

  it('lakes and streams are found on the finished ground, and what counts as one can be said', async () => {
    const { page, faults } = await demo();
    await page.getByRole('button', { name: 'Lakes and streams' }).click();
    const sheet = page.getByRole('dialog', { name: 'Lakes and streams' });
    expect(await sheet.getByLabel('Begin at').inputValue()).toMatch(/600/);
    await sheet.getByLabel('Begin at').fill('300');
    await sheet.getByLabel('Begin at').press('Enter');
    await sheet.getByRole('button', { name: 'Set them' }).click();
    await page
      .getByRole('button', { name: 'Undo' })
      .and(page.getByTitle(/Set lakes and streams/))
      .waitFor();
    await page.getByRole('button', { name: 'Lakes and streams' }).click();
    expect(await sheet.getByLabel('Begin at').inputValue()).toMatch(/300/);
    await page.keyboard.press('Escape');
    expect(faults).toEqual([]);
  });
});
