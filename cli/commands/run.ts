import { Command } from 'commander';
import { deliver, evaluateAtSamples, fieldOf, samplingWords, type Sampling, groundAtSamples, rollCourse, statistics, UplandError } from '@upland-cast/core';
import { saveAll } from '../files';
import { nodeKernels } from '../node-kernels';
import { collect, encodingFor, oneOf, parseRange, parseWhole, type OutOptions } from '../options';
import { progressOn, proofOf, report } from '../report';
import { terrainCalled } from '../terrain';
import { saveLayer } from './apply';

interface Options extends OutOptions {
  roll: number;
  samples?: number;
  sampling?: Sampling | 'auto';
  threads?: number;
  layer: string[];
  json?: boolean;
}

export function runCommand(): Command {
  return new Command('run')
    .description('Works out a terrain: a project file, a course as JSON, or a starting course (start:ID; see: upland-cast starts).')
    .argument('<terrain>')
    .argument('<out>')
    .option('--samples <n>', 'samples along the longer side', parseWhole)
    .option(
      '--sampling <how>',
      'at another count: resampled from the terrain’s own, or worked out again (worked); without it resampled for as many or fewer',
      oneOf('auto', 'resampled', 'worked'),
    )
    .option('--roll <n>', 'another ground of the same kind: every seed drawn anew by this number', parseWhole, 0)
    .option('--threads <n>', 'workers; the bytes are the same with any number', parseWhole)
    .option('--out-as <spec>', 'the format to write')
    .option('--out-range <lo:hi>', 'metres that the ends of the written codes stand for', parseRange)
    .option('--depth <bits>', '8, 16 or 32f', oneOf('8', '16', '32f'))
    .option('--layer <name=file>', 'write a layer; may be given many times', collect, [])
    .option('--json', 'print JSON')
    .action(async (terrain: string, out: string, options: Options) => {
      const { course: own, assets } = await terrainCalled(terrain);
      const course = rollCourse(own, options.roll);
      const ground = options.samples ? groundAtSamples(course.ground, options.samples) : course.ground;
      const kernels = nodeKernels(new URL('./pool-worker.mjs', import.meta.url), options.threads || undefined);
      const { evaluation, sampling } = await evaluateAtSamples(
        course,
        ground,
        options.sampling ?? 'auto',
        {
          kernels,
          asset: async (sha) => {
            const bytes = assets.get(sha);
            if (!bytes) throw new UplandError('missing-asset', `The asset ${sha.slice(0, 12)}… is not in this terrain.`);
            return bytes;
          },
          onProgress: ({ use, share }) => progressOn(use.name || use.step)(share),
        },
        { stages: true },
      );
      kernels.close();
      const { stages } = evaluation;
      const faulty = stages.find((s) => s.fault);
      if (faulty) throw new UplandError('step', `The step "${faulty.use.name || faulty.use.step}" could not be done: ${faulty.fault}`);
      const field = fieldOf(evaluation, course.ground);
      const { bytes, beside, proof } = await deliver(field, out, encodingFor(out, field, options));
      await saveAll(out, bytes, beside);
      for (const text of options.layer) await saveLayer(text, evaluation.layers, field);
      const { lowest, highest } = statistics(field);
      report(
        options.json,
        { out, width: ground.across, height: ground.down, min: lowest, max: highest, sampling, proof: proofOf(proof) },
        `${out}: ${course.name}, ${ground.across} × ${ground.down}, ${lowest.toFixed(2)} to ${highest.toFixed(2)} m.${sampling ? ` ${samplingWords(sampling, ground)}` : ''}`,
      );
    });
}
