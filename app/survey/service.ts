import { Worker } from 'node:worker_threads';
import { inlineKernels, sentenceOf, UplandError, type ErrorCode } from '@upland-cast/core';
import { MOST_QUESTIONS, QUESTION_PATIENCE, QUESTION_TIME } from '../server/limits';
import { survey, type SurveyAnswer, type SurveyTask } from './work';

/** A thread without a question ends after this, and its memory with it. */
const IDLE = 15_000;

interface Asked {
  task: SurveyTask;
  since: number;
  resolve(answer: SurveyAnswer): void;
  reject(error: UplandError): void;
}

/** Milliseconds that a question may take, measured on one core: an extract 0.9 µs a sample, its file 0.5; a tile 40. */
function estimate(task: SurveyTask): number {
  if (task.kind === 'tile' || task.kind === 'range') return 40;
  const { width, depth, spacing } = task.frame;
  return 20 + (1.4e-3 * width * depth) / spacing ** 2;
}

const busy = () => new UplandError('busy', 'The survey is busy. Ask again in a moment.');

/** A thread that answers one question after the other; begun when it is needed, ended when it is not. */
class Desk {
  private readonly waiting: Asked[] = [];
  private worker: Worker | undefined;
  private current: Asked | undefined;
  private idle: ReturnType<typeof setTimeout> | undefined;
  private limit: ReturnType<typeof setTimeout> | undefined;
  /** How much longer questions have taken than was estimated: other work on the machine. */
  private pace = 1;
  private began = 0;

  ask(task: SurveyTask): Promise<SurveyAnswer> {
    if (this.waiting.length >= MOST_QUESTIONS) return Promise.reject(busy());
    return new Promise((resolve, reject) => {
      const one: Asked = { task, since: Date.now(), resolve, reject };
      this.waiting.push(one);
      setTimeout(() => {
        const at = this.waiting.indexOf(one);
        if (at < 0) return;
        this.waiting.splice(at, 1);
        reject(busy());
      }, QUESTION_PATIENCE).unref();
      this.next();
    });
  }

  private next(): void {
    if (this.current) return;
    this.current = this.take();
    clearTimeout(this.idle);
    if (!this.current) {
      this.idle = setTimeout(() => this.end(), IDLE);
      this.idle.unref();
      return;
    }
    this.began = Date.now();
    this.worker ??= this.begin();
    this.limit = setTimeout(() => this.fail('time', 'The survey took too long over this and gave it up. Ask for a smaller frame.'), QUESTION_TIME);
    this.worker.postMessage({ id: 0, task: this.current.task });
  }

  /** The next question that can still be answered in time; one that has waited for nobody is taken in any case. */
  private take(): Asked | undefined {
    for (;;) {
      const one = this.waiting.shift();
      if (!one) return undefined;
      const waited = Date.now() - one.since;
      if (waited < 100 || waited + this.pace * estimate(one.task) < QUESTION_PATIENCE) return one;
      one.reject(busy());
    }
  }

  private begin(): Worker {
    const worker = new Worker(new URL(process.env.UPLAND_WORK!), { workerData: 'survey' });
    worker.unref();
    worker.on('message', (message: { answer?: SurveyAnswer; fault?: { code: ErrorCode; sentence: string } }) => {
      const took = Date.now() - this.began;
      const one = this.finish();
      if (one && message.answer) this.pace = Math.min(8, Math.max(0.5, 0.7 * this.pace + (0.3 * took) / estimate(one.task)));
      if (message.answer) one?.resolve(message.answer);
      else one?.reject(new UplandError(message.fault!.code, message.fault!.sentence));
      this.next();
    });
    const ended = () => worker === this.worker && this.fail('worker', 'The thread that answers for the survey ended. Ask again.');
    worker.on('error', (error) => {
      console.error(error);
      ended();
    });
    worker.on('exit', ended);
    return worker;
  }

  private finish(): Asked | undefined {
    clearTimeout(this.limit);
    const one = this.current;
    this.current = undefined;
    return one;
  }

  private fail(code: ErrorCode, sentence: string): void {
    this.end();
    this.finish()?.reject(new UplandError(code, sentence));
    this.next();
  }

  private end(): void {
    void this.worker?.terminate();
    this.worker = undefined;
  }
}

/** What is there at once stays so while somebody else asks for much: the map's tiles, and extracts. */
const desks = { map: new Desk(), extracts: new Desk() };
const kernels = inlineKernels();

/** Answers in a thread beside the server's own; in place where its script is not there. */
export function askSurvey(task: SurveyTask): Promise<SurveyAnswer> {
  if (!process.env.UPLAND_WORK) return survey(task, kernels);
  return (task.kind === 'tile' || task.kind === 'range' ? desks.map : desks.extracts).ask(task);
}

/** An answer for what went wrong: a sentence and a code, never a stack. */
export function refusal(error: unknown): Response {
  const known = error instanceof UplandError;
  if (!known) console.error(error);
  const code = known ? error.code : 'unexpected';
  const status = !known ? 500 : code === 'busy' ? 503 : code === 'worker' || code === 'time' ? 500 : 400;
  const sentence = known ? sentenceOf(error) : 'The survey could not answer. Ask again, or for a smaller frame.';
  const headers: Record<string, string> = { 'Cache-Control': 'no-store', ...(status === 503 ? { 'Retry-After': '2' } : {}) };
  return Response.json({ code, sentence }, { status, headers });
}
