import { unzipSync } from 'fflate';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { rasterizeMesh, readHeights, readMesh, readMeshFiles, triangleCount } from '@upland-cast/core';
import { Application, demoOfFewSamples, downloadsInto, nextFullGround, openDemo, pictures, together } from '../helpers/application';
import { readBytes, run, save, scratch, uplandCast } from '../helpers/outside';

const { path, done } = scratch();
let app: Application;
beforeAll(async () => {
  app = await Application.start();
});
afterAll(async () => {
  await app.stop();
  done();
});
const download = downloadsInto(path);

const choose = (page: Page, group: string, name: string) =>
  page.getByRole('radiogroup', { name: group, exact: true }).getByRole('radio', { name, exact: true }).click();
const type = async (page: Page, label: string, value: string) => {
  await page.getByRole('textbox', { name: label, exact: true }).fill(value);
  await page.getByRole('textbox', { name: label, exact: true }).press('Enter');
};
/** Waits until the panel tells a largest error that is within a range. */
const told = (page: Page, name: string) => page.locator('dl div', { hasText: name }).first().locator('dd').innerText();
const settled = async (page: Page) => {
  let before = '';
  await expect
    .poll(
      async () => {
        const now = await told(page, 'triangles');
        const still = now === before;
        before = now;
        return still;
      },
      { timeout: 90_000, interval: 1500 },
    )
    .toBe(true);
};

const meshRoom = (page: Page, address: string) => openDemo(page, address, '#mesh');

