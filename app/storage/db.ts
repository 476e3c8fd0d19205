import Dexie, { type EntityTable } from 'dexie';
import type { Patch } from 'immer';
import type { Course } from '@upland-cast/core';

export interface TerrainRow {
  id: string;
  course: Course;
  changed: number;
  made: number;
  /** Lowest and highest, metres; absent until it has been worked out. */
  range?: [number, number];
  /** A relief picture, PNG. */
  picture?: Blob;
  /** When it was opened last. */
  opened?: number;
  /** The words that it is put in order by. */
  tags?: string[];
}

/** A change of a course, and how to take it back. */
export interface Change {
  forward: Patch[];
  back: Patch[];
  label: string;
  /** Changes of one gesture are undone together. */
  gesture?: string;
}

/** What can be undone and redone of a terrain, as it was saved at `changed`. */
export interface HistoryRow {
  id: string;
  changed: number;
  past: Change[];
  future: Change[];
}

/** A change as the journal holds it: the way from one course to the next, and what it does to undo and redo. */
export type JournalEntry =
  | { kind: 'change'; change: Change; joined: boolean }
  | { kind: 'undo' }
  | { kind: 'redo' }
  /** Beside undo: rolls, spots, kept views. */
  | { kind: 'amend'; forward: Patch[] };

/** Changes since the terrain was saved whole at `base`, in the order in which they were made. */
export interface JournalRow {
  id?: number;
  terrain: string;
  base: number;
  at: number;
  entries: JournalEntry[];
}

/** A state of a terrain as it was saved once. */
export interface SaveRow {
  id?: number;
  terrain: string;
  at: number;
  course: Course;
}

/** A state that the artist keeps, or that was kept before something was replaced. */
export interface MarkRow {
  id?: number;
  terrain: string;
  at: number;
  name: string;
  byItself: boolean;
  course: Course;
  picture?: Blob;
  range?: [number, number];
}

export interface AssetRow {
  sha: string;
  bytes: Blob;
}

/** The way back to a file on disk that an asset came from. */
export interface HandleRow {
  sha: string;
  handle: FileSystemFileHandle;
}

export interface SettingRow {
  key: string;
  value: unknown;
}

/** What is kept in this browser. */
export const db = new Dexie('upland-cast') as Dexie & {
  terrains: EntityTable<TerrainRow, 'id'>;
  saves: EntityTable<SaveRow, 'id'>;
  assets: EntityTable<AssetRow, 'sha'>;
  marks: EntityTable<MarkRow, 'id'>;
  settings: EntityTable<SettingRow, 'key'>;
  handles: EntityTable<HandleRow, 'sha'>;
  histories: EntityTable<HistoryRow, 'id'>;
  journal: EntityTable<JournalRow, 'id'>;
};

db.version(1).stores({
  terrains: 'id, changed',
  saves: '++id, [terrain+at], terrain',
  assets: 'sha',
  settings: 'key',
});

db.version(2).stores({ marks: '++id, terrain' });

db.version(3).stores({ handles: 'sha' });

db.version(4).stores({ histories: 'id' });
db.version(5).stores({ journal: '++id, terrain' });
