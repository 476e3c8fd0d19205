import { StoppedError, throwIfStopped, UplandError } from '../errors';
import { abort, CONTROL_BYTES, HALT, PROGRESS, PROGRESS_FULL, resetControl } from './control';
import type { KernelExports } from './generated/exports';
import { instantiate } from './loader';
import type { Program, InterimState } from './program';
import type { FromWorker, ToWorker } from './worker';

/** A worker as the core sees it; the browser and Node each bring their own. */
export interface PoolWorker {
  send(message: ToWorker): void;
  onMessage(listener: (message: FromWorker) => void): void;
  onError(listener: (reason: string) => void): void;
  end(): void;
}

export interface RunOptions {
  signal?: AbortSignal;
  progress?: (share: number) => void;
  /** Ends the work at its next round and keeps what there is; for programs that can. */
  halt?: AbortSignal;
  /** Shown how the work stands, twice a second. */
  watch?: (standing: InterimState) => void;
}

/** Runs programs over row bands: on workers with shared memory, or on this thread. The bytes are the same either way. */
export interface Kernels {
  readonly threads: number;
  run<A, I, R>(program: Program<A, I, R>, args: A, inputs: I, options?: RunOptions): Promise<R>;
  /** Begins its workers before there is work for them. */
  warm?(): void;
  close(): void;
}

const PAGE = 65_536;
/** Milliseconds between two looks at work under way. */
const WATCH = 500;
/** The first look at it comes sooner. */
const FIRST_WATCH = 180;
/** wasm32 ends at 4 GiB; a little is left for the tables. */
const MOST_BYTES = 65_535 * PAGE;
/** A pool whose memory grew beyond this is dropped after the run, since shared memory never shrinks. */
const KEEP_BYTES = 512 * 1024 * 1024;

function refuseBeyondMemory(bytes: number): void {
  if (bytes > MOST_BYTES) {
    throw new UplandError('memory', `This step needs ${(bytes / 2 ** 30).toFixed(1)} GiB at these samples; 4 GiB is the most. Work at fewer samples.`, {
      bytes,
    });
  }
}

/** The kernels on the calling thread, giving way every 50 ms. */
export function inlineKernels(): Kernels {
  let memory: WebAssembly.Memory | undefined;
  let kernels: KernelExports | undefined;
  // Work gives way while it lasts: what comes meanwhile waits its turn, for there is one memory.
  let turn: Promise<unknown> = Promise.resolve();
  const alone: Kernels['run'] = async (program, args, inputs, { signal, progress, halt, watch } = {}) => {
    throwIfStopped(signal);
    memory ??= new WebAssembly.Memory({ initial: 4 });
    kernels ??= instantiate('plain', memory);
    const start = align(kernels.heapBase());
    const bytes = start + program.bytes(args);
    refuseBeyondMemory(bytes);
    grow(memory, bytes);
    const ownMemory = memory;
    const arena = { buffer: memory.buffer, start };
    program.load(arena, args, inputs);
    let share = 0;
    const steps = program.run(kernels, arena, args, { index: 0, count: 1, progress: (s) => (share = s), halting: () => halt?.aborted ?? false });
    let since = Date.now();
    let nextLook = since + FIRST_WATCH;
    while (!steps.next().done) {
      if (Date.now() - since < 50) continue;
      progress?.(share);
      if (watch && program.peek && since >= nextLook) {
        nextLook = since + WATCH;
        const standing = program.peek({ buffer: ownMemory.buffer, start }, args);
        if (standing) watch(standing);
      }
      await new Promise((resolve) => setTimeout(resolve));
      throwIfStopped(signal);
      since = Date.now();
    }
    const result = program.take({ buffer: ownMemory.buffer, start }, args);
    if (ownMemory.buffer.byteLength > KEEP_BYTES) memory = kernels = undefined;
    return result;
  };
  return {
    threads: 1,
    run(program, args, inputs, options) {
      const mine = turn.then(() => alone(program, args, inputs, options));
      turn = mine.catch(() => undefined);
      return mine;
    },
    close() {
      memory = kernels = undefined;
    },
  };
}

/**
 * The kernels on `threads` workers made by `spawn`. One job runs at a time; others wait their
 * turn. Where a worker dies the job is done once more over new ones; when that fails too, it ends
 * with an error.
 */
