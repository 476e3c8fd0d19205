import { spawn, type ChildProcess } from 'node:child_process';
import { createServer } from 'node:net';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium, type Browser, type BrowserContext, type Page } from 'playwright-core';
import { readProject, writeProject } from '../../core/course/project';
import { withSamples } from '../../core/field/ground';
import { makeCourse, makeGround, stepUse, type Course } from '@upland-cast/core';
import { putRows, storedIn, storeIn } from './stored';

/** Debian's Chromium, as the shell without windows where that is there: it draws nothing beside the page. */
const CHROMIUM = ['/usr/bin/chromium-headless-shell', '/usr/bin/chromium'].find((file) => existsSync(file))!;

const FLAGS = [
  '--no-sandbox',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
  '--enable-unsafe-swiftshader',
  '--ignore-gpu-blocklist',
  // What runs a few times only is not compiled for speed: a page lives for seconds here.
  '--js-flags=--interrupt-budget=1000000',
];

type Person = Partial<Record<'whole' | 'fine' | 'fresh' | 'offline' | 'touch' | 'first' | 'day', boolean>>;

/** The built application on a port of its own, and a browser to use it with. */
export class Application {
  private constructor(
    readonly address: string,
    readonly browser: Browser,
    private readonly server: ChildProcess,
    /** The folder that worlds lie in. */
    readonly worlds: string,
  ) {}

