import { basename } from 'node:path';
import { Command } from 'commander';
import {
  boundsOf,
  deliver,
  displacementRatio,
  faceCount,
  gridMesh,
  meshError,
  meshFormatByName,
  pressMesh,
  readMesh,
  statistics,
  toField,
  triangleCount,
  UplandError,
  vertexCount,
} from '@upland-cast/core';
import { load, loadHeightmap, save, saveAll } from '../files';
import { encodingFor, oneOf, parseNumber, parsePair, parseRange, parseSize, type OutOptions } from '../options';
import { proofOf, report } from '../report';

interface MeshOptions {
  extent: { x: number; y: number };
  range?: { low: number; high: number };
  as?: string;
  segments?: { x: number; y: number };
  strength: number;
  up: 'y' | 'z';
  faces: 'quads' | 'triangles';
  base: number;
  json?: boolean;
}

export function meshCommand(): Command {
  return new Command('mesh')
    .description('Heights to a displaced mesh.')
    .argument('<in>')
    .argument('<out>')
    .requiredOption('--extent <WxD>', 'width and depth in metres', parsePair)
    .option('--range <lo:hi>', 'metres that the ends of the input’s codes stand for', parseRange)
    .option('--as <spec>', 'how to read the input')
    .option('--segments <XxY>', 'faces along the width and the depth; one vertex a sample without it', parsePair)
    .option('--strength <f>', 'multiplies the heights', parseNumber, 1)
    .option('--up <axis>', 'y or z', oneOf('y', 'z'), 'y')
    .option('--faces <kind>', 'quads or triangles', oneOf('quads', 'triangles'), 'triangles')
    .option('--base <m>', 'where height 0 comes to lie', parseNumber, 0)
    .option('--json', 'print JSON')
    .action(async (input: string, out: string, options: MeshOptions) => {
      const format = meshFormatByName(out);
      const read = toField(await loadHeightmap(input, options.as), options);
      if (!(options.extent.x > 0 && options.extent.y > 0)) throw new UplandError('extent', 'The extent is a width and a depth of more than 0 m.');
      const field = { ...read, ground: { ...read.ground, width: options.extent.x, depth: options.extent.y } };
      if (options.faces === 'quads' && !format.quads) throw new UplandError('quads', `${format.title} holds triangles only. Write OBJ or PLY for quads.`);
      const { strength, base, up, faces, segments } = options;
      // Heights keep their own zero unless the country is high: then the datum is the zero, or float32 would lose millimetres.
      const zero = field.ground.datum;
      if (zero) process.stderr.write(`Heights count from ${zero} m in the mesh, so that they keep their precision.\n`);
      const bytes = format.write(gridMesh(field, { segments, strength, base, up, faces, zero }), basename(out).replace(/\.[^.]+$/, ''));
      // Measured on what was written.
      const written = readMesh(bytes);
      written.up = format.id === 'glb' ? 'y' : format.id === 'stl' ? 'z' : up;
      const { maxError, rmse } = meshError(written, field, { strength, zero, base });
      await save(out, bytes);
      const counts = { vertices: vertexCount(written), faces: faceCount(written), triangles: triangleCount(written) };
      report(
        options.json,
        { out, ...counts, parts: 1, maxError, rmse, bounds: boundsOf(written.positions), ratio: displacementRatio(field), bytes: bytes.length },
        `${out}: ${counts.vertices} vertices, ${counts.faces} faces, largest error ${maxError.toPrecision(3)} m.`,
      );
    });
}

interface PressOptions extends OutOptions {
  size?: { across: number; down: number };
  extent?: string;
  up?: 'y' | 'z';
  json?: boolean;
}

export function pressCommand(): Command {
  return new Command('press')
    .description('A mesh, seen from straight above, to heights.')
    .argument('<mesh>')
    .argument('<out>')
    .option('--size <WxH>', 'samples', parseSize)
    .option('--extent <X0,Y0,X1,Y1>', 'the land to look at, east and south in the mesh’s own numbers')
    .option('--up <axis>', 'y or z', oneOf('y', 'z'))
    .option('--out-range <lo:hi>', 'metres that the ends of the written codes stand for', parseRange)
    .option('--out-as <spec>', 'the format to write')
    .option('--depth <bits>', '8, 16 or 32f', oneOf('8', '16', '32f'))
    .option('--json', 'print JSON')
    .action(async (input: string, out: string, options: PressOptions) => {
      const mesh = readMesh(await load(input));
      const extent = options.extent?.split(',').map(parseNumber);
      if (extent && extent.length !== 4) throw new UplandError('extent', 'The extent is four numbers: X0,Y0,X1,Y1.');
      const { field, holes, overhangs } = pressMesh(mesh, {
        size: options.size,
        up: options.up,
        extent: extent && { west: extent[0], north: extent[1], east: extent[2], south: extent[3] },
      });
      const encoding = encodingFor(out, field, options, { type: 'f32' });
      const { bytes, beside, proof } = await deliver(field, out, encoding);
      await saveAll(out, bytes, beside);
      const { lowest, highest } = statistics(field);
      const { across, down } = field.ground;
      report(
        options.json,
        { out, width: across, height: down, min: lowest, max: highest, proof: proofOf(proof), holes, overhangs },
        `${out}: ${across} × ${down}, ${lowest} to ${highest} m, ${holes} holes, ${overhangs} samples under overhangs.`,
      );
    });
}
