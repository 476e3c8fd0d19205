import { VOID } from '../steps/mend/fill-voids';
import type { Layers } from '../steps/step';

export interface CachedStage {
  height: Float32Array<ArrayBuffer>;
  layers?: Layers;
  /** Milliseconds that working it out took. */
  took: number;
  words: string[];
}

/** The end of a course as a stage that can be kept: heights, and which samples have none. */
export function endStage({ height, layers }: { height: Float32Array<ArrayBuffer>; layers: Layers }): CachedStage {
  return { height, layers: layers[VOID] ? { [VOID]: layers[VOID] } : {}, took: 0, words: [] };
}

/** Stages that outlive the process that worked them out, by the same keys. */
export interface KeptStages {
  get(key: string): Promise<CachedStage | undefined>;
  /** Takes the stage as it is; whether and when it is stored is the keeper's own. */
  set(key: string, stage: CachedStage): void;
}

/** Stages by key, the longest unused dropped first when they come to more than `limit` bytes. */
export class StageCache {
  private readonly stages = new Map<string, CachedStage>();
  private held = 0;
  private level = new Float32Array(0);
  /** Stages that are being worked out by somebody. */
  private readonly underWay = new Map<string, Promise<unknown>>();

  constructor(readonly limit = 512 * 1024 * 1024) {}

  get bytes(): number {
    return this.held;
  }

  /** Heights of 0 to begin a line with, which nobody writes to: of one size at a time, made once. */
  levelHeights(count: number): Float32Array<ArrayBuffer> {
    if (this.level.length !== count) this.level = new Float32Array(count);
    return this.level;
  }

  get(key: string): CachedStage | undefined {
    const stage = this.stages.get(key);
    if (stage) {
      this.stages.delete(key);
      this.stages.set(key, stage);
    }
    return stage;
  }

  /** Works a stage out; whoever wants the same one meanwhile waits for it. */
  async once<T>(key: string, work: () => Promise<T>): Promise<T> {
    const mine = work();
    const over = mine.then(
      () => undefined,
      () => undefined,
    );
    this.underWay.set(key, over);
    try {
      return await mine;
    } finally {
      if (this.underWay.get(key) === over) this.underWay.delete(key);
    }
  }

  /** The stage, where it is there, or somebody is at it and comes to an end before `signal` says that it is not wanted any more. */
  async awaited(key: string, signal?: AbortSignal): Promise<CachedStage | undefined> {
    const over = this.underWay.get(key);
    if (over && !signal?.aborted) {
      let hear = () => undefined as void;
      const unwanted = new Promise<void>((resolve) => (hear = resolve));
      signal?.addEventListener('abort', hear);
      await Promise.race([over, unwanted]);
      signal?.removeEventListener('abort', hear);
      // Whoever was at it puts it in right after.
      await new Promise((resolve) => setTimeout(resolve));
    }
    return this.get(key);
  }

  set(key: string, stage: CachedStage): void {
    const old = this.stages.get(key);
    if (old) {
      this.held -= bytesOf(old);
      this.stages.delete(key);
    }
    this.stages.set(key, stage);
    this.held += bytesOf(stage);
    for (const [oldest, dropped] of this.stages) {
      if (this.held <= this.limit || oldest === key) break;
      this.stages.delete(oldest);
      this.held -= bytesOf(dropped);
    }
  }

  clear(): void {
    this.stages.clear();
    this.held = 0;
  }
}

function bytesOf(stage: CachedStage): number {
  let bytes = stage.height.byteLength;
  for (const layer of Object.values(stage.layers ?? {})) bytes += layer.byteLength;
  return bytes;
}
