import { describeLand, differenceField, writeLayer, type Laid, type LandReport } from '@upland-cast/core';
import { transfer } from 'comlink';
import type { ComparedPicture, Outcome, SideSource } from '../api';
import { jobs, outcome, type Telling } from '../jobs';
import { paced } from '../paced';
import { tools } from '../state';
import { comparePicture, held, meshLaid, readSide, type ReadSide } from './compare-service';

export interface CompareRequest {
  a: SideSource;
  b: SideSource;
  laid: Laid | 'fit' | 'usual';
}

/** Both sides as grounds; a mesh is seen from above at the other side's samples. */
async function bothSides({ a, b }: CompareRequest, tell: Telling, signal: AbortSignal): Promise<[ReadSide, ReadSide]> {
  const sides = [
    await readSide(tools, a, (words, share) => tell(`A: ${words}`, share), signal),
    await readSide(tools, b, (words, share) => tell(`B: ${words}`, share), signal),
  ];
  // Of two meshes the second is taken at the first one's samples.
  const like = sides.find(({ field }) => field)?.field;
  const first = sides[0].field ? sides[0] : meshLaid(sides[0], like, a);
  return [first, sides[1].field ? sides[1] : meshLaid(sides[1], like ?? first.field, b)];
}

export const compareApi = {
  /** Holds two sides against each other. A newer question ends the one before. */
  async compare(request: CompareRequest, tell: Telling): Promise<Outcome<ComparedPicture>> {
    const result = await outcome(async () => {
      const signal = jobs.begin('compare');
      const [a, b] = await bothSides(request, paced(tell), signal);
      tell('Held against each other', 1);
      return comparePicture(a, b, request.laid, signal);
    });
    if (!result.ok) return result;
    const { heightA, heightB, difference } = result.value;
    return transfer(result, [heightA.buffer, heightB.buffer, difference.buffer]);
  },

  stopComparing(): void {
    jobs.stop('compare');
  },

  /** What both are like as land, B at A's samples. */
  compareLand(id: number): Promise<Outcome<{ a: LandReport; b: LandReport }>> {
    return outcome(async () => {
      const signal = jobs.begin('compare-land');
      const { a, on } = held(id);
      return { a: await describeLand(tools.kernels, a, { signal }), b: await describeLand(tools.kernels, on, { signal }) };
    });
  },

  /** B − A as a float TIFF, at A's samples, read back and proofed. */
  async differenceFile(id: number, name: string): Promise<Outcome<Uint8Array<ArrayBuffer>>> {
    const result = await outcome(() => {
      const { a, on } = held(id);
      return writeLayer(differenceField(a, on), name);
    });
    return result.ok ? transfer(result, [result.value.buffer]) : result;
  },
};
