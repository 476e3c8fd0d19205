// One picture of each main view, from the demo terrain, into docs/screenshots.
import { spawn } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium } from 'playwright-core';
import { appIsStale, checkNode, fail, installPackages, installTools } from './setup.mjs';

process.chdir(new URL('..', import.meta.url).pathname);
checkNode();
installPackages();
installTools();
if (appIsStale()) fail('The application is not built as it stands. Run "npm run build" first.');

const port = 4655;
const address = `http://127.0.0.1:${port}`;
const worlds = mkdtempSync(join(tmpdir(), 'upland-worlds-'));
const server = spawn(process.execPath, ['app/server/main.mjs'], { env: { ...process.env, PORT: String(port), UPLAND_WORLDS: worlds }, stdio: 'inherit' });
for (
  let tries = 0;
  tries < 100 &&
  !(await fetch(`${address}/api/health`).then(
    (r) => r.ok,
    () => false,
  ));
  tries++
)
  await new Promise((resolve) => setTimeout(resolve, 100));
const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: [
    '--no-sandbox',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
    '--enable-unsafe-swiftshader',
  ],
});
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
// Not somebody's first visit: no hints over the rooms.
await page.addInitScript(() => {
  localStorage.setItem('upland-cast:visited', '1');
  localStorage.setItem('upland-cast:hints', '5');
});
mkdirSync('docs/screenshots', { recursive: true });
const shot = async (name) => {
  await page.waitForTimeout(700);
  await page.screenshot({ path: `docs/screenshots/${name}.png` });
  console.log(`docs/screenshots/${name}.png`);
};
const radio = (name) => page.getByRole('radio', { name, exact: true }).click();
const toggle = (name) => page.getByRole('button', { name, exact: true }).click();
const card = (name) => page.getByRole('button', { name: new RegExp(`^${name},`) }).click();

