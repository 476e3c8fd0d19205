import { basename } from 'node:path';
import { Command } from 'commander';
import {
  bakeNormals,
  boundsOf,
  deliver,
  displacementRatio,
  encodeImage,
  faceCount,
  fillVoids,
  compareMeshToField,
  meshFormatByName,
  modelOf,
  rasterizeMesh,
  readMeshFiles,
  simplifiedSurface,
  spacingOf,
  statistics,
  buildSurface,
  switchDistance,
  toField,
  triangleCount,
  UplandError,
  vertexCount,
  writeModel,
  type Field,
  type Kernels,
  type Mesh,
  type MeshFile,
  type MeshFormat,
  type MeshSurface,
  type Model,
  type ModelOptions,
} from '@upland-cast/core';
import { nodeKernels } from '../node-kernels';
import { load, loadHeightmap, save, saveAll } from '../files';
import { encodingFor, oneOf, parseNumber, parsePair, parseRange, parseSize, type OutOptions } from '../options';
import { proofOf, report } from '../report';

interface MeshOptions {
  extent: { x: number; y: number };
  range?: { low: number; high: number };
  as?: string;
  segments?: { x: number; y: number };
  maxError?: number;
  triangles?: number;
  halved?: boolean;
  levels: number;
  strength: number;
  up?: 'y' | 'z';
  handed: 'right' | 'left';
  pivot: 'centre' | 'corner' | 'ground';
  scale: number;
  faces: 'quads' | 'triangles';
  normals?: 'smooth' | 'flat' | 'exact' | 'none';
  uvs: 'whole' | 'part' | 'metres' | 'none';
  parts?: { x: number; y: number };
  skirt?: number;
  closed?: number;
  sea?: number;
  base: number;
  packed?: boolean;
  quantised?: boolean;
  normalMap?: number;
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
  return new Command('mesh')
    .description('Heights to a displaced mesh: a regular grid, triangles as large as the ground allows, or levels of detail.')
    .argument('<in>')
    .argument('<out>')
    .requiredOption('--extent <WxD>', 'width and depth in metres', parsePair)
    .option('--range <lo:hi>', 'metres that the ends of the input’s codes stand for', parseRange)
    .option('--as <spec>', 'how to read the input')
    .option('--segments <XxY>', 'faces along the width and the depth; one vertex a sample without it', parsePair)
    .option('--max-error <m>', 'fewest triangles that leave no sample further off than this', parseNumber)
    .option('--triangles <n>', 'best use of so many triangles', parseNumber)
    .option('--halved', 'right-angled triangles, each half of a larger one')
    .option('--levels <n>', 'lighter levels of detail besides, each with half the triangles, in files of their own', parseNumber, 0)
    .option('--strength <f>', 'multiplies the heights', parseNumber, 1)
    .option('--up <axis>', 'y or z; z for STL without it', oneOf('y', 'z'))
    .option('--handed <side>', 'right or left', oneOf('right', 'left'), 'right')
    .option('--pivot <where>', 'centre, corner or ground', oneOf('centre', 'corner', 'ground'), 'centre')
    .option('--scale <f>', 'units of the mesh to a metre', parseNumber, 1)
    .option('--faces <kind>', 'quads or triangles', oneOf('quads', 'triangles'), 'triangles')
    .option(
      '--normals <kind>',
      'smooth, flat, exact (of the full ground) or none; exact with a normal map, else smooth',
      oneOf('smooth', 'flat', 'exact', 'none'),
    )
    .option('--uvs <kind>', 'whole, part, metres or none', oneOf('whole', 'part', 'metres', 'none'), 'whole')
    .option('--parts <n>', 'so many parts, or across × down, with the same borders', parseParts)
    .option('--skirt <m>', 'walls that hang from the edges of every part', parseNumber)
    .option('--closed <m>', 'closed below, so far under the lowest point', parseNumber)
    .option('--sea <m>', 'a plane of water of its own at this elevation', parseNumber)
    .option('--base <m>', 'where height 0 comes to lie', parseNumber, 0)
    .option('--packed', 'GLB packed by EXT_meshopt_compression, without loss')
    .option('--quantised', 'GLB in 16-bit positions; the error is measured')
    .option('--normal-map <texels>', 'the full ground’s normals as a map for the lighter mesh, inside a GLB or beside', parseNumber)
    .option('--threads <n>', 'threads to work with', parseNumber)
    .option('--json', 'print JSON')
    .action(async (input: string, out: string, options: MeshOptions) => {
      const format = meshFormatByName(out);
      const read = toField(await loadHeightmap(input, options.as), options);
      if (!(options.extent.x > 0 && options.extent.y > 0)) throw new UplandError('extent', 'The extent is a width and a depth of more than 0 m.');
      const field: Field = { ...read, ground: { ...read.ground, width: options.extent.x, depth: options.extent.y, sea: options.sea ?? read.ground.sea } };
      if (options.faces === 'quads' && !format.quads) throw new UplandError('quads', `${format.title} holds triangles only. Write OBJ or PLY for quads.`);
      const kernels = nodeKernels(new URL('./pool-worker.mjs', import.meta.url), options.threads);
      try {
        await writeMesh(field, format, out, options, kernels);
      } finally {
        kernels.close();
      }
    });
}

