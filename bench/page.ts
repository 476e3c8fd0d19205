import type { Page } from 'playwright-core';
import { Application, groundSeen } from '../tests/helpers/application';
import { median, type Row } from './pairs';

/** What somebody waits for in the page, on the demo as it ships: milliseconds. */
export async function pageRows(wants: (name: string) => boolean): Promise<Row[]> {
  const moved = 'demo: setting of its first noise moved → preview / full 1025²';
  const loaded = 'demo: first load → full ground / reload → full ground';
  if (!wants(moved) && !wants(loaded)) return [];
  const app = await Application.start();
  const took = { first: [] as number[], again: [] as number[], preview: [] as number[], full: [] as number[] };
  const rows: Row[] = [];
  try {
    for (let k = 0; k < 3; k++) {
      const { context, page } = await app.person({ whole: true });
      // The demo is put in by the first page; what is timed is its own.
      await page.goto(app.address);
      await page.getByRole('link', { name: 'Open Dunmorrow' }).waitFor();
      took.first.push(
        await since(async () => {
          await page.goto(`${app.address}/terrain?id=demo-dunmorrow`);
          await groundSeen(page);
        }),
      );
      await atRest(page);
      took.again.push(
        await since(async () => {
          await page.reload();
          await groundSeen(page);
        }),
      );
      await atRest(page);
      await page.locator('[data-card=base]').click();
      const slider = page.getByRole('complementary', { name: /^Settings of/ }).getByLabel('Height', { exact: true });
      const before = await shown(page);
      const value = Number((await slider.inputValue()).replace(/[^\d.]/g, '')) + 1;
      await slider.fill(String(value));
      const began = Date.now();
      await slider.press('Enter');
      await page.waitForFunction((n) => Number(document.querySelector<HTMLElement>('canvas[data-pictures]')?.dataset.pictures) > n, before, {
        timeout: 120_000,
      });
      took.preview.push(Date.now() - began);
      await page.waitForFunction(
        (n) => {
          const canvas = document.querySelector<HTMLElement>('canvas[data-pictures]');
          return Number(canvas?.dataset.pictures) > n && canvas?.dataset.ground === 'full';
        },
        before,
        { timeout: 180_000 },
      );
      took.full.push(Date.now() - began);
      await context.close();
    }
    const row = (work: string, [a, b]: [number[], number[]], [aimA, aimB]: [number, number]): Row => ({
      work,
      ours: median(a),
      theirs: null,
      ratio: null,
      aim: `≤ ${aimA} / ${aimB} ms`,
      met: median(a) <= aimA && median(b) <= aimB,
      note: `${Math.round(median(a))} ms / ${Math.round(median(b))} ms`,
    });
    rows.push(row(moved, [took.preview, took.full], [400, 2500]), row(loaded, [took.first, took.again], [4000, 1000]));
  } finally {
    await app.stop();
  }
  return rows;
}

const shown = (page: Page) => page.evaluate(() => Number(document.querySelector<HTMLElement>('canvas[data-pictures]')?.dataset.pictures ?? 0));

async function since(work: () => Promise<unknown>): Promise<number> {
  const began = Date.now();
  await work();
  return Date.now() - began;
}

/** What is worked out behind the ground that is seen is over, and has been kept. */
async function atRest(page: Page): Promise<void> {
  for (let quiet = 0; quiet < 4;) {
    await page.waitForTimeout(1000);
    quiet = (await page.getByRole('button', { name: 'Stop', exact: true }).count()) > 0 ? 0 : quiet + 1;
  }
}
