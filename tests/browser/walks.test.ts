import { mkdirSync } from 'node:fs';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { partsOf, WALKS, type Act, type Walk } from '../../app/help/walks';
import { Application, demoTogether, fullGround, together, type Present } from '../helpers/application';

let app: Application;
beforeAll(async () => {
  app = await Application.start();
});
afterAll(() => app.stop());

/** With UPLAND_PICTURES set the pictures of the help are taken anew, each at the end of its walk. */
const PICTURES = process.env.UPLAND_PICTURES ? 'app/public/walks' : null;

const as = { fine: PICTURES !== null };
const demo = demoTogether(() => app, as);
const elsewhere = together(
  () => app,
  () => Promise.resolve(),
  as,
);
const at = async (where: string) => {
  const person = await elsewhere();
  await person.page.goto(`${app.address}${where}`);
  return person;
};
const begin: Record<Walk['from'], () => Promise<Present>> = {
  terrains: () => at('/'),
  demo,
  survey: () => at('/survey'),
};

const namesIn = (say: string) => partsOf(say).flatMap(({ text, named }) => (named ? [text] : []));

/** Does what a sentence of a walk says, by the names that it has in brackets. */
async function perform(page: Page, { do: what, say }: Act): Promise<void> {
  const [name, value = ''] = namesIn(say);
  const patient = { timeout: 120_000 };
  const named = (role: 'link' | 'button' | 'radio' | 'switch') =>
    page
      .getByRole(role, { name, exact: true })
      .or(page.getByRole(role, { name: new RegExp(`^${name.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')}`) }))
      .filter({ visible: true })
      .first();
  if (what === 'link' || what === 'radio' || what === 'switch') await named(what).click(patient);
  else if (what === 'button') await named('button').click(patient);
  else if (what === 'card') await page.locator('[data-card]').filter({ hasText: name }).last().click(patient);
  else if (what === 'see') await page.getByText(name).or(page.getByLabel(name)).filter({ visible: true }).first().waitFor(patient);
  else if (what === 'choose') await page.getByRole('combobox', { name, exact: true }).selectOption({ label: await optionLike(page, name, value) }, patient);
  else if (what === 'set') {
    const field = page.getByLabel(name, { exact: true }).filter({ visible: true }).first();
    const typed = value.replace(/ (m|px|%|°|rows)$/, '');
    await field.fill(typed, patient);
    // A menu is read as one types; a number is taken with Enter.
    if (typed === value && Number.isNaN(Number(typed))) return;
    await field.press('Enter');
  } else await Promise.all([page.waitForEvent('download', patient), named('button').click(patient)]);
}

/** Options say more than their name: the first that begins with it. */
async function optionLike(page: Page, label: string, value: string): Promise<string> {
  const select = page.getByRole('combobox', { name: label, exact: true });
  const fitting = () =>
    select.locator('option').evaluateAll((all, wanted) => all.map((one) => one.textContent!).find((text) => text.trim().startsWith(wanted)), value);
  await expect.poll(fitting, { timeout: 60_000, message: `${label}: ${value}` }).toBeDefined();
  return (await fitting())!;
}

describe('the walks of the help', () => {
  it('are fourteen, each with its picture, and every act names what it is about', () => {
    expect(WALKS.length).toBe(14);
    expect(new Set(WALKS.map(({ id }) => id)).size).toBe(14);
    for (const { acts } of WALKS) for (const { do: what, say } of acts) expect(namesIn(say).length, say).toBe(what === 'set' || what === 'choose' ? 2 : 1);
  });

  it.each(WALKS.map((walk) => [walk.title, walk] as const))('%s', async (_, walk) => {
    const { page, faults } = await begin[walk.from]();
    // A smaller picture is drawn sooner; what is walked is the same.
    await page.setViewportSize(PICTURES ? { width: 1280, height: 800 } : { width: 1100, height: 640 });
    for (const step of walk.acts) {
      await perform(page, step).catch((error: unknown) => {
        throw new Error(`${step.say} ${String(error)}`, { cause: error });
      });
    }
    expect(faults).toEqual([]);
    if (PICTURES) {
      mkdirSync(PICTURES, { recursive: true });
      if (await page.locator('canvas[data-ground]').count()) await fullGround(page);
      await page.waitForTimeout(3000);
      await page.screenshot({ path: `${PICTURES}/${walk.id}.jpg`, type: 'jpeg', quality: 62, scale: 'css' });
    }
  });
});
