import { pathToFileURL } from 'node:url';
import { resolve } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { localWriter, type Encoding, type Field, type Writer } from '@upland-cast/core';
import { groundOf, hills } from '../tests/helpers/grounds';
import { save, scratch } from '../tests/helpers/outside';
import { writerOn } from './writing';

const { path, done } = scratch();
afterAll(done);
const built = pathToFileURL(resolve('cli/dist/writer-worker.mjs'));
const land = hills(groundOf(129, 97, 8), 4);
const encoding: Encoding = { format: 'png', type: 'u16', range: { low: 0, high: 1000 } };

/** A map and what it is drawn from; what is drawn is given away. */
const slopes = (): Parameters<Writer['map']>[1] => ({ field: { ...land, height: land.height.slice() }, low: 0, high: 1000, unit: '°', depth: '8', words: [] });

/** A file that stands for the built worker. */
function script(name: string, text: string): URL {
  save(path(name), text);
  return pathToFileURL(path(name));
}

describe('writing on a thread of its own', () => {
  it('gives the files and the proofs of writing here, each to whoever asked for it', async () => {
    const { writer, close } = writerOn(built);
    const [heights, maps, again] = await Promise.all([
      writer.heights(land, 'h.png', encoding),
      writer.map({ kind: 'slope', depth: '8' }, slopes(), 'h'),
      writer.heights(land, 'other.png', { ...encoding, range: { low: -50, high: 1200 } }),
    ]);
    const here = await localWriter.heights(land, 'h.png', encoding);
    expect(Buffer.compare(heights.bytes, here.bytes)).toBe(0);
    expect(heights.proof).toEqual(here.proof);
    const [drawn] = await localWriter.map({ kind: 'slope', depth: '8' }, slopes(), 'h');
    expect(maps.map(({ name }) => name)).toEqual([drawn.name]);
    expect(Buffer.compare(maps[0].bytes, drawn.bytes)).toBe(0);
    expect(again.name).toBe('other.png');
    expect(again.proof.sha256).not.toBe(heights.proof.sha256);
    close();
  });

  it('passes on why a file was refused, and goes on', async () => {
    const { writer, close } = writerOn(built);
    await expect(writer.heights(land, 'h.png', { format: 'png', type: 'f32' })).rejects.toThrow(/PNG is not written with f32 samples/);
    expect((await writer.heights(land, 'h.png', encoding)).proof.ok).toBe(true);
    close();
  });

  it('says that the thread ended to all who wait, and begins another for the next', async () => {
    const field: Field = land;
    const { writer, close } = writerOn(script('ends.mjs', "throw new Error('out of memory');"));
    const asked = [writer.heights(field, 'a.png', encoding), writer.heights(field, 'b.png', encoding)];
    for (const one of asked) await expect(one).rejects.toThrow('The thread that writes files ended: out of memory');
    await expect(writer.heights(field, 'c.png', encoding)).rejects.toThrow(/ended/);
    close();
  });

  it('hears of a thread that leaves without a word', async () => {
    const { writer, close } = writerOn(
      script('leaves.mjs', "import { parentPort } from 'node:worker_threads';\nparentPort.once('message', () => process.exit(3));"),
    );
    await expect(writer.heights(land, 'a.png', encoding)).rejects.toThrow(/ended/);
    close();
  });
});