describe('heights to mesh', () => {
  const there = together(() => app, meshRoom);

  it('tells how the writing stands, and ends it', async () => {
    const { context, page, faults } = await app.person({ whole: true });
    await openDemo(page, app.address, '#mesh');
    await page.getByText('largest error').first().waitFor({ timeout: 90_000 });
    await page.getByRole('button', { name: '1024', exact: true }).click();
    await choose(page, 'Lighter levels', '4');
    await choose(page, 'Format', 'glTF');
    await settled(page);
    const loads: string[] = [];
    page.on('download', (one) => loads.push(one.suggestedFilename()));
    await page.getByRole('button', { name: 'Write the mesh' }).click();
    const working = page.getByRole('status').filter({ has: page.getByRole('progressbar') });
    await working.waitFor();
    const share = () => working.getByRole('progressbar').evaluate((bar: HTMLProgressElement) => bar.value);
    await expect.poll(share, { timeout: 60_000, interval: 100 }).toBeGreaterThan(0.6);
    await working.getByRole('button', { name: 'Stop' }).click();
    await page.getByRole('button', { name: 'Write the mesh' }).waitFor({ timeout: 30_000 });
    expect(loads).toEqual([]);
    // Without the levels it goes through.
    await choose(page, 'Lighter levels', 'None');
    await page.getByRole('button', { name: '64', exact: true }).click();
    await settled(page);
    const zip = await download(page, () => page.getByRole('button', { name: 'Write the mesh' }).click(), 'gltf.zip');
    expect(Object.keys(unzipSync(readBytes(zip)))).toEqual(['dunmorrow.gltf', 'dunmorrow.bin']);
    expect(faults).toEqual([]);
    await context.close();
  });

  it('is looked at in five ways, and its curve shows where more triangles stop paying', async () => {
    const { page, faults } = await there();
    await page.getByText('largest error').first().waitFor({ timeout: 90_000 });
    const shot = async () => (await page.locator('section[aria-label="The mesh"] canvas').screenshot()).toString('base64');
    const seen = new Set<string>();
    for (const look of ['Wire over shade', 'Shade', 'Error', 'Normal map', 'Outlines']) {
      await choose(page, 'Look', look);
      // Each is drawn otherwise than all before it.
      let picture = '';
      await expect.poll(async () => seen.has((picture = await shot())), { timeout: 20_000 }).toBe(false);
      seen.add(picture);
    }
    await page.getByRole('button', { name: 'Measure the curve' }).click();
    await page.getByRole('img', { name: 'Largest error against the count of triangles' }).waitFor({ timeout: 120_000 });
    // A format that cannot hold what is asked for says so, and writes nothing.
    await choose(page, 'Up', 'Z');
    await page.getByText(/glTF is right-handed with y up/).waitFor({ timeout: 30_000 });
    expect(await page.getByRole('button', { name: 'Write the mesh' }).isDisabled()).toBe(true);
    await choose(page, 'Format', 'STL');
    await expect.poll(() => page.getByRole('button', { name: 'Write the mesh' }).isDisabled(), { timeout: 30_000 }).toBe(false);
    expect(faults).toEqual([]);
  });

  it('an OBJ with its colours and normal map opens outside with its materials', async () => {
    const { page, faults } = await there();
    await choose(page, 'Up', 'Y');
    await page.getByText('largest error').first().waitFor({ timeout: 90_000 });
    await page.getByRole('button', { name: '64', exact: true }).click();
    await choose(page, 'Format', 'OBJ');
    await choose(page, 'Colour map', '512');
    await choose(page, 'Normal map', '512');
    await page.getByRole('switch', { name: 'Water as a plane of its own' }).click();
    await settled(page);
    const zip = await download(page, () => page.getByRole('button', { name: 'Write the mesh' }).click(), 'obj.zip');
    const files = unzipSync(readBytes(zip));
    expect(Object.keys(files)).toEqual(expect.arrayContaining(['dunmorrow.obj', 'dunmorrow.mtl', 'dunmorrow-colour.png', 'dunmorrow-normal.png']));
    run('mkdir', ['-p', path('obj')]);
    run('unzip', ['-o', '-q', zip, '-d', path('obj')]);
    const info = run('assimp', ['info', path('obj/dunmorrow.obj')]);
    expect(info).toMatch(/dunmorrow-colour\.png|Textures/);
    expect(Number(/Faces:\s+(\d+)/.exec(info)![1])).toBeGreaterThanOrEqual(64 * 64 * 2);
    expect(faults).toEqual([]);
  });

  it('greedy, in parts, with levels, written as one bundle: what is on disk keeps the bound at every sample', async () => {
    const { context, page, faults } = await app.person();
    await openDemo(page, app.address, '#mesh');
    await page.getByText('largest error').first().waitFor({ timeout: 90_000 });
    await choose(page, 'Made by', 'Greedy');
    await type(page, 'Largest error', '6');
    await choose(page, 'Parts', 'Count');
    await choose(page, 'Lighter levels', '2');
    await page.getByText(/2 × 2 parts/).waitFor({ timeout: 90_000 });
    await settled(page);
    const zip = await download(page, () => page.getByRole('button', { name: 'Write the mesh' }).click(), 'demo-mesh.zip');
    const files = unzipSync(readBytes(zip));
    expect(Object.keys(files)).toEqual(['dunmorrow.glb', 'dunmorrow-level-1.glb', 'dunmorrow-level-2.glb']);
    save(path('demo.uplandcast'), await demoOfFewSamples());
    expect(uplandCast('run', path('demo.uplandcast'), path('truth.tif')).status).toBe(0);
    const truth = await readHeights(readBytes(path('truth.tif')));
    const worst: number[] = [];
    for (const bytes of Object.values(files)) {
      const mesh = readMesh(bytes as Uint8Array<ArrayBuffer>);
      const { field } = rasterizeMesh(mesh, { size: { across: 257, down: 257 } });
      let most = 0;
      for (let i = 0; i < field.height.length; i++)
        most = Math.max(most, Math.abs(field.height[i] + field.ground.datum - truth.height[i] - truth.ground.datum));
      worst.push(most);
    }
    expect(worst[0]).toBeLessThanOrEqual(6.001);
    expect(worst[1]).toBeGreaterThan(worst[0]);
    expect(worst[2]).toBeGreaterThan(worst[1]);
    // The levels' table tells the same errors.
    for (const row of [1, 2]) {
      const cells = await page.locator('table tbody tr').nth(row).locator('td').allInnerTexts();
      expect(Math.abs(Number.parseFloat(cells[2]) - worst[row])).toBeLessThan(0.02 * worst[row]);
    }
    expect(faults).toEqual([]);
    await context.close();
  });
});

