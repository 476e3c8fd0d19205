import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';

/** A folder for files that go through other programs; removed by `done`. */
export function scratch(): { path: (name: string) => string; done: () => void } {
  const folder = mkdtempSync(join(tmpdir(), 'upland-'));
  return { path: (name) => join(folder, name), done: () => rmSync(folder, { recursive: true, force: true }) };
}

export function run(command: string, args: string[], input?: string): string {
  return execFileSync(command, args, { encoding: 'utf8', input, stdio: ['pipe', 'pipe', 'pipe'], maxBuffer: 1 << 28 });
}

const CLI = resolve('cli/bin/upland-cast.mjs');

/** Runs the command; resolves to what it printed and how it ended. */
export function uplandCast(...args: string[]): { status: number; out: string; words: string } {
  try {
    return {
      status: 0,
      out: execFileSync(process.execPath, [CLI, ...args], { encoding: 'utf8', stdio: ['ignore', 'pipe', 'pipe'], maxBuffer: 1 << 28 }),
      words: '',
    };
  } catch (error) {
    const { status, stdout, stderr } = error as { status: number; stdout: string; stderr: string };
    return { status, out: stdout, words: stderr };
  }
}

/** Runs the command and parses the one JSON object that it prints. */
export function uplandJson<T = Record<string, never>>(...args: string[]): T {
  const { status, out, words } = uplandCast(...args, '--json');
  if (status !== 0) throw new Error(`upland-cast ${args.join(' ')}: ${words}`);
  return JSON.parse(out) as T;
}

export const readBytes = (path: string): Uint8Array<ArrayBuffer> => Uint8Array.from(readFileSync(path));
export const save = (path: string, bytes: Uint8Array | string): void => writeFileSync(path, bytes);

/** Every sample of a raster, in float64, as GDAL reads it. */
export function gdalSamples(path: string): Float64Array {
  const out = `${path}.gdal.bin`;
  run('gdal_translate', ['-q', '-ot', 'Float64', '-of', 'ENVI', path, out]);
  return new Float64Array(readBytes(out).buffer);
}

/** The Python that Debian's numpy, scipy and scikit-image belong to. */
export const python = (program: string, ...args: string[]): string => run('/usr/bin/python3', ['-c', program, ...args]);
