import type { BrowserContext, Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { makeCourse, makeGround, stepUse, type Course } from '@upland-cast/core';
import { Application, fullGround, stored, twoFrames } from '../helpers/application';
import { forget, putRows } from '../helpers/stored';

let app: Application;
beforeAll(async () => {
  app = await Application.start();
});
afterAll(async () => {
  await app.stop();
});

/** A small terrain of hand work, so that a page is there at once. */
const small = (name = 'Small fell'): Course =>
  makeCourse(name, makeGround({ width: 512, depth: 512, across: 129, down: 129, registration: 'point' }), [
    stepUse('noise', { feature: 300, height: 60 }, { id: 'base' }),
    stepUse('sculpt', {}, { id: 'hand', name: 'Hand' }),
  ]);

const count = (page: Page, table: string) =>
  page.evaluate(
    (from) =>
      new Promise<number>((resolve) => {
        const asked = indexedDB.open('upland-cast');
        asked.onsuccess = () => {
          const number = asked.result.transaction(from).objectStore(from).count();
          number.onsuccess = () => {
            asked.result.close();
            resolve(number.result);
          };
        };
      }),
    table,
  );

async function begun(context: BrowserContext, course = small(), id = 'small'): Promise<Page> {
  const page = await context.newPage();
  await page.goto(`${app.address}/`);
  await page.getByRole('link', { name: 'Open Dunmorrow' }).waitFor();
  await putRows(page, 'terrains', [{ id, course, made: 1, changed: 1 }]);
  return page;
}

async function opened(page: Page, id = 'small'): Promise<void> {
  await page.goto(`${app.address}/terrain?id=${id}`);
  await fullGround(page);
}

const card = (page: Page) => page.getByRole('button', { name: /^Hand,/ });
/** Strokes that the page itself says it has. */
const strokesIn = async (page: Page) => Number(/(\d+) strokes?/.exec((await card(page).innerText()).replace(/\n/g, ' '))?.[1] ?? 0);

/** Ends the page's process at once; nobody answers after that. */
async function crash(context: BrowserContext, page: Page): Promise<void> {
  const crashed = page.waitForEvent('crash', { timeout: 5000 }).catch(() => undefined);
  const session = await context.newCDPSession(page);
  session.send('Page.crash').catch(() => undefined);
  await crashed;
  await Promise.race([page.close(), new Promise((resolve) => setTimeout(resolve, 1000))]);
}

async function stroke(page: Page, k: number): Promise<void> {
  const box = (await page.locator('canvas[data-ground]').boundingBox())!;
  const [x, y] = [box.x + box.width * (0.4 + 0.02 * (k % 10)), box.y + box.height * 0.5];
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + 8, y + 4, { steps: 2 });
  await page.mouse.up();
}

/** A person with the small fell open and its hand work chosen. */
async function atHandWork(): Promise<{ context: BrowserContext; page: Page }> {
  const { context, page: first } = await app.person({ fresh: true });
  await first.close();
  const page = await begun(context);
  await opened(page);
  await card(page).click();
  return { context, page };
}

