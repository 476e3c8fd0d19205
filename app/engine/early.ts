import { watchLife } from './alive';

/** The engine's thread. */
export interface EngineThread {
  worker: Worker;
  /** Hears once that it ended without being meant to; `why` goes behind "The engine ended". */
  onEnd(listener: (why: string) => void): void;
  /** Its end is meant from here on. */
  forget(): void;
  readonly over: boolean;
}

/** A thread of which what it says first is heard, even if nobody asks it anything yet. */
function begin(): EngineThread {
  const worker = new Worker(new URL('./engine.worker.ts', import.meta.url), { type: 'module', name: 'engine' });
  let over = false;
  let tell: (why: string) => void = () => undefined;
  const end = (why: string) => {
    over = true;
    tell(why);
  };
  const life = watchLife(worker, () => end(''));
  // A script that cannot be loaded says so by an error alone, before it could answer anything.
  worker.addEventListener('error', (event) => {
    if (!event.message) end(': it could not be started');
  });
  return {
    worker,
    forget: life.forget,
    onEnd: (listener) => (tell = listener),
    get over() {
      return over;
    },
  };
}

let early: EngineThread | undefined;

/** Begins the engine before there is anything to ask it: it reads its script beside the page's. */
export function beginEngine(): void {
  early ??= begin();
}

/** The thread that was begun early, or a new one. */
export function engineThread(): EngineThread {
  const thread = early && !early.over ? early : begin();
  early = undefined;
  return thread;
}
