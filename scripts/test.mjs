// Types, lint, format, unit, reference and browser tests, each named; a line of counts at the end.
import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { availableParallelism, tmpdir } from 'node:os';
import { join, relative } from 'node:path';
import { appIsStale, checkNode, fail, installPackages, installTools } from './setup.mjs';

process.chdir(new URL('..', import.meta.url).pathname);
checkNode();
installPackages();
installTools();

let passed = 0;
let failed = 0;
/** What failed, by name: said again at the end, where it is found. */
const failures = [];
/** How long each test took, milliseconds. */
const times = [];
const scratch = mkdtempSync(join(tmpdir(), 'upland-tests-'));
const began = Date.now();

/** Runs commands by name, as many at once as there are cores; what each printed comes in one piece. */
async function checks(commands) {
  const waiting = Object.entries(commands);
  const next = async () => {
    for (let one = waiting.shift(); one; one = waiting.shift()) {
      const [name, [command, ...args]] = one;
      const started = Date.now();
      const child = spawn(command, args, { stdio: ['ignore', 'pipe', 'pipe'] });
      let printed = '';
      for (const stream of [child.stdout, child.stderr]) stream.on('data', (text) => (printed += text));
      const status = await new Promise((resolve) => child.on('close', resolve).on('error', () => resolve(-1)));
      console.log(`\n== ${name}: ${((Date.now() - started) / 1000).toFixed(0)} s\n${printed.trimEnd()}`);
      if (status === 0) passed++;
      else fails(name);
    }
  };
  await Promise.all(Array.from({ length: availableParallelism() }, next));
}

function fails(name) {
  failed++;
  failures.push(name);
}

/** Projects of tests in one run, so that no core waits for the last file of one of them. */
function suite(...projects) {
  const name = projects.join(' and ');
  console.log(`\n== ${name} tests`);
  const report = join(scratch, `${projects[0]}.json`);
  const chosen = projects.flatMap((project) => ['--project', project]);
  const { status } = spawnSync('npx', ['vitest', 'run', ...chosen, '--reporter=default', '--reporter=json', `--outputFile.json=${report}`], {
    stdio: 'inherit',
  });
  try {
    const { numPassedTests, numFailedTests, testResults } = JSON.parse(readFileSync(report, 'utf8'));
    passed += numPassedTests;
    for (const { name: path, status: outcome, assertionResults, message } of testResults) {
      const file = relative(process.cwd(), path);
      for (const { title, fullName, duration, status: result, failureMessages } of assertionResults) {
        times.push({ file, title, duration: duration ?? 0 });
        if (result === 'failed') fails(`${file}: ${fullName}\n    ${failureMessages?.[0]?.split('\n')[0] ?? ''}`);
      }
      // A file that does not load has no tests to fail: it counts as one.
      if (outcome === 'failed' && assertionResults.length === 0) fails(`${file}: ${message}`);
    }
    if (status !== 0 && numFailedTests === 0) fails(`${name} tests ended with ${status}`);
  } catch (error) {
    fails(`${name} tests: ${error.message}`);
  }
}

const build = spawnSync(process.execPath, ['scripts/build.mjs', 'cli', ...(appIsStale() ? ['app'] : [])], { encoding: 'utf8' });
if (build.status !== 0) fail(`The build failed:\n${(build.stdout + build.stderr).split('\n').slice(-25).join('\n')}`);
console.log('Built.');
await checks({
  lint: ['npx', 'eslint', '.', '--max-warnings', '0'],
  types: ['npx', 'tsc', '-p', 'tsconfig.json', '--noEmit'],
  pages: ['npm', 'run', 'pages'],
  'the comments of what the core exports': ['npx', 'typedoc', '--emit', 'none'],
  layers: ['npx', 'depcruise', 'core', 'app', 'cli'],
  'the core without the types of a platform': ['npx', 'tsc', '-p', 'core/tsconfig.json', '--noEmit'],
  'nothing unused': ['npx', 'knip', '--no-progress'],
  'nothing that only tests use': ['npx', 'knip', '--no-progress', '--production', '--exclude', 'dependencies'],
  format: ['npx', 'prettier', '--check', '--cache', '--cache-strategy', 'content', '--log-level', 'warn', '.'],
});
suite('unit', 'reference');
suite('browser');
rmSync(scratch, { recursive: true, force: true });
console.log('\nThe slowest twenty');
for (const { file, title, duration } of times.sort((a, b) => b.duration - a.duration).slice(0, 20))
  console.log(`${(duration / 1000).toFixed(1).padStart(7)} s  ${file}: ${title.slice(0, 100)}`);
if (failures.length) console.log(`\nFailed\n${failures.map((line) => `  ${line}`).join('\n')}`);
console.log(`\nTook ${Math.round((Date.now() - began) / 1000)} s.`);
console.log(`${passed} passed, ${failed} failed`);
process.exit(failed ? 1 : 0);
