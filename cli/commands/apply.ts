import { Command } from 'commander';
import {
  changeBetween,
  deliver,
  evaluate,
  fieldOf,
  makeCourse,
  paramsOf,
  statistics,
  steepestDrop,
  knownStep,
  stepById,
  toField,
  stepUse,
  measureGround,
  startingValues,
  UplandError,
  writeLayer,
  type Field,
  type Meaning,
  type ParamMeta,
} from '@upland-cast/core';
import { loadHeightmap, save, saveAll } from '../files';
import { nodeKernels } from '../node-kernels';
import { collect, encodingForWorked, inWords, oneOf, parseNumber, parseRange, parseWhole } from '../options';
import { progressOn, proofOf, report } from '../report';

interface Options extends Meaning {
  as?: string;
  step: string;
  set: string[];
  seed?: number;
  sea?: number;
  depth?: '8' | '16' | '32f';
  outRange?: { low: number; high: number };
  layer: string[];
  json?: boolean;
}

export function applyCommand(): Command {
  return new Command('apply')
    .description('Does one step to a heightmap.')
    .argument('<in>')
    .argument('<out>')
    .requiredOption('--step <id>', 'which step (see: upland-cast steps)')
    .option('--set <key=value>', 'a setting; may be given many times', collect, [])
    .option('--seed <n>', 'the seed of a step that has one', parseWhole)
    .option('--as <spec>', 'how to read the input')
    .option('--spacing <m>', 'metres from sample to sample', parseNumber)
    .option('--range <lo:hi>', 'metres that the ends of the input’s codes stand for', parseRange)
    .option('--out-range <lo:hi>', 'metres that the ends of the written codes stand for', parseRange)
    .option('--sea <m>', 'the sea level that the step sees', parseNumber)
    .option('--registration <kind>', 'whether samples lie on the edge (point) or are the middles of cells (area)', oneOf('point', 'area'))
    .option('--depth <bits>', '8, 16 or 32f; without it heights are written as floats, or 16 bits where the format has none', oneOf('8', '16', '32f'))
    .option('--layer <name=file>', 'write a layer that the step leaves; may be given many times', collect, [])
    .option('--json', 'print JSON')
    .action(async (input: string, out: string, options: Options) => {
      const step = knownStep(options.step);
      const params = Object.fromEntries(options.set.map((text) => parseSetting(options.step, text)));
      if (options.seed !== undefined) params.seed = options.seed;
      const reading = await loadHeightmap(input, options.as);
      const read = toField(reading, options);
      const field: Field = { ...read, ground: { ...read.ground, sea: options.sea ?? read.ground.sea } };
      // What is not set begins as it would on the course of this ground.
      const begun = { ...startingValues(step, measureGround(field)), ...params };
      const kernels = nodeKernels(new URL('./pool-worker.mjs', import.meta.url));
      const evaluation = await evaluate(makeCourse('apply', field.ground, [stepUse(step.id, begun)]), {
        kernels,
        from: field,
        onProgress: ({ share }) => progressOn(step.title)(share),
      });
      kernels.close();
      const [stage] = evaluation.stages;
      if (stage.fault) throw new UplandError('step', stage.fault);
      const after = fieldOf(evaluation, field.ground);
      const encoding = encodingForWorked(out, after, options);
      const delivery = await deliver(after, out, encoding);
      await saveAll(out, delivery.bytes, delivery.beside);
      for (const text of options.layer) await saveLayer(text, stage.layers, field);

      const { lowest, highest } = statistics(after);
      const { volumeCut, volumeFill } = changeBetween(field.height, stage.height, field.ground);
      const steepest = steepestDrop(after);
      const { across, down } = field.ground;
      report(
        options.json,
        { out, width: across, height: down, min: lowest, max: highest, type: encoding.type, proof: proofOf(delivery.proof), volumeCut, volumeFill, steepest },
        `${out}: ${inWords(encoding)}, ${lowest} to ${highest} m; cut ${volumeCut.toFixed(1)} m³, fill ${volumeFill.toFixed(1)} m³, steepest ${steepest.toFixed(2)}°.`,
      );
    });
}

/** `NAME=FILE` of a layer, written in metres. */
export async function saveLayer(text: string, layers: Record<string, Float32Array<ArrayBuffer>>, field: Field): Promise<void> {
  const [name, file] = text.split(/=(.*)/s);
  if (!layers[name]) throw new UplandError('layer', `There is no layer "${name}" here. There are: ${Object.keys(layers).join(', ') || 'none'}.`);
  if (!file) throw new UplandError('layer', 'A layer is NAME=FILE.');
  await save(file, await writeLayer({ ...field, ground: { ...field.ground, datum: 0 }, height: layers[name] }, file));
}

function parseSetting(step: string, text: string): [string, unknown] {
  const [key, value] = text.split(/=(.*)/s);
  const param = paramsOf(stepById(step).params).find((p) => p.key === key);
  if (!param) {
    const known = paramsOf(stepById(step).params)
      .map((p) => p.key)
      .join(', ');
    throw new UplandError('setting', `${stepById(step).title} has no setting "${key}". It has: ${known}.`);
  }
  return [key, typed(param.meta, value ?? '')];
}

function typed(meta: ParamMeta, value: string): unknown {
  if (meta.kind === 'choice' || meta.kind === 'asset') return value;
  if (meta.kind === 'switch') return value === 'true';
  if (meta.kind === 'curve' || meta.kind === 'line') {
    try {
      return JSON.parse(value);
    } catch {
      throw new UplandError(
        'setting',
        `"${meta.label}" takes points as JSON, such as ${meta.kind === 'curve' ? '[{"from":0,"to":0},{"from":500,"to":300}]' : '[{"east":10,"south":20},{"east":90,"south":60}]'}.`,
      );
    }
  }
  return parseNumber(value);
}
