import { basename } from 'node:path';
import { Command } from 'commander';
import {
  findingsIn,
  inspect,
  inspectByRows,
  rankRawReadings,
  saysNothing,
  toField,
  UplandError,
  type Band,
  type Kernels,
  type RawCandidate,
} from '@upland-cast/core';
import { load, loadHeightmap } from '../files';
import { withKernels } from '../node-kernels';
import { parseBand } from '../options';
import { report } from '../report';
import { byRows } from '../row-file';

export function inspectCommand(): Command {
  return new Command('inspect')
    .description('What a heightmap holds, and what is wrong with it.')
    .argument('<file>')
    .option('--as <spec>', 'how to read raw bytes: raw:TYPE:ORDER:WxH[:skip=N][:rows=north|south][:channels=N][:channel=K]')
    .option('--band <which>', 'of a file with several: its number, luminance or packed', parseBand)
    .option('--json', 'print JSON')
    .action((file: string, { as, band, json }: { as?: string; band?: Band; json?: boolean }) =>
      withKernels(file, async (kernels) => {
        const { found, closer, readings } = await lookInto(file, as, band, kernels);
        // What is plain from the samples is said once; what lies in the heights comes with its mend.
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

interface Looked {
  found: ReturnType<typeof inspect>;
  closer: Awaited<ReturnType<typeof findingsIn>>;
  /** Ways to read bytes that say nothing of themselves. */
  readings: RawCandidate[];
}

/** Fewer samples are read whole: that is sooner done. */
const LARGE = 2 ** 25;

async function lookInto(file: string, as: string | undefined, band: Band | undefined, kernels: Kernels): Promise<Looked> {
  const large =
    as || band !== undefined
      ? undefined
      : await byRows(file, {}, async (heights) =>
          heights.reading.width * heights.reading.height < LARGE ? undefined : ((await inspectByRows(heights, {}, kernels)) ?? undefined),
        );
  if (large) return { ...large, readings: [] };
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
  return { found, closer: await looking, readings };
}
