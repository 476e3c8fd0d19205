import { expose } from 'comlink';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import {
  buffersOfWritten,
  evaluate,
  defaultCover,
  inlineKernels,
  makeCourse,
  makeGround,
  orderForReceiver,
  performWriteTask,
  readHeightmap,
  receivers,
  StageCache,
  StoppedError,
  stepUse,
  UplandError,
  type Course,
  type Order,
  type WriteTask,
} from '@upland-cast/core';
import { frameToBytes } from '../../run/frames';
import { carryOut as onServer } from '../../run/service';
import { arrivedFile, carryOut, distanceAtSamples, distanceOfOrder, mapDrape, orderCost, rangesIn, trial } from './export-service';

const ground = makeGround({ width: 1024, depth: 1024, across: 129, down: 129, registration: 'point', sea: 210 });
const terrain: Course = makeCourse('Høst Fell', ground, [
  stepUse('noise', { feature: 400, octaves: 5, height: 160, level: 250 }, { id: 'base' }),
  stepUse('talus', { repose: 32, sweeps: 20 }, { id: 'scree' }),
]);
const kernels = inlineKernels();
const tools = () => ({ kernels, cache: new StageCache(64 * 1024 * 1024) });
const stays = () => new AbortController().signal;
const begun = (id: string, samples = 129, course = terrain): Order =>
  orderForReceiver(
    receivers.find((r) => r.id === id)!,
    course,
    samples,
  );
const given = { onServer: false, spotsBefore: {}, relief: async () => '' };
const silent = () => undefined;

/** A thread of the page that writes files, in this one. `endsAfter`: it ends after so many tasks. */
class WritingThread {
  static begun = 0;
  static tasks = 0;
  static endsAfter = Infinity;
  private readonly ways = new MessageChannel();
  private readonly onError: (() => void)[] = [];
  constructor() {
    WritingThread.begun++;
    expose(
      {
        write: async (task: WriteTask) => {
          if (WritingThread.tasks++ === WritingThread.endsAfter) {
            this.onError.forEach((heard) => heard());
            return new Promise(() => undefined);
          }
          const written = await performWriteTask(task);
          expect(buffersOfWritten(written).length).toBeGreaterThan(0);
          return written;
        },
      },
      this.ways.port2,
    );
    this.ways.port1.start();
    this.ways.port2.start();
  }
  addEventListener(kind: string, heard: (event: MessageEvent) => void): void {
    if (kind === 'error') this.onError.push(() => heard({} as MessageEvent));
    else this.ways.port1.addEventListener('message', heard as unknown as EventListener);
  }
  removeEventListener(_: string, heard: (event: MessageEvent) => void): void {
    this.ways.port1.removeEventListener('message', heard as unknown as EventListener);
  }
  postMessage(message: unknown, buffers: ArrayBuffer[]): void {
    this.ways.port1.postMessage(message, buffers);
  }
  terminate(): void {
    this.ways.port1.close();
  }
}

beforeEach(() => {
  WritingThread.begun = WritingThread.tasks = 0;
  WritingThread.endsAfter = Infinity;
  vi.stubGlobal('Worker', WritingThread);
});
afterEach(() => void vi.unstubAllGlobals());

const handOn = (order: Order, course = terrain, signal = stays(), onWork: (words: string, share: number) => void = silent) =>
  carryOut(tools(), course, order, given, onWork, signal);
const bytesOf = async (blob: Blob | undefined) => new Uint8Array(await blob!.arrayBuffer());

