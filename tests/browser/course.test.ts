import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { encode } from '@upland-cast/core';
import { groundOf, hills } from '../helpers/grounds';
import { Application, demoTogether, fullGround, nextFullGround, noiseTogether, pictures, stored, together } from '../helpers/application';

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

/** Others begin at the demo, or at noise alone. */
const demo = demoTogether(() => app);
const noise = noiseTogether(() => app);

const card = (page: Page, name: string) => page.getByRole('button', { name: new RegExp(`^${name},`) });
const namesOn = (page: Page, line: string) => page.locator(`ol[aria-label="${line}"] b`).allInnerTexts();
const range = (page: Page) => page.locator('[aria-label=Course]').getByText(/–.*m$/).innerText();

/** Does something, and waits until the full ground that follows from it is there. */
async function settled(page: Page, act: () => Promise<unknown>): Promise<void> {
  const before = await pictures(page);
  await act();
  await nextFullGround(page, before);
}

async function newTerrain(page: Page): Promise<void> {
  await page.goto(app.address);
  await page.getByRole('button', { name: 'New from noise' }).click();
  await fullGround(page);
}

describe('the course', () => {
  it('takes a tributary that flows in, another way of joining, a fold, and refuses a loop', async () => {
    const { page, faults } = await noise();
    const alone = await range(page);
    await settled(page, () => page.getByRole('button', { name: 'Tributary', exact: true }).click());
    expect(await namesOn(page, 'Tributary Side 1')).toEqual(['Noise']);
    expect(await namesOn(page, 'Stem')).toEqual(['Flat', 'Noise', 'Join']);
    const higher = await range(page);
    expect(higher).not.toBe(alone);
    await settled(page, () => page.getByLabel('Blend', { exact: true }).selectOption('difference'));
    expect(await range(page)).not.toBe(higher);
    await settled(page, () => page.getByLabel('Blend', { exact: true }).selectOption('smooth-higher'));
    await page.getByLabel('Width', { exact: true }).waitFor();

    // A second line; then a Join on the first that would make it flow into itself.
    await settled(page, () => page.getByRole('button', { name: 'Tributary', exact: true }).click());
    await page.locator('ol[aria-label="Tributary Side 1"]').getByRole('button', { name: 'Add a step after Noise' }).click();
    await page.getByLabel('Find a step').fill('flows in');
    await page.keyboard.press('Enter');
    await page.getByLabel('Tributary', { exact: true }).selectOption({ label: 'Side 1' });
    await page.getByText('"Side 1" would flow into itself. Choose another tributary.').waitFor();
    await settled(page, () => page.getByLabel('Tributary', { exact: true }).selectOption({ label: 'Side 2' }));
    expect(await namesOn(page, 'Tributary Side 1')).toEqual(['Noise', 'Join']);

    await page.getByRole('button', { name: 'Fold Side 1 into one card' }).click();
    await expect.poll(() => namesOn(page, 'Tributary Side 1')).toEqual(['Join']);
    await page.getByRole('button', { name: 'Unfold Side 1' }).click();
    await page.getByRole('button', { name: 'Side 1', exact: true }).click();
    await page.getByLabel('Name of the tributary').fill('Crests');
    await page.getByLabel('Name of the tributary').press('Enter');
    await expect.poll(() => namesOn(page, 'Tributary Crests')).toEqual(['Noise', 'Join']);
    await page.getByRole('button', { name: 'Remove', exact: true }).click();
    await page.getByText(/read this tributary and is left out/).waitFor();
    await page
      .getByRole('button', { name: /^Join, cannot be done/ })
      .first()
      .waitFor();
    await page.getByRole('button', { name: 'Undo' }).click();
    await expect.poll(() => page.getByRole('button', { name: /^Join, cannot be done/ }).count()).toBe(0);
    expect(faults).toEqual([]);
  });

  it('moves steps within and across lines by the mouse and by the keyboard', async () => {
    const { page, faults } = await demo();
    const stem = ['Rolling base', 'Crags', 'Peat moor', 'Becks and gills', 'Ice', 'Scree', 'Quarry pit', 'Quarry benches', 'Hand work', 'Shift'];
    expect(await namesOn(page, 'Stem')).toEqual(stem);
    expect(await namesOn(page, 'Tributary Crags')).toEqual(['Crests', 'Bedding']);
    // By the keyboard: Alt and the arrows.
    await card(page, 'Peat moor').focus();
    await page.keyboard.press('Alt+ArrowRight');
    await expect.poll(() => namesOn(page, 'Stem')).toEqual([...stem.slice(0, 2), 'Becks and gills', 'Peat moor', ...stem.slice(4)]);
    await card(page, 'Peat moor').focus();
    await page.keyboard.press('Alt+ArrowUp');
    await expect.poll(() => namesOn(page, 'Tributary Crags')).toEqual(['Crests', 'Bedding', 'Peat moor']);
    await card(page, 'Peat moor').focus();
    await page.keyboard.press('Alt+ArrowDown');
    await expect.poll(() => namesOn(page, 'Tributary Crags')).toEqual(['Crests', 'Bedding']);
    // By the handle, with the mouse, from the stem to the side line.
    await card(page, 'Crests').click(); // so that the strip stands at its start
    const from = (await page.getByRole('button', { name: 'Move Scree' }).boundingBox())!;
    const gap = page.locator('ol[aria-label="Tributary Crags"]').getByRole('button', { name: 'Add a step after Crests' });
    await page.mouse.move(from.x + 10, from.y + 10);
    await page.mouse.down();
    await page.mouse.move(from.x - 20, from.y - 20, { steps: 4 });
    // The strip scrolls while a card is held near its end: go to where the gap is by then, until it shows that it would take the card.
    await expect
      .poll(async () => {
        const to = (await gap.boundingBox())!;
        await page.mouse.move(to.x + to.width / 2 - 8, to.y + to.height / 2 + 6, { steps: 8 });
        return await gap.evaluate((button) => button.parentElement!.className);
      })
      .toMatch(/over/);
    await page.mouse.up();
    await expect.poll(() => namesOn(page, 'Tributary Crags')).toEqual(['Crests', 'Scree', 'Bedding']);
    // The join cannot be taken onto the line that it reads.
    await card(page, 'Crags').focus();
    await page.keyboard.press('Alt+ArrowUp');
    await page.getByText(/would flow into itself/).waitFor();
    // Arrow keys alone go from card to card; S stands; Delete removes.
    await card(page, 'Crests').focus();
    await page.keyboard.press('ArrowRight');
    expect(await card(page, 'Scree').getAttribute('aria-pressed')).toBe('true');
    await page.keyboard.press('Delete');
    await expect.poll(() => namesOn(page, 'Tributary Crags')).toEqual(['Crests', 'Bedding']);
    expect(faults).toEqual([]);
  });

  it('stands after a step while another is selected and set, and goes back to the end', async () => {
    const { page, faults } = await demo();
    const end = await range(page);
    await settled(page, () => page.getByRole('button', { name: 'Stand after Rolling base' }).click());
    await page.getByText('As after Rolling base').waitFor();
    const stood = await range(page);
    expect(stood).not.toBe(end);
    await card(page, 'Shift').click();
    await settled(page, async () => {
      await page.getByLabel('Distance', { exact: true }).fill('200');
      await page.getByLabel('Distance', { exact: true }).press('Enter');
    });
    expect(await range(page)).toBe(stood);
    await settled(page, () => page.getByRole('button', { name: 'To the end' }).first().click());
    expect(await range(page)).not.toBe(end);
    expect(faults).toEqual([]);
  });

  it('keeps twenty steps in four lines legible at 1280 × 800, with an overview for what does not fit', async () => {
    const { page, faults } = await demo();
    for (const steps of [
      ['Warp', 'Terrace', 'Blur'],
      ['Landform', 'Median', 'Roughen'],
    ]) {
      await page.getByRole('button', { name: 'Tributary', exact: true }).click();
      for (const step of steps) {
        const line = page.locator('ol[aria-label^="Tributary"]').first();
        await line
          .getByRole('button', { name: /^Add a step after/ })
          .last()
          .click();
        await page.getByRole('menuitem', { name: new RegExp(`^${step}`) }).click();
      }
    }
    const cards = page.locator('[aria-label=Course] ol b');
    await expect.poll(() => cards.count()).toBeGreaterThanOrEqual(20);
    const sizes = await cards.evaluateAll((all) => all.map((b) => ({ size: Number.parseFloat(getComputedStyle(b).fontSize), wide: b.clientWidth })));
    for (const { size, wide } of sizes) {
      expect(size).toBeGreaterThanOrEqual(11);
      expect(wide).toBeGreaterThan(60);
    }
    const view = (await page.getByRole('region', { name: 'The ground' }).boundingBox())!;
    expect(view.height).toBeGreaterThan(380);
    const overview = page.getByRole('img', { name: 'Overview of the course' });
    await overview.waitFor();
    const scrolled = () => page.locator('[class*=scroller]').evaluate((box) => box.scrollLeft);
    await card(page, 'Rolling base').click();
    await expect.poll(scrolled).toBe(0);
    const box = (await overview.boundingBox())!;
    await overview.click({ position: { x: box.width - 8, y: 20 } });
    await expect.poll(scrolled).toBeGreaterThan(0);
    expect(faults).toEqual([]);
  });
});

