import { readFileSync } from 'node:fs';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { readWith } from '@upland-cast/core';
import { Application, demoTogether, fullGround, nextFullGround, noiseTogether, pictures } from '../helpers/application';

let app: Application;
beforeAll(async () => {
  app = await Application.start();
});
afterAll(async () => {
  await app.stop();
});

const demo = demoTogether(() => app);
const noise = noiseTogether(() => app, 513);

describe('weathering', () => {
  it('on the demo: what the rivers did and how the ground drains; drapes with their legends; layers as files', async () => {
    const { page, faults } = await demo();
    await page.getByRole('button', { name: /^Becks and gills,/ }).click();
    await page.getByText('concavity θ').waitFor();
    expect(await page.getByText('(0.35 to 0.6 is usual)').count()).toBe(1);
    await page.getByText('carried away').waitFor();
    await page.getByText('More settings').click();
    await page.getByLabel('Steepest bank', { exact: true }).first().waitFor();

    const drape = page.getByLabel('Drape');
    await drape.selectOption('change');
    await page.getByText('Cut and fill, Becks and gills').waitFor();
    await drape.selectOption('drainage');
    await page.getByText('Drainage: land that drains through').waitFor();
    await drape.selectOption('water');
    await page.getByText('No step up to here leaves water. Rain does.').waitFor();
    await drape.selectOption('tint');

    await page.getByRole('link', { name: 'Export', exact: true }).click();
    const [file] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'Cut', exact: true }).click()]);
    expect(file.suggestedFilename()).toBe('dunmorrow-cut.tif');
    const { reading } = await readWith(Uint8Array.from(readFileSync(await file.path())));
    expect([reading.width, reading.height, reading.type]).toEqual([257, 257, 'f32']);
    const [lines] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'Streams', exact: true }).click()]);
    expect((JSON.parse(readFileSync(await lines.path(), 'utf8')) as { type: string }).type).toBe('FeatureCollection');
    expect(faults).toEqual([]);
  });

  it('shows its progress on the ground, is stopped and kept as it is, and runs whole again or is undone', async () => {
    const { page, faults } = await noise();
    await page
      .getByRole('button', { name: /^Add a step after/ })
      .last()
      .click();
    await page.getByLabel('Find a step').fill('rain runs off');
    const before = await pictures(page);
    await page.keyboard.press('Enter');
    await nextFullGround(page, before);
    const amount = page.getByLabel('Amount', { exact: true }).last();
    await amount.fill('4000');
    await amount.press('Enter');
    const keep = page.getByRole('button', { name: 'Stop and keep' });
    await keep.waitFor();
    const seen = await pictures(page);
    // The ground is drawn anew while the step works.
    await expect.poll(() => pictures(page), { timeout: 30_000 }).toBeGreaterThan(seen + 1);
    await keep.click();
    await page.getByText('Ended early and kept as it was.').waitFor({ timeout: 60_000 });
    await fullGround(page);
    await page.getByRole('button', { name: 'Undo' }).click();
    await expect.poll(() => page.getByText('Ended early and kept as it was.').count()).toBe(0);
    expect(faults).toEqual([]);
  });
});
