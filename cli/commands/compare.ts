import { basename } from 'node:path';
import { Command } from 'commander';
import {
  compareFields,
  compareSides,
  deliver,
  describeLand,
  describeParts,
  differenceField,
  formatByName,
  LAID,
  partsOfMesh,
  rasterizeMesh,
  readMeshFiles,
  toField,
  UplandError,
  type Field,
  type Laid,
  type LandReport,
  type Meaning,
  type Mesh,
  type PartsReport,
  type SidesCompared,
  grouped,
} from '@upland-cast/core';
import { load, loadHeightmap, saveAll } from '../files';
import { nodeKernels } from '../node-kernels';
import { oneOf, parseNumber, parseRange } from '../options';
import { report } from '../report';

interface CompareOptions extends Meaning {
  as?: string;
  bAs?: string;
  bRange?: { low: number; high: number };
  laid?: Laid | 'fit';
  fit?: boolean;
  tolerance?: number;
  difference?: string;
  with?: string[];
  land?: boolean;
  json?: boolean;
}

const MESHES = /\.(obj|ply|stl|glb|gltf)$/i;

export function compareCommand(): Command {
  return new Command('compare')
    .description('Holds one ground against another: heightmaps and meshes, in any pair.')
    .argument('<a>')
    .argument('<b>')
    .option('--as <spec>', 'how to read raw bytes')
    .option('--b-as <spec>', 'the same for B alone')
    .option('--range <lo:hi>', 'metres that the ends of integer codes stand for', parseRange)
    .option('--b-range <lo:hi>', 'the same for B alone', parseRange)
    .option('--spacing <m>', 'metres from sample to sample, of both', parseNumber)
    .option('--laid <how>', 'how B is laid on A: by the same ground, by georeference, by size, by their corners, as it fits best', oneOf(...LAID, 'fit'))
    .option('--fit', 'find the turn, flip, shift and scale that bring B nearest A')
    .option('--tolerance <m>', 'end with 1 where a sample is further off than this', parseNumber)
    .option('--with <file...>', 'further parts of the mesh that B is')
    .option('--land', 'measure both as land too: slopes, directions, spectrum')
    .option('--difference <file>', 'write B − A, metres, as heights')
    .option('--json', 'print JSON')
    .action(async (a: string, b: string, options: CompareOptions) => {
      const {
        sides: [first, second],
        parts,
      } = await sidesOf(a, b, options);
      const exact = sameCounts(first, second) || crossed(first, second) ? compareFields(first, second) : null;
      const found = await compareSides(first, second, { laid: options.laid, fit: options.fit ?? true, metres: options.spacing !== undefined });
      if (options.difference) await writeDifference(options.difference, differenceField(first, found.on));
      const { on, fitted, ...numbers } = found;
      const land = options.land ? await landOf(first, on) : undefined;
      const within = options.tolerance === undefined ? undefined : found.between.maxAbs <= options.tolerance;
      const shown = options.laid === undefined && exact;
      report(
        options.json,
        {
          ...(exact ?? {
            maxAbs: found.between.maxAbs,
            rmse: found.between.rmse,
            mean: found.between.mean,
            correlation: found.between.correlation,
            bestShift: found.between.mean,
          }),
          ...numbers,
          ...(fitted ? { fit: fitted.fit, relation: fitted.relation, left: fitted.left, findings: fitted.findings } : {}),
          ...(within === undefined ? {} : { tolerance: options.tolerance, within }),
          ...(parts ? { parts } : {}),
          ...(land ? { land } : {}),
        },
        [
          inWords(found, shown ? exact.maxAbs : found.between.maxAbs, options.tolerance, within),
          ...(parts ? partsInWords(parts) : []),
          ...(land ? landInWords(land) : []),
        ].join('\n'),
      );
      if (within === false) process.exitCode = 1;
    });
}

/** Both as land, B at A's samples. */
async function landOf(a: Field, b: Field): Promise<{ a: LandReport; b: LandReport }> {
  const kernels = nodeKernels(new URL('./pool-worker.mjs', import.meta.url));
  try {
    return { a: await describeLand(kernels, a), b: await describeLand(kernels, b) };
  } finally {
    kernels.close();
  }
}

