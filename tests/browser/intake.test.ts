import { encode as encodeJpeg } from 'jpeg-js';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { encode, readHeights, type Field } from '@upland-cast/core';
import { Application, fullGround, nextFullGround, openDemo, pictures, stored, together } from '../helpers/application';
import { fractal } from '../helpers/fractal';
import { groundOf } from '../helpers/grounds';

let app: Application;
beforeAll(async () => {
  app = await Application.start();
});
afterAll(async () => {
  await app.stop();
});

/** Each of these begins at the list of terrains, or with one of its own. */
const there = together(
  () => app,
  () => Promise.resolve(),
);

const field = fractal(groundOf(129, 97, 20, 'area'), { gain: 0.5, height: 160 });
const range = { low: 0, high: 700 };
const file = (name: string, bytes: Uint8Array) => ({ name, mimeType: 'application/octet-stream', buffer: Buffer.from(bytes) });
const bring = (page: Page, files: ReturnType<typeof file>[]) => page.setInputFiles('input[aria-label="Files of heights"]', files);
const relief = (page: Page) => page.locator('canvas[aria-label^="Relief of"]').waitFor();
const elevations = async (page: Page) => page.locator('[aria-label=Course]').getByText(/–.*m$/).innerText();

/** A file dropped on the page, as a person drops it. */
async function drop(page: Page, name: string, bytes: Uint8Array): Promise<void> {
  const data = await page.evaluateHandle(
    ({ name, base64 }) => {
      const transfer = new DataTransfer();
      transfer.items.add(new File([Uint8Array.from(atob(base64), (c) => c.charCodeAt(0))], name));
      return transfer;
    },
    { name, base64: Buffer.from(bytes).toString('base64') },
  );
  await page.dispatchEvent('body > *:last-child >> nth=0', 'dragover', { dataTransfer: data }).catch(() => undefined);
  await page.dispatchEvent('main', 'drop', { dataTransfer: data });
}

