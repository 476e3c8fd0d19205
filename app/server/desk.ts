import { Worker } from 'node:worker_threads';
import { sentenceOf, UplandError, type ErrorCode } from '@upland-cast/core';
import { MOST_QUESTIONS, QUESTION_PATIENCE, QUESTION_TIME } from './limits';

/** A thread without a question ends after this, and its memory with it. */
const IDLE = 15_000;

interface Asked<Task, Answer> {
  task: Task;
  since: number;
  resolve(answer: Answer): void;
  reject(error: UplandError): void;
}

/** A thread that answers one question after the other; begun when it is needed, ended when it is not. */
export class Desk<Task, Answer> {
  constructor(
    /** What the thread is begun as (`app/server/worker.ts`). */
    private readonly kind: string,
    /** How it is spoken of. */
    private readonly called: string,
    /** Milliseconds that a question takes on one core. */
    private readonly estimate: (task: Task) => number,
  ) {}

  private readonly waiting: Asked<Task, Answer>[] = [];
  private worker: Worker | undefined;
  private current: Asked<Task, Answer> | undefined;
  private idle: ReturnType<typeof setTimeout> | undefined;
  private limit: ReturnType<typeof setTimeout> | undefined;
  /** How much longer questions have taken than was estimated: other work on the machine. */
  private pace = 1;
  private began = 0;

  ask(task: Task): Promise<Answer> {
    if (this.waiting.length >= MOST_QUESTIONS) return Promise.reject(this.busy());
    return new Promise((resolve, reject) => {
      const one: Asked<Task, Answer> = { task, since: Date.now(), resolve, reject };
      this.waiting.push(one);
      setTimeout(() => {
        const at = this.waiting.indexOf(one);
        if (at < 0) return;
        this.waiting.splice(at, 1);
        reject(this.busy());
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
    this.limit = setTimeout(() => this.fail('time', `${this.called} took too long over this and gave it up. Ask for less at once.`), QUESTION_TIME);
    this.worker.postMessage({ id: 0, task: this.current.task });
  }

  /** The next question that can still be answered in time; one that has waited for nobody is taken in any case. */
  private take(): Asked<Task, Answer> | undefined {
    for (;;) {
      const one = this.waiting.shift();
      if (!one) return undefined;
      const waited = Date.now() - one.since;
      if (waited < 100 || waited + this.pace * this.estimate(one.task) < QUESTION_PATIENCE) return one;
      one.reject(this.busy());
    }
  }

  private begin(): Worker {
    const worker = new Worker(new URL(process.env.UPLAND_WORK!), { workerData: this.kind });
    worker.unref();
    worker.on('message', (message: { answer?: Answer; fault?: { code: ErrorCode; sentence: string } }) => {
      const took = Date.now() - this.began;
      const one = this.finish();
      if (one && message.answer) this.pace = Math.min(8, Math.max(0.5, 0.7 * this.pace + (0.3 * took) / this.estimate(one.task)));
      if (message.answer) one?.resolve(message.answer);
      else one?.reject(new UplandError(message.fault!.code, message.fault!.sentence));
      this.next();
    });
    const ended = () =>
      worker === this.worker && this.fail('worker', `The thread that answers for ${this.called[0].toLowerCase()}${this.called.slice(1)} ended. Ask again.`);
    worker.on('error', (error) => {
      console.error(error);
      ended();
    });
    worker.on('exit', ended);
    return worker;
  }

  private finish(): Asked<Task, Answer> | undefined {
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

  private busy(): UplandError {
    return new UplandError('busy', `${this.called} is busy. Ask again in a moment.`);
  }
}

/** An answer for what went wrong: a sentence and a code, never a stack; `otherwise`: what is said where that was not foreseen. */
export function refusal(error: unknown, otherwise: string): Response {
  const known = error instanceof UplandError;
  if (!known) console.error(error);
  const code = known ? error.code : 'unexpected';
  const status = !known ? 500 : code === 'busy' ? 503 : code === 'worker' || code === 'time' ? 500 : 400;
  const sentence = known ? sentenceOf(error) : otherwise;
  const headers: Record<string, string> = { 'Cache-Control': 'no-store', ...(status === 503 ? { 'Retry-After': '2' } : {}) };
  return Response.json({ code, sentence }, { status, headers });
}