describe('work that is done is not lost', () => {
  it.each([Number(process.env.UPLAND_KILLS ?? 12)])(
    'the page is killed %i times in mid-stroke and mid-save: at most the stroke in flight is missing',
    async (kills) => {
      const { context, page: first } = await app.person({ fresh: true });
      await first.close();
      let page = await begun(context);
      let before = 0;
      for (let kill = 0; kill < kills; kill++) {
        await opened(page);
        await card(page).click();
        // Up and down in turn: a hill of hundreds of strokes would grow out of reach of the pointer.
        await page.getByRole('radio', { name: kill % 2 ? 'Lower' : 'Raise', exact: true }).click();
        const there = await strokesIn(page);
        expect(there, `after kill ${kill}`).toBeGreaterThanOrEqual(before - 1);
        for (let k = 0; k < 3 + (kill % 4); k++) await stroke(page, k);
        // At every moment of a save: right away, while it gathers, while it is written whole.
        await expect.poll(() => strokesIn(page), { timeout: 20_000, interval: 20 }).toBeGreaterThan(there);
        await page.waitForTimeout((kill * 137) % 2100);
        before = await strokesIn(page);
        expect(before).toBeGreaterThan(there);
        if (kill % 10 === 9) console.log(`${kill + 1} kills, ${before} strokes`);
        await crash(context, page);
        page = await context.newPage();
      }
      await opened(page);
      expect(await strokesIn(page)).toBeGreaterThanOrEqual(before - 1);
      await context.close();
    },
    Math.max(300_000, 30_000 * Number(process.env.UPLAND_KILLS ?? 12)),
  );

  it('forty strokes in a few seconds are stored while they are made, and undone after the kill, one by one', async () => {
    const { context, page: first } = await app.person({ fresh: true });
    await first.close();
    let page = await begun(context);
    await opened(page);
    await card(page).click();
    for (let k = 0; k < 40; k++) await stroke(page, k);
    await stored(page);
    expect(await strokesIn(page)).toBe(40);
    await crash(context, page);
    page = await context.newPage();
    await opened(page);
    expect(await strokesIn(page)).toBe(40);
    for (let k = 0; k < 3; k++) await page.getByRole('button', { name: 'Undo', exact: true }).click();
    expect(await strokesIn(page)).toBe(37);
    await context.close();
  }, 240_000);
});

