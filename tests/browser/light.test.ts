import type { Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Application, demoTogether } from '../helpers/application';

let app: Application;
beforeAll(async () => {
  app = await Application.start();
});
afterAll(async () => {
  await app.stop();
});

/** In the light of a day. */
const demo = demoTogether(() => app, { day: true });

const view = 'canvas[data-ground]';
const lit = async (page: Page) => Number((await page.locator(view).getAttribute('data-lit')) ?? 0);

/** Mean brightness of the middle of the view, 0 to 255. */
async function brightness(page: Page): Promise<number> {
  const picture = (await page.locator(view).screenshot()).toString('base64');
  return page.evaluate(async (data) => {
    const image = new Image();
    image.src = `data:image/png;base64,${data}`;
    await image.decode();
    const canvas = new OffscreenCanvas(60, 40);
    const context = canvas.getContext('2d')!;
    context.drawImage(image, image.width * 0.3, image.height * 0.45, image.width * 0.35, image.height * 0.3, 0, 0, 60, 40);
    const { data: pixels } = context.getImageData(0, 0, 60, 40);
    let sum = 0;
    for (let i = 0; i < pixels.length; i += 4) sum += (pixels[i] + pixels[i + 1] + pixels[i + 2]) / 3;
    return sum / (60 * 40);
  }, picture);
}

describe('light', () => {
  it('shows the ground’s colour by rules that are set beside it, and follows a brush with colour and light', async () => {
    const { page, faults } = await demo();
    await expect.poll(() => lit(page), { timeout: 20_000 }).toBeGreaterThan(0);
    await page.getByRole('button', { name: 'Rules of the ground colour' }).click();
    const rules = page.getByRole('region', { name: 'Rules of the ground colour' });
    const bright = await brightness(page);
    // Every colour of the ramp nearly black.
    for (const k of [1, 2, 3, 4]) await rules.getByLabel(`Colour ${k} of the ramp`, { exact: true }).fill('#101010');
    await expect.poll(() => brightness(page), { timeout: 20_000 }).toBeLessThan(0.75 * bright);
    await rules.locator('summary').filter({ hasText: 'Scree' }).click();
    const near = rules.getByLabel('Scree from near');
    expect(await near.inputValue()).toBe('scree');
    await near.selectOption('sand');
    expect(await near.inputValue()).toBe('sand');
    await page.getByRole('button', { name: 'Rules of the ground colour' }).click();

    await page.getByRole('button', { name: /^Hand work,/ }).click();
    const known = await lit(page);
    const box = (await page.locator(view).boundingBox())!;
    const [x, y] = [box.x + box.width * 0.5, box.y + box.height * 0.6];
    await page.mouse.move(x, y);
    await page.mouse.down();
    for (let k = 0; k < 6; k++) await page.mouse.move(x + 8 * k, y);
    await page.mouse.up();
    await expect.poll(() => lit(page), { timeout: 20_000 }).toBeGreaterThan(known);
    expect(faults).toEqual([]);
  });

  it('falls by day at first, follows the sun on its dome by pointer, keyboard, sky and hour, and gives way to the working light', async () => {
    const { page, faults } = await demo();
    await expect.poll(() => lit(page), { timeout: 20_000 }).toBeGreaterThan(0);
    await page.getByRole('button', { name: 'Light', exact: true }).click();
    const panel = page.getByRole('region', { name: 'Light' });
    expect(await panel.getByRole('radio', { name: 'Day' }).getAttribute('aria-checked')).toBe('true');
    const dome = panel.getByRole('slider', { name: /^Sun:/ });
    const said = () => dome.getAttribute('aria-valuetext');
    expect(await said()).toBe('from 300 degrees, 32 degrees high');

    let known = await lit(page);
    await dome.focus();
    await page.keyboard.press('ArrowRight');
    await page.keyboard.press('ArrowUp');
    expect(await said()).toBe('from 305 degrees, 37 degrees high');
    await expect.poll(() => lit(page)).toBeGreaterThan(known);

    // The middle of the dome is overhead, its rim the horizon.
    const box = (await dome.boundingBox())!;
    await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
    await page.mouse.down();
    await page.mouse.move(box.x + box.width / 2 + 0.4 * box.width, box.y + box.height / 2, { steps: 4 });
    await page.mouse.up();
    expect(await said()).toMatch(/^from 90 degrees, [0-4] degrees high$/);

    known = await lit(page);
    await panel.getByLabel('Sky', { exact: true }).selectOption('Hazy noon');
    expect(await said()).toBe('from 185 degrees, 58 degrees high');
    await expect.poll(() => lit(page)).toBeGreaterThan(known);
    const noon = await brightness(page);

    await panel.getByLabel('Hour', { exact: true }).fill('12');
    await panel.getByLabel('Hour', { exact: true }).press('Enter');
    expect(await said()).toBe('from 180 degrees, 36 degrees high');

    // Long after sunset it is dark.
    known = await lit(page);
    await panel.getByLabel('Hour', { exact: true }).fill('23');
    await panel.getByLabel('Hour', { exact: true }).press('Enter');
    await expect.poll(() => lit(page)).toBeGreaterThan(known);
    await panel.getByText('under the horizon').waitFor();
    await expect.poll(() => brightness(page)).toBeLessThan(0.6 * noon);

    await panel.getByRole('radio', { name: 'Working light' }).click();
    await expect.poll(() => brightness(page)).toBeGreaterThan(0.6 * noon);
    expect(await panel.getByLabel('Sky', { exact: true }).count()).toBe(0);
    expect(faults).toEqual([]);
  });
});