function surfaceFor(field: Field, options: MeshOptions, kernels: Kernels): Promise<MeshSurface> {
  const { maxError, triangles, halved, segments, faces, parts } = options;
  const adaptive = maxError !== undefined || triangles !== undefined;
  if (adaptive && segments) throw new UplandError('segments', 'A mesh has its faces by --segments, by --max-error or by --triangles: give one of them.');
  if (halved && !adaptive) throw new UplandError('segments', 'Halved triangles are asked for by --max-error or by --triangles.');
  const kind = halved ? 'halved' : adaptive ? 'adaptive' : 'grid';
  return buildSurface(kernels, field, { kind, segments, faces, maxError, triangles, split: parts && { across: parts.x, down: parts.y } });
}

async function writeMesh(field: Field, format: MeshFormat, out: string, options: MeshOptions, kernels: Kernels): Promise<void> {
  const { strength, base, handed, pivot, scale, uvs, skirt, closed, normalMap } = options;
  const normals = options.normals ?? (normalMap === undefined ? 'smooth' : 'exact');
  // A map is made for one frame and one place on the mesh.
  if (normalMap !== undefined && (normals !== 'exact' || uvs !== 'whole' || closed !== undefined))
    throw new UplandError(
      'normal-map',
      'A normal map goes with exact normals and UVs over the whole of an open mesh. Leave --normals, --uvs and --closed out.',
    );
  if (options.sea !== undefined && !format.textured)
    throw new UplandError('water', `${format.title} holds one mesh, and the water is one of its own. Write GLB or OBJ, or leave --sea out.`);
  const up = options.up ?? (format.id === 'stl' ? 'z' : 'y');
  // Heights keep their own zero unless the country is high: then the datum is the zero, or float32 would lose millimetres.
  const zero = field.ground.datum;
  if (zero) process.stderr.write(`Heights count from ${zero} m in the mesh, so that they keep their precision.\n`);
  const name = basename(out).replace(/\.[^.]+$/, '');
  const dressing: ModelOptions = {
    strength,
    base,
    zero,
    up,
    handed,
    pivot,
    scale,
    normals,
    uvs,
    skirt,
    closed,
    water: options.sea !== undefined,
    tangents: normalMap !== undefined,
  };
  const whole = await surfaceFor(field, options, kernels);
  if (options.levels > 0 && whole.corners !== 3) throw new UplandError('quads', 'Levels of detail are made out of triangles.');
  if (!(Number.isInteger(options.levels) && options.levels >= 0 && options.levels <= 8))
    throw new UplandError('levels', 'Levels are a whole number from 0 to 8.');
  if ((options.packed || options.quantised) && !format.options.length) throw new UplandError('glb', 'Only GLB and glTF are packed or quantised.');
  const results: ReturnType<typeof figures>[] = [];
  for (let level = 0; level <= options.levels; level++) {
    const surface = level === 0 ? whole : await simplifiedSurface(field.ground, whole, 0.5 ** level);
    const own = level === 0 ? name : `${name}-level-${level}`;
    const model = modelOf(field, surface, own, dressing);
    const baked = normalMap === undefined ? undefined : bakeNormals(field, surface, { width: normalMap, height: normalMap, strength });
    const picture = baked && encodeImage({ width: normalMap!, height: normalMap!, channels: 3, samples: baked.samples }, 3);
    const inside = format.textured;
    const files = await writeModel(format, model, own, { normal: inside ? picture : undefined }, { packed: options.packed, quantised: options.quantised });
    if (picture && !inside) files.push({ name: `${own}-normal.png`, bytes: picture, mediaType: 'image/png' });
    results.push(figures(files, await readMeshFiles(files), model, field));
    // The first file has the name that was asked for.
    const folder = out.slice(0, out.length - basename(out).length);
    for (const [k, file] of files.entries()) await save(k === 0 && level === 0 ? out : `${folder}${file.name}`, file.bytes);
  }
  const [first, ...levels] = results;
  report(
    options.json,
    { out, ...shown(first), ratio: displacementRatio(field), bytes: first.bytes, ...(levels.length ? { levels } : {}) },
    [first, ...levels]
      .map(
        (f, k) =>
          `${k ? `Level ${k}` : out}: ${f.vertices} vertices, ${f.faces} faces${f.parts > 1 ? ` in ${f.parts} parts` : ''}, largest error ${f.maxError.toPrecision(3)} m${k ? `, from ${Math.round(f.switchDistance)} m on` : ''}.`,
      )
      .join('\n'),
  );
}