describe('where a step acts', () => {
  it('is set by masks, shown on the ground with its legend, and said in words when it is nowhere', async () => {
    const { page, faults } = await noise();
    await page.getByRole('button', { name: 'Add a step after Noise' }).click();
    await settled(page, () => page.getByRole('menuitem', { name: /^Shift/ }).click());
    await settled(page, async () => {
      await page.getByLabel('Distance', { exact: true }).fill('50');
      await page.getByLabel('Distance', { exact: true }).press('Enter');
    });
    await settled(page, () => page.getByLabel('Add a mask').selectOption('height'));
    await page.getByText(/covers [\d.]+ % of the ground/).waitFor();
    await page.getByText('acts 0').waitFor();
    const covered = async () => Number(/[\d.]+/.exec(await page.getByText(/covers/).innerText())![0]);
    const before = await covered();
    expect(before).toBeGreaterThan(5);
    await page.getByRole('button', { name: /Invert, equalise, gain/ }).click();
    await settled(page, () => page.getByRole('switch', { name: 'Invert' }).click());
    await expect.poll(covered).toBeCloseTo(100 - before, 0);
    await settled(page, () => page.getByRole('switch', { name: 'Invert' }).click());
    await settled(page, async () => {
      await page.getByLabel('From', { exact: true }).fill('8900');
      await page.getByLabel('From', { exact: true }).press('Enter');
    });
    await page.getByText(/Its mask is empty everywhere/).waitFor();
    await settled(page, () => page.getByLabel('Add a mask').selectOption('slope'));
    await settled(page, () => page.getByRole('radio', { name: 'The larger' }).click());
    await expect.poll(() => page.getByText(/Its mask is empty everywhere/).count()).toBe(0);
    await page.getByRole('button', { name: 'Hide' }).click();
    await expect.poll(() => page.getByText('acts 0').count()).toBe(0);
    expect(faults).toEqual([]);
  });
});

