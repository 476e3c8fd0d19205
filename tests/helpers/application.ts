import { spawn, type ChildProcess } from 'node:child_process';
import { createServer } from 'node:net';
import { readFileSync } from 'node:fs';
import { chromium, type Browser, type BrowserContext, type Page } from 'playwright-core';
import { readProject, writeProject } from '../../core/course/project';
import { withSamples } from '../../core/field/ground';

const FLAGS = [
  '--no-sandbox',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
  '--enable-unsafe-swiftshader',
  '--ignore-gpu-blocklist',
];

/** The built application on a port of its own, and a browser to use it with. */
export class Application {
  private constructor(
    readonly address: string,
    readonly browser: Browser,
    private readonly server: ChildProcess,
  ) {}

  static async start(): Promise<Application> {
    const port = await freePort();
    const server = spawn(process.execPath, ['app/server/main.mjs'], { env: { ...process.env, PORT: String(port) }, stdio: ['ignore', 'ignore', 'inherit'] });
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
    const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: FLAGS });
    return new Application(address, browser, server);
  }

  /**
   * A person new to the application: nothing stored. What goes wrong in the page is collected. The demo comes
   * at 257² samples, which says as much in a quarter of the time, or `whole`. `offline`: the application is kept on
   * the machine; `touch`: the screen is touched; `first`: never here before, so that the demo opens with its hints.
   */
  async person({ whole = false, fine = false, offline = false, touch = false, first = false } = {}): Promise<{
    context: BrowserContext;
    page: Page;
    faults: string[];
  }> {
    const context = await this.browser.newContext({
      viewport: { width: 1280, height: 800 },
      // A picture of a quarter of the pixels is drawn sooner; `fine` where pixels are what the test is about.
      deviceScaleFactor: whole || fine ? 1 : 0.5,
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
    if (!whole) {
      const body = Buffer.from(await demoOfFewSamples());
      await context.route('**/demo/dunmorrow.uplandcast', async (route) => route.fulfill({ response: await route.fetch(), body }));
    }
    const page = await context.newPage();
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
  }
}

export function watch(page: Page, faults: string[]): void {
  page.on('pageerror', (error) => faults.push(error.message));
  page.on('console', (message) => {
    if (message.type() === 'error') faults.push(message.text());
  });
}

/** Samples a side of the demo where a test is not about how much ground there is. */
const FEW_SAMPLES = 257;

let fewSamples: Promise<Uint8Array<ArrayBuffer>> | undefined;

/** The demo's project file with the same course laid out at 257² samples instead of its own 1 025². */
export function demoOfFewSamples(): Promise<Uint8Array<ArrayBuffer>> {
  fewSamples ??= readProject(Uint8Array.from(readFileSync('app/public/demo/dunmorrow.uplandcast'))).then((project) =>
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

export const fullGround = (page: Page) => page.waitForSelector('canvas[data-ground=full]', { state: 'attached', timeout: 90_000 });

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
