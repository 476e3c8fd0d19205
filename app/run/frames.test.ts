import { describe, expect, it } from 'vitest';
import { framesOf, frameToBytes, requestFromBytes, requestToBytes, type Frame } from './frames';

const frames: Frame[] = [
  { kind: 'progress', words: 'Working out', share: 0.25 },
  { kind: 'file', file: { name: 'a.png' }, size: 5 },
  { kind: 'bytes', bytes: Uint8Array.of(1, 2, 3, 4, 5) },
  { kind: 'docket', docket: { terrain: 'Fell' } },
  { kind: 'fault', code: 'x', sentence: 'It is not so.' },
];

/** A stream that comes in pieces of so many bytes. */
function inPieces(bytes: Uint8Array, size: number): ReadableStream<Uint8Array> {
  let at = 0;
  return new ReadableStream({
    pull(controller) {
      if (at >= bytes.length) return controller.close();
      controller.enqueue(bytes.slice(at, (at += size)));
    },
  });
}

const all = async (stream: ReadableStream<Uint8Array>) => {
  const out: Frame[] = [];
  for await (const frame of framesOf(stream)) out.push(frame);
  return out;
};

describe('frames between page and server', () => {
  const bytes = Uint8Array.from(frames.flatMap((f) => [...frameToBytes(f)]));

  it.each([1, 3, 7, 64, 10_000])('come as they were sent, in pieces of %i bytes', async (size) => {
    expect(await all(inPieces(bytes, size))).toEqual(frames);
  });

  it('that break off at any byte end with a sentence, or after a whole frame', async () => {
    const ends = new Set<number>([0]);
    let at = 0;
    for (const f of frames) ends.add((at += frameToBytes(f).length));
    for (let cut = 0; cut < bytes.length; cut++) {
      const read = all(inPieces(bytes.slice(0, cut), 11));
      if (ends.has(cut)) await read;
      else await expect(read, `cut at ${cut}`).rejects.toThrow(/broke off/);
    }
  });

  it('of an order carry it and the project behind it', () => {
    const project = Uint8Array.of(80, 75, 3, 4);
    expect(requestFromBytes(requestToBytes('{"ö":1}', project))).toEqual({ order: '{"ö":1}', project });
    expect(requestFromBytes(Uint8Array.of(1, 2))).toBeNull();
    expect(requestFromBytes(Uint8Array.of(255, 255, 255, 255, 0, 0))).toBeNull();
  });
});