describe('what is kept', () => {
  it('every roll, through undo and a reload; any can be gone back to and be a favourite', async () => {
    const { page, faults } = await noise();
    await card(page, 'Noise').click();
    const seed = page.getByLabel('Roll', { exact: true });
    const first = await seed.inputValue();
    const before = await range(page);
    for (let i = 0; i < 3; i++) await settled(page, () => page.getByRole('button', { name: 'Re-roll' }).click());
    await page.getByText('4 rolls kept').waitFor();
    await settled(page, () => page.getByRole('button', { name: 'Undo' }).click());
    await settled(page, async () => {
      await page.getByLabel('Octaves', { exact: true }).fill('7');
      await page.getByLabel('Octaves', { exact: true }).press('Enter');
    });
    await page.getByText('4 rolls kept').waitFor();
    const rolls = page.getByRole('list', { name: 'Rolls' });
    await rolls
      .getByRole('button', { name: /as a favourite/ })
      .first()
      .click();
    await stored(page);
    await page.reload();
    await fullGround(page);
    await card(page, 'Noise').click();
    await page.getByRole('button', { name: '1 favourite' }).click();
    expect(await rolls.getByRole('listitem').count()).toBe(1);
    await page.getByRole('button', { name: 'All', exact: true }).click();
    await settled(page, () =>
      rolls
        .getByRole('button', { name: /^Roll / })
        .last()
        .click(),
    );
    expect(await seed.inputValue()).toBe(first);
    await settled(page, async () => {
      await page.getByLabel('Octaves', { exact: true }).fill('9');
      await page.getByLabel('Octaves', { exact: true }).press('Enter');
    });
    expect(await range(page)).toBe(before);
    // Its picture has been drawn: not one tone all over.
    const tones = () =>
      rolls
        .locator('canvas')
        .last()
        .evaluate((c: HTMLCanvasElement) => new Set(c.getContext('2d')!.getImageData(0, 0, c.width, c.height).data).size);
    await expect.poll(tones, { timeout: 20_000 }).toBeGreaterThan(20);
    expect(faults).toEqual([]);
  });

  it('marks, to go back to without losing what is now; one is kept before the ground is changed', async () => {
    const { page, faults } = await demo();
    const first = await range(page);
    await page.getByRole('button', { name: 'Marks' }).click();
    await page.getByLabel('Name of the mark').fill('As it came');
    await page.getByRole('button', { name: 'Keep a mark of now' }).click();
    await page.getByLabel('Name of As it came').waitFor();
    await page.keyboard.press('Escape');
    await card(page, 'Shift').click();
    await settled(page, async () => {
      await page.getByLabel('Distance', { exact: true }).fill('300');
      await page.getByLabel('Distance', { exact: true }).press('Enter');
    });
    const second = await range(page);
    await page.getByRole('button', { name: 'Marks' }).click();
    await settled(page, () => page.getByRole('button', { name: 'Go back' }).click());
    expect(await range(page)).toBe(first);
    await page.getByRole('button', { name: 'Marks' }).click();
    await page.getByLabel('Name of Before going back to “As it came”').waitFor();
    await settled(page, () => page.getByRole('button', { name: 'Go back' }).first().click());
    expect(await range(page)).toBe(second);

    await page.getByTitle('The ground: size, samples, sea').click();
    await page.getByLabel('Width', { exact: true }).fill('4096');
    await page.getByLabel('Width', { exact: true }).press('Enter');
    await settled(page, () => page.getByRole('button', { name: 'Set the ground' }).click());
    await page.getByRole('button', { name: 'Marks' }).click();
    await page.getByLabel('Name of Before the ground was changed').waitFor();
    expect(faults).toEqual([]);
  });
});

