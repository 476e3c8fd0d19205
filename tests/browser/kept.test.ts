import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { Application, openDemo } from '../helpers/application';

let app: Application;
beforeAll(async () => {
  app = await Application.start();
});
afterAll(() => app.stop());

/** What is kept of work that can be done again: names and bytes. */
const kept = (page: Page) =>
  page.evaluate(
    () =>
      new Promise<string[]>((resolve) => {
        const opening = indexedDB.open('upland-cast-kept');
        opening.onsuccess = () => {
          const asked = opening.result.transaction('notes').objectStore('notes').getAllKeys();
          asked.onsuccess = () => {
            opening.result.close();
            resolve(asked.result as string[]);
          };
        };
      }),
  );

/** Every kind of ground that the view has shown since the page began. */
const watched = (page: Page) =>
  page.addInitScript(() => {
    const seen: string[] = [];
    (window as unknown as { seen: string[] }).seen = seen;
    new MutationObserver(() => {
      const kind = document.querySelector<HTMLElement>('canvas[data-ground]')?.dataset.ground;
      if (kind && seen[seen.length - 1] !== kind) seen.push(kind);
    }).observe(document, { subtree: true, childList: true, attributes: true, attributeFilter: ['data-ground'] });
  });

const range = (page: Page) =>
  page
    .getByText(/\d+\.\d – \d+\.\d m/)
    .first()
    .innerText();

describe('what was worked out', () => {
  it('is kept past a reload: the full ground is seen at once, and the weather that has not changed is not redone', async () => {
    const { context, page, faults } = await app.person({ fresh: true });
    await openDemo(page, app.address);
    // Slow steps are kept when the work has been over for a while, and so is the end of the course.
    await expect.poll(async () => (await kept(page)).filter((key) => key.startsWith('ground ')).length, { timeout: 60_000 }).toBe(1);
    await expect.poll(async () => (await kept(page)).filter((key) => !key.startsWith('ground ')).length, { timeout: 60_000 }).toBeGreaterThan(0);
    const before = await range(page);
    const keys = (await kept(page)).sort();

    await watched(page);
    await page.reload();
    await page.waitForSelector('canvas[data-ground=full]', { state: 'attached' });
    expect(await range(page)).toBe(before);
    // What steps did is known when all of them are there again.
    await page.locator('[data-card=wear]').click();
    await page.getByText('Measured when the full ground has been worked out').waitFor({ state: 'detached' });
    expect(await page.evaluate(() => (window as unknown as { seen: string[] }).seen)).toEqual(['full']);
    expect((await kept(page)).sort()).toEqual(keys);

    // A change makes another ground; the old one is there again when it is taken back.
    await page.locator('[data-card=offset]').click();
    await page.getByLabel('Distance', { exact: true }).last().fill('31');
    await page.getByLabel('Distance', { exact: true }).last().press('Enter');
    await expect.poll(() => range(page)).not.toBe(before);
    await page.getByRole('button', { name: /^Undo/ }).click();
    await expect.poll(() => range(page)).toBe(before);
    expect(faults).toEqual([]);
    await context.close();
  });
});
