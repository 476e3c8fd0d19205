import { existsSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import type { Page } from 'playwright-core';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { makeCourse, makeGround, stepUse } from '@upland-cast/core';
import { Application, openCourse } from '../helpers/application';
import { axeViolations } from '../helpers/axe';

let app: Application;
beforeAll(async () => {
  app = await Application.start();
});
beforeEach(() => {
  for (const name of readdirSync(app.worlds)) rmSync(`${app.worlds}/${name}`, { recursive: true, force: true });
});
afterAll(async () => {
  await app.stop();
});

/** Hills that rivers and scree worked, on few samples: as much weather as a world has to be worked out for. */
const FELL = makeCourse('High fell', makeGround({ width: 4096, depth: 4096, across: 257, down: 257, sea: -500 }), [
  stepUse('noise', { seed: 7 }),
  stepUse('fluvial'),
  stepUse('talus', { sweeps: 60 }),
]);

const toWorlds = async (page: Page) => {
  await openCourse(page, app.address, FELL);
  await page.getByRole('link', { name: 'Export', exact: true }).click();
  await page.getByRole('radio', { name: 'A world', exact: true }).click();
  await page.getByRole('button', { name: /^A new world/ }).waitFor();
};
const says = (page: Page, words: RegExp, patience = 90_000) =>
  page.waitForFunction((source) => new RegExp(source).test(document.body.innerText), words.source, { timeout: patience });
const lay = async (page: Page, samples: number) => {
  const field = page
    .getByRole('textbox', { name: 'Samples along the longer side' })
    .or(page.getByRole('spinbutton', { name: 'Samples along the longer side' }));
  await field.fill(String(samples));
  await field.press('Enter');
  await page.getByLabel('Samples a side of a tile').selectOption('512');
};

describe('a world from the Export room', () => {
  it('is laid out, worked out on the server, seen as it comes, looked into from above and in relief, and taken away', async () => {
    const { context, page, faults } = await app.person();
    await toWorlds(page);
    await lay(page, 1025);
    await says(page, /4 tiles of 512 × 512/);
    await page.getByRole('button', { name: 'Slope', exact: true }).click();
    await page.getByLabel('Meshes', { exact: true }).selectOption('4');
    expect(await axeViolations(page)).toEqual([]);
    await page.getByRole('button', { name: 'Work it out' }).click();
    await says(page, /tiles done/);
    // Reloaded in the middle it is still there, and goes on.
    await page.reload();
    await page.getByRole('radio', { name: 'A world', exact: true }).click();
    await page.getByRole('button', { name: /^High fell.*1 025 × 1 025/ }).click();
    await says(page, /world\.vrt/);
    await says(page, /4 of 4/);
    const [folder] = readdirSync(app.worlds);
    expect(readdirSync(`${app.worlds}/${folder}/tiles`).length).toBe(4);
    expect(readdirSync(`${app.worlds}/${folder}/maps`).length).toBe(4);
    expect(existsSync(`${app.worlds}/${folder}/meshes/tileset.json`)).toBe(true);
    const { seams } = JSON.parse(readFileSync(`${app.worlds}/${folder}/docket.json`, 'utf8')) as { seams: { ratio: number } };
    expect(seams.ratio).toBeLessThan(1.02);
    // Its map is drawn, and drawn finer where it is looked at closer.
    await page.waitForFunction(() => [...document.querySelectorAll<HTMLImageElement>('.leaflet-tile-loaded')].some((img) => /\/tiles\/[12]\//.test(img.src)));
    await page.getByRole('button', { name: 'Zoom in' }).click();
    await page.getByRole('button', { name: 'Zoom in' }).click();
    await page.waitForFunction(() => [...document.querySelectorAll<HTMLImageElement>('.leaflet-tile-loaded')].some((img) => img.src.includes('/tiles/3/')));
    expect(await axeViolations(page)).toEqual([]);
    await page.getByRole('radio', { name: 'Relief', exact: true }).click();
    const look = () => page.evaluate(() => document.querySelector<HTMLElement>('canvas[data-look]')?.dataset.look);
    await page.waitForSelector('canvas[data-look]');
    const first = await look();
    await page.getByRole('button', { name: 'Farther' }).click();
    await page.waitForFunction((was) => document.querySelector<HTMLElement>('canvas[data-look]')?.dataset.look !== was, first);
    await page.getByRole('button', { name: 'Take it away …' }).click();
    await page.getByRole('button', { name: 'Take it away', exact: true }).click();
    await page.waitForFunction(() => document.querySelectorAll('aside[aria-label=Worlds] li').length === 1);
    expect(readdirSync(app.worlds)).toEqual([]);
    // Pictures that a busy server could not answer are asked for again: those that were waited for came.
    expect(faults.filter((fault) => !fault.includes('503'))).toEqual([]);
    await context.close();
  });

  it('is stopped and gone on with, and what cannot be is said', async () => {
    const { context, page } = await app.person();
    await toWorlds(page);
    await lay(page, 2049);
    await page.getByLabel('Receiver of the tiles').selectOption('displacement-metres');
    await page.getByRole('radio', { name: 'PNG', exact: true }).click();
    await says(page, /does not take png/);
    expect(await page.getByRole('button', { name: 'Work it out' }).isDisabled()).toBe(true);
    await page.getByRole('radio', { name: 'GeoTIFF', exact: true }).click();
    await page.getByLabel('How tiles are called').fill('{name}');
    await page.getByLabel('How tiles are called').press('Enter');
    await page.getByRole('button', { name: 'Work it out' }).click();
    await says(page, /several tiles would have one name/);
    await page.getByLabel('How tiles are called').fill('{name}-{x}-{y}');
    await page.getByLabel('How tiles are called').press('Enter');
    await page.getByRole('button', { name: 'Work it out' }).click();
    await says(page, /Tile \d+ of 16/);
    await page.getByRole('button', { name: 'Stop' }).click();
    await says(page, /Stopped\. What is done stays done/);
    await page.getByRole('button', { name: 'Go on here' }).click();
    await says(page, /steps across borders/);
    const [folder] = readdirSync(app.worlds);
    expect(readdirSync(`${app.worlds}/${folder}/tiles`)).toContain('high-fell-3-0.tif');
    await context.close();
  });
});