describe('looking along and at places', () => {
  it('draws a section that follows the settings, its line moved by the keyboard', async () => {
    const { page, faults } = await demo();
    await page.getByRole('radio', { name: 'Section' }).click();
    const section = page.getByRole('region', { name: 'Section' });
    await section.getByText(/5\s456 m long/).waitFor();
    const heights = () => section.getByText(/ to .* m$/).innerText();
    const before = await heights();
    await card(page, 'Shift').click();
    await settled(page, async () => {
      await page.getByLabel('Distance', { exact: true }).fill('112');
      await page.getByLabel('Distance', { exact: true }).press('Enter');
    });
    const low = (text: string) => Number(/[\d.]+/.exec(text.replace(/\u2009/g, ''))![0]);
    expect(low(await heights()) - low(before)).toBeCloseTo(100, 0);
    await page.getByRole('button', { name: 'Section, end A' }).focus();
    await page.keyboard.press('Shift+ArrowLeft');
    await expect.poll(() => section.getByText(/5\s456 m long/).count()).toBe(0);
    expect(faults).toEqual([]);
  });

  it('watches spots: their height now and what the latest change did to them', async () => {
    const { page, faults } = await demo();
    await page.getByRole('button', { name: 'Spots', exact: true }).click();
    const row = page.getByRole('row').filter({ has: page.getByLabel('Name of Rescue post') });
    await row.getByText(/^\d+\.\d m$/).waitFor();
    await card(page, 'Shift').click();
    await settled(page, async () => {
      await page.getByLabel('Distance', { exact: true }).fill('37');
      await page.getByLabel('Distance', { exact: true }).press('Enter');
    });
    await row.getByText('+25.0 m').waitFor();
    await page.getByRole('button', { name: 'Add a spot' }).click();
    const box = (await page.locator('canvas[data-ground]').boundingBox())!;
    await page.mouse.click(box.x + box.width / 2, box.y + box.height * 0.6);
    await page.getByLabel('Name of Spot 4').waitFor();
    expect(faults).toEqual([]);
  });

  it('edits a line in the view and a curve in the settings, by the keyboard', async () => {
    const { page, faults } = await demo();
    await page.getByRole('button', { name: 'Add a step after Shift' }).click();
    await settled(page, () => page.getByRole('menuitem', { name: /^Channel/ }).click());
    // It waits for its line, the pointer ready to draw it, and says so without alarm.
    await page.getByText('Line: 0 points').waitFor();
    await page.getByText('Click on the ground where it goes: two points at least.').waitFor();
    expect(await page.getByRole('alert').count()).toBe(0);
    await page.getByRole('radio', { name: 'Plan' }).click();
    const canvas = (await page.locator('canvas[data-ground]').boundingBox())!;
    for (const [x, y] of [
      [0.4, 0.35],
      [0.45, 0.45],
      [0.5, 0.55],
      [0.55, 0.65],
    ])
      await page.mouse.click(canvas.x + canvas.width * x, canvas.y + canvas.height * y);
    await page.getByText('Line: 4 points').waitFor();
    await page.getByRole('button', { name: 'Done', exact: true }).click();
    await page.getByLabel('Point 4, north').fill('100');
    await page.getByLabel('Point 4, north').press('Enter');
    expect(await page.getByLabel('Point 4, north').inputValue()).toBe('100.0');
    await page.getByRole('button', { name: 'Point 2 of 4' }).focus();
    await page.keyboard.press('Insert');
    await page.getByText('Line: 5 points').waitFor();
    await page.getByRole('button', { name: 'Point 1 of 5' }).focus();
    await page.keyboard.press('Delete');
    await page.getByText('Line: 4 points').waitFor();
    await page.getByRole('button', { name: 'Clear' }).click();
    await page
      .getByRole('alert')
      .getByText(/This line has no points; it needs two at least/)
      .waitFor();
    await page.getByRole('button', { name: 'Add points' }).click();
    const box = (await page.locator('canvas[data-ground]').boundingBox())!;
    await page.mouse.click(box.x + box.width * 0.45, box.y + box.height * 0.4);
    await page.getByText('Line: 1 point', { exact: true }).waitFor();
    await page.keyboard.press('Escape');
    await page
      .getByRole('alert')
      .getByText(/one point; it needs two/)
      .waitFor();
    await page.getByRole('button', { name: 'Add points' }).click();
    await settled(page, () => page.mouse.click(box.x + box.width * 0.55, box.y + box.height * 0.7));
    await expect.poll(() => page.getByRole('alert').count()).toBe(0);
    await page.getByRole('button', { name: 'Done', exact: true }).click();

    await page.getByRole('button', { name: 'Add a step after Channel' }).click();
    await settled(page, () => page.getByRole('menuitem', { name: /^Curve/ }).click());
    const before = await range(page);
    const point = page.getByRole('slider', { name: 'Point 3' });
    await point.focus();
    await settled(page, () => page.keyboard.press('Shift+ArrowUp'));
    expect(await range(page)).not.toBe(before);
    await page.keyboard.press('Delete');
    await expect.poll(() => page.getByRole('slider', { name: /^Point/ }).count()).toBe(2);
    expect(faults).toEqual([]);
  });
});

