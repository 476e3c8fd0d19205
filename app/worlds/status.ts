/** How a world stands on the server, as the page has it. */
export interface WorldStatus {
  id: string;
  name: string;
  /** Where it lies on the server. */
  folder: string;
  /** Samples and metres; and metres from sample to sample. */
  across: number;
  down: number;
  width: number;
  depth: number;
  spacing: { x: number; y: number };
  sea: number;
  tile: number;
  /** Where the rows and columns of tiles begin, and the samples in all behind them. */
  lefts: number[];
  tops: number[];
  /** A digit a tile, row by row: 1 where it is done. */
  done: string;
  /** Whether something knows the whole ground, and whether that is there. */
  based: boolean;
  baseDone: boolean;
  state: 'running' | 'stopped' | 'failed' | 'finished';
  /** What is being done, and how far it is, 0 to 1. */
  what: 'base' | 'tiles' | 'finish' | null;
  share: number;
  /** Seconds that it is likely to take yet; null while that cannot be told. */
  left: number | null;
  /** By workers at the queue, rather than by the server itself. */
  queued: boolean;
  sentence: string | null;
  range: { low: number; high: number } | null;
  /** Steps across borders by those beside them, when it is finished. */
  seams: number | null;
  /** What to begin with of what was written, when it is finished. */
  files: string[];
  begun: number;
}

/** What the server can do with worlds. */
export interface WorldsThere {
  worlds: WorldStatus[];
  /** Whether there is a queue with workers. */
  queue: boolean;
  /** Bytes that are free where worlds lie. */
  room: number;
}
