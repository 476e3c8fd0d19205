import { basename } from 'node:path';
import { Command } from 'commander';
import {
  deliver,
  displacementRatio,
  exportMesh,
  fillVoids,
  meshFormatByName,
  meshSettings,
  meshSettingsFor,
  ownSegments,
  rasterizeMeshOnKernels,
  readMeshFiles,
  spacingOf,
  statistics,
  toField,
  UplandError,
  type ExportedLevel,
  type Field,
  type Kernels,
  type MeshSettings,
  grouped,
} from '@upland-cast/core';
import { nodeKernels } from '../node-kernels';
import { load, loadHeightmap, save, saveAll } from '../files';
import { encodingFor, oneOf, parseNumber, parsePair, parseRange, parseSize, settingOptions, type OutOptions } from '../options';
import { PartFile } from '../part-file';
import { proofOf, report } from '../report';

/** Options that stand for themselves: each is a setting of the same name, with its bounds, words and usual value. */
const PLAIN = ['strength', 'up', 'handed', 'pivot', 'scale', 'faces', 'normals', 'uvs', 'base', 'levels', 'normalMap', 'packed', 'quantised'] as const;
type Plain = (typeof PLAIN)[number];

interface MeshOptions extends Partial<Pick<MeshSettings, Plain>> {
  extent?: { x: number; y: number };
  range?: { low: number; high: number };
  as?: string;
  segments?: { x: number; y: number };
  maxError?: number;
  triangles?: number;
  halved?: boolean;
  parts?: { x: number; y: number };
  skirt?: number;
  closed?: number;
  sea?: number;
  threads?: number;
  json?: boolean;
}

/** Parts as they are asked for: across × down, or one number of them, as square as it goes. */
function parseParts(text: string): { x: number; y: number } {
  if (/[x×]/i.test(text)) return parsePair(text);
  const count = parseNumber(text);
  if (!(Number.isInteger(count) && count >= 1 && count <= 10_000))
    throw new UplandError('parts', `Parts are a whole number, or so many across × down; "${text}" is neither.`);
  let down = Math.floor(Math.sqrt(count));
  while (count % down) down--;
  return { x: count / down, y: down };
}

export function meshCommand(): Command {
  const command = new Command('mesh')
    .description('Heights to a displaced mesh: a regular grid, triangles as large as the ground allows, or levels of detail.')
    .argument('<in>')
    .argument('<out>')
    .option('--extent <WxD>', 'width and depth in metres; without it what the file says', parsePair)
    .option('--range <lo:hi>', 'metres that the ends of the input’s codes stand for', parseRange)
    .option('--as <spec>', 'how to read the input')
    .option('--segments <XxY>', 'faces along the width and the depth; one vertex a sample without it', parsePair)
    .option('--max-error <m>', 'fewest triangles that leave no sample further off than this', parseNumber)
    .option('--triangles <n>', 'best use of so many triangles', parseNumber)
    .option('--halved', 'right-angled triangles, each half of a larger one')
    .option('--parts <n>', 'so many parts, or across × down, with the same borders', parseParts)
    .option('--skirt <m>', 'walls that hang from the edges of every part', parseNumber)
    .option('--closed <m>', 'closed below, so far under the lowest point', parseNumber)
    .option('--sea <m>', 'a plane of water of its own at this elevation', parseNumber);
  for (const option of settingOptions(meshSettings, PLAIN)) command.addOption(option);
  return command
    .option('--threads <n>', 'threads to work with', parseNumber)
    .option('--json', 'print JSON')
    .action(async (input: string, out: string, options: MeshOptions) => {
      const reading = await loadHeightmap(input, options.as);
      const read = toField(reading, options);
      if (!options.extent && !reading.spacing) throw new UplandError('extent', `${input} does not say how large its land is: give --extent WxD in metres.`);
      const { x: width, y: depth } = options.extent ?? { x: read.ground.width, y: read.ground.depth };
      if (!(width > 0 && depth > 0)) throw new UplandError('extent', 'The extent is a width and a depth of more than 0 m.');
      const field: Field = { ...read, ground: { ...read.ground, width, depth, sea: options.sea ?? read.ground.sea } };
      const settings = settingsFrom(field, out, options);
      const kernels = nodeKernels(new URL('./pool-worker.mjs', import.meta.url), options.threads);
      try {
        await writeMesh(field, settings, out, options.json, kernels);
      } finally {
        kernels.close();
      }
    });
}

