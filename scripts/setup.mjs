// What is missing on a fresh machine, put in: npm packages, and for tests Debian's tools.
import { execFileSync, spawnSync } from 'node:child_process';
import { existsSync, statSync } from 'node:fs';

export function fail(sentence) {
  console.error(sentence);
  process.exit(1);
}

export function checkNode() {
  const [major, minor] = process.versions.node.split('.').map(Number);
  if (major < 20 || (major === 20 && minor < 11)) fail(`Node ${process.versions.node} is too old for this: 20.11 or newer is needed.`);
}

export function installPackages() {
  const marker = 'node_modules/.package-lock.json';
  if (existsSync(marker) && statSync(marker).mtimeMs >= statSync('package-lock.json').mtimeMs) return;
  console.log('Installing packages …');
  const { status } = spawnSync('npm', ['ci', '--no-fund', '--no-audit', '--loglevel=error'], { stdio: 'inherit' });
  if (status !== 0) fail('The packages could not be installed: npm ci failed. Look at its words above; is the registry reachable?');
}

const has = (command, ...args) => spawnSync(command, args, { stdio: 'ignore' }).status === 0;

/** Debian packages by what shows that they are there. */
const TOOLS = {
  chromium: () => existsSync('/usr/bin/chromium'),
  'gdal-bin': () => has('gdalinfo', '--version'),
  'python3-numpy': () => has('/usr/bin/python3', '-c', 'import numpy'),
  'python3-scipy': () => has('/usr/bin/python3', '-c', 'import scipy.ndimage'),
  'python3-skimage': () => has('/usr/bin/python3', '-c', 'import skimage.morphology'),
  imagemagick: () => has('/usr/bin/convert', '-version'),
  netpbm: () => has('pnmfile', '--version'),
  'assimp-utils': () => has('assimp', 'version'),
  openexr: () => existsSync('/usr/bin/exrheader'),
  'redis-server': () => has('redis-server', '--version'),
  'openimageio-tools': () => has('oiiotool', '--version'),
};

/** Wanted, but not needed: the tests go faster with them. */
const FASTER = { 'chromium-headless-shell': () => existsSync('/usr/bin/chromium-headless-shell') };

export function installTools() {
  const missingOf = (tools) =>
    Object.entries(tools)
      .filter(([, there]) => !there())
      .map(([name]) => name);
  const missing = missingOf(TOOLS);
  const wanted = missingOf(FASTER);
  if (missing.length + wanted.length === 0) return;
  console.log(`Installing what the tests hold this against: ${[...missing, ...wanted].join(', ')} …`);
  const root = process.getuid?.() === 0;
  const run = (...args) =>
    execFileSync(root ? 'apt-get' : 'sudo', root ? args : ['apt-get', ...args], {
      stdio: ['ignore', 'ignore', 'inherit'],
      // What is a service elsewhere is only wanted as a program: it is not started.
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive', RUNLEVEL: '1' },
    });
  try {
    run('update', '-q');
    if (missing.length) run('install', '-y', '-q', '--no-install-recommends', ...missing);
  } catch {
    if (missing.length === 0) return;
    fail(`These Debian packages are needed for the tests and could not be installed: ${missing.join(', ')}.`);
  }
  try {
    if (wanted.length) run('install', '-y', '-q', '--no-install-recommends', ...wanted);
  } catch {
    console.log(`Without ${wanted.join(', ')}: the tests take longer.`);
  }
  const still = missing.filter((name) => !TOOLS[name]());
  if (still.length) fail(`These were installed but do not answer: ${still.join(', ')}.`);
}

/** Whether the built application is older than its sources. */
export function appIsStale() {
  try {
    const built = statSync('app/dist/server/entry.mjs').mtimeMs;
    const files = execFileSync('git', ['ls-files', '-co', '--exclude-standard', 'app', 'core', 'package-lock.json'], { encoding: 'utf8' })
      .split('\n')
      .filter(Boolean);
    return files.some((file) => existsSync(file) && statSync(file).mtimeMs > built);
  } catch {
    return true;
  }
}
