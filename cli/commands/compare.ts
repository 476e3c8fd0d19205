import { Command } from 'commander';
import { compareFields, toField, type Meaning } from '@upland-cast/core';
import { loadHeightmap } from '../files';
import { parseRange } from '../options';
import { report } from '../report';

export function compareCommand(): Command {
  return new Command('compare')
    .description('Holds one heightmap against another, sample by sample.')
    .argument('<a>')
    .argument('<b>')
    .option('--as <spec>', 'how to read raw bytes')
    .option('--range <lo:hi>', 'metres that the ends of integer codes stand for', parseRange)
    .option('--json', 'print JSON')
    .action(async (a: string, b: string, options: Meaning & { as?: string; json?: boolean }) => {
      const read = async (path: string) => toField(await loadHeightmap(path, options.as), options);
      const result = compareFields(await read(a), await read(b));
      const turned = result.turned ? `; turned by ${result.turned}°` : '';
      const flipped = result.flippedRows ? '; flipped top to bottom' : result.flippedColumns ? '; flipped left to right' : '';
      report(
        options.json,
        result,
        `Largest difference ${result.maxAbs.toPrecision(5)} m, RMS ${result.rmse.toPrecision(5)} m, mean ${result.mean.toPrecision(5)} m, correlation ${result.correlation.toFixed(6)}${flipped}${turned}${result.sameForm ? '; the same form' : ''}.`,
      );
    });
}
