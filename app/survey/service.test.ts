import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest';
import { UplandError } from '@upland-cast/core';
import { askSurvey, refusal } from './service';
import type { SurveyTask } from './work';

/**
 * A thread that stands in for the survey's own: a frame's `east` says how many milliseconds it
 * takes, and what it does then.
 */
const STANDIN = `data:text/javascript,${encodeURIComponent(`
  import { parentPort } from 'node:worker_threads';
  parentPort.on('message', async ({ task }) => {
    const { east, south } = task.frame ?? { east: 1, south: 0 };
    await new Promise((resolve) => setTimeout(resolve, east));
    if (south === 1) process.exit(3);
    if (south === 2) throw new Error('a fault of the thread');
    if (south === 3) parentPort.postMessage({ fault: { code: 'outside', sentence: 'It lies outside.' } });
    else parentPort.postMessage({ answer: { type: 'application/json', json: east } });
  });
`)}`;

const extract = (milliseconds: number, south = 0, samples = 100): SurveyTask => ({
  kind: 'facts',
  frame: { east: milliseconds, south, width: samples, depth: samples, spacing: 1 },
});

const before = process.env.UPLAND_WORK;
beforeAll(() => {
  process.env.UPLAND_WORK = STANDIN;
});
afterAll(() => {
  if (before === undefined) delete process.env.UPLAND_WORK;
  else process.env.UPLAND_WORK = before;
});

const timed = async (task: SurveyTask) => {
  const began = performance.now();
  const answer = await askSurvey(task).catch((error: unknown) => error);
  return { answer, took: performance.now() - began };
};
const codeOf = (answer: unknown) => (answer instanceof Error && 'code' in answer ? (answer as UplandError).code : 'answered');

describe('the survey’s desks', () => {
  it('answer one question after the other, each with its own answer', async () => {
    const answers = await Promise.all([30, 10, 20].map((ms) => askSurvey(extract(ms))));
    expect(answers.map((a) => a.json)).toEqual([30, 10, 20]);
  });

  it('leave nobody waiting: of many at once each is answered or told to ask again in time', async () => {
    const all = await Promise.all(Array.from({ length: 40 }, () => timed(extract(400))));
    const codes = all.map(({ answer }) => codeOf(answer));
    expect(codes.filter((c) => c === 'answered').length).toBeGreaterThanOrEqual(5);
    expect(new Set(codes)).toEqual(new Set(['answered', 'busy']));
    // The patience is 4 s, and one question may be under way by then.
    for (const { took } of all) expect(took).toBeLessThan(5_000);
    // Those beyond the queue hear it at once.
    expect(all.filter(({ answer, took }) => codeOf(answer) === 'busy' && took < 300).length).toBeGreaterThanOrEqual(40 - 24 - 1);
  }, 20_000);

  it('do not begin what would take too long after the wait, but take it when nobody else is there', async () => {
    const large = extract(50, 0, 3_000);
    const first = timed(extract(600));
    const second = timed(large);
    expect(codeOf((await second).answer)).toBe('busy');
    await first;
    expect(codeOf((await timed(large)).answer)).toBe('answered');
  }, 20_000);

  it.each([
    ['says what is wrong with the question', 3, 'outside'],
    ['breaks off', 2, 'worker'],
    ['is gone without a word', 1, 'worker'],
  ])('a thread that %s: the question has its code, and the next one is answered', async (_, south, code) => {
    expect(codeOf(await askSurvey(extract(1, south)).catch((e: unknown) => e))).toBe(code);
    expect((await askSurvey(extract(2))).json).toBe(2);
  });

  it('the map is answered while an extract takes its time', async () => {
    const slow = timed(extract(800));
    const tile = await timed({ kind: 'range', frame: { east: 5, south: 0, width: 1, depth: 1 }, seaFloor: true });
    expect(tile.took).toBeLessThan(600);
    await slow;
  });
});

describe('a refusal', () => {
  it.each([
    ['busy', 503, '2'],
    ['outside', 400, null],
    ['worker', 500, null],
    ['time', 500, null],
  ] as const)('of the code %s is a %i', async (code, status, after) => {
    const answer = refusal(new UplandError(code, 'A sentence.'));
    expect(answer.status).toBe(status);
    expect(answer.headers.get('Retry-After')).toBe(after);
    expect(await answer.json()).toEqual({ code, sentence: 'A sentence.' });
  });

  it('of something unexpected says no more than that', async () => {
    const log = vi.spyOn(console, 'error').mockImplementation(() => undefined);
    const answer = refusal(new TypeError('secret at /home/x'));
    expect(answer.status).toBe(500);
    expect(JSON.stringify(await answer.json())).not.toContain('secret');
    log.mockRestore();
  });
});
