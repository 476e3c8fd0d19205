import { describe, expect, it } from 'vitest';
import { makeCourse, makeGround, orderForReceiver, receivers, stepUse, writeProject, type Course } from '@upland-cast/core';
import { framesOf, type Frame } from './frames';
import { carryOut } from './service';

const stays = new AbortController().signal;
const terrain = (samples: number): Course =>
  makeCourse('Fell', makeGround({ width: 2048, depth: 2048, across: samples, down: samples, registration: 'point', sea: 20 }), [
    stepUse('noise', { feature: 600, octaves: 5, height: 150 }),
    stepUse('talus', { repose: 30, sweeps: 40 }),
  ]);
const asked = (samples: number) => {
  const course = terrain(samples);
  const receiver = receivers.find((r) => r.id === 'power-of-two-plus-one')!;
  return [writeProject({ course, assets: new Map() }), JSON.stringify(orderForReceiver(receiver, course, samples))] as const;
};
const all = async (stream: ReadableStream<Uint8Array>) => {
  const out: Frame[] = [];
  for await (const frame of framesOf(stream)) out.push(frame);
  return out;
};
const bytesOf = (frames: Frame[]) => frames.flatMap((f) => (f.kind === 'bytes' ? [...f.bytes] : []));

describe('orders on the server', () => {
  it('are done one after the other; when three are there, the next is refused with a sentence, and taken later', async () => {
    const [project, order] = asked(129);
    const three = [1, 2, 3].map(() => carryOut(project, order, stays));
    expect(() => carryOut(project, order, stays)).toThrow(/busy with other work/);
    const done = await Promise.all(three.map(all));
    for (const frames of done) {
      expect(frames.at(-1)!.kind).toBe('docket');
      expect(frames.flatMap((f) => (f.kind === 'file' ? [f.file.name] : []))).toContain('fell-129.png');
    }
    expect(bytesOf(done[1])).toEqual(bytesOf(done[0]));
    expect((await all(carryOut(project, order, stays))).at(-1)!.kind).toBe('docket');
  });

  it('of a page that goes away end, whether under way or waiting, and the next are carried out', async () => {
    const [project, order] = asked(129);
    const heavy = carryOut(...asked(1025), stays);
    const gone = new AbortController();
    const waits = carryOut(project, order, gone.signal);
    const reader = heavy.getReader();
    expect((await reader.read()).done).toBe(false);
    await reader.cancel();
    gone.abort();
    // What went away while it waited is closed without another word.
    expect((await all(waits)).every((frame) => frame.kind === 'progress')).toBe(true);
    const next = await all(carryOut(project, order, stays));
    expect(next.at(-1)!.kind).toBe('docket');
    // Nobody waits any more: three are taken again.
    const three = [1, 2, 3].map(() => carryOut(project, order, stays));
    for (const frames of await Promise.all(three.map(all))) expect(frames.at(-1)!.kind).toBe('docket');
  });

  it('that cannot be carried out end with a sentence', async () => {
    const [project, order] = asked(129);
    const fault = async (...of: [Uint8Array<ArrayBuffer>, string]) => (await all(carryOut(...of, stays))).find((f) => f.kind === 'fault');
    expect(await fault(new Uint8Array(40), order)).toMatchObject({ sentence: expect.stringMatching(/not a project file/) as string });
    expect(await fault(project, '{')).toMatchObject({ code: 'order' });
    expect(await fault(project, order.replace('"samples":129', '"samples":130'))).toMatchObject({ sentence: expect.stringMatching(/130/) as string });
  });
});
