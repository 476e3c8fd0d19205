import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { Application, demoStrokes, demoTogether, drawn, fromAbove, fullGround, nextFullGround, openDemo, pictures, stored } from '../helpers/application';

let app: Application;
beforeAll(async () => {
  app = await Application.start();
});
afterAll(async () => {
  await app.stop();
});

const card = (page: Page, name: string) => page.getByRole('button', { name: new RegExp(`^${name},`) });
const strokes = (page: Page, count: number) => card(page, 'Hand work').and(page.getByRole('button', { name: new RegExp(`${count} strokes`) }));
const DEMO_STROKES = await demoStrokes();

/** Most of these do not mind what the hand did before and was undone. */
const demo = demoTogether(() => app);

/** The stored settings of a step of the stem, as they stand in the browser's database. */
const stepStored = (page: Page, id: string) =>
  page.evaluate(
    (wanted) =>
      new Promise<{ params: { tiles: Record<string, string>; strokes: number }; where: { masks: { params: { tiles?: object } }[] } }>((resolve, reject) => {
        const asked = indexedDB.open('upland-cast');
        asked.onerror = () => reject(asked.error);
        asked.onsuccess = () => {
          const row = asked.result.transaction('terrains').objectStore('terrains').get('demo-dunmorrow');
          row.onsuccess = () => {
            asked.result.close();
            resolve(row.result.course.stem.find((s: { id: string }) => s.id === wanted));
          };
        };
      }),
    id,
  );

/** From the demo to its hand work, from above; where the middle of the view is. */
async function atHandWork(page: Page): Promise<{ x: number; y: number }> {
  await card(page, 'Hand work').click();
  await fromAbove(page);
  const box = (await page.locator('canvas[data-ground]').boundingBox())!;
  return { x: box.x + box.width / 2, y: box.y + box.height / 2 };
}

async function draw(page: Page, from: [number, number], to: [number, number], steps = 6): Promise<void> {
  await page.mouse.move(...from);
  await page.mouse.down();
  await page.mouse.move(...to, { steps });
  await page.mouse.up();
}

const BRUSHES = ['Raise', 'Lower', 'Smooth', 'Roughen', 'Flatten', 'To a height', 'To a slope', 'Scrape', 'Sharpen ridges', 'Raise high ground', 'Raise low ground', 'Lower high ground', 'Lower low ground', 'Smear', 'Clone', 'Stamp', 'Slide', 'Rain', 'Restore']; // prettier-ignore

