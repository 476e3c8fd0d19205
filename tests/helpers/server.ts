import { spawn, type ChildProcess } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { request } from 'node:http';
import { freePort } from './application';

/** The built server on a port of its own, without a browser. */
export async function startServer(env: Record<string, string> = {}): Promise<{ address: string; port: number; process: ChildProcess; stop(): void }> {
  const port = await freePort();
  const child = spawn(process.execPath, ['app/server/main.mjs'], {
    env: { ...process.env, PORT: String(port), ...env },
    stdio: ['ignore', 'ignore', 'inherit'],
  });
  const address = `http://127.0.0.1:${port}`;
  for (let tries = 0; tries < 100; tries++) {
    const there = await fetch(`${address}/api/health`).then(
      (r) => r.ok,
      () => false,
    );
    if (there) break;
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  return { address, port, process: child, stop: () => void child.kill() };
}

/** Bytes that a process holds now (Linux). */
export const memoryOf = ({ pid }: ChildProcess): number => 1024 * Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))![1]);

export interface Answered {
  what: string;
  status: number;
  /** Milliseconds until the head of the answer came, and until its end. */
  took: number;
  ended: number;
  bytes: number;
  retryAfter?: string;
}

/** One request on a connection of its own; status 0 where there was no answer. */
export function ask(port: number, what: string, method: string, path: string, headers: Record<string, string> = {}, body?: Uint8Array): Promise<Answered> {
  const began = performance.now();
  return new Promise((resolve) => {
    const out: Answered = { what, status: 0, took: Infinity, ended: Infinity, bytes: 0 };
    const own = request(
      { host: '127.0.0.1', port, method, path, headers: { ...headers, ...(body ? { 'Content-Length': String(body.length) } : {}) }, agent: false },
      (response) => {
        out.status = response.statusCode ?? 0;
        out.took = performance.now() - began;
        out.retryAfter = response.headers['retry-after'];
        response.on('data', (part: Buffer) => (out.bytes += part.length));
        response.on('close', () => {
          out.ended = performance.now() - began;
          resolve(out);
        });
      },
    );
    own.on('error', () => resolve(out));
    own.end(body);
  });
}