describe('bringing heights in', () => {
  it('shows what a file is, takes its range, mends it, and makes a terrain of it', async () => {
    const { page, faults } = await there();
    await page.goto(app.address);
    await page.getByText('Old Sheet').first().waitFor();
    const damaged: Field = { ...field, height: field.height.map((h, i) => (i % 129 < 5 ? 700 : h)) };
    const { bytes } = await encode(damaged, { format: 'png', type: 'u8', range });
    await drop(page, 'valley.png', bytes);
    await relief(page);
    await page.getByText('129 × 97 samples', { exact: true }).waitFor();
    await page.getByText('not said: 1 m is assumed').waitFor();
    await page.getByText('The file does not say what its numbers stand for.').waitFor();
    await page.getByRole('radio', { name: 'A range' }).click();
    await page.getByLabel('Its height, second').fill('700');
    await page.keyboard.press('Enter');
    await page.getByLabel('Width', { exact: true }).fill('2580');
    await page.keyboard.press('Enter');
    await page.getByText(/2\.580 × 1\.940 km · 129 × 97 samples, 20\.000 m apart/).waitFor();
    const frame = page.locator('[data-finding=frame]');
    await frame.getByText(/5 in the west/).waitFor();
    await frame.getByRole('button', { name: 'Show where' }).click();
    await frame.getByRole('button', { name: 'Trim the edge' }).click();
    await page.locator('[data-finding=few-levels]').getByRole('button', { name: 'Take the steps out' }).click();
    await page.getByRole('button', { name: 'Make a terrain of it' }).click();
    await fullGround(page);
    expect(await page.locator('ol[aria-label="Stem"] b').allInnerTexts()).toEqual(['Raster', 'Trim edge', 'Smooth out steps']);
    expect(await page.getByRole('button', { name: /2 580 m/ }).innerText()).toMatch(/129 × 97/);
    // The way it was read stays with it over a reload.
    const before = await elevations(page);
    await stored(page);
    await page.reload();
    await fullGround(page);
    expect(await elevations(page)).toBe(before);
    expect(faults).toEqual([]);
  });

  it('ranks raw bytes with pictures, and turns them the right way up', async () => {
    const { page, faults } = await there();
    await page.goto(app.address);
    const { bytes } = await encode(field, { format: 'raw', type: 'u16', range, options: { order: 'be' } });
    await bring(page, [file('ground.bin', bytes)]);
    const first = page.getByRole('button', { name: /^Read as/ }).first();
    await expect.poll(() => first.getAttribute('aria-label')).toBe('Read as 129 × 97, 16 bits, high byte first');
    await first.click();
    await relief(page);
    await page.getByRole('radio', { name: 'In the south' }).click();
    await page.getByRole('radio', { name: '90°', exact: true }).click();
    await page.getByText(/97 × 129 samples, 1\.000 m apart/).waitFor();
    expect(faults).toEqual([]);
  });

  it('refuses what it cannot read with a sentence, and the page goes on', async () => {
    const { page, faults } = await there();
    await page.goto(app.address);
    const { bytes } = await encode(field, { format: 'png', type: 'u16', range });
    await bring(page, [file('cut.png', bytes.slice(0, 400))]);
    await page
      .getByRole('alert')
      .getByText(/This PNG is cut short/)
      .waitFor();
    await page.getByRole('button', { name: 'Leave it' }).click();
    await bring(page, [file('a.hdr', new TextEncoder().encode('NROWS 2'))]);
    await page
      .getByRole('alert')
      .getByText(/These are headers only/)
      .waitFor();
    await page.getByRole('button', { name: 'Close' }).click();
    await page.getByRole('heading', { name: 'Terrains' }).waitFor();
    expect(faults).toEqual([]);
  });

  it('lays several files out as one ground, names the one that lies wrong, and joins them', async () => {
    const { page, faults } = await there();
    await page.goto(app.address);
    const whole = fractal(groundOf(101, 101, 10), { seed: 5, height: 200 });
    const part = async (left: number, top: number, flipped = false) => {
      const rows = Array.from({ length: 51 }, (_, r) => (flipped ? 50 - r : r));
      const height = Float32Array.from(rows.flatMap((r) => Array.from({ length: 51 }, (_, c) => whole.height[(top + r) * 101 + left + c])));
      return (await encode({ ground: groundOf(51, 51, 10), height }, { format: 'npy', type: 'f32' })).bytes;
    };
    await bring(page, [
      file('fell_0_0.npy', await part(0, 0)),
      file('fell_0_1.npy', await part(50, 0, true)),
      file('fell_1_0.npy', await part(0, 50)),
      file('fell_1_1.npy', await part(50, 50)),
    ]);
    await page.getByLabel('The files laid out').waitFor();
    await expect.poll(() => page.getByRole('radio', { name: 'By their names' }).getAttribute('aria-checked')).toBe('true');
    await page.getByRole('radio', { name: 'Points' }).click();
    await page.getByText('50 m E, 0 m S').waitFor();
    await page
      .getByText(/fell_0_1\.npy fits .* times as well with its rows the other way round/)
      .first()
      .waitFor();
    await page.getByRole('button', { name: 'Lay it so' }).first().click();
    await expect.poll(() => page.getByRole('button', { name: 'Lay it so' }).count()).toBe(0);
    await page.getByRole('button', { name: 'Make a terrain of them' }).click();
    await fullGround(page);
    expect(await page.locator('ol[aria-label="Stem"] b').allInnerTexts()).toEqual(['Mosaic']);
    await expect.poll(() => page.locator('button[title^="The ground"]').innerText()).toMatch(/101/);
    expect(faults).toEqual([]);
  });

  it('puts a file into an open terrain as a tributary; looking again takes its new bytes everywhere', async () => {
    const { context, page, faults } = await app.person();
    await openDemo(page, app.address);
    const { bytes } = await encode(field, { format: 'tiff', type: 'f32' });
    const before = await pictures(page);
    await drop(page, 'valley.tif', bytes);
    await relief(page);
    await page.getByRole('button', { name: 'Bring it in' }).click();
    await nextFullGround(page, before);
    expect(await page.locator('ol[aria-label="Tributary valley"] b').allInnerTexts()).toEqual(['Raster']);
    const first = await elevations(page);
    await page.locator('ol[aria-label="Tributary valley"] button').filter({ hasText: 'Raster' }).first().click();
    const raised = { ...field, height: field.height.map((h) => h + 100) };
    // Without a way back to the file, it is chosen again; here the chooser of the same row stands in for it.
    await page.evaluate(
      (base64) => {
        const again = new File([Uint8Array.from(atob(base64), (c) => c.charCodeAt(0))], 'valley.tif');
        (window as unknown as { showOpenFilePicker: unknown }).showOpenFilePicker = async () => [
          { name: 'valley.tif', kind: 'file', getFile: async () => again },
        ];
      },
      Buffer.from((await encode(raised, { format: 'tiff', type: 'f32' })).bytes).toString('base64'),
    );
    const shown = await pictures(page);
    await page.getByRole('button', { name: 'Look again at the file on disk' }).click();
    await nextFullGround(page, shown);
    await page.getByText('The file on disk has changed').waitFor();
    expect(await elevations(page)).not.toBe(first);
    expect(faults).toEqual([]);
    await context.close();
  });
});