const shown = ({ vertices, faces, triangles, parts, maxError, rmse, bounds }: ReturnType<typeof figures>) => ({
  vertices,
  faces,
  triangles,
  parts,
  maxError,
  rmse,
  bounds,
});

/** What was written, measured on the files. */
function figures(files: readonly MeshFile[], written: Mesh, model: Model, field: Field) {
  const water = model.parts.some((p) => p.kind === 'water');
  // The water's two triangles come last; they are not the ground.
  const joinedGround = water ? { ...written, indices: written.indices.subarray(0, written.indices.length - 6) as Uint32Array<ArrayBuffer> } : written;
  const { maxError, rmse } = compareMeshToField(joinedGround, field, model.frame);
  return {
    vertices: vertexCount(written),
    faces: faceCount(written),
    triangles: triangleCount(written),
    parts: model.parts.filter((p) => p.kind === 'ground').length,
    maxError,
    rmse,
    bounds: boundsOf(written.positions),
    bytes: files.reduce((n, f) => n + f.bytes.length, 0),
    switchDistance: switchDistance(maxError),
  };
}

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
      const mesh = await readMeshFiles(await Promise.all(inputs.map(async (name) => ({ name: basename(name), bytes: await load(name) }))));
      const extent = options.extent?.split(',').map(parseNumber);
      if (extent && extent.length !== 4) throw new UplandError('extent', 'The extent is four numbers: X0,Y0,X1,Y1.');
      const pressed = rasterizeMesh(mesh, {
        size: options.size,
        registration: options.registration,
        up: options.up,
        scale: options.scale,
        smooth: options.smooth,
        extent: extent && { west: extent[0], north: extent[1], east: extent[2], south: extent[3] },
      });
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
        `${out}: ${across} × ${down}, ${lowest} to ${highest} m, ${holes} holes${options.fillHoles && holes ? ' (filled)' : ''}, ${overhangs} samples under overhangs. Its triangles average ${Number(spacing.toPrecision(3))} m.`,
      );
    });
}
