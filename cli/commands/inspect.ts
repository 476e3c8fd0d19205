import { basename } from 'node:path';
import { Command } from 'commander';
import { findingsIn, inspect, rankRawReadings, saysNothing, toField, UplandError, type Band, type RawCandidate } from '@upland-cast/core';
import { load, loadHeightmap } from '../files';
import { withKernels } from '../node-kernels';
import { parseBand } from '../options';
import { report } from '../report';

export function inspectCommand(): Command {
  return new Command('inspect')
    .description('What a heightmap holds, and what is wrong with it.')
    .argument('<file>')
    .option('--as <spec>', 'how to read raw bytes: raw:TYPE:ORDER:WxH[:skip=N][:rows=north|south][:channels=N][:channel=K]')
    .option('--band <which>', 'of a file with several: its number, luminance or packed', parseBand)
    .option('--json', 'print JSON')
    .action((file: string, { as, band, json }: { as?: string; band?: Band; json?: boolean }) =>
      withKernels(file, async (kernels) => {
        const bytes = await load(file);
        let readings: RawCandidate[] = [];
        if (!as && bytes.length > 0 && saysNothing(bytes)) readings = rankRawReadings(bytes);
        const reading = await loadHeightmap(file, as, band, bytes).catch((error: unknown) => {
          // Bytes that say nothing are looked at by the best way to read them.
          if (as || !readings.length || !(error instanceof UplandError && error.code === 'raw-needs-layout')) throw error;
          return loadHeightmap(file, readings[0].as, undefined, bytes);
        });
        const field = toField(reading);
        const looking = !field.valid || field.valid.includes(1) ? findingsIn(reading, {}, field, kernels) : Promise.resolve([]);
        const found = inspect(reading);
        // What is plain from the samples is said once; what lies in the heights comes with its mend.
        const closer = await looking;
        const known = new Set(closer.map((f) => f.id));
        found.findings = [
          ...found.findings.filter((f) => !known.has(f.id)),
          ...closer.map(({ id, severity, message, count, mend }) => ({ id, severity, message, count, ...(mend ? { mend } : {}) })),
        ];
        const lines = [
          `${basename(file)}: ${found.format}, ${found.width} × ${found.height} samples, ${found.bits}-bit ${found.sampleFormat}, ${found.min} to ${found.max} ${found.unit === 'm' ? 'm' : '(codes)'}`,
          ...found.findings.map((f) => `  ${f.severity}: ${f.message}`),
          ...readings.map((r) => `  could be ${r.as} (${r.score.toFixed(3)})`),
        ];
        report(json, { file, ...found, readings }, lines.join('\n'));
      }),
    );
}
