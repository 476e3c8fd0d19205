import type { Field } from '../../field/field';
import type { CoverOptions } from '../maps/cover';
import type { ReportedFile } from '../report/delivery-report';
import type { Writer } from '../writer';

/** One file that was written and proofed. */
export interface ExportedFile extends ReportedFile {
  bytes: Uint8Array<ArrayBuffer>;
  mediaType: string;
}

export interface ExportOptions extends CoverOptions {
  onWork?(words: string, share: number): void;
  /** A picture of a ground for the docket, as a data URL. */
  relief?(field: Field): Promise<string>;
  /** Writes the files; left out: here, one after the other. */
  writer?: Writer;
  /** Heights of spots before the last change, by their id. */
  spotsBefore?: Record<string, number>;
}