  static async start(): Promise<Application> {
    const port = await freePort();
    const worlds = mkdtempSync(join(tmpdir(), 'upland-worlds-'));
    const server = spawn(process.execPath, ['app/server/main.mjs'], {
      env: { ...process.env, PORT: String(port), UPLAND_WORLDS: worlds },
      stdio: ['ignore', 'ignore', 'inherit'],
    });
    const address = `http://127.0.0.1:${port}`;
    for (let tries = 0; tries < 100; tries++) {
      if (
        await fetch(`${address}/api/health`).then(
          (r) => r.ok,
          () => false,
        )
      )
        break;
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
    const browser = await chromium.launch({ executablePath: CHROMIUM, args: FLAGS });
    return new Application(address, browser, server, worlds);
  }

  /**
   * A person at the application. What goes wrong in the page is collected. The demo comes at 257² samples, which says as
   * much in a quarter of the time, and has been opened before; or it comes `whole`, or `fresh`: nothing is stored.
   * `offline`: the application is kept on the machine; `touch`: the screen is touched; `first`: never here before, so
   * that the demo opens with its hints; `day`: the ground stands in the light of a day as it comes, which takes this
   * machine longer to draw.
   */
  async person({ whole = false, fine = false, offline = false, touch = false, first = false, ...rest }: Person = {}): Promise<{
    context: BrowserContext;
    page: Page;
    faults: string[];
  }> {
    const { fresh = whole || offline || first, day = whole || first } = rest;
    const context = await this.browser.newContext({
      viewport: { width: 1280, height: 800 },
      // A picture of a quarter of the pixels is drawn sooner; `fine` where pixels are what the test is about.
      deviceScaleFactor: whole || fine ? 1 : 0.25,
      acceptDownloads: true,
      reducedMotion: 'reduce',
      // What keeps the application for later works beside a test, and is let in where it is tested.
      serviceWorkers: offline ? 'allow' : 'block',
      hasTouch: touch,
    });
    if (!first)
      await context.addInitScript(() => {
        localStorage.setItem('upland-cast:visited', '1');
        localStorage.setItem('upland-cast:hints', '5');
      });
    if (!day)
      await context.addInitScript(() => {
        if (!localStorage.getItem('upland-cast:light')) localStorage.setItem('upland-cast:light', 'working');
      });
    if (!whole) {
      const body = Buffer.from(await demoOfFewSamples());
      await context.route('**/demo/dunmorrow.uplandcast', async (route) => route.fulfill({ response: await route.fetch(), body }));
    }
    const page = await context.newPage();
    if (!fresh) {
      // A page of the same origin that opens no database.
      await page.goto(`${this.address}/api/health`);
      await storeIn(page, storedDemo());
    }
    const faults: string[] = [];
    watch(page, faults);
    return { context, page, faults };
  }

  /** The server goes; the browser stays. */
  endServer(): Promise<void> {
    return new Promise((resolve) => {
      this.server.once('exit', () => resolve());
      this.server.kill();
    });
  }

  async stop(): Promise<void> {
    await this.browser.close();
    this.server.kill();
    rmSync(this.worlds, { recursive: true, force: true });
  }
}

/** Somebody at the application, as `Application.person` gives them. */
export type Present = Awaited<ReturnType<Application['person']>>;

/**
 * One person for several tests of a file, who do not mind how the one before left the page; `open` takes them where the tests begin. The
 * context is closed with the application.
 */
export function together(app: () => Application, open: (page: Page, address: string) => Promise<unknown>, as?: Person): () => Promise<Present> {
  let there: Promise<Present> | undefined;
  return () =>
    (there ??= app()
      .person(as)
      .then(async (person) => {
        await open(person.page, app().address);
        return person;
      }));
}

/**
 * One person at the demo for several tests of a file: what a test changed is undone before the next. A page that does not come back to what
 * it was is left, and another one opened.
 */
export function demoTogether(app: () => Application, as?: Person): () => Promise<Present> {
  return terrainTogether(app, (page) => openDemo(page, app().address), as);
}

/** The same at a new terrain of noise, on few samples: it is there at once. */
export function noiseTogether(app: () => Application, samples = FEW_SAMPLES): () => Promise<Present> {
  const ground = makeGround({ width: 4096, depth: 4096, across: samples, down: samples });
  const noise = makeCourse('New terrain', ground, [stepUse('flat'), stepUse('noise', { seed: 7 })]);
  return terrainTogether(app, (page) => openCourse(page, app().address, noise));
}

/** One person at a terrain, which `open` opens. */
function terrainTogether(app: () => Application, open: (page: Page) => Promise<void>, as?: Person): () => Promise<Present> {
  let there: Present | undefined;
  let id: string | null = null;
  return async () => {
    if (there) {
      // What goes wrong on the way back is of the test that asks for the page.
      there.faults.length = 0;
      const back = await asItCame(there.page).then(
        () => true,
        () => false,
      );
      if (back && idIn(there.page) === id) return there;
      await there.context.close();
    }
    there = await app().person(as);
    await open(there.page);
    id = idIn(there.page);
    return there;
  };
}

const idIn = (page: Page) => new URL(page.url()).searchParams.get('id');

/** Puts a terrain beside those that the browser has, and opens it. */
export async function openCourse(page: Page, address: string, course: Course): Promise<void> {
  const id = 'of-few-samples';
  await page.goto(`${address}/api/health`);
  await putRows(page, 'terrains', [{ id, course, made: 1, changed: 1 }]);
  await page.goto(`${address}/terrain?id=${id}`);
  await fullGround(page);
}

/** Takes a page at a terrain back to it as it was opened: the Work room, its first step selected, and nothing to undo. */
async function asItCame(page: Page): Promise<void> {
  await page.setViewportSize({ width: 1280, height: 800 });
  for (let tries = 0; tries < 3; tries++) await page.keyboard.press('Escape');
  const patient = { timeout: 5_000 };
  await page.getByRole('link', { name: 'Work', exact: true }).click(patient);
  const undo = page.getByRole('button', { name: 'Undo', exact: true });
  while (await undo.isEnabled(patient)) await undo.click(patient);
  for (const on of ['Spots', 'Views']) {
    const panel = page.getByRole('button', { name: on, exact: true, pressed: true });
    if (await panel.count()) await panel.click(patient);
  }
  await page.getByRole('radio', { name: 'Relief', exact: true }).click(patient);
  await page.getByRole('combobox', { name: 'Drape' }).selectOption('ground', patient);
  await page.locator('[data-card]').first().click(patient);
  await fullGround(page);
  const said = page.getByRole('button', { name: 'Close this message' });
  if (await said.count()) await said.click(patient);
}

/** Looks at the ground from above; the next frame has been drawn so. */
export async function fromAbove(page: Page): Promise<void> {
  await page.getByRole('radio', { name: 'Plan', exact: true }).click();
  await page.getByRole('radio', { name: 'Plan', exact: true, checked: true }).waitFor();
  await twoFrames(page);
}

/** The view shows all that there is to see of the ground, and nothing is being drawn. */
export const drawn = (page: Page) => page.waitForSelector('canvas[data-ground][data-drawn]', { state: 'attached', timeout: 60_000 });

/** What was changed by now has been drawn: the page has come to draw twice. */
export const twoFrames = (page: Page) =>
  page.evaluate(() => new Promise<void>((resolve) => requestAnimationFrame(() => requestAnimationFrame(() => resolve()))));

/** What was changed is stored. */
export const stored = (page: Page) =>
  page
    .locator('header button[aria-busy=false]')
    .filter({ hasText: /^Saved/ })
    .waitFor();

/** What a browser has stored of the application once the demo of few samples was opened. */
const STORED = '.cache/tests/stored.json';
const BUILT = 'app/dist/server/entry.mjs';

let demoStored: string | undefined;
const storedDemo = () => (demoStored ??= readFileSync(STORED, 'utf8'));

/** Opens the demo of few samples once, before all tests, and keeps what the browser stored: its weather is worked out once. */
export async function storeDemo(): Promise<void> {
  if (existsSync(STORED) && statSync(STORED).mtimeMs > Math.max(statSync(BUILT).mtimeMs, statSync(DEMO).mtimeMs)) return;
  const app = await Application.start();
  try {
    const { page } = await app.person({ fresh: true });
    await openDemo(page, app.address);
    // Slow steps and the end of the course are kept when the work has been over for a while.
    for (let tries = 0; tries < 120; tries++) {
      const kept = (await storedIn(page)).find(({ name }) => name === 'upland-cast-kept')?.stores.find(({ name }) => name === 'notes')?.rows ?? [];
      if (kept.some(([key]) => String(key).startsWith('ground ')) && kept.length > 1) break;
      await page.waitForTimeout(500);
    }
    await page.waitForTimeout(2_000);
    mkdirSync('.cache/tests', { recursive: true });
    writeFileSync(STORED, JSON.stringify(await storedIn(page)));
  } finally {
    await app.stop();
  }
}

export function watch(page: Page, faults: string[]): void {
  page.on('pageerror', (error) => faults.push(error.message));
  page.on('console', (message) => {
    if (message.type() === 'error') faults.push(message.text());
  });
}

const DEMO = 'app/public/demo/dunmorrow.uplandcast';

/** Samples a side of the demo where a test is not about how much ground there is. */
const FEW_SAMPLES = 257;

let fewSamples: Promise<Uint8Array<ArrayBuffer>> | undefined;

/** The demo's project file with the same course laid out at 257² samples instead of its own 1 025². */
export function demoOfFewSamples(): Promise<Uint8Array<ArrayBuffer>> {
  fewSamples ??= readProject(Uint8Array.from(readFileSync(DEMO))).then((project) =>
    writeProject({ ...project, worked: undefined, course: { ...project.course, ground: withSamples(project.course.ground, FEW_SAMPLES, FEW_SAMPLES) } }),
  );
  return fewSamples;
}

/** Strokes that the demo's hand work has. */
export async function demoStrokes(): Promise<number> {
  const { course } = await readProject(await demoOfFewSamples());
  return Number(course.stem.find((use) => use.step === 'sculpt')!.params.strokes);
}

/** Opens the demo terrain and waits until its full ground is on the screen. */
export async function openDemo(page: Page, address: string, room = ''): Promise<void> {
  await page.goto(`${address}/terrain?id=demo-dunmorrow${room}`);
  await fullGround(page);
}

/** The full ground is on the screen: what a person waits for. */
export const groundSeen = (page: Page) => page.waitForSelector('canvas[data-ground=full]', { state: 'attached', timeout: 90_000 });

/** The full ground is on the screen, and what was worked out behind one that had been kept is over. */
export const fullGround = (page: Page) => page.waitForSelector('canvas[data-ground=full][data-settled]', { state: 'attached', timeout: 90_000 });

/** How many grounds have been put on the screen. */
export const pictures = (page: Page) => page.evaluate(() => Number(document.querySelector<HTMLElement>('canvas[data-pictures]')?.dataset.pictures ?? 0));

/** Waits for the next picture that is of the full ground. */
export async function nextFullGround(page: Page, after: number): Promise<void> {
  await page.waitForFunction(
    (before) => {
      const canvas = document.querySelector<HTMLElement>('canvas[data-pictures]');
      return Number(canvas?.dataset.pictures) > before && canvas?.dataset.ground === 'full';
    },
    after,
    { timeout: 90_000 },
  );
}

export function freePort(): Promise<number> {
  return new Promise((resolve) => {
    const probe = createServer().listen(0, '127.0.0.1', () => {
      const { port } = probe.address() as { port: number };
      probe.close(() => resolve(port));
    });
  });
}

/** Saves what a press hands the person as a file, under a name of the test's own; gives back where. */
export const downloadsInto =
  (path: (name: string) => string) =>
  async (page: Page, press: () => Promise<unknown>, name: string): Promise<string> => {
    const [file] = await Promise.all([page.waitForEvent('download', { timeout: 120_000 }), press()]);
    await file.saveAs(path(name));
    return path(name);
  };