describe('what an order will cost', () => {
  it('says samples, spacing, range and metres a code before anything is written', async () => {
    const cost = await orderCost(tools(), terrain, begun('power-of-two-plus-one'), stays());
    expect(cost).toMatchObject({ across: 129, down: 129, spacing: 8, workedAt: [129, 129], holes: 0, strip: 0, clipped: 0 });
    expect(cost.sampling).toBeUndefined();
    const { low, high } = cost.range!;
    expect(low).toBeLessThanOrEqual(cost.statistics.lowest);
    expect(high).toBeGreaterThanOrEqual(cost.statistics.highest);
    expect(cost.metresPerCode).toBeCloseTo((high - low) / 65_535, 6);
    expect(cost.codes).toBeGreaterThan(60_000);
    expect(cost.codes).toBeLessThanOrEqual(65_536);
  });

  it('says of other samples how they come about', async () => {
    const cost = await orderCost(tools(), terrain, begun('power-of-two-plus-one', 257), stays());
    expect(cost.workedAt).toEqual([257, 257]);
    expect(cost.sampling).toBeDefined();
    const worked = await distanceOfOrder(tools(), terrain, begun('power-of-two-plus-one', 257), stays());
    expect(worked!.maxAbs).toBeGreaterThan(0);
    const laidOut = await distanceAtSamples(tools(), terrain, { ...ground, across: 257, down: 257 }, stays());
    expect(laidOut!.rmse).toBeLessThan(worked!.maxAbs + 20);
  });

  it('shows the strip that a receiver would add where it does not take the count', async () => {
    const cost = await orderCost(tools(), terrain, begun('power-of-two-plus-one', 120), stays());
    expect(cost.strip).toBe(9);
    expect(cost.picture!.pixels.length).toBe(4 * cost.picture!.width * cost.picture!.height);
    expect(cost.metresPerCode).toBe(0);
  });

  it('says of a block world how much lies under water, and of a print how large it is', async () => {
    const blocks = await orderCost(tools(), terrain, begun('block-world', 128), stays());
    expect(blocks.words.at(-1)).toMatch(/^[\d.]+ % of it lies under water\. Blocks are [\d.]+ m\.$/);
    expect(blocks.picture).toBeDefined();
    const print = await orderCost(tools(), terrain, begun('printed-model'), stays());
    expect(print.toTypeIn).toHaveLength(1);
    expect(print.toTypeIn[0].value).toMatch(/^[\d.]+ × [\d.]+ × [\d.]+ mm$/);
  });

  it('is measured on the end that is known, where that is handed on', async () => {
    const known = await evaluate({ ...terrain, stem: [stepUse('flat', { level: 17 })] }, tools());
    const order = begun('power-of-two-plus-one');
    const cost = (source: Order['grounds'][number]) => orderCost(tools(), terrain, { ...order, grounds: [source] }, stays(), known);
    expect((await cost({ kind: 'end' })).statistics).toMatchObject({ lowest: 17, highest: 17 });
    const base = await cost({ kind: 'step', id: 'base' });
    expect(base.statistics.highest).toBeGreaterThan(base.statistics.lowest);
  });

  it('has one range over all grounds of an order where that is asked for', async () => {
    const order = begun('power-of-two-plus-one');
    const two: Order = { ...order, grounds: [{ kind: 'end' }, { kind: 'step', id: 'base' }], height: { ...order.height, oneRange: true } };
    const cost = await orderCost(tools(), terrain, two, stays());
    expect(cost.over.lowest).toBeLessThanOrEqual(cost.statistics.lowest);
    expect(cost.over.highest).toBeGreaterThanOrEqual(cost.statistics.highest);
  });
});

