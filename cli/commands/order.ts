import { mkdir, rename, rm } from 'node:fs/promises';
import { dirname, join, relative, resolve } from 'node:path';
import { Command } from 'commander';
import {
  exportOrder,
  groundAtSamples,
  nextSize,
  orderForReceiver,
  readPicture,
  readReceiver,
  receivers,
  StageCache,
  UplandError,
  whyReceiverRefuses,
  type Course,
  type Order,
  type ReportedFile,
} from '@upland-cast/core';
import { load, save } from '../files';
import { nodeKernels } from '../node-kernels';
import { collect, parseWhole } from '../options';
import { progressOn, report } from '../report';
import { terrainCalled } from '../terrain';
import { writerOn } from '../writing';

interface Options {
  recipe: string[];
  receiver?: string;
  samples?: number;
  list?: boolean;
  threads?: number;
  json?: boolean;
}

/** What is kept of an exported file in what is printed. */
type Line = Pick<ReportedFile, 'name' | 'role'> & { bytes: number; proved: boolean };

export function orderCommand(): Command {
  return new Command('order')
    .description('Hands a terrain on as its kept recipes say, or to a receiver: heights, maps, companions and the docket, every file proved.')
    .argument('<terrain>', 'a project file, a course as JSON, or start:ID')
    .argument('[outdir]', 'the folder to write into; it is made where there is none')
    .option('--recipe <name>', 'a recipe that is kept with the terrain; may be given many times; without it all of them', collect, [])
    .option('--receiver <id|file>', 'a receiver by its id, or one of your own as JSON, in place of a recipe')
    .option('--samples <n>', 'for --receiver: samples along the longer side', parseWhole)
    .option('--list', 'print the recipes and receivers that there are, and write nothing')
    .option('--threads <n>', 'workers; the bytes are the same with any number', parseWhole)
    .option('--json', 'print JSON')
    .action(async (terrain: string, outdir: string | undefined, options: Options) => {
      const { course, assets } = await terrainCalled(terrain);
      if (options.list) return list(course, options.json);
      if (!outdir) throw new UplandError('no-file', 'Say which folder to write into: upland-cast order TERRAIN OUTDIR.');
      const orders = options.receiver ? [await orderTo(options.receiver, course, options.samples)] : kept(course, options.recipe);
      const kernels = nodeKernels(new URL('./pool-worker.mjs', import.meta.url), options.threads || undefined);
      const asset = async (sha: string) => {
        const bytes = assets.get(sha);
        if (!bytes) throw new UplandError('missing-asset', `The asset ${sha.slice(0, 12)}… is not in this terrain.`);
        return bytes;
      };
      const cache = new StageCache(512 * 1024 * 1024);
      const lines: Line[] = [];
      const { writer, close } = writerOn(new URL('./writer-worker.mjs', import.meta.url));
      try {
        for (const order of orders) {
          const run = exportOrder(course, order, {
            kernels,
            writer,
            cache,
            asset,
            picture: async (sha) => readPicture(await asset(sha)),
            onProgress: ({ use, share }) => progressOn(use.name || use.step)(share),
          });
          for await (const { bytes, name, role, proof } of run) {
            await put(outdir, name, bytes);
            // What fails its proof is not handed on: it ends the run with a sentence.
            lines.push({ name, role, bytes: bytes.length, proved: proof?.ok === true });
          }
        }
      } finally {
        kernels.close();
        close();
      }
      const proved = lines.filter((line) => line.proved).length;
      report(options.json, { outdir, files: lines }, `${outdir}: ${lines.length} files, ${proved} of them read back and held against the ground.`);
    });
}

function list(course: Course, json?: boolean): void {
  const recipes = course.orders.map(({ name, receiver, samples }) => ({ name, receiver: receiver.id, samples }));
  const there = receivers.map(({ id, title }) => ({ id, title }));
  const words = [
    recipes.length ? 'Recipes:' : 'This terrain keeps no recipe. They are kept in Export; --receiver needs none.',
    ...recipes.map(({ name, receiver, samples }) => `  ${name}: ${receiver}, ${samples} samples`),
    'Receivers:',
    ...there.map(({ id, title }) => `  ${id}: ${title}`),
  ];
  report(json, { recipes, receivers: there }, words.join('\n'));
}

function kept(course: Course, names: readonly string[]): Order[] {
  const there = course.orders.map(({ name }) => name);
  if (there.length === 0) throw new UplandError('recipe', 'This terrain keeps no recipe. Keep one in Export, or name a receiver: --receiver ID.');
  for (const name of names) {
    if (!there.includes(name)) throw new UplandError('recipe', `There is no recipe "${name}". There are: ${there.join(', ')}.`);
  }
  return names.length ? course.orders.filter(({ name }) => names.includes(name)) : course.orders;
}

async function orderTo(called: string, course: Course, samples?: number): Promise<Order> {
  const shipped = receivers.find(({ id }) => id === called);
  if (!shipped && !called.endsWith('.json'))
    throw new UplandError(
      'receiver',
      `There is no receiver "${called}". There are: ${receivers.map(({ id }) => id).join(', ')}; or a file of your own, .json.`,
    );
  const receiver = shipped ?? readReceiver(new TextDecoder().decode(await load(called)));
  const longest = Math.max(course.ground.across, course.ground.down);
  // Without a count the nearest that it takes and that is no smaller than what there is.
  const wanted = samples ?? (whyReceiverRefuses(receiver, longest) ? (nextSize(receiver, longest) ?? longest) : longest);
  const refused = whyReceiverRefuses(receiver, wanted);
  if (refused) throw new UplandError('samples', refused);
  return orderForReceiver(receiver, { ...course, ground: groundAtSamples(course.ground, wanted) }, wanted);
}

/** Writes a file beside its name first, so that a stop leaves no half one under it. */
async function put(outdir: string, name: string, bytes: Uint8Array): Promise<void> {
  const path = resolve(outdir, name);
  if (relative(outdir, path).startsWith('..')) throw new UplandError('name', `${name} leads out of the folder.`);
  await mkdir(dirname(path), { recursive: true });
  const part = join(dirname(path), `.${Date.now().toString(36)}.part`);
  try {
    await save(part, bytes);
    await rename(part, path);
  } catch (error) {
    await rm(part, { force: true });
    throw error;
  }
}