export function pooledKernels(threads: number, spawn: () => PoolWorker): Kernels {
  let pool: Pool | undefined;
  let turn: Promise<unknown> = Promise.resolve();
  const drop = () => {
    pool?.end();
    pool = undefined;
  };
  return {
    threads,
    run(program, args, inputs, options = {}) {
      const mine = turn.then(async () => {
        for (let tries = 0; ; tries++) {
          throwIfStopped(options.signal);
          // A worker may have ended while there was nothing to do.
          if (pool?.dead) drop();
          pool ??= new Pool(threads, spawn);
          try {
            const result = await pool.run(program, args, inputs, options);
            if (pool.size > KEEP_BYTES) drop();
            return result;
          } catch (error) {
            if (!(error instanceof StoppedError)) drop();
            // Once more over new workers: the inputs are as they were.
            if (tries === 0 && error instanceof UplandError && error.code === 'worker') continue;
            throw error;
          }
        }
      });
      turn = mine.catch(() => undefined);
      return mine;
    },
    warm: () => void (pool ??= new Pool(threads, spawn)),
    close: drop,
  };
}

class Pool {
  private readonly memory = new WebAssembly.Memory({ initial: 4, maximum: 65_536, shared: true });
  private readonly start = align(instantiate('shared', this.memory).heapBase());
  private readonly workers: PoolWorker[];
  private job = 0;
  /** One of its workers has ended. */
  dead = false;
  private settle: { done: (message: FromWorker) => void; died: (reason: string) => void } | undefined;

  constructor(threads: number, spawn: () => PoolWorker) {
    this.workers = Array.from({ length: threads }, () => {
      const worker = spawn();
      worker.onMessage((message) => this.settle?.done(message));
      worker.onError((reason) => {
        this.dead = true;
        this.settle?.died(reason);
      });
      worker.send({ kind: 'memory', memory: this.memory });
      return worker;
    });
  }

  get size(): number {
    return this.memory.buffer.byteLength;
  }

  async run<A, I, R>(program: Program<A, I, R>, args: A, inputs: I, { signal, progress, halt, watch }: RunOptions): Promise<R> {
    const bytes = this.start + CONTROL_BYTES + program.bytes(args);
    refuseBeyondMemory(bytes);
    grow(this.memory, bytes);
    const control = new Int32Array(this.memory.buffer, this.start, CONTROL_BYTES / 4);
    resetControl(control);
    const arena = { buffer: this.memory.buffer, start: this.start + CONTROL_BYTES };
    program.load(arena, args, inputs);

    const job = ++this.job;
    const stop = () => abort(control);
    const ticking = progress && setInterval(() => progress(Atomics.load(control, PROGRESS) / PROGRESS_FULL), 100);
    const look = () => {
      const standing = program.peek!(arena, args);
      if (standing) watch!(standing);
    };
    const looking = watch && program.peek && setInterval(look, WATCH);
    const lookingFirst = watch && program.peek && setTimeout(look, FIRST_WATCH);
    const rest = () => void Atomics.store(control, HALT, 1);
    if (halt?.aborted) rest();
    halt?.addEventListener('abort', rest);
    signal?.addEventListener('abort', stop);
    try {
      await new Promise<void>((resolve, reject) => {
        let waiting = this.workers.length;
        let fault: string | undefined;
        this.settle = {
          done: (message) => {
            if (message.job !== job) return;
            if (!message.ok) {
              fault ??= message.message;
              abort(control);
            }
            if (--waiting > 0) return;
            if (fault) reject(new UplandError('kernel', `A kernel failed: ${fault}`, { program: program.id }));
            else resolve();
          },
          died: (reason) => {
            abort(control);
            reject(new UplandError('worker', `A worker of the computation ended: ${reason}. Try again.`, { program: program.id }));
          },
        };
        this.workers.forEach((worker, band) => {
          worker.send({ kind: 'run', job, program: program.id, args, start: this.start, band, bands: this.workers.length });
        });
      });
    } finally {
      clearInterval(ticking);
      clearInterval(looking);
      clearTimeout(lookingFirst);
      halt?.removeEventListener('abort', rest);
      signal?.removeEventListener('abort', stop);
      this.settle = undefined;
    }
    throwIfStopped(signal);
    return program.take(arena, args);
  }

  end(): void {
    for (const worker of this.workers) worker.end();
  }
}

function align(offset: number): number {
  return (offset + 63) & ~63;
}

function grow(memory: WebAssembly.Memory, bytes: number): void {
  const missing = Math.ceil((bytes - memory.buffer.byteLength) / PAGE);
  if (missing <= 0) return;
  try {
    memory.grow(missing);
  } catch {
    throw new UplandError(
      'memory',
      `This machine did not give the ${(bytes / 2 ** 20).toFixed(0)} MiB that the step needs. Close other tabs, or work at fewer samples.`,
      { bytes },
    );
  }
}
