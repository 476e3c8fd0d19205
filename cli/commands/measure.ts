import { Command } from 'commander';
import { describeLand, toField, type Meaning } from '@upland-cast/core';
import { loadHeightmap } from '../files';
import { nodeKernels } from '../node-kernels';
import { parseNumber, parseRange } from '../options';
import { report } from '../report';

export function measureCommand(): Command {
  return new Command('measure')
    .description('Measures a heightmap as land, and says where it is not what real ground shows.')
    .argument('<file>')
    .option('--as <spec>', 'how to read raw bytes')
    .option('--spacing <m>', 'metres from one sample to the next', parseNumber)
    .option('--range <lo:hi>', 'metres that the ends of integer codes stand for', parseRange)
    .option('--sea <m>', 'the sea level, metres', parseNumber)
    .option('--json', 'print JSON')
    .action(async (file: string, options: Meaning & { as?: string; spacing?: number; sea?: number; json?: boolean }) => {
      const read = toField(await loadHeightmap(file, options.as), options);
      const field = options.sea === undefined ? read : { ...read, ground: { ...read.ground, sea: options.sea } };
      const kernels = nodeKernels(new URL('./pool-worker.mjs', import.meta.url));
      const { degrees: _, rings: __, ...land } = await describeLand(kernels, field);
      kernels.close();
      const { slope, fullestDegree, verdict } = land;
      report(
        options.json,
        land,
        [
          `Slope: half under ${slope.q50.toFixed(1)}°, one in twenty over ${slope.q95.toFixed(1)}°; ${(fullestDegree.share * 100).toFixed(1)} % at ${fullestDegree.at}°; level ${(land.flat * 100).toFixed(1)} %.`,
          `Directions: eight-fold ${land.eightFold.toFixed(3)}, four-fold ${land.fourFold.toFixed(3)}. Spectrum: ${land.spectrum.large.toFixed(2)} and ${land.spectrum.small.toFixed(2)}.`,
          `Water: concavity ${land.concavity?.toFixed(2) ?? '–'}, ${land.drainageDensity.toFixed(2)} km of channel a km², hollows ${(land.hollows.share * 100).toFixed(2)} %.`,
          ...(verdict.length === 0 ? ['Nothing lies outside of what real ground shows.'] : verdict.map((v) => v.sentence)),
        ].join('\n'),
      );
    });
}
