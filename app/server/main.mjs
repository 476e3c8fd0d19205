// The built application behind a small server that looks at every request first, and puts the
// isolation and security headers on every answer, static files included.
import { createServer } from 'node:http';
import { fileURLToPath } from 'node:url';
import sirv from 'sirv';
import { handler } from '../dist/server/entry.mjs';
import { allowedHosts, pathOf, policies, refusedBy } from './guard.mjs';

// Where the threads find their scripts.
process.env.UPLAND_POOL ??= new URL('../../cli/dist/pool-worker.mjs', import.meta.url).href;
process.env.UPLAND_WRITER ??= new URL('../../cli/dist/writer-worker.mjs', import.meta.url).href;
// Where worlds lie that are worked out here.
process.env.UPLAND_WORLDS ??= fileURLToPath(new URL('../../worlds', import.meta.url));
process.env.UPLAND_WORK ??= new URL('../../cli/dist/server-worker.mjs', import.meta.url).href;

const HEADERS = {
  'Cross-Origin-Opener-Policy': 'same-origin',
  'Cross-Origin-Embedder-Policy': 'require-corp',
  'Cross-Origin-Resource-Policy': 'same-origin',
  'X-Content-Type-Options': 'nosniff',
  'X-Frame-Options': 'DENY',
  'Referrer-Policy': 'no-referrer',
  'Permissions-Policy': 'camera=(), microphone=(), geolocation=()',
};

const client = fileURLToPath(new URL('../dist/client', import.meta.url));
const policyOf = policies(client);
const files = sirv(client, {
  etag: true,
  setHeaders: (response, path) => {
    response.setHeader('Cache-Control', path.startsWith('/_astro/') ? 'public, max-age=31536000, immutable' : 'no-cache');
  },
});

const host = process.env.HOST ?? '127.0.0.1';
const port = Number(process.env.PORT ?? 4600);
const hosts = allowedHosts(port, host, process.env.UPLAND_HOSTS);

function refuse(request, response, { status, code, sentence, headers = {} }) {
  response.writeHead(status, { 'Content-Type': 'application/json; charset=utf-8', 'Cache-Control': 'no-store', ...headers });
  response.end(JSON.stringify({ code, sentence }));
  // What was sent along is not read: the connection ends with the answer.
  if (!request.complete && request.headers['content-length'] !== undefined) request.destroy();
}

const server = createServer((request, response) => {
  for (const [name, value] of Object.entries(HEADERS)) response.setHeader(name, value);
  const refused = refusedBy(request, hosts);
  response.setHeader('Content-Security-Policy', policyOf(refused ? '' : pathOf(request)));
  if (refused) return refuse(request, response, refused);
  const nothing = () => refuse(request, response, { status: 404, code: 'nothing', sentence: 'There is nothing at this address.' });
  if (request.url.startsWith('/api/')) return handler(request, response, nothing);
  files(request, response, () => handler(request, response, nothing));
});
// Who sends nothing, or a byte now and then, does not keep a connection.
server.headersTimeout = 10_000;
server.requestTimeout = 180_000;
server.keepAliveTimeout = 5_000;
server.on('clientError', (_, socket) => {
  if (socket.writable) socket.end('HTTP/1.1 400 Bad Request\r\nConnection: close\r\nContent-Length: 0\r\n\r\n');
});
server.on('error', (error) => {
  console.error(error.code === 'EADDRINUSE' ? `Port ${port} is taken. Stop what runs there, or set PORT to another.` : error.message);
  process.exit(1);
});
server.listen(port, host, () => console.log(`Upland Cast is at http://${host}:${port}/`));
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => server.close(() => process.exit(0)).closeAllConnections());
