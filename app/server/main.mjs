// The built application behind a small server that puts the isolation and security headers on
// every answer, static files included.
import { createServer } from 'node:http';
import { fileURLToPath } from 'node:url';
import sirv from 'sirv';
import { handler } from '../dist/server/entry.mjs';

// Where the kernels' worker threads find their script.
process.env.UPLAND_POOL ??= new URL('../../cli/dist/pool-worker.mjs', import.meta.url).href;
process.env.UPLAND_WRITER ??= new URL('../../cli/dist/writer-worker.mjs', import.meta.url).href;

const HEADERS = {
  'Cross-Origin-Opener-Policy': 'same-origin',
  'Cross-Origin-Embedder-Policy': 'require-corp',
  'Cross-Origin-Resource-Policy': 'same-origin',
  'X-Content-Type-Options': 'nosniff',
  'X-Frame-Options': 'DENY',
  'Referrer-Policy': 'no-referrer',
  'Permissions-Policy': 'camera=(), microphone=(), geolocation=()',
};

const files = sirv(fileURLToPath(new URL('../dist/client', import.meta.url)), {
  etag: true,
  setHeaders: (response, path) => {
    if (path.startsWith('/_astro/')) response.setHeader('Cache-Control', 'public, max-age=31536000, immutable');
  },
});

const host = process.env.HOST ?? '127.0.0.1';
const port = Number(process.env.PORT ?? 4600);
const server = createServer((request, response) => {
  for (const [name, value] of Object.entries(HEADERS)) response.setHeader(name, value);
  files(request, response, () =>
    handler(request, response, () => {
      response.statusCode = 404;
      response.setHeader('Content-Type', 'text/plain; charset=utf-8');
      response.end('There is nothing at this address.');
    }),
  );
});
server.on('error', (error) => {
  console.error(error.code === 'EADDRINUSE' ? `Port ${port} is taken. Stop what runs there, or set PORT to another.` : error.message);
  process.exit(1);
});
server.listen(port, host, () => console.log(`Upland Cast is at http://${host}:${port}/`));
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => server.close(() => process.exit(0)).closeAllConnections());
