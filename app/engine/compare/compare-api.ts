import { compareSides, differenceField, writeLayer, type Laid } from '@upland-cast/core';
import { transfer } from 'comlink';
import type { ComparedPicture, Outcome, SideSource } from '../api';
import { jobs, outcome } from '../jobs';
import { tools } from '../state';
import { comparePicture, fieldOfSide } from './compare-service';

export interface CompareRequest {
  a: SideSource;
  b: SideSource;
  laid: Laid | 'fit' | 'usual';
}

async function bothSides({ a, b }: CompareRequest, signal: AbortSignal) {
  // A mesh is seen from above at the other side's samples.
  const meshFirst = a.kind === 'file' && /\.(obj|ply|stl|glb|gltf)$/i.test(a.name);
  if (meshFirst) {
    const second = await fieldOfSide(tools, b, null, signal);
    return [await fieldOfSide(tools, a, second, signal), second] as const;
  }
  const first = await fieldOfSide(tools, a, null, signal);
  return [first, await fieldOfSide(tools, b, first, signal)] as const;
}

export const compareApi = {
  /** Holds two sides against each other. A newer question ends the one before. */
  async compare(request: CompareRequest): Promise<Outcome<ComparedPicture>> {
    const result = await outcome(async () => {
      const signal = jobs.begin('compare');
      const [a, b] = await bothSides(request, signal);
      return comparePicture(a, b, request.laid, signal);
    });
    if (!result.ok) return result;
    const { heightA, heightB, difference } = result.value;
    return transfer(result, [heightA.buffer, heightB.buffer, difference.buffer]);
  },

  /** B − A as a float TIFF, at A's samples, read back and proofed. */
  async differenceFile(request: CompareRequest, name: string): Promise<Outcome<Uint8Array<ArrayBuffer>>> {
    const result = await outcome(async () => {
      const signal = jobs.begin('compare');
      const [a, b] = await bothSides(request, signal);
      const { on } = await compareSides(a, b, { laid: request.laid === 'usual' ? undefined : request.laid, signal });
      return writeLayer(differenceField(a, on), name);
    });
    return result.ok ? transfer(result, [result.value.buffer]) : result;
  },
};