describe('a file for a step', () => {
  it('is taken with what it means said, its codes spread over the ground’s range; a wrong one is refused and changes nothing', async () => {
    const { page, faults } = await noise();
    const before = await range(page);
    await page.getByRole('button', { name: 'Add a step after Noise' }).click();
    await page.getByRole('menuitem', { name: /^Raster/ }).click();
    await page
      .getByRole('alert')
      .getByText(/no file yet/)
      .waitFor();
    await page.getByLabel('File for Heights').setInputFiles({ name: 'holiday.png', mimeType: 'image/png', buffer: Buffer.from('nothing') });
    await page.getByText(/holiday\.png: This is text, but neither an ASCII grid/).waitFor();
    await expect.poll(() => range(page)).toBe(before);
    const { bytes } = await encode(hills(groundOf(129)), { format: 'png', type: 'u16', range: { low: 0, high: 1000 } });
    await settled(page, () => page.getByLabel('File for Heights').setInputFiles({ name: 'valley.png', mimeType: 'image/png', buffer: Buffer.from(bytes) }));
    await page.getByText(/129 × 129 samples, .* in codes/).waitFor();
    await page.getByText(/spread over the range that the ground had/).waitFor();
    const ends = (text: string) =>
      text
        .replace(/\u2009/g, '')
        .replaceAll('−', '-')
        .split(' – ')
        .map(Number.parseFloat);
    const [[low, high], [wasLow, wasHigh]] = [ends(await range(page)), ends(before)];
    expect(Math.abs(low - wasLow)).toBeLessThan(15);
    expect(Math.abs(high - wasHigh)).toBeLessThan(15);
    // As a mask: where the picture is bright.
    await card(page, 'Noise').click();
    await page.getByLabel('Add a mask').selectOption('image');
    await settled(page, () => page.getByLabel('File for Image').setInputFiles({ name: 'valley.png', mimeType: 'image/png', buffer: Buffer.from(bytes) }));
    await page.getByText(/covers [\d.]+ % of the ground/).waitFor();
    expect(faults).toEqual([]);
  });
});

