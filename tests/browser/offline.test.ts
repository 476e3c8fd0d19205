import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Application, fullGround } from '../helpers/application';

let app: Application;
beforeAll(async () => {
  app = await Application.start();
});
afterAll(() => app.stop());

describe('after one visit', () => {
  it('goes on without the server: pages, engine, demo, export; and can be installed', async () => {
    const { context, page } = await app.person({ offline: true });
    await page.goto(app.address);
    await page.getByRole('link', { name: 'Open Dunmorrow' }).waitFor();
    // All that is to be kept is there once its keeper is active.
    await page.evaluate(() => navigator.serviceWorker.ready.then(({ active }) => active?.state), undefined);
    await expect.poll(() => page.evaluate(() => navigator.serviceWorker.ready.then(({ active }) => active?.state)), { timeout: 60_000 }).toBe('activated');
    const manifest = await page.evaluate(async () => (await fetch('/manifest.webmanifest')).json());
    expect(manifest).toMatchObject({ name: 'Upland Cast', display: 'standalone', start_url: '/' });
    expect(manifest.file_handlers[0].accept['application/x-uplandcast']).toEqual(['.uplandcast']);

    await app.endServer();
    await page.reload();
    await page.getByRole('link', { name: 'Open Dunmorrow' }).waitFor();
    expect(await page.evaluate(() => self.crossOriginIsolated)).toBe(true);
    await page.getByRole('button', { name: 'New from noise' }).click();
    await fullGround(page);
    await page.getByRole('link', { name: 'Export', exact: true }).click();
    await page.getByRole('button', { name: 'Export', exact: true }).click();
    await page.getByText('Read back and found right').waitFor({ timeout: 60_000 });
    await page.goto(`${app.address}/help`);
    await page.getByRole('heading', { level: 1 }).waitFor();
    await context.close();
  });
});
