import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { existsSync, lstatSync, readdirSync, symlinkSync } from 'node:fs';
import { dirname } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { encode } from '@upland-cast/core';
import { groundOf, hills } from '../tests/helpers/grounds';
import { readBytes, save, scratch, uplandCast, uplandJson } from '../tests/helpers/outside';

const { path, done } = scratch();
afterAll(done);
const land = hills(groundOf(300, 257, 4), 8);
const names = () => readdirSync(dirname(path('x')));

beforeAll(async () => {
  save(path('f.tif'), (await encode(land, { format: 'tiff', type: 'f32' })).bytes);
  save(path('c.tif'), (await encode(land, { format: 'tiff', type: 'u16', range: { low: 0, high: 1000 } })).bytes);
  const holed = { ...land, valid: Uint8Array.from(land.height, (_, i) => (i % 5000 === 7 ? 0 : 1)) };
  save(path('holed.tif'), (await encode(holed, { format: 'tiff', type: 'f32' })).bytes);
});

describe('from file to file by rows', () => {
  // With --as the file is read whole.
  it.each([
    ['derive', 'f.tif', '--map', 'slope'],
    ['derive', 'c.tif', '--map', 'hillshade', '--set', 'altitude=20'],
    ['derive', 'holed.tif', '--map', 'slope'],
    ['convert', 'f.tif', '--shift', '12.25'],
    ['convert', 'f.tif', '--depth', '16'],
    ['convert', 'c.tif', '--depth', '8', '--shift', '1'],
    ['convert', 'c.tif', '--size', '411x380', '--filter', 'lanczos', '--depth', '32f'],
    ['convert', 'c.tif', '--size', '150x100', '--filter', 'average'],
    ['convert', 'holed.tif', '--shift', '2'],
  ])('gives the file and the words of working on all of it: %s %s %s %s', (command, input, ...flags) => {
    const byRows = uplandJson(command, path(input), path('r.tif'), ...flags);
    const whole = uplandJson(command, path(input), path('w.tif'), ...flags, '--as', 'tiff');
    expect(readBytes(path('r.tif'))).toEqual(readBytes(path('w.tif')));
    expect(byRows).toEqual({ ...whole, out: path('r.tif') });
  });

  it.each([
    ['convert', 'f.tif', 'png'],
    ['convert', 'f.tif', 'png', '--depth', '8', '--out-range', '0:900'],
    ['convert', 'f.tif', 'tif', '--out-as', 'tiff:deflate'],
    ['convert', 'c.tif', 'tif', '--out-as', 'tiff:deflate', '--shift', '3'],
    ['convert', 'holed.tif', 'tif', '--out-as', 'tiff:deflate'],
    ['derive', 'c.tif', 'png', '--map', 'hillshade'],
    ['convert', 'c.tif', 'png', '--size', '411x380', '--out-range', '0:1100'],
  ])('gives it packed as well: %s %s to %s %s %s %s', (command, input, ending, ...flags) => {
    const byRows = uplandJson(command, path(input), path(`r.${ending}`), ...flags);
    const whole = uplandJson(command, path(input), path(`w.${ending}`), ...flags, '--as', 'tiff');
    expect(Buffer.compare(readBytes(path(`r.${ending}`)), readBytes(path(`w.${ending}`)))).toBe(0);
    expect(byRows).toEqual({ ...whole, out: path(`r.${ending}`) });
  });

  it.each([
    ['convert', '--range', '100:900', '--depth', '32f'],
    ['convert', '--range', '100:900', '--shift', '2'],
    ['derive', '--map', 'slope', '--range', '0:1000', '--spacing', '4'],
  ])('reads a grey PNG as working on all of it does: %s %s %s %s %s', async (command, ...flags) => {
    save(path('g.png'), (await encode(land, { format: 'png', type: 'u16', range: { low: 0, high: 1000 } })).bytes);
    const byRows = uplandJson(command, path('g.png'), path('r.tif'), ...flags);
    const whole = uplandJson(command, path('g.png'), path('w.tif'), ...flags, '--as', 'png');
    expect(readBytes(path('r.tif'))).toEqual(readBytes(path('w.tif')));
    expect(byRows).toEqual({ ...whole, out: path('r.tif') });
  });

  it('refuses a PNG that is cut short or damaged, and leaves nothing half', async () => {
    const { bytes } = await encode(land, { format: 'png', type: 'u16', range: { low: 0, high: 1000 } });
    const spoilt = bytes.slice();
    spoilt[bytes.length >> 1] ^= 32;
    save(path('spoilt.png'), spoilt);
    save(path('cut.png'), bytes.slice(0, bytes.length >> 1));
    const before = names();
    for (const input of ['spoilt.png', 'cut.png']) {
      const { status, words } = uplandCast('convert', path(input), path('none.tif'), '--range', '0:1000', '--depth', '32f');
      expect(status, input).toBe(1);
      expect(words, input).toMatch(/damaged|cut short/);
    }
    expect(names()).toEqual(before);
  });

  it('writes over the file that it reads', () => {
    save(path('same.tif'), readBytes(path('f.tif')));
    uplandJson('convert', path('same.tif'), path('same.tif'), '--shift', '5');
    uplandJson('convert', path('f.tif'), path('moved.tif'), '--shift', '5');
    expect(readBytes(path('same.tif'))).toEqual(readBytes(path('moved.tif')));
    // By a link, what it leads to.
    symlinkSync(path('same.tif'), path('link.tif'));
    uplandJson('convert', path('f.tif'), path('link.tif'), '--shift', '7');
    expect(lstatSync(path('link.tif')).isSymbolicLink()).toBe(true);
    uplandJson('convert', path('f.tif'), path('moved.tif'), '--shift', '7');
    expect(readBytes(path('same.tif'))).toEqual(readBytes(path('moved.tif')));
  });

  it('refuses what is wrong with the words of working on all of it, and leaves nothing half', () => {
    const bytes = readBytes(path('f.tif'));
    save(path('cut.tif'), bytes.slice(0, 200_000));
    save(path('short.tif'), bytes.slice(0, 60));
    save(path('kept.tif'), 'what was there before');
    const before = names();
    for (const input of ['cut.tif', 'short.tif', 'none.tif']) {
      const result = uplandCast('derive', path(input), path('kept.tif'), '--map', 'slope');
      expect(result.status).toBe(1);
      expect(result.words).toBe(uplandCast('derive', path(input), path('kept.tif'), '--map', 'slope', '--as', 'tiff').words);
    }
    expect(new TextDecoder().decode(readBytes(path('kept.tif')))).toBe('what was there before');
    expect(uplandCast('convert', path('f.tif'), path('no/such/o.tif')).words).toMatch(/cannot be written/);
    expect(names()).toEqual(before);
  });

  it.each([
    ['SIGINT', 'large.tif', []],
    ['SIGTERM', 'large.tif', []],
    ['SIGINT', 'large.png', ['--out-range', '0:1000']],
  ] as const)('leaves nothing half when it is stopped by %s: %s', async (signal, out, flags) => {
    const command = ['cli/bin/upland-cast.mjs', 'convert', path('f.tif'), path(out), '--size', '8000x8000', ...flags];
    const work = spawn(process.execPath, command, { stdio: 'ignore' });
    const ended = once(work, 'exit');
    while (!names().some((name) => name.startsWith(`${out}.`)) && work.exitCode === null) await pause(5);
    work.kill(signal);
    await ended;
    expect(names().filter((name) => name.startsWith('large'))).toEqual([]);
    expect(existsSync(path(out))).toBe(false);
  });
});