describe('hand work', () => {
  it('takes every brush, one stroke after another without waiting; after a reload a hundred are undone, to the bit', async () => {
    const { context, page, faults } = await app.person();
    await openDemo(page, app.address);
    const { x, y } = await atHandWork(page);
    const before = await stepStored(page, 'hand');
    for (const [n, name] of BRUSHES.entries()) {
      await page.getByRole('radio', { name, exact: true }).click();
      if (name === 'To a slope') {
        await page.getByRole('button', { name: 'From the ground' }).click();
        await page.mouse.click(x - 60, y);
        await page.mouse.click(x + 60, y);
        await page.getByText(/ m to .* m over/).waitFor();
      }
      if (name === 'Clone') {
        await page.getByRole('button', { name: 'From the ground' }).click();
        await page.mouse.click(x - 90, y + 70);
        await page.getByText(/^from E/).waitFor();
      }
      await draw(page, [x - 40, y - 30 + 3 * n], [x + 40, y - 20 + 3 * n]);
      await strokes(page, DEMO_STROKES + n + 1).waitFor({ timeout: 30_000 });
    }
    // A hundred in all, so that undo is tried in depth.
    await page.getByRole('radio', { name: 'Raise', exact: true }).click();
    for (let n = BRUSHES.length; n < 100; n++) {
      await page.mouse.move(x - 70 + 12 * (n % 12), y - 60 + 14 * Math.floor(n / 12));
      await page.mouse.down();
      await page.mouse.up();
      if (n % 10 === 9) await strokes(page, DEMO_STROKES + n + 1).waitFor({ timeout: 30_000 });
    }
    await strokes(page, DEMO_STROKES + 100).waitFor({ timeout: 30_000 });
    await page.locator('[role=status] progress').waitFor({ state: 'detached', timeout: 60_000 });
    await expect.poll(async () => (await stepStored(page, 'hand')).params.strokes, { timeout: 10_000 }).toBe(DEMO_STROKES + 100);
    const worked = await stepStored(page, 'hand');
    expect(worked.params.tiles).not.toEqual(before.params.tiles);
    await page.reload();
    await fullGround(page);
    for (let n = 0; n < 100; n++) await page.keyboard.press('Control+z');
    await strokes(page, DEMO_STROKES).waitFor();
    // Tiles are kept by the SHA-256 of their bytes: the same names are the same bits.
    await expect.poll(async () => (await stepStored(page, 'hand')).params, { timeout: 10_000 }).toEqual(before.params);
    await page.getByRole('button', { name: 'Redo' }).click();
    await strokes(page, DEMO_STROKES + 1).waitFor();
    expect(faults).toEqual([]);
    await context.close();
  }, 900_000);

  it('keeps its differences to the bit under another ground, and can be played again on it', async () => {
    const { page, faults } = await demo();
    await atHandWork(page);
    const before = await stepStored(page, 'hand');
    await card(page, 'Rolling base').click();
    const count = await pictures(page);
    await page.getByRole('button', { name: 'Re-roll' }).click();
    await nextFullGround(page, count);
    await stored(page);
    expect((await stepStored(page, 'hand')).params.tiles).toEqual(before.params.tiles);
    await card(page, 'Hand work').click();
    await page.getByRole('button', { name: 'Play the strokes again' }).click();
    await expect
      .poll(async () => JSON.stringify((await stepStored(page, 'hand')).params.tiles) !== JSON.stringify(before.params.tiles), { timeout: 60_000 })
      .toBe(true);
    expect((await stepStored(page, 'hand')).params.strokes).toBe(DEMO_STROKES);
    expect(faults).toEqual([]);
  });

  it('a stroke of two hundred dabs over the whole course holds the page in no long task', async () => {
    const { page, faults } = await demo();
    const { x, y } = await atHandWork(page);
    await page.getByLabel('Radius', { exact: true }).first().fill('60');
    await page.getByLabel('Radius', { exact: true }).first().press('Enter');
    await page.evaluate(() => {
      const held: number[] = [];
      Object.assign(window, { held });
      new PerformanceObserver((list) => held.push(...list.getEntries().map((e) => e.duration))).observe({ entryTypes: ['longtask'] });
    });
    const longestTask = async (stroke: number) => {
      await page.evaluate(() => ((window as unknown as { held: number[] }).held.length = 0));
      await page.mouse.move(x - 150, y);
      await page.mouse.down();
      for (let n = 0; n < 10; n++) await page.mouse.move(x + (n % 2 ? -150 : 150), y - 40 + 8 * n, { steps: 20 });
      await page.mouse.up();
      await strokes(page, DEMO_STROKES + stroke).waitFor({ timeout: 60_000 });
      const held = await page.evaluate(() => (window as unknown as { held: number[] }).held.sort((a, b) => b - a));
      console.log(`measured: longest task of the page during a stroke: ${held[0]?.toFixed(0) ?? 'under 50'} ms (aim 50), ${held.length} over 50 ms`);
      return held[0] ?? 0;
    };
    // What the page does itself it does at every stroke; a machine that stands still for a while does not.
    const longest = await longestTask(1);
    expect(longest < 2_000 ? longest : await longestTask(2)).toBeLessThan(2_000);
    expect(faults).toEqual([]);
  });

  it('goes on where a pointer is lost, the window resized and the tab hidden in mid-stroke', async () => {
    const { page, faults } = await demo();
    const { x, y } = await atHandWork(page);
    const canvas = page.locator('canvas[data-ground]');
    await page.mouse.move(x, y);
    await page.mouse.down();
    await page.mouse.move(x + 30, y, { steps: 4 });
    await canvas.dispatchEvent('lostpointercapture');
    await strokes(page, DEMO_STROKES + 1).waitFor({ timeout: 30_000 });
    await page.mouse.up();
    await page.mouse.move(x, y + 20);
    await page.mouse.down();
    await page.mouse.move(x + 30, y + 20, { steps: 4 });
    await page.setViewportSize({ width: 1100, height: 760 });
    await page.mouse.up();
    await strokes(page, DEMO_STROKES + 2).waitFor({ timeout: 30_000 });
    await page.mouse.move(x, y - 20);
    await page.mouse.down();
    await page.evaluate(() => {
      Object.defineProperty(document, 'hidden', { value: true, configurable: true });
      document.dispatchEvent(new Event('visibilitychange'));
    });
    await strokes(page, DEMO_STROKES + 3).waitFor({ timeout: 30_000 });
    await page.mouse.up();
    await page.evaluate(() => {
      Reflect.deleteProperty(document, 'hidden');
      document.dispatchEvent(new Event('visibilitychange'));
    });
    expect(faults).toEqual([]);
  });

  it('paints a mask with the same brushes: the step acts where it was painted', async () => {
    const { page, faults } = await demo();
    const { x, y } = await atHandWork(page);
    await card(page, 'Peat moor').click();
    await page.getByLabel('Add a mask').selectOption('painted');
    await page.getByText('Nothing is painted yet').first().waitFor();
    await page.getByRole('button', { name: 'Paint', exact: true }).click();
    await page.getByText('Brush: paints the mask').waitFor();
    await draw(page, [x - 60, y], [x + 60, y]);
    const painted = async () => Object.keys((await stepStored(page, 'moor')).where.masks[0]?.params.tiles ?? {}).length;
    await expect.poll(painted, { timeout: 20_000 }).toBeGreaterThan(0);
    await page.getByText(/covers 0*[.\d]+ % of the ground/).waitFor({ timeout: 30_000 });
    await page.getByRole('button', { name: 'Done painting' }).click();
    expect(faults).toEqual([]);
  });
});

