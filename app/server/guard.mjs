// What is looked at of every request before anything is done for it.
import { readFileSync, readdirSync } from 'node:fs';
import { join, relative } from 'node:path';

/** What addresses take beside being read: some nothing but orders. */
const METHODS = [
  { path: /^\/api\/run$/, methods: ['POST'] },
  { path: /^\/api\/worlds$/, methods: ['GET', 'HEAD', 'POST'] },
  { path: /^\/api\/worlds\/[^/]+\/(stop|resume|remove)$/, methods: ['POST'] },
];

/**
 * The names under which the server may be asked: its own on this machine, and those of
 * UPLAND_HOSTS (a list parted by commas). A page of another site that gets its name to point here
 * (DNS rebinding) has none of them.
 */
export function allowedHosts(port, host, extra = '') {
  const names = ['127.0.0.1', 'localhost', '[::1]', ...(/^(0\.0\.0\.0|::|\[::\])$/.test(host) ? [] : [host])];
  const own = names.flatMap((name) => [name, `${name}:${port}`]);
  return new Set([...own, ...extra.split(',').map((name) => name.trim().toLowerCase())].filter(Boolean));
}

/** Why a request is refused: status, code and sentence; undefined where it may pass. */
export function refusedBy(request, hosts) {
  const { method, headers } = request;
  const host = (headers.host ?? '').toLowerCase();
  if (!hosts.has(host)) return { status: 421, code: 'host', sentence: 'This server is not asked by that name. Names that it may have stand in UPLAND_HOSTS.' };
  const { origin } = headers;
  if (origin !== undefined) {
    let from = '';
    try {
      from = new URL(origin).host.toLowerCase();
    } catch {
      // Not an address: refused below.
    }
    if (!hosts.has(from)) return { status: 403, code: 'origin', sentence: 'Only the application’s own pages may ask this.' };
  }
  const site = headers['sec-fetch-site'];
  const path = pathOf(request);
  if (path === undefined) return { status: 400, code: 'address', sentence: 'This address cannot be read.' };
  if (path.startsWith('/api/') && site && site !== 'same-origin' && site !== 'none')
    return { status: 403, code: 'origin', sentence: 'Only the application’s own pages may ask this.' };
  const allowed = METHODS.find((known) => known.path.test(path.replace(/\/$/, '')))?.methods ?? ['GET', 'HEAD'];
  if (!allowed.includes(method))
    return { status: 405, code: 'method', sentence: `This address takes ${allowed.join(' and ')}.`, headers: { Allow: allowed.join(', ') } };
  // The framework's own endpoint for pictures resizes whatever it is given, in this thread: nothing here uses it.
  if (path.startsWith('/_image')) return { status: 404, code: 'nothing', sentence: 'There is nothing at this address.' };
  return undefined;
}

/** The path of a request, unescaped; undefined where it is none. */
export function pathOf({ url = '/' }) {
  if (url.length > 4096) return undefined;
  try {
    return decodeURIComponent(new URL(url, 'http://x').pathname);
  } catch {
    return undefined;
  }
}

/** What every other answer may do: nothing of its own. */
const BARE = "default-src 'none'; frame-ancestors 'none'; base-uri 'none'; form-action 'none'";
/** What scripts of workers may do, which take the policy of their own answer. */
const SCRIPTS = "default-src 'self'; script-src 'self' 'wasm-unsafe-eval'; connect-src 'self' data: blob:; worker-src 'self' blob:; frame-ancestors 'none'";

/**
 * The content security policy of every address as a header: of pages the one that the build wrote
 * into them (it knows their inline scripts by their hashes), with what only a header can say.
 */
export function policies(folder) {
  const pages = new Map();
  for (const entry of readdirSync(folder, { recursive: true, withFileTypes: true })) {
    if (!entry.isFile() || !entry.name.endsWith('.html')) continue;
    const file = join(entry.parentPath ?? entry.path, entry.name);
    const policy = /<meta http-equiv="content-security-policy" content="([^"]+)"/i.exec(readFileSync(file, 'utf8'))?.[1];
    const path = `/${relative(folder, file).replaceAll('\\', '/')}`.replace(/(\/?index)?\.html$/, '');
    if (policy) pages.set(path || '/', `${unescaped(policy).replace(/;?\s*$/, '')}; frame-ancestors 'none'`);
  }
  return (path) => pages.get(path === '/' ? '/' : path.replace(/\/$/, '').replace(/\.html$/, '')) ?? (/\.(m?js|wasm)$/.test(path) ? SCRIPTS : BARE);
}

const unescaped = (text) => text.replaceAll('&#39;', "'").replaceAll('&#x27;', "'").replaceAll('&quot;', '"').replaceAll('&amp;', '&');