describe('a delivery from the page', () => {
  it('is one file where one is asked for, another program’s samples, and a bundle where there are more', async () => {
    const order = begun('power-of-two-plus-one');
    const plain = await handOn({ ...order, docket: false, maps: [] });
    expect(plain.name).toBe(plain.files[0].name);
    expect(plain.name).toMatch(/st-fell-129\.png$/);
    const read = await readHeightmap(await bytesOf(plain.blob));
    expect([read.width, read.height]).toEqual([129, 129]);
    const bundled = await handOn(order);
    expect(bundled.mediaType).toBe('application/zip');
    expect([...(await bytesOf(bundled.blob)).subarray(0, 2)]).toEqual([0x50, 0x4b]);
    expect(bundled.docketHtml).toContain('<html');
    expect(JSON.parse(bundled.docketJson)).toBeTruthy();
    expect(bundled.files.map((f) => f.role)).toContain('heights');
    expect(await bytesOf(bundled.files[0].blob)).toEqual(await bytesOf(plain.blob));
  });

  it('tells how far it is, and ends when it is stopped', async () => {
    const heard: number[] = [];
    await handOn(begun('power-of-two-plus-one'), terrain, stays(), (_, share) => heard.push(share));
    expect(heard.length).toBeGreaterThan(1);
    expect(heard.every((share) => share >= 0 && share <= 1)).toBe(true);
    const stop = new AbortController();
    const going = handOn(begun('power-of-two-plus-one'), terrain, stop.signal, () => stop.abort());
    await expect(going).rejects.toThrow(StoppedError);
  });

  it('begins again, once, where the thread that writes files ends', async () => {
    WritingThread.endsAfter = 0;
    const words: string[] = [];
    const again = handOn(begun('power-of-two-plus-one'), terrain, stays(), (said) => words.push(said));
    expect((await again).files.length).toBeGreaterThan(0);
    expect(WritingThread.begun).toBe(2);
    expect(words).toContain('The thread that writes files ended; it is begun again');
  });

  it('goes into a file on disk, of which nothing is left where the disk is full', async () => {
    const pieces: number[] = [];
    let aborted = 0;
    const handle = (full: boolean) => ({
      name: 'fell.zip',
      createWritable: async () => ({
        write: async (piece: Uint8Array) => {
          if (full) throw new DOMException('There is no space left', 'QuotaExceededError');
          pieces.push(piece.length);
        },
        close: async () => undefined,
        abort: async () => void aborted++,
      }),
    });
    const into = (full: boolean) =>
      carryOut(tools(), terrain, begun('power-of-two-plus-one'), { ...given, handle: handle(full) as unknown as FileSystemFileHandle }, silent, stays());
    const done = await into(false);
    expect(done).toMatchObject({ written: 'fell.zip', blob: undefined });
    expect(pieces.reduce((sum, n) => sum + n, 0)).toBeGreaterThan(10_000);
    await expect(into(true)).rejects.toMatchObject({ code: 'disk-full' });
    expect(aborted).toBe(1);
  });
});

describe('a delivery from the server', () => {
  const answering = (answer: () => Response | Promise<Response>) => vi.stubGlobal('fetch', async () => answer());
  const there = () => carryOut(tools(), terrain, begun('power-of-two-plus-one'), { ...given, onServer: true }, silent, stays());

  it('has the same bytes as one from the page', async () => {
    vi.stubGlobal('fetch', async (_: string, { body }: { body: Uint8Array<ArrayBuffer> }) => {
      const length = new DataView(body.buffer, body.byteOffset).getUint32(0, true);
      const order = new TextDecoder().decode(body.subarray(4, 4 + length));
      return new Response(onServer(body.slice(4 + length), order, stays()) as ReadableStream<Uint8Array<ArrayBuffer>>);
    });
    const far = await there();
    const near = await handOn(begun('power-of-two-plus-one'));
    const heights = (done: typeof far) => done.files.find((f) => f.role === 'heights')!;
    expect(heights(far).name).toBe(heights(near).name);
    expect(await bytesOf(heights(far).blob)).toEqual(await bytesOf(heights(near).blob));
  });

  it('says in a sentence what is wrong there', async () => {
    answering(() => Response.json({ sentence: 'The server is busy with other work.' }, { status: 503 }));
    await expect(there()).rejects.toThrow('The server is busy with other work.');
    answering(() => new Response('<html>', { status: 502 }));
    await expect(there()).rejects.toThrow('The server answered with 502.');
    answering(() => Promise.reject(new TypeError('connection refused')));
    await expect(there()).rejects.toThrow(/The server did not answer/);
    answering(() => new Response(frameToBytes({ kind: 'fault', code: 'step', sentence: 'The step cannot be done.' })));
    await expect(there()).rejects.toMatchObject({ code: 'step', message: 'The step cannot be done.' });
    answering(() => new Response(frameToBytes({ kind: 'progress', words: 'Noise', share: 0.5 })));
    await expect(there()).rejects.toThrow('The server’s answer broke off. Nothing was handed on.');
  });
});