describe('a stroke', () => {
  it('goes on in memory where the browser’s room ends in mid-stroke, and says so', async () => {
    const { context, page, faults } = await app.person();
    await openDemo(page, app.address);
    const { x, y } = await atHandWork(page);
    await page.mouse.move(x, y);
    await page.mouse.down();
    await page.mouse.move(x + 30, y, { steps: 4 });
    // As a browser answers whose quota is used up, to the page and to the engine alike.
    const full = () => {
      IDBObjectStore.prototype.put = IDBObjectStore.prototype.add = () => {
        throw new DOMException('The quota has been exceeded.', 'QuotaExceededError');
      };
    };
    await page.evaluate(full);
    for (const worker of page.workers()) await worker.evaluate(full);
    await page.mouse.move(x + 60, y, { steps: 4 });
    await page.mouse.up();
    await strokes(page, DEMO_STROKES + 1).waitFor({ timeout: 30_000 });
    await page.getByText(/no room left: the stroke is kept in memory only/).waitFor({ timeout: 10_000 });
    // What is there goes on being worked with: another stroke on top, and undone.
    await draw(page, [x - 30, y + 20], [x + 30, y + 20]);
    await strokes(page, DEMO_STROKES + 2).waitFor({ timeout: 30_000 });
    await page.getByRole('button', { name: 'Undo' }).click();
    await strokes(page, DEMO_STROKES + 1).waitFor();
    // The project file has what only memory holds.
    const saved = page.waitForEvent('download');
    await page.getByRole('button', { name: /^(Not saved|Saved|Saving)/ }).click();
    await page.getByRole('dialog', { name: 'Saves' }).getByRole('button', { name: 'Save the project file' }).click();
    expect((await saved).suggestedFilename()).toMatch(/\.uplandcast$/);
    expect(faults.filter((f) => !/quota/i.test(f))).toEqual([]);
    await context.close();
  });

  it('dabs on while it is held still, says what it did, and stays where another step acts', async () => {
    const { page, faults } = await demo();
    const { x, y } = await atHandWork(page);
    const readout = page.locator('[aria-live=off]');
    const change = async () => Number(((await readout.textContent()) ?? '').match(/stroke ([+−]?[\d.]+)/)?.[1]?.replace('−', '-') ?? NaN);
    await page.getByText('More about the brush').click();
    await page.getByLabel('While held still', { exact: true }).selectOption('12');
    const hold = async (time: number) => {
      await page.mouse.move(x, y);
      await page.mouse.down();
      await page.waitForTimeout(time);
      await page.mouse.up();
      await page.mouse.move(x + 1, y);
      await page.mouse.move(x, y);
    };
    await hold(1500);
    await strokes(page, DEMO_STROKES + 1).waitFor({ timeout: 30_000 });
    const held = await change();
    const strength = Number((await page.getByLabel('Strength', { exact: true }).first().inputValue()).replace(/[^\d.]/g, ''));
    expect(held).toBeGreaterThan(2.5 * strength);
    // Only where the quarry acts: here it does not.
    await page.getByLabel('Only where').selectOption({ label: 'Quarry benches acts' });
    await hold(600);
    await strokes(page, DEMO_STROKES + 2).waitFor({ timeout: 30_000 });
    expect(await change()).toBe(0);
    expect(faults).toEqual([]);
  });
});

