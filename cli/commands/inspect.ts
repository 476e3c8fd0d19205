import { basename } from 'node:path';
import { Command } from 'commander';
import { formats, inspect, rankRawReadings, readHeightmap, type RawCandidate } from '@upland-cast/core';
import { load } from '../files';
import { report } from '../report';

export function inspectCommand(): Command {
  return new Command('inspect')
    .description('What a heightmap holds, and what is wrong with it.')
    .argument('<file>')
    .option('--as <spec>', 'how to read raw bytes: raw:TYPE:ORDER:WxH[:skip=N][:rows=north|south][:channels=N][:channel=K]')
    .option('--json', 'print JSON')
    .action(async (file: string, { as, json }: { as?: string; json?: boolean }) => {
      const bytes = await load(file);
      let readings: RawCandidate[] = [];
      if (!as && bytes.length > 0 && !formats.some((f) => f.sniff(bytes))) readings = rankRawReadings(bytes);
      const reading = await readHeightmap(bytes, as ?? readings[0]?.as);
      const found = inspect(reading);
      const lines = [
        `${basename(file)}: ${found.format}, ${found.width} × ${found.height} samples, ${found.bits}-bit ${found.sampleFormat}, ${found.min} to ${found.max} ${found.unit === 'm' ? 'm' : '(codes)'}`,
        ...found.findings.map((f) => `  ${f.severity}: ${f.message}`),
        ...readings.map((r) => `  could be ${r.as} (${r.score.toFixed(3)})`),
      ];
      report(json, { file, ...found, readings }, lines.join('\n'));
    });
}