describe('mesh to heights', () => {
  const there = together(() => app, meshRoom);

  it('Sallow Pit: its overhang and its hole are told, filled, smoothed, and it goes into the moor', async () => {
    const { context, page, faults } = await app.person();
    await openDemo(page, app.address, '#mesh');
    await choose(page, 'Direction', 'Mesh to heights');
    await page.getByRole('button', { name: 'Sallow Pit' }).click();
    await page.getByText('under overhangs').waitFor({ timeout: 90_000 });
    expect(Number((await told(page, 'under overhangs')).replace(/\D/g, ''))).toBeGreaterThan(10);
    await page.getByText(/Its triangles average 2\.2\d m/).waitFor();
    await choose(page, 'Picture', 'Cover');
    await page.getByRole('img', { name: 'How the mesh covers the ground' }).waitFor();
    await choose(page, 'Holes', 'Fill inside');
    await page.locator('dd', { hasText: ' filled' }).waitFor({ timeout: 60_000 });
    await page.getByRole('switch', { name: 'Smooth between its corners' }).click();
    await choose(page, 'Size', 'Width');
    await type(page, 'Width of the mesh', '960');
    await expect.poll(() => told(page, 'size'), { timeout: 60_000 }).toMatch(/960/);
    const before = await pictures(page);
    await page.getByRole('button', { name: 'Lay it over this terrain' }).click();
    await nextFullGround(page, before);
    await page.getByRole('button', { name: /^sallow-pit\.glb,/ }).waitFor();
    expect(faults).toEqual([]);
    await context.close();
  });

  it('a typed extent presses that part of the mesh only', async () => {
    const { page, faults } = await there();
    await choose(page, 'Direction', 'Mesh to heights');
    await page.getByRole('button', { name: 'Sallow Pit' }).click();
    await page.getByText('under overhangs').waitFor({ timeout: 90_000 });
    expect(await told(page, 'size')).toMatch(/480.* × 480/);
    await choose(page, 'Land', 'An extent');
    expect(await page.getByRole('textbox', { name: 'West edge' }).inputValue()).toMatch(/240/);
    await type(page, 'West edge', '-60');
    await expect.poll(() => told(page, 'size'), { timeout: 60_000 }).toMatch(/300.* × 480/);
    // East of the hill there is nothing: a sentence, and a way back.
    await type(page, 'East edge', '-70');
    await page.getByRole('alert').waitFor({ timeout: 60_000 });
    await choose(page, 'Land', 'The whole mesh');
    await expect.poll(() => told(page, 'size'), { timeout: 60_000 }).toMatch(/480.* × 480/);
    expect(faults).toEqual([]);
  });

  it('several files are one mesh; a unit that was mistaken is offered; a file that is damaged is named', async () => {
    const { page, faults } = await there();
    await choose(page, 'Direction', 'Mesh to heights');
    // Two halves of a slope, 8.192 wide: kilometres.
    const half = (west: number, east: number) =>
      `v ${west} 0 0\nv ${east} ${east / 20} 0\nv ${east} ${east / 20} 8.192\nv ${west} ${west / 20} 8.192\nf 1 4 3 2\n`;
    const file = (name: string, text: string) => ({ name, mimeType: 'model/obj', buffer: Buffer.from(text) });
    await page.getByLabel('Mesh file').setInputFiles([file('west.obj', half(0, 4)), file('east.obj', half(4, 8.192))]);
    await page.getByText('west.obj and 1 more: 4 triangles').waitFor({ timeout: 60_000 });
    await page.getByText(/its units may be kilometres/).waitFor();
    await page.getByRole('button', { name: 'Read it so' }).click();
    await expect.poll(() => told(page, 'size'), { timeout: 60_000 }).toMatch(/8[ \u2009]?192/);
    await page.getByLabel('Mesh file').setInputFiles([file('west.obj', half(0, 4)), file('east.obj', 'v 0 0 0\nv 1 0 0\nv 1 0 1\nf 1 2 9\n')]);
    await page.getByText(/east\.obj: .*names vertex 9/).waitFor({ timeout: 60_000 });
    // A glTF without its buffer says which file it wants.
    const gltf = JSON.stringify({
      asset: { version: '2.0' },
      scenes: [{ nodes: [0] }],
      nodes: [{ mesh: 0 }],
      meshes: [{ primitives: [{ attributes: { POSITION: 0 } }] }],
      accessors: [{ bufferView: 0, componentType: 5126, count: 3, type: 'VEC3' }],
      bufferViews: [{ buffer: 0, byteLength: 36 }],
      buffers: [{ byteLength: 36, uri: 'moor.bin' }],
    });
    await page.getByLabel('Mesh file').setInputFiles([file('moor.gltf', gltf)]);
    await page.getByText(/bring "moor\.bin" in together with it/).waitFor({ timeout: 60_000 });
    expect(faults).toEqual([]);
  });

  it('the demo meshes are the same quarry in both formats', async () => {
    const glb = readMesh(readBytes('app/public/demo/sallow-pit.glb'));
    const obj = await readMeshFiles([{ name: 'sallow-pit.obj', bytes: readBytes('app/public/demo/sallow-pit.obj') }]);
    expect(triangleCount(glb)).toBe(triangleCount(obj));
    const size = { across: 129, down: 129 };
    const [a, b] = [rasterizeMesh(glb, { size }), rasterizeMesh(obj, { size })];
    expect([a.overhangs > 5, a.holes > 100]).toEqual([true, true]);
    expect(a.field.height.findIndex((h, i) => Math.abs(h - b.field.height[i]) > 1e-3)).toBe(-1);
  });
});