try {
  await page.goto(`${address}/terrain?id=demo-dunmorrow`);
  await page.waitForSelector('canvas[data-ground=full]', { timeout: 90_000 });
  await page.waitForFunction(() => Number(document.querySelector('canvas[data-ground]').dataset.lit) > 0, null, { timeout: 60_000 });
  await page.waitForTimeout(4000);
  await card('Scree');
  await page.getByText('most cut').waitFor();
  await shot('work-relief');
  await page.keyboard.press('Control+K');
  await page.keyboard.type('erosion');
  await shot('commands');
  await page.keyboard.press('Escape');
  await card('Becks and gills');
  await page.getByText('concavity θ').waitFor({ timeout: 60_000 });
  await page.getByLabel('Drape').selectOption('change');
  await page.getByText('Cut and fill, Becks and gills').waitFor();
  await page.waitForTimeout(1500);
  await page.getByText('concavity θ').evaluate((e) => e.scrollIntoView({ block: 'center' }));
  await shot('work-weather');
  await page.getByLabel('Drape').selectOption('tint');
  await radio('Land');
  await page.getByText('One in twenty over').waitFor({ timeout: 60_000 });
  await shot('work-land');
  await radio('Plan');
  await toggle('Contours');
  await card('Hand work');
  await shot('work-plan');
  await toggle('Contours');
  await radio('Relief');
  await toggle('Views');
  await toggle('west');
  await toggle('Walk');
  await page.waitForTimeout(2500);
  await shot('work-walk');
  await page.keyboard.press('Escape');
  await toggle('Views');
  await page.getByRole('button', { name: 'Show all of the ground' }).click();
  await card('Bedding');
  await radio('Relief');
  await page.getByRole('button', { name: 'Show', exact: true }).click();
  await page.getByText(/covers/).waitFor();
  await shot('work-mask');
  await page.getByRole('button', { name: 'Hide', exact: true }).click();
  await radio('Section');
  await toggle('Spots');
  await card('Crests');
  await page.getByRole('button', { name: 'Re-roll' }).click();
  await page.waitForTimeout(3000);
  await page.getByRole('button', { name: 'Re-roll' }).click();
  await page.waitForTimeout(1500);
  await page.waitForSelector('canvas[data-ground=full]', { timeout: 90_000 });
  await shot('work-section');
  await page.getByRole('button', { name: 'Undo' }).click();
  await page.getByRole('button', { name: 'Undo' }).click();
  await toggle('Spots');
  await radio('Relief');
  await toggle('Dark sheet');
  await card('Shift');
  await page.getByRole('button', { name: 'Add a step after Shift' }).click();
  await page.getByRole('menuitem', { name: /^Curve/ }).click();
  await page.waitForTimeout(3500);
  await shot('work-dark');
  await page.getByRole('button', { name: 'Undo' }).click();
  await toggle('Dark sheet');
  await page.waitForTimeout(3000);
  await toggle('Contours');
  await card('Hand work');
  await page.getByLabel('Drape').selectOption('shade');
  await radio('Relief');
  await toggle('Contours');
  await page.getByRole('link', { name: 'Compare', exact: true }).click();
  const side = page.getByLabel('Side A', { exact: true });
  await side.locator('option', { hasText: 'After Becks and gills' }).waitFor({ state: 'attached' });
  await side.selectOption({ label: 'After Becks and gills' });
  await page.getByText('root mean square', { exact: true }).waitFor({ timeout: 120_000 });
  await page.waitForTimeout(3000);
  await shot('compare');
  await page.getByRole('link', { name: 'Mesh', exact: true }).click();
  await page.getByText('largest error').first().waitFor({ timeout: 60_000 });
  await shot('mesh');
  await radio('Greedy');
  await page.getByRole('textbox', { name: 'Largest error', exact: true }).fill('12');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Measure the curve' }).click();
  await page.getByRole('img', { name: 'Largest error against the count of triangles' }).waitFor({ timeout: 120_000 });
  await page.getByRole('radiogroup', { name: 'Look' }).getByRole('radio', { name: 'Error' }).click();
  await page.getByRole('img', { name: 'Largest error against the count of triangles' }).scrollIntoViewIfNeeded();
  await shot('mesh-error');
  await radio('Mesh to heights');
  await page.getByRole('button', { name: 'Sallow Pit' }).click();
  await page.getByText('under overhangs').waitFor({ timeout: 60_000 });
  await shot('mesh-to-heights');
  await page.getByRole('link', { name: 'Export', exact: true }).click();
  await page.getByText('metres a code').waitFor({ timeout: 60_000 });
  await page.getByLabel('Add a map').selectOption('colour');
  await page.waitForSelector('canvas[data-map=colour]', { timeout: 60_000 });
  await shot('hand-off-colour');
  await page.getByLabel('Add a map').selectOption('normal');
  await page.getByRole('button', { name: 'Export', exact: true }).click();
  await page.getByText('Read back and found right').waitFor({ timeout: 90_000 });
  await radio('Trial reading');
  await page.getByText('It arrives as it is').waitFor({ timeout: 60_000 });
  await radio('South');
  await page.getByText('North and south are exchanged.').waitFor();
  await shot('hand-off');
  await radio('A world');
  await page.getByLabel('Samples along the longer side').fill('2049');
  await page.getByLabel('Samples along the longer side').press('Enter');
  await page.getByLabel('Samples a side of a tile').selectOption('512');
  await page.getByRole('button', { name: 'Work it out' }).click();
  await page.getByText(/^Tile (9|1\d) of 16/).waitFor({ timeout: 240_000 });
  await page.waitForTimeout(800);
  await shot('world');
  // It may be done by now.
  const stop = page.getByRole('button', { name: 'Stop', exact: true });
  await stop.click({ timeout: 2_000 }).catch(() => undefined);
  await stop.waitFor({ state: 'hidden' });
  await page.goto(address);
  await page.getByRole('link', { name: 'Open Dunmorrow' }).waitFor();
  await page.waitForFunction(() => document.querySelectorAll('[class*=start] img').length === 10, undefined, { timeout: 60_000 });
  await shot('terrains');
  await page.getByRole('button', { name: 'an old scan' }).click();
  await page.locator('[data-finding=frame]').waitFor();
  await page.getByRole('radio', { name: 'A range' }).click();
  await page.waitForTimeout(1500);
  await page.locator('[data-finding=spikes]').waitFor();
  await page.locator('[data-finding=frame]').getByRole('button', { name: 'Trim the edge' }).click();
  await page.locator('[data-finding=spikes]').getByRole('button', { name: 'Show where' }).click();
  await page.waitForTimeout(400);
  await shot('bring-in');
  await page.keyboard.press('Escape');
  await page.goto(`${address}/survey`);
  await page.waitForSelector('.leaflet-tile-loaded');
  await page.waitForTimeout(9000);
  await page.getByRole('button', { name: 'Facts of it' }).click();
  await page.locator('aside dl').waitFor();
  await shot('survey');
} finally {
  await browser.close();
  server.kill();
  rmSync(worlds, { recursive: true, force: true });
}