/** The settings that the options come to. Refuses with a sentence what cannot be together. */
function settingsFrom(field: Field, out: string, options: MeshOptions): MeshSettings {
  const { maxError, triangles, halved, segments, parts, skirt, closed } = options;
  const format = meshFormatByName(out);
  if (options.faces === 'quads' && !format.quads) throw new UplandError('quads', `${format.title} holds triangles only. Write OBJ or PLY for quads.`);
  const fitted = maxError !== undefined || triangles !== undefined;
  if (fitted && segments) throw new UplandError('segments', 'A mesh has its faces by --segments, by --max-error or by --triangles: give one of them.');
  if (halved && !fitted) throw new UplandError('segments', 'Right-angled triangles (--halved) are asked for by --max-error or by --triangles.');
  if (skirt !== undefined && closed !== undefined) throw new UplandError('mesh-frame', 'A mesh has a skirt or is closed below, not both.');
  // Heights keep their own zero unless the country is high: then the datum is the zero, or float32 would lose millimetres.
  const zero = field.ground.datum;
  if (zero) process.stderr.write(`Heights count from ${zero} m in the mesh, so that they keep their precision.\n`);
  const { sea, datum } = field.ground;
  if (options.sea === undefined && field.height.some((h) => h + datum < sea))
    process.stderr.write(`The water is left out: the sea at ${sea} m covers a part of this ground. --sea ${sea} adds it as a plane.\n`);
  const plain = Object.fromEntries(PLAIN.flatMap((key) => (options[key] === undefined ? [] : [[key, options[key]]])));
  return {
    ...meshSettingsFor(field.ground),
    up: format.id === 'stl' ? 'z' : 'y',
    normals: options.normalMap === undefined ? 'smooth' : 'exact',
    ...plain,
    format: format.id,
    kind: halved ? 'halved' : fitted ? 'adaptive' : 'grid',
    segments: segments?.x ?? ownSegments(field.ground),
    segmentsDown: segments?.y ?? 0,
    until: triangles === undefined ? 'error' : 'count',
    ...(maxError === undefined ? {} : { maxError }),
    ...(triangles === undefined ? {} : { triangles }),
    ...(parts ? { parts: 'count' as const, partsAcross: parts.x, partsDown: parts.y } : {}),
    ...(skirt === undefined ? {} : { edge: 'skirt' as const, edgeLength: skirt }),
    ...(closed === undefined ? {} : { edge: 'closed' as const, edgeLength: closed }),
    water: options.sea !== undefined,
    zero,
  };
}

async function writeMesh(field: Field, settings: MeshSettings, out: string, json: boolean | undefined, kernels: Kernels): Promise<void> {
  const name = basename(out).replace(/\.[^.]+$/, '');
  const folder = out.slice(0, out.length - basename(out).length);
  const results: ReturnType<typeof figures>[] = [];
  // The first file has the name that was asked for.
  const pathOf = (level: number, file: string) => (level === 0 ? out : `${folder}${file}`);
  const begun = new Map<number, PartFile>();
  const store = (level: number, fileName: string) => {
    const path = pathOf(level, fileName);
    if (!PartFile.isFor(path)) return undefined;
    const file = new PartFile(path);
    begun.set(level, file);
    return file;
  };
  try {
    for await (const level of exportMesh(field, settings, { kernels, name, store })) {
      results.push(figures(level));
      const stored = begun.get(level.level);
      stored?.keep();
      for (const [k, file] of level.files.entries()) await save(k === 0 && !stored ? pathOf(level.level, file.name) : `${folder}${file.name}`, file.bytes);
    }
  } catch (error) {
    throw PartFile.fault(error, out);
  } finally {
    for (const file of begun.values()) file.drop();
  }
  const [first, ...levels] = results;
  const { bytes, switchDistance: _, ...shown } = first;
  report(
    json,
    { out, ...shown, ratio: displacementRatio(field), bytes, ...(levels.length ? { levels } : {}) },
    results
      .map(
        (f, k) =>
          `${k ? `Level ${k}` : out}: ${grouped(f.vertices)} vertices, ${grouped(f.faces)} faces${f.parts > 1 ? ` in ${f.parts} parts` : ''}, largest error ${f.maxError.toPrecision(3)} m${k ? `, from ${Math.round(f.switchDistance)} m on` : ''}.`,
      )
      .join('\n'),
  );
}

