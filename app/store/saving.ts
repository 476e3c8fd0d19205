import PQueue from 'p-queue';
import type { Course } from '@upland-cast/core';
import type { Change } from '../storage/db';
import type { JournalEntry } from '../storage/db';
import { append } from '../storage/journal';
import { storageSentence, isFull } from '../storage/room';

/** What is to be saved, as it is when it is asked for. */
export interface Saved {
  id: string;
  course: Course;
  past: Change[];
  future: Change[];
}

/** Where a terrain is saved to, and who hears of it. */
export interface SaveTo {
  now(): Saved | null;
  /** Saves the terrain whole; false where it is not in this browser any more. */
  whole(saved: Saved, at: number): Promise<boolean>;
  append: typeof append;
  /** There is something that is not stored yet. */
  onNoted(): void;
  /** `all`: nothing came meanwhile that is still to be stored. */
  onSaved(at: number, all: boolean): void;
  onFault(sentence: string): void;
  /** The terrain was removed elsewhere. */
  onGone(): void;
}

/** Milliseconds in which changes are gathered into one entry of the journal. */
const GATHER = 200;
/** The terrain is saved whole when so much time has passed without a change, and after so much time at the latest. */
const QUIET = 600;
const LATEST = 10_000;

/**
 * Saves as one works. Every change goes into a journal beside the course within a fifth of a
 * second (a finished stroke at once), whatever comes after it; when the hand rests the terrain is
 * saved whole, which the journal is part of then. What fails is tried again with the next change.
 */
export class Saving {
  private readonly queue = new PQueue({ concurrency: 1 });
  private waiting: JournalEntry[] = [];
  /** The `changed` of what was saved whole last: what the journal counts from. */
  private base = 0;
  private gathering: ReturnType<typeof setTimeout> | undefined;
  private resting: ReturnType<typeof setTimeout> | undefined;
  private since = 0;
  /** A part of the journal could not be stored: only the whole is right then. */
  private broken = false;
  private gone = false;

  constructor(private readonly to: SaveTo) {}

  /** Begins with a terrain as it was read. */
  begin(changed: number): void {
    clearTimeout(this.gathering);
    clearTimeout(this.resting);
    this.gathering = this.resting = undefined;
    this.waiting = [];
    this.base = changed;
    this.broken = this.gone = false;
  }

  /** Whether something is not stored yet, neither in the journal nor whole. */
  get pending(): boolean {
    return this.waiting.length > 0 || this.queue.size + this.queue.pending > 0;
  }

  /** Notes a change; `atOnce`: a finished stroke, which waits for nothing. */
  note(entry: JournalEntry, atOnce = false): void {
    this.waiting.push(entry);
    this.to.onNoted();
    if (atOnce) void this.flush();
    else this.gathering ??= setTimeout(() => void this.flush(), GATHER);
    this.since ||= Date.now();
    clearTimeout(this.resting);
    this.resting = setTimeout(() => void this.whole(), Math.max(0, Math.min(QUIET, this.since + LATEST - Date.now())));
  }

  /** Stores what waits in the journal. */
  flush(): Promise<void> {
    clearTimeout(this.gathering);
    this.gathering = undefined;
    return this.queue.add(() => this.writeJournal()) as Promise<void>;
  }

  /** Saves the terrain whole, now. */
  whole(): Promise<void> {
    clearTimeout(this.gathering);
    clearTimeout(this.resting);
    this.gathering = this.resting = undefined;
    return this.queue.add(() => this.writeWhole()) as Promise<void>;
  }

  private async writeJournal(): Promise<void> {
    const now = this.to.now();
    if (!now || this.gone || this.waiting.length === 0) return;
    if (this.broken) return this.writeWhole();
    const entries = this.waiting;
    this.waiting = [];
    try {
      if (!(await this.to.append(now.id, this.base, entries))) this.lose();
      else this.to.onSaved(Date.now(), this.waiting.length === 0);
    } catch (error) {
      this.broken = true;
      this.to.onFault(faultSentence(error));
    }
  }

  private async writeWhole(): Promise<void> {
    const now = this.to.now();
    if (!now || this.gone) return;
    // All that waits is part of the whole.
    const entries = this.waiting;
    this.waiting = [];
    this.since = 0;
    // Two saves of one millisecond would not be told apart.
    const at = Math.max(Date.now(), this.base + 1);
    try {
      if (!(await this.to.whole(now, at))) return this.lose();
      this.base = at;
      this.broken = false;
      this.to.onSaved(at, this.waiting.length === 0);
    } catch (error) {
      this.waiting = [...entries, ...this.waiting];
      this.broken = true;
      this.to.onFault(faultSentence(error));
    }
  }

  private lose(): void {
    this.gone = true;
    this.to.onGone();
  }
}

const faultSentence = (error: unknown): string =>
  isFull(error)
    ? 'This browser has no room left to save. Your work goes on in memory: save the project file now.'
    : `Saving failed: ${storageSentence(error)} Your work goes on in memory: save the project file.`;
