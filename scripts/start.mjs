// Sets up what is missing, builds, and starts the application with the demo terrain.
import { spawn, spawnSync } from 'node:child_process';
import { appIsStale, checkNode, fail, installPackages } from './setup.mjs';

process.chdir(new URL('..', import.meta.url).pathname);
checkNode();
installPackages();
if (appIsStale()) {
  console.log('Building (about a minute, only when something changed) …');
  const { status, stdout, stderr } = spawnSync(process.execPath, ['scripts/build.mjs'], { encoding: 'utf8' });
  if (status !== 0) fail(`The application could not be built:\n${(stdout + stderr).split('\n').slice(-25).join('\n')}`);
}
const host = process.env.HOST ?? '127.0.0.1';
const port = process.env.PORT ?? '4600';
const server = spawn(process.execPath, ['app/server/main.mjs'], { stdio: ['ignore', 'ignore', 'inherit'], env: { ...process.env, HOST: host, PORT: port } });
server.on('exit', (code) => process.exit(code ?? 0));
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => server.kill(signal));
for (let tries = 0; ; tries++) {
  try {
    const response = await fetch(`http://${host}:${port}/api/health`);
    if (response.ok) break;
  } catch {
    // not up yet
  }
  if (tries > 100) {
    server.kill();
    fail(`The server does not answer at http://${host}:${port}/ after 20 seconds.`);
  }
  await new Promise((resolve) => setTimeout(resolve, 200));
}
console.log(`Upland Cast is at http://${host}:${port}/\nThe demo terrain is Dunmorrow. Ctrl+C stops the server.`);