describe('the view', () => {
  const whole = demoTogether(() => app, { whole: true, day: false });

  it('has the outline of the real grid, within a pixel, whatever the level of detail; and says what it holds', async () => {
    const { page, faults } = await whole();
    await page.getByRole('button', { name: 'Views', exact: true }).click();
    await page.getByText(/view [\d.]+ .iB · stages [\d.]+ .iB of/).waitFor();
    /** The first row of every column that is not backdrop, and how many patches were drawn. */
    const outline = () =>
      page.evaluate(() => {
        const canvas = document.querySelector<HTMLCanvasElement>('canvas[data-ground]')!;
        const copy = document.createElement('canvas');
        [copy.width, copy.height] = [canvas.width, canvas.height];
        const pen = copy.getContext('2d')!;
        pen.drawImage(canvas, 0, 0);
        const { data } = pen.getImageData(0, 0, copy.width, copy.height);
        const rows: number[] = [];
        for (let x = 0; x < copy.width; x++) {
          let y = 0;
          while (y < copy.height && data[(y * copy.width + x) * 4] === 0xc4 && data[(y * copy.width + x) * 4 + 1] === 0xc7) y++;
          rows.push(y);
        }
        return { rows, patches: Number(canvas.dataset.patches) };
      });
    for (const side of ['south', 'east']) {
      await page.getByRole('button', { name: side, exact: true }).click();
      await drawn(page);
      const usual = await outline();
      await page.getByRole('switch', { name: 'Every sample' }).click();
      await expect.poll(async () => (await outline()).patches, { timeout: 30_000 }).toBe(1024);
      await drawn(page);
      const every = await outline();
      await page.getByRole('switch', { name: 'Every sample' }).click();
      const apart = usual.rows.map((y, x) => Math.abs(y - every.rows[x]));
      console.log(`measured: from the ${side} ${usual.patches} patches of 1024, outline off by ${Math.max(...apart)} pixels at the most`);
      // Rows are whole pixels: less than one apart is one row at the most.
      expect(Math.max(...apart)).toBeLessThanOrEqual(1);
      expect(usual.patches).toBeLessThan(700);
    }
    expect(faults).toEqual([]);
  });

  it('shows no gap between its patches, from above and from aside', async () => {
    const { page, faults } = await whole();
    await page.getByRole('button', { name: 'Views', exact: true }).click();
    for (const side of ['above', 'south', 'east']) {
      await page.getByRole('button', { name: side, exact: true }).click();
      await drawn(page);
      const gaps = await page.evaluate(() => {
        const canvas = document.querySelector<HTMLCanvasElement>('canvas[data-ground]')!;
        const copy = document.createElement('canvas');
        [copy.width, copy.height] = [canvas.width, canvas.height];
        const pen = copy.getContext('2d')!;
        pen.drawImage(canvas, 0, 0);
        const { data } = pen.getImageData(0, 0, copy.width, copy.height);
        const backdrop = (x: number, y: number) => {
          const at = (y * copy.width + x) * 4;
          return data[at] === 0xc4 && data[at + 1] === 0xc7 && data[at + 2] === 0xc6;
        };
        // A gap is backdrop with ground close by on all four sides; an outline has it on some only.
        const near = (x: number, y: number, dx: number, dy: number) => [1, 2, 3, 4].some((k) => !backdrop(x + k * dx, y + k * dy));
        let [seen, bare] = [0, 0];
        for (let y = 4; y < copy.height - 4; y++) {
          for (let x = 4; x < copy.width - 4; x++) {
            if (!backdrop(x, y)) seen++;
            else if (near(x, y, 1, 0) && near(x, y, -1, 0) && near(x, y, 0, 1) && near(x, y, 0, -1)) bare++;
          }
        }
        return { seen, bare };
      });
      expect(gaps.seen, side).toBeGreaterThan(50_000);
      expect(gaps.bare, side).toBe(0);
    }
    expect(faults).toEqual([]);
  });

  it('is kept, gone back to after a reload, walked in, and restored when the card forgets it', async () => {
    const { context, page, faults } = await app.person({ day: true });
    await openDemo(page, app.address);
    const picture = () => page.evaluate(() => document.querySelector<HTMLCanvasElement>('canvas[data-ground]')!.toDataURL());
    /** The share of pixels that differ visibly. */
    const apart = (other: string) =>
      page.evaluate(async (url) => {
        const canvas = document.querySelector<HTMLCanvasElement>('canvas[data-ground]')!;
        const image = new Image();
        image.src = url;
        await image.decode();
        const pixels = (source: CanvasImageSource) => {
          const copy = document.createElement('canvas');
          [copy.width, copy.height] = [canvas.width, canvas.height];
          const pen = copy.getContext('2d')!;
          pen.drawImage(source, 0, 0);
          return pen.getImageData(0, 0, copy.width, copy.height).data;
        };
        const [a, b] = [pixels(canvas), pixels(image)];
        let differ = 0;
        for (let i = 0; i < a.length; i += 4) if (Math.abs(a[i] - b[i]) + Math.abs(a[i + 1] - b[i + 1]) + Math.abs(a[i + 2] - b[i + 2]) > 24) differ++;
        return differ / (a.length / 4);
      }, other);
    /** The picture when light and colours are there and nothing is drawn any more. */
    const atRest = async () => {
      await page.waitForFunction(() => Number(document.querySelector<HTMLElement>('canvas[data-lit]')?.dataset.lit) > 0, undefined, { timeout: 30_000 });
      await drawn(page);
      return picture();
    };
    await page.getByRole('button', { name: 'Views', exact: true }).click();
    await page.getByRole('button', { name: 'west', exact: true }).click();
    await page.getByRole('button', { name: 'Keep this view' }).click();
    const west = await atRest();
    await page.reload();
    await fullGround(page);
    await page.getByRole('button', { name: 'Views', exact: true }).click();
    await page.getByRole('button', { name: 'Look from View 1' }).click();
    await expect.poll(() => apart(west), { timeout: 15_000 }).toBeLessThan(0.005);

    await page.getByRole('button', { name: 'Walk' }).click();
    // On foot the soft ground by the water hardly changes in a second.
    await page.getByRole('radio', { name: 'Ride' }).click();
    await page.locator('canvas[data-ground]').focus();
    const stood = await atRest();
    expect(await apart(west)).toBeGreaterThan(0.1);
    await page.keyboard.down('KeyW');
    await page.waitForTimeout(1500);
    await page.keyboard.up('KeyW');
    await drawn(page);
    expect(await apart(stood)).toBeGreaterThan(0.001);
    await page.keyboard.press('Escape');
    await expect.poll(() => apart(west), { timeout: 15_000 }).toBeLessThan(0.005);

    await page.evaluate(async () => {
      const lost = document.querySelector<HTMLCanvasElement>('canvas[data-ground]')!.getContext('webgl2')!.getExtension('WEBGL_lose_context')!;
      lost.loseContext();
      await new Promise((resolve) => setTimeout(resolve, 500));
      lost.restoreContext();
    });
    await expect.poll(() => apart(west), { timeout: 20_000 }).toBeLessThan(0.005);
    expect(faults.filter((f) => !/context/i.test(f))).toEqual([]);
    await context.close();
  });
});
