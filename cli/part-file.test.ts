import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { lstatSync, readdirSync, symlinkSync } from 'node:fs';
import { dirname } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { encode, readMeshFiles } from '@upland-cast/core';
import { groundOf, hills, range } from '../tests/helpers/grounds';
import { readBytes, save, scratch, uplandCast, uplandJson } from '../tests/helpers/outside';
import { PartFile } from './part-file';

const { path, done } = scratch();
afterAll(done);
const names = () => readdirSync(dirname(path('x'))).sort();
const bytes = (text: string) => new TextEncoder().encode(text);

const land = hills(groundOf(301, 201, 4), 8);

beforeAll(async () => {
  save(path('f.tif'), (await encode(land, { format: 'tiff', type: 'f32' })).bytes);
});

describe('a file in the making', () => {
  it('is read while it grows, and has its name only once it is kept', () => {
    save(path('a.txt'), bytes('before'));
    const file = new PartFile(path('a.txt'));
    file.append(bytes('one '));
    file.append(bytes('two'));
    expect(new TextDecoder().decode(file.bytes(2, 100))).toBe('e two');
    file.write(0, bytes('TEN'));
    expect(new TextDecoder().decode(readBytes(path('a.txt')))).toBe('before');
    file.keep();
    file.drop();
    expect(new TextDecoder().decode(readBytes(path('a.txt')))).toBe('TEN two');
    const other = new PartFile(path('a.txt'));
    other.append(bytes('half'));
    other.drop();
    expect(new TextDecoder().decode(readBytes(path('a.txt')))).toBe('TEN two');
    expect(names().filter((name) => name.includes('.part'))).toEqual([]);
    expect(PartFile.isFor(dirname(path('a.txt')))).toBe(false);
    expect(() => new PartFile(path('no/such/a.txt'))).toThrow(/cannot be written/);
    expect(process.listenerCount('SIGTERM')).toBe(0);
  });
});

describe('a mesh as text, from heights to the file', () => {
  it('has every level under its own name, links are followed, and the mesh reads back', async () => {
    const sea = (range(land.height)[0] + range(land.height)[1]) / 2;
    symlinkSync(path('behind.obj'), path('link.obj'));
    save(path('behind.obj'), bytes('what was there'));
    const said = uplandJson('mesh', path('f.tif'), path('link.obj'), '--levels', '2', '--sea', String(sea)) as {
      bytes: number;
      faces: number;
      levels: { faces: number; bytes: number }[];
    };
    expect(lstatSync(path('link.obj')).isSymbolicLink()).toBe(true);
    const mesh = await readMeshFiles([{ name: 'link.obj', bytes: readBytes(path('behind.obj')) }]);
    expect(mesh.indices.length / 3).toBe(said.faces);
    const material = readBytes(path('link.mtl')).length;
    expect(said.bytes).toBe(readBytes(path('behind.obj')).length + material);
    for (const [k, level] of said.levels.entries()) {
      const name = `link-level-${k + 1}.obj`;
      expect(level.bytes).toBe(readBytes(path(name)).length + material);
      expect((await readMeshFiles([{ name, bytes: readBytes(path(name)) }])).indices.length / 3).toBe(level.faces);
    }
    expect(names().filter((name) => name.includes('.part'))).toEqual([]);
  });

  it('leaves nothing half where it is refused or stopped', async () => {
    save(path('large.tif'), (await encode(hills(groundOf(1001, 801, 4), 8), { format: 'tiff', type: 'f32' })).bytes);
    const before = names();
    expect(uplandCast('mesh', path('f.tif'), path('no/such/o.obj')).words).toMatch(/cannot be written/);
    expect(names()).toEqual(before);
    for (const signal of ['SIGINT', 'SIGTERM'] as const) {
      const work = spawn(process.execPath, ['cli/bin/upland-cast.mjs', 'mesh', path('large.tif'), path('stopped.obj')], { stdio: 'ignore' });
      const ended = once(work, 'exit');
      while (!names().some((name) => name.startsWith('stopped.obj.')) && work.exitCode === null) await pause(2);
      work.kill(signal);
      await ended;
      expect(names()).toEqual(before);
    }
  });
});