describe('the survey archive', () => {
  it('shows the map, the facts of a frame, and gives it to the same sheet', async () => {
    const { page, faults } = await there();
    await page.goto(`${app.address}/survey`);
    await page.waitForSelector('.leaflet-tile-loaded', { timeout: 60_000 });
    await page.getByText('Tints run over the whole country').waitFor();
    await page.getByRole('radio', { name: 'This view' }).click();
    await page.getByText('Relative: the same height has another tint elsewhere.').waitFor();
    await page.getByRole('button', { name: 'Names' }).click();
    await expect.poll(() => page.getByText('Harrowmouth').count()).toBe(0);
    await page.getByLabel('Width', { exact: true }).fill('4500');
    await page.keyboard.press('Enter');
    // The frame keeps its shape.
    await expect.poll(() => page.getByLabel('Depth', { exact: true }).inputValue()).toBe('4\u2009500');
    await page.getByRole('radio', { name: '30 m' }).click();
    await page.getByText('150 × 150 samples').waitFor();
    await page.getByRole('button', { name: 'Facts of it' }).click();
    await page.getByText('Highest').waitFor();
    await page.getByRole('button', { name: 'Take it' }).click();
    await relief(page);
    await page.getByText(/Velmarch grid 1/).waitFor();
    await page.getByRole('button', { name: 'Make a terrain of it' }).click();
    await fullGround(page);
    expect(await page.getByLabel('Name of the terrain').inputValue()).toBe('Velmarch, 4.5 km');
    expect(faults).toEqual([]);
  });

  it('answers with files that hold what they say, in every format', async () => {
    const at = (format: string) => `${app.address}/api/survey/extract?east=36000&south=12000&width=3000&depth=2400&spacing=30&format=${format}`;
    const get = async (format: string) => {
      const answer = await fetch(at(format));
      expect(answer.status).toBe(200);
      return { bytes: new Uint8Array(await answer.arrayBuffer()), headers: answer.headers };
    };
    const tiff = await readHeights((await get('tiff')).bytes);
    expect(tiff.ground).toMatchObject({
      across: 100,
      down: 80,
      registration: 'area',
      width: 3000,
      georeference: { crs: 'Velmarch grid 1', west: 448_000, north: 726_000 },
    });
    const asc = await readHeights((await get('asc')).bytes);
    const png = await get('png');
    const low = Number(png.headers.get('x-range-low'));
    const high = Number(png.headers.get('x-range-high'));
    const codes = await readHeights(png.bytes, { range: { low, high } });
    for (let i = 0; i < tiff.height.length; i += 7) {
      if (tiff.valid && !tiff.valid[i]) continue;
      expect(asc.height[i] + asc.ground.datum).toBeCloseTo(tiff.height[i] + tiff.ground.datum, 3);
      expect(Math.abs(codes.height[i] + codes.ground.datum - tiff.height[i] - tiff.ground.datum)).toBeLessThan((high - low) / 65_535);
    }
    expect((await get('jpeg')).headers.get('content-type')).toBe('image/jpeg');
    // The same question, the same bytes.
    expect((await get('tiff')).bytes).toEqual((await get('tiff')).bytes);
  });

  it('refuses questions that make no sense, each with a sentence and a code', async () => {
    const base = `${app.address}/api/survey`;
    const frame = 'east=0&south=0&width=3000&depth=3000';
    const wrong: [string, number][] = [
      [`${base}/facts`, 400],
      [`${base}/facts?${frame}&spacing=17`, 400],
      [`${base}/facts?${frame}&spacing=NaN`, 400],
      [`${base}/facts?east=0&south=0&width=69120&depth=46080&spacing=10`, 400],
      [`${base}/facts?east=-5&south=0&width=3000&depth=3000&spacing=30`, 400],
      [`${base}/facts?east=69000&south=0&width=3000&depth=3000&spacing=30`, 400],
      [`${base}/extract?${frame}&spacing=30&format=exe`, 400],
      [`${base}/extract?${frame}&spacing=1e99`, 400],
      [`${base}/range?east=a&south=0&width=1&depth=1`, 400],
      [`${base}/tiles/9/0/0`, 404],
      [`${base}/tiles/x/0/0`, 404],
      [`${base}/tiles/0/40/40`, 400],
      [`${base}/tiles/0/0/0?low=1e12`, 400],
    ];
    for (const [address, status] of wrong) {
      const began = performance.now();
      const answer = await fetch(address);
      expect(answer.status, address).toBe(status);
      const said = (await answer.json()) as { code: string; sentence: string };
      expect(said.sentence, address).toMatch(/\.$/);
      expect(said.code).toBeTruthy();
      expect(performance.now() - began).toBeLessThan(2000);
    }
  });
});

describe('a JPEG', () => {
  it('comes in with its warning', async () => {
    const { page, faults } = await there();
    await page.goto(app.address);
    const data = new Uint8Array(4 * 129 * 97);
    field.height.forEach((h, i) => data.fill(Math.round(h / 4), 4 * i, 4 * i + 3));
    await bring(page, [file('scan.jpg', new Uint8Array(encodeJpeg({ data, width: 129, height: 97 }, 40).data))]);
    await relief(page);
    await page.getByText(/It is a JPEG: 256 levels/).waitFor();
    await page.locator('[data-finding=blocks]').waitFor();
    expect(faults).toEqual([]);
  });
});