describe('what is spoiled stands for itself', () => {
  it('a row that cannot be read leaves the others; it says what is wrong, and goes back to a save, out, or away', async () => {
    const { context, page: first, faults } = await app.person({ fresh: true });
    await first.close();
    const page = await begun(context);
    const course = small('Spoiled');
    await putRows(page, 'terrains', [
      { id: 'bad', course: { ...course, ground: { across: -4 } }, made: 1, changed: 2 },
      { id: 'worse', course: 7, changed: 'never' },
    ]);
    await putRows(page, 'saves', [
      { terrain: 'bad', at: 5, course },
      { terrain: 'bad', at: 9, course: { ...course, stem: 'torn' } },
      { terrain: 'long-gone', at: 1, course },
    ]);
    await putRows(page, 'histories', [{ id: 'long-gone', changed: 1, past: [], future: [] }]);
    await page.goto(`${app.address}/`);
    await page.getByRole('link', { name: 'Open Dunmorrow' }).waitFor();
    await page.getByRole('link', { name: 'Open Small fell' }).waitFor();
    const spoiled = page.getByRole('alert').filter({ hasText: 'Spoiled' });
    expect(await spoiled.innerText()).toMatch(/This terrain cannot be read: ground › /);
    const [download] = await Promise.all([page.waitForEvent('download'), spoiled.getByRole('button', { name: 'Give it out as it is stored' }).click()]);
    expect(download.suggestedFilename()).toMatch(/\.json$/);
    await spoiled.getByRole('button', { name: 'Try its last good save' }).click();
    await page.getByRole('link', { name: 'Open Spoiled' }).waitFor();
    await page.getByRole('alert').getByRole('button', { name: 'Remove it' }).click();
    await page.waitForFunction(() => document.querySelectorAll('[role=alert]').length === 0);
    // Orphans go by themselves.
    await page.waitForFunction(
      () =>
        new Promise((resolve) => {
          const asked = indexedDB.open('upland-cast');
          asked.onsuccess = () => {
            const one = asked.result.transaction('histories').objectStore('histories').get('long-gone');
            one.onsuccess = () => {
              asked.result.close();
              resolve(one.result === undefined);
            };
          };
        }),
    );
    expect(await count(page, 'saves')).toBe(2);
    expect(faults).toEqual([]);
    await context.close();
  });

  it('an asset that is not what it was is named, and its step says so; nothing wrong is worked with', async () => {
    const { context, page } = await atHandWork();
    await stroke(page, 1);
    await stored(page);
    expect(await strokesIn(page)).toBe(1);
    expect(await count(page, 'assets')).toBeGreaterThan(0);
    // Every stored file gets other bytes, and nothing that was made of them stands in: a machine that takes long over a step keeps what it made.
    await page.goto(`${app.address}/api/health`);
    await forget(page, 'upland-cast-kept');
    await page.evaluate(
      () =>
        new Promise<void>((resolve) => {
          const asked = indexedDB.open('upland-cast');
          asked.onsuccess = () => {
            const transaction = asked.result.transaction('assets', 'readwrite');
            transaction.objectStore('assets').openCursor().onsuccess = (event) => {
              const cursor = (event.target as IDBRequest<IDBCursorWithValue | null>).result;
              if (!cursor) return;
              cursor.update({ ...cursor.value, bytes: new Blob([new Uint8Array(262_144).fill(77)]) });
              cursor.continue();
            };
            transaction.oncomplete = () => {
              asked.result.close();
              resolve();
            };
          };
        }),
    );
    await opened(page);
    await card(page).click();
    await page
      .getByText(/is damaged in this browser’s storage: it is not what it was/)
      .first()
      .waitFor();
    const mean = await page.evaluate(() => /mean (−?[\d\s.]+)/.exec(document.body.textContent ?? '')?.[1] ?? 'none');
    expect(Math.abs(Number(mean.replace('−', '-').replace(/\s/g, '')))).toBeLessThan(500);
    await context.close();
  });

  it('a course of a later version opens with a sentence at the step, and no room is blank', async () => {
    const { context, page: first, faults } = await app.person({ fresh: true });
    await first.close();
    const course = small('Later') as unknown as Record<string, unknown> & { stem: unknown[] };
    course.stem.push({
      ...stepUse('shift', { by: 5 }),
      id: 'later',
      step: 'glacier-of-tomorrow',
      join: 'woven',
      hold: 'the-second',
      where: { masks: [{ id: 'm', kind: 'moonlight', params: {}, on: true }], combine: 'braided' },
    });
    course.version = 9;
    const page = await begun(context, course as unknown as Course, 'later');
    await opened(page, 'later');
    await page
      .getByText(/not known here: it may come from a later version/)
      .first()
      .waitFor();
    for (const room of ['mesh', 'hand-off', 'work']) {
      await page.goto(`${app.address}/terrain?id=later#${room}`);
      await expect.poll(async () => (await page.locator('main').first().innerText()).length, { message: room }).toBeGreaterThan(40);
      await twoFrames(page);
      expect(await page.getByText('cannot be shown').count(), room).toBe(0);
    }
    expect(faults).toEqual([]);
    await context.close();
  });
});

