import { inspect, readWith, toField, statistics, type AssetReading } from '@upland-cast/core';
import { keepAsset, unstoredCount, unstoredHere } from '../../storage/assets';
import type { Kept, Look, LookFinding, MosaicLook, OpenedFile, Outcome, TakenIn } from '../api';
import { jobs, outcome } from '../jobs';
import { paced } from '../paced';
import { kernels } from '../state';
import { findings, keepFile, look, lookAtMosaic, openFiles } from './import-service';

export const importApi = {
  /** An asset that the browser had no room for, which lives here only. */
  unstored(sha: string): Uint8Array<ArrayBuffer> | null {
    return unstoredHere(sha);
  },

  unstoredCount(): Promise<number> {
    return unstoredCount();
  },

  /** Keeps a heightmap as an asset, once it has been read; says what it holds. */
  takeIn(bytes: Uint8Array<ArrayBuffer>, settled?: AssetReading): Promise<Outcome<TakenIn>> {
    return outcome(async () => {
      const { reading, meaning } = await readWith(bytes, settled);
      const field = toField(reading, meaning);
      const { lowest, highest } = statistics(field);
      const inCodes = reading.unit === 'code';
      return {
        sha: await keepAsset(bytes),
        across: field.ground.across,
        down: field.ground.down,
        lowest,
        highest,
        inCodes,
        words: inspect(reading)
          .findings.filter((f) => f.severity !== 'note')
          .map((f) => f.message),
      };
    });
  },

  /** Takes files in to be looked at before anything is made of them. */
  openFiles(files: { name: string; bytes: Uint8Array<ArrayBuffer> }[]): Promise<Outcome<OpenedFile[]>> {
    return outcome(() => openFiles(files));
  },

  /** One of them as it would be read, with its relief. A newer look stops the one before. */
  look(id: number, settled: AssetReading, progress: (share: number) => void): Promise<Outcome<Look>> {
    const tell = paced((_, share) => progress(share));
    return outcome(() => look(id, settled, { signal: jobs.begin('look'), progress: (share) => tell('', share) }));
  },

  /** What is wrong with it. */
  findings(id: number, settled: AssetReading): Promise<Outcome<LookFinding[]>> {
    return outcome(() => findings(id, settled, kernels, jobs.current('look')));
  },

  lookAtMosaic(
    ids: number[],
    settled: Record<number, AssetReading>,
    layout: 'place' | 'names' | 'hand',
    places: Record<number, { row: number; column: number }>,
  ): Promise<Outcome<MosaicLook>> {
    return outcome(() => lookAtMosaic(ids, settled, layout, places, jobs.begin('look')));
  },

  stopLooking(): void {
    jobs.stop('look');
  },

  keepFile(id: number): Promise<Outcome<Kept>> {
    return outcome(() => keepFile(id));
  },
};