/** What was written, measured on the files. */
const figures = ({ vertices, faces, triangles, parts, error: { maxError, rmse }, bounds, bytes, switchDistance }: ExportedLevel) => ({
  vertices,
  faces,
  triangles,
  parts,
  maxError,
  rmse,
  bounds,
  bytes,
  switchDistance,
});

interface PressOptions extends OutOptions {
  registration?: 'point' | 'area';
  size?: { across: number; down: number };
  extent?: string;
  up?: 'y' | 'z';
  scale: number;
  smooth?: boolean;
  fillHoles?: boolean;
  json?: boolean;
}

export function pressCommand(): Command {
  return new Command('press')
    .description('A mesh, seen from straight above, to heights.')
    .argument('<mesh...>', 'one file or several (its parts, or a glTF and its buffers), then the file to write')
    .option('--size <WxH>', 'samples', parseSize)
    .option('--registration <kind>', 'whether samples lie on the edge (point) or are the middles of cells (area)', oneOf('point', 'area'))
    .option('--extent <X0,Y0,X1,Y1>', 'the land to look at, east and south in the mesh’s own numbers')
    .option('--up <axis>', 'y or z', oneOf('y', 'z'))
    .option('--scale <f>', 'metres to one unit of the mesh', parseNumber, 1)
    .option('--smooth', 'a smooth surface through the mesh’s corners instead of its facets')
    .option('--fill-holes', 'give holes a height that carries the ground around them on')
    .option('--out-range <lo:hi>', 'metres that the ends of the written codes stand for', parseRange)
    .option('--out-as <spec>', 'the format to write')
    .option('--depth <bits>', '8, 16 or 32f', oneOf('8', '16', '32f'))
    .option('--json', 'print JSON')
    .action(async (names: string[], options: PressOptions) => {
      const out = names.at(-1)!;
      const inputs = names.slice(0, -1);
      if (inputs.length === 0) throw new UplandError('missing', 'Give a mesh, and the file to write.');
      const extent = options.extent?.split(',').map(parseNumber);
      if (extent && extent.length !== 4) throw new UplandError('extent', 'The extent is four numbers: X0,Y0,X1,Y1.');
      const files = await Promise.all(inputs.map(async (name) => ({ name: basename(name), bytes: await load(name) })));
      const kernels = nodeKernels(new URL('./pool-worker.mjs', import.meta.url));
      const { mesh, pressed } = await (async () => {
        const read = await readMeshFiles(files, kernels);
        return {
          mesh: read,
          pressed: await rasterizeMeshOnKernels(kernels, read, {
            size: options.size,
            registration: options.registration,
            up: options.up,
            scale: options.scale,
            smooth: options.smooth,
            extent: extent && { west: extent[0], north: extent[1], east: extent[2], south: extent[3] },
          }),
        };
      })().finally(() => kernels.close());
      for (const words of mesh.odd ?? []) process.stderr.write(`${words}\n`);
      const { holes, overhangs, spacing } = pressed;
      let { field } = pressed;
      if (options.fillHoles && field.valid) {
        const { x, y } = spacingOf(field.ground);
        const voids = field.valid.map((v) => 1 - v) as Uint8Array<ArrayBuffer>;
        const filled = await fillVoids(field.height, field.ground.across, field.ground.down, voids, { aspect: x / y, stiffness: 'bending' });
        field = { ground: field.ground, height: filled.height };
      }
      const encoding = encodingFor(out, field, options, { type: 'f32' });
      const { bytes, beside, proof } = await deliver(field, out, encoding);
      await saveAll(out, bytes, beside);
      const { lowest, highest } = statistics(field);
      const { across, down } = field.ground;
      report(
        options.json,
        { out, width: across, height: down, min: lowest, max: highest, proof: proofOf(proof), holes, overhangs, spacing },
        `${out}: ${across} × ${down}, ${lowest} to ${highest} m, ${grouped(holes)} holes${options.fillHoles && holes ? ' (filled)' : ''}, ${grouped(overhangs)} samples under overhangs. Its triangles average ${Number(spacing.toPrecision(3))} m.`,
      );
    });
}