describe('threads and tabs that go', () => {
  /** Keeps hold of every worker that the page begins. */
  const holdWorkers = (page: Page) =>
    page.addInitScript(() => {
      const all: Worker[] = ((globalThis as unknown as { begun: Worker[] }).begun = []);
      const Own = Worker;
      globalThis.Worker = class extends Own {
        constructor(...args: ConstructorParameters<typeof Worker>) {
          super(...args);
          all.push(this);
        }
      };
    });

  it('an engine that ends is missed within two seconds, said, and begun again with the work in hand', async () => {
    const { context, page: first } = await app.person({ fresh: true });
    await first.close();
    const page = await begun(context);
    await holdWorkers(page);
    await opened(page);
    await page.evaluate(() => (globalThis as unknown as { begun: Worker[] }).begun[0].terminate());
    await page.getByText(/engine that works the ground out ended/).waitFor({ timeout: 2000 });
    // It answers again: a change is worked out.
    await card(page).click();
    await stroke(page, 1);
    await page.waitForFunction(() => /1 stroke/.test(document.body.innerText), undefined, { timeout: 20_000 });
    await context.close();
  });

  it('a terrain that is removed in another tab says so, and is kept as a new one with its hand work', async () => {
    const { context, page } = await atHandWork();
    await stroke(page, 1);
    await page.waitForFunction(() => /1 stroke/.test(document.body.innerText));
    const other = await context.newPage();
    await other.goto(`${app.address}/`);
    await other.getByRole('button', { name: 'Remove Small fell' }).click();
    await other.getByRole('button', { name: 'Remove it' }).click();
    await page.getByText('This terrain was removed in another tab.').waitFor({ timeout: 3000 });
    expect(await page.locator('header').innerText()).not.toContain('Saved');
    page.on('dialog', (dialog) => void dialog.accept());
    await page.getByRole('button', { name: 'Keep it as a new terrain' }).click();
    await page.waitForURL(/id=(?!small)/);
    await fullGround(page);
    expect(await strokesIn(page)).toBe(1);
    expect(await page.getByText('cannot be done').count()).toBe(0);
    await context.close();
  });

  it('without WebGL every room says so, and its figures are there', async () => {
    const { context, page: first } = await app.person({ fresh: true });
    await first.close();
    const page = await begun(context);
    await page.addInitScript(() => {
      const own = HTMLCanvasElement.prototype.getContext;
      HTMLCanvasElement.prototype.getContext = function (this: HTMLCanvasElement, kind: string, ...rest: unknown[]) {
        return kind.startsWith('webgl') ? null : (own as (...args: unknown[]) => unknown).call(this, kind, ...rest);
      } as typeof own;
    });
    for (const room of ['work', 'mesh', 'hand-off']) {
      await page.goto(`${app.address}/terrain?id=small#${room}`);
      await page
        .locator(':visible', { hasText: /WebGL 2/ })
        .first()
        .waitFor({ timeout: 20_000 });
    }
    await context.close();
  });

  it('storage that is full is said, wherever a terrain would be begun', async () => {
    const { context, page, faults } = await app.person();
    await page.goto(`${app.address}/`);
    await page.getByRole('link', { name: 'Open Dunmorrow' }).waitFor();
    await page.evaluate(() => {
      IDBObjectStore.prototype.add = IDBObjectStore.prototype.put = () => {
        throw new DOMException('no room', 'QuotaExceededError');
      };
    });
    for (const name of ['New from noise', 'New, level']) {
      await page.getByRole('button', { name }).click();
      await page.getByText(/This browser has no room left/).waitFor();
    }
    expect(faults).toEqual([]);
    await context.close();
  });
});

describe('files that go to another room', () => {
  it('a mesh that is dropped where heights are expected opens the Mesh room, and the other way round', async () => {
    const { context, page: first } = await app.person({ fresh: true });
    await first.close();
    const page = await begun(context);
    const drop = (selector: string, name: string, text: string) =>
      page.evaluate(
        ([on, called, body]) => {
          const data = new DataTransfer();
          data.items.add(new File([body], called));
          document.querySelector(on)!.dispatchEvent(new DragEvent('drop', { dataTransfer: data, bubbles: true, cancelable: true }));
        },
        [selector, name, text] as const,
      );
    const obj = 'v 0 0 0\nv 100 5 0\nv 0 9 100\nv 100 3 100\nf 1 3 4 2\n';
    await opened(page);
    await drop('main', 'hill.obj', obj);
    await page.waitForURL(/#mesh/);
    await page.getByText(/hill\.obj: 2 triangles/).waitFor();
    await drop('[aria-label="Mesh settings"] div[class*=drop]', 'heights.asc', 'ncols 3\nnrows 2\ncellsize 5\n1 2 3\n4 5 6\n');
    await page.getByRole('dialog', { name: 'Import heights.asc' }).waitFor();
    await page.getByText('3 × 2').first().waitFor();
    // From the list of terrains a mesh gets one of its own.
    await page.goto(`${app.address}/`);
    await page.getByRole('link', { name: 'Open Dunmorrow' }).waitFor();
    await drop('main', 'knoll.obj', obj);
    await page.waitForURL(/#mesh/);
    await page.getByText(/knoll\.obj: 2 triangles/).waitFor();
    await context.close();
  });
});
