import type { HeightRows } from '../formats/height-rows';
import { CODES, type SampleArray } from '../formats/format';
import type { Meaning } from '../formats/heights';
import type { Kernels } from '../kernels/pool';
import { BlocksInPieces } from '../steps/mend/deblock';
import { countSpikes } from '../steps/mend/despike';
import { StripsInPieces } from '../steps/mend/trim-edge';
import { aboutReading, addEnds, blocksFound, fewestClipped, LikeCodes, spikesFound, toneCurve, type Ends, type HeightFinding } from './findings';
import { describeSamples, FactsInPieces, FEW_LEVELS, type Inspection } from './inspect';

/**
 * What a file holds and what is wrong with it, as `inspect` and `findingsIn` say of all of it, in memory for a part of its rows;
 * without where it lies. Null where something is found that has to be looked at whole: a frame, ends that were cut off, few levels.
 */
export async function inspectByRows(
  heights: HeightRows,
  meaning: Meaning,
  kernels: Kernels,
  signal?: AbortSignal,
): Promise<{ found: Inspection; closer: HeightFinding[] } | null> {
  const { reading, ground } = heights;
  // Doubles are counted in order, which takes all of them.
  if (reading.type === 'f64') return null;
  const all = reading.width * reading.height;
  const facts = new FactsInPieces(reading);
  const like = new LikeCodes(reading.noData);
  const strips = new StripsInPieces(ground);
  const blocks = new BlocksInPieces(ground);
  const ends: Ends = { low: Infinity, high: -Infinity, lows: 0, highs: 0 };
  // The first time, samples are heard as they are read, and the ground is looked at in all ways at once.
  let first = true;
  const hear = (samples: SampleArray) => {
    facts.add(samples);
    if (!CODES[reading.type]) like.add(samples);
  };
  const rows = (from: number, to: number) => heights.rows(from, to, signal, first ? hear : undefined);
  const seen = (part: Float32Array) => {
    strips.add(part);
    blocks.add(part);
    addEnds(ends, part);
  };
  const goesOn = () => {
    first = false;
    const { low, high, lows, highs } = ends;
    const cut = high > low && Math.max(lows, highs) >= fewestClipped(all);
    const few = CODES[reading.type] !== null && facts.facts.distinct <= FEW_LEVELS;
    return !cut && !few && Object.values(strips.strips).every((width) => width === 0);
  };
  const spikes = await countSpikes({ ...ground, rows }, kernels, { seen, goesOn }, signal);
  if (!spikes) return null;
  const { found: grid } = blocks;
  const closer = [
    ...aboutReading(reading, all, ground, like.guess),
    spikesFound(spikes.count, spikes.worst, all, 0),
    grid && blocksFound(grid, all, reading.lossy),
    toneCurve(reading, all, meaning),
  ];
  return { found: describeSamples(reading, all, facts.facts), closer: closer.filter((f) => f !== null) };
}