describe('beginning', () => {
  it('from each of the starting courses, with its picture', async () => {
    const { page, faults } = await there();
    await page.goto(app.address);
    await expect.poll(() => page.getByRole('button', { name: /^Begin from/ }).count()).toBe(12);
    await expect.poll(() => page.locator('[class*=start] img').count(), { timeout: 120_000 }).toBe(12);
    await page.getByRole('button', { name: 'Begin from Dune sea' }).click();
    await fullGround(page);
    expect(await namesOn(page, 'Stem')).toEqual(['Floor', 'High ridges', 'Lesser ridges']);
    expect(await page.getByRole('button', { name: /cannot be done/ }).count()).toBe(0);
    expect(faults).toEqual([]);
  });

  it('of long work can be stopped: the progress goes, the ground that was seen stays, and the next change is worked out', async () => {
    const { page, faults } = await there();
    await newTerrain(page);
    await page.getByRole('button', { name: 'Add a step after Noise' }).click();
    await page.getByRole('menuitem', { name: /^Talus/ }).click();
    await page.getByLabel('Repose angle', { exact: true }).fill('5');
    await page.getByLabel('Repose angle', { exact: true }).press('Enter');
    await page.getByLabel('Sweeps', { exact: true }).fill('2000');
    await page.getByLabel('Sweeps', { exact: true }).press('Enter');
    await page.getByRole('button', { name: 'Stop', exact: true }).click({ timeout: 60_000 });
    await page.locator('[role=status] progress').waitFor({ state: 'detached' });
    // The engine is free again: a short course is there long before the long one could have been.
    await settled(page, () => page.getByRole('switch', { name: 'Talus is on' }).first().click());
    expect(faults).toEqual([]);
  });
});