describe('a trial reading', () => {
  it('asks for something to read first', async () => {
    await expect(handOn(begun('power-of-two-plus-one'), terrain, AbortSignal.abort())).rejects.toThrow();
    await expect(trial({})).rejects.toThrow(UplandError);
  });

  it('reads what was written as it is, and wrongly as it is told', async () => {
    await handOn(begun('power-of-two-plus-one'));
    const right = await trial({});
    expect(right.symptoms).toEqual([]);
    expect(right.hasNormal).toBe(false);
    expect(right.meanSlope).toBeCloseTo(right.trueSlope, 1);
    const swapped = await trial({ order: 'be', type: 'u16' });
    expect(right.got.pixels).not.toEqual(swapped.got.pixels);
    const told = await trial({ range: { low: 0, high: 3000 } });
    expect(told.highest).toBeGreaterThan(right.highest * 3);
    expect(told.symptoms.length).toBeGreaterThan(0);
    expect((await arrivedFile({})).name).toMatch(/ as it arrives\.tif$/);
    const file = await arrivedFile({ mirrored: true });
    expect(file.name).toMatch(/ misread\.tif$/);
    expect((await readHeightmap(file.bytes)).width).toBe(129);
  });

  it('reads normals as colour, and with their green turned over', async () => {
    const order = begun('power-of-two-plus-one');
    await handOn({ ...order, maps: [{ kind: 'normal', space: 'tangent', green: 'up', bits: 8 }] });
    const asIs = await trial({});
    expect(asIs.hasNormal).toBe(true);
    const turned = await trial({ greenTurned: true });
    expect(turned.symptoms.length).toBeGreaterThan(0);
    expect(turned.truth.pixels).not.toEqual(turned.got.pixels);
  });
});

describe('a map laid over the ground', () => {
  it('is the ground, its colours, its weights or a grey picture with its legend', async () => {
    const lay = (spec: Parameters<typeof mapDrape>[3], whole = false) =>
      mapDrape(tools(), { ...terrain, cover: defaultCover() }, { kind: 'end' }, spec, stays(), { whole });
    expect(await lay({ kind: 'ground' })).toMatchObject({ rgb: null, legend: null, words: [] });
    const slope = await lay({ kind: 'slope', depth: '16' }, true);
    expect(slope.legend!.unit).toBe('°');
    expect(slope.rgb!.length).toBe(4 * 129 * 129);
    const colour = await lay({ kind: 'colour' });
    expect(new Set(colour.rgb!).size).toBeGreaterThan(20);
    const weights = await lay({ kind: 'weights', bits: 8 });
    expect(weights.words[0]).toMatch(/^ground/);
  });

  it('is made of the end that is known, where it is made of its heights alone', async () => {
    const known = await evaluate({ ...terrain, stem: [stepUse('flat', { level: 17 })] }, tools());
    const lay = (spec: Parameters<typeof mapDrape>[3], end = known) =>
      mapDrape(tools(), { ...terrain, cover: defaultCover() }, { kind: 'end' }, spec, stays(), { known: end });
    expect((await lay({ kind: 'ground' })).statistics).toMatchObject({ lowest: 17, highest: 17 });
    expect((await lay({ kind: 'slope', depth: '16' })).statistics).toMatchObject({ lowest: 17, highest: 17 });
    // What steps leave beside the heights is not known of an end.
    const own = (await lay({ kind: 'colour' })).statistics;
    expect(own.highest).toBeGreaterThan(own.lowest);
    // Neither is a ground with holes taken so.
    const holed = { ...known, layers: { void: new Float32Array(known.height.length).fill(1, 0, 5) } };
    expect((await lay({ kind: 'ground' }, holed)).statistics).toEqual(own);
  });

  it('knows no ranges where no file came in', async () => {
    expect(await rangesIn(terrain)).toEqual([]);
  });
});