const landInWords = (land: { a: LandReport; b: LandReport }): string[] =>
  (['a', 'b'] as const).map((side) => {
    const { slope, eightFold, fourFold, spectrum } = land[side];
    return `${side.toUpperCase()} as land: half under ${slope.q50.toFixed(1)}°, one in twenty over ${slope.q95.toFixed(1)}°; eight-fold ${eightFold.toFixed(3)}, four-fold ${fourFold.toFixed(3)}; spectrum ${spectrum.large.toFixed(2)} and ${spectrum.small.toFixed(2)}.`;
  });

const sameCounts = (a: Field, b: Field) => a.ground.across === b.ground.across && a.ground.down === b.ground.down;
const crossed = (a: Field, b: Field) => a.ground.across === b.ground.down && a.ground.down === b.ground.across;

interface MeshFiles {
  whole: Mesh;
  parts: { name: string; mesh: Mesh }[];
}

/** Both sides as fields; a mesh is seen from straight above at the other side's samples, and its parts are held against that. */
async function sidesOf(a: string, b: string, options: CompareOptions): Promise<{ sides: [Field, Field]; parts?: PartsReport }> {
  const own = { ...options, as: options.bAs ?? options.as, range: options.bRange ?? options.range };
  const heights = async (path: string, of: CompareOptions) => toField(await loadHeightmap(path, of.as), of);
  const mesh = { a: MESHES.test(a) ? await meshOf([a]) : null, b: MESHES.test(b) ? await meshOf([b, ...(options.with ?? [])]) : null };
  if (mesh.a && !mesh.b) {
    const second = await heights(b, own);
    return { sides: [heightsOfMesh(mesh.a.whole, second), second], parts: describeParts(mesh.a.parts, second) };
  }
  const first = mesh.a ? heightsOfMesh(mesh.a.whole) : await heights(a, options);
  if (!mesh.b) return { sides: [first, await heights(b, own)] };
  return { sides: [first, heightsOfMesh(mesh.b.whole, first)], parts: describeParts(mesh.b.parts, first) };
}

/** A mesh in one file or in parts; of a single file what hangs together is a part. */
async function meshOf(paths: string[]): Promise<MeshFiles> {
  const files = await Promise.all(paths.map(async (path) => ({ name: basename(path), bytes: await load(path) })));
  const whole = await readMeshFiles(files);
  for (const words of whole.odd ?? []) process.stderr.write(`${words}\n`);
  const parts = files.length > 1 ? await Promise.all(files.map(async (file) => ({ name: file.name, mesh: await readMeshFiles([file]) }))) : partsOfMesh(whole);
  return { whole, parts };
}

function heightsOfMesh(mesh: Mesh, like?: Field): Field {
  const size = like && { across: like.ground.across, down: like.ground.down };
  return rasterizeMesh(mesh, { size, registration: like?.ground.registration }).field;
}

function partsInWords({ parts, findings }: PartsReport): string[] {
  if (parts.length < 2) return [];
  return [
    ...findings.map(({ sentence }) => sentence),
    ...parts.map(
      ({ name, triangles, width, depth, off }) =>
        `${name}: ${grouped(triangles)} triangles, ${width.toFixed(2)} × ${depth.toFixed(2)} m${off ? `, ${off.rmse.toPrecision(3)} m off the ground, RMS` : ''}.`,
    ),
  ];
}

async function writeDifference(out: string, field: Field): Promise<void> {
  const format = formatByName(out);
  if (!format.writes.includes('f32'))
    throw new UplandError('format', `A difference is written in metres, as floats; ${format.title} holds none. Write a TIFF.`);
  const { bytes, beside } = await deliver(field, out, { format: format.id, type: 'f32' });
  await saveAll(out, bytes, beside);
}

function inWords({ between, fitted, laid }: SidesCompared, maxAbs: number, tolerance: number | undefined, within: boolean | undefined): string {
  const { at, percentiles } = between;
  return [
    ...(fitted?.findings.map(({ sentence }) => sentence) ?? []),
    `Laid on each other by ${laid === 'ground' ? 'the same ground' : laid}: largest difference ${maxAbs.toPrecision(5)} m (${at.east.toFixed(1)} m east, ${at.south.toFixed(1)} m south), RMS ${between.rmse.toPrecision(5)} m, mean ${between.mean.toPrecision(5)} m, 99 % within ${percentiles.at(-1)!.within.toPrecision(3)} m, correlation ${between.correlation.toFixed(6)}.`,
    `A must lose ${between.loss.toPrecision(4)} m³ and gain ${between.gain.toPrecision(4)} m³ to be B.`,
    ...(within === undefined ? [] : [within ? `Within ${tolerance} m.` : `Not within ${tolerance} m.`]),
  ].join('\n');
}
