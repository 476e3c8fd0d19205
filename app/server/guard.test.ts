import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { allowedHosts, pathOf, policies, refusedBy } from './guard.mjs';

const hosts = allowedHosts(4600, '127.0.0.1', 'fell.example, other.example:8080');
const asked = (method: string, url: string, headers: Record<string, string> = {}) =>
  refusedBy({ method, url, headers: { host: 'localhost:4600', ...headers } }, hosts);

describe('what is looked at of every request', () => {
  it('lets the application’s own pages through, under its own names and those that it was given', () => {
    for (const host of ['127.0.0.1:4600', 'localhost:4600', '[::1]:4600', 'fell.example', 'other.example:8080'])
      expect(asked('GET', '/', { host })).toBeUndefined();
    expect(asked('POST', '/api/run', { origin: 'http://localhost:4600' })).toBeUndefined();
    expect(asked('HEAD', '/terrain?id=1')).toBeUndefined();
  });

  it.each([
    ['another name', 'GET', '/', { host: 'evil.example' }, 421],
    ['another port', 'GET', '/', { host: 'localhost:81' }, 421],
    ['a page of another site', 'GET', '/api/health', { origin: 'http://evil.example' }, 403],
    ['an origin of nothing', 'GET', '/api/health', { origin: 'null' }, 403],
    ['a picture on another site', 'GET', '/api/survey/tiles/0/0/0', { 'sec-fetch-site': 'cross-site' }, 403],
    ['reading an order', 'GET', '/api/run', {}, 405],
    ['sending to a page', 'POST', '/', {}, 405],
    ['deleting', 'DELETE', '/api/health', {}, 405],
    ['the framework’s pictures', 'GET', '/_image?href=/x&w=9999', {}, 404],
    ['the framework’s pictures, escaped', 'GET', '/%5Fimage?href=/x', {}, 404],
    ['an address that cannot be read', 'GET', '/%E0%A4%A', {}, 400],
    ['an address without an end', 'GET', `/${'a'.repeat(5000)}`, {}, 400],
  ] as [string, string, string, Record<string, string>, number][])('refuses %s', (_, method, url, headers, status) => {
    const refused = asked(method, url, headers)!;
    expect(refused.status).toBe(status);
    expect(refused.sentence).toMatch(/^[A-Z].*\.$/);
    if (status === 405) expect(refused.headers).toHaveProperty('Allow');
  });

  it('bound to every address it is asked by no name but those that it was given', () => {
    expect(allowedHosts(80, '0.0.0.0').has('0.0.0.0')).toBe(false);
    expect(allowedHosts(80, 'fell.example').has('fell.example:80')).toBe(true);
    expect(pathOf({ url: '/a%20b?c' })).toBe('/a b');
  });

  it('gives every page the policy that the build wrote into it, scripts theirs, and all else none', () => {
    const folder = mkdtempSync(join(tmpdir(), 'upland-pages-'));
    mkdirSync(join(folder, 'help'));
    writeFileSync(join(folder, 'index.html'), `<meta http-equiv="content-security-policy" content="default-src 'self'; script-src 'self' 'sha256-a'">`);
    writeFileSync(join(folder, 'help', 'index.html'), `<meta http-equiv="content-security-policy" content="default-src &#39;self&#39;;">`);
    const policyOf = policies(folder);
    expect(policyOf('/')).toBe("default-src 'self'; script-src 'self' 'sha256-a'; frame-ancestors 'none'");
    expect(policyOf('/help/')).toBe("default-src 'self'; frame-ancestors 'none'");
    expect(policyOf('/_astro/engine.worker-x.js')).toContain("'wasm-unsafe-eval'");
    expect(policyOf('/api/health')).toMatch(/^default-src 'none'/);
    rmSync(folder, { recursive: true });
  });
});
