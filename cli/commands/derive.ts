import { Command } from 'commander';
import {
  besideHoles,
  ambientShade,
  aspect,
  curvature,
  drainageOf,
  lakesOf,
  spacingOf,
  spreadAccumulation,
  streamsAsGeoJson,
  streamsOf,
  defaultChannelArea,
  type Spreading,
  deliver,
  encodeImage,
  formatByName,
  hillshadeOnKernels,
  normalMap,
  roughness,
  slopeOnKernels,
  surfaceOfRows,
  fillForDisplay,
  statistics,
  toField,
  UplandError,
  DEFAULT_AMBIENT,
  DEFAULT_LIGHT,
  type Encoding,
  type Field,
  type Light,
  type Kernels,
  type Meaning,
} from '@upland-cast/core';
import { loadHeightmap, save, saveAll } from '../files';
import { byRows, writeByRows } from '../row-file';
import { withKernels } from '../node-kernels';
import { collect, encodingForWorked, inWords, oneOf, parseNumber, parseRange } from '../options';
import { proofOf, report } from '../report';

const MAPS = ['slope', 'aspect', 'hillshade', 'normal', 'profile-curvature', 'plan-curvature', 'roughness', 'shade', 'flow', 'streams'] as const;
type Map = (typeof MAPS)[number];

interface Options extends Meaning {
  map: never;
  as?: string;
  set: string[];
  sea?: number;
  depth?: '8' | '16' | '32f';
  json?: boolean;
}

export function deriveCommand(): Command {
  return new Command('derive')
    .description('A map derived from heights: slope, aspect, hillshade, normals, curvature, roughness, ambient shade, flow; or its streams as GeoJSON.')
    .argument('<in>')
    .argument('<out>')
    .requiredOption('--map <name>', MAPS.join(', '), oneOf<Map>(...MAPS))
    .option('--as <spec>', 'how to read the input')
    .option('--spacing <m>', 'metres from sample to sample', parseNumber)
    .option('--range <lo:hi>', 'metres that the ends of the input’s codes stand for', parseRange)
    .option(
      '--set <key=value>',
      'hillshade: azimuth, altitude, exaggeration; normal: green=up|down; shade: directions, exaggeration; flow: by=steepest|multiple|facet, edges=open|closed, sea=M; streams: least=M2, edges, sea',
      collect,
      [],
    )
    .option('--sea <m>', 'the sea level, for flow and streams', parseNumber)
    .option('--registration <kind>', 'whether samples lie on the edge (point) or are the middles of cells (area)', oneOf('point', 'area'))
    .option('--depth <bits>', '8, 16 or 32f; without it maps are written as floats, or 16 bits where the format has none', oneOf('8', '16', '32f'))
    .option('--json', 'print JSON')
    .action((input: string, out: string, given: Options) => withKernels(input, (kernels) => deriveFile(input, out, given, kernels)));
}

async function deriveFile(input: string, out: string, given: Options, kernels: Kernels): Promise<void> {
  const name = given.map as unknown as Map;
  const settings = Object.fromEntries(given.set.map((text) => text.split(/=(.*)/s) as [string, string]));
  const { spacing, range, as, registration } = given;
  if (given.sea !== undefined) settings.sea ??= String(given.sea);
  if ((name === 'slope' || name === 'hillshade') && !as && !given.depth && (await surfaceByRows(name, input, out, settings, given, kernels))) return;
  const field = toField(await loadHeightmap(input, as), { spacing, range, registration });
  const { across, down } = field.ground;
  if (name === 'normal') {
    if (formatByName(out).id !== 'png') throw new UplandError('format', 'Normals are written as PNG.');
    if (settings.green && settings.green !== 'up' && settings.green !== 'down') throw new UplandError('setting', 'green is up or down.');
    await save(
      out,
      encodeImage({
        width: across,
        height: down,
        channels: 3,
        samples: await normalMap(kernels, field, { green: settings.green as 'up' | 'down' | undefined, bits: settings.bits === '16' ? 16 : 8 }),
      }),
    );
    report(given.json, { out, width: across, height: down }, `${out}: normals, ${across} × ${down}.`);
    return;
  }
  if (name === 'flow' || name === 'streams') return water(name, field, out, settings, given, kernels);
  // Nothing is derived from what stands for a hole: it is closed first, and left out of the map with what touches it.
  const whole: Field = { ground: field.ground, height: fillForDisplay(field.height, across, down, field.valid) };
  const type = name === 'hillshade' && !given.depth ? ('u8' as const) : undefined;
  const map: Field = {
    ground: { ...field.ground, datum: 0 },
    height: await derive(name, whole, settings, kernels),
    ...(type ? {} : { valid: besideHoles(field) }),
  };
  const encoding =
    type && formatByName(out).writes.includes(type)
      ? { format: formatByName(out).id, type, range: { low: 0, high: 255 } }
      : encodingForWorked(out, map, { depth: given.depth });
  const { bytes, beside, proof } = await deliver(map, out, encoding, { kernels });
  await saveAll(out, bytes, beside);
  const { lowest, highest } = statistics(map);
  report(
    given.json,
    { out, width: across, height: down, min: lowest, max: highest, type: encoding.type, proof: proofOf(proof) },
    `${out}: ${name}, ${inWords(encoding)}, ${lowest} to ${highest}.`,
  );
}

/** Slope or hillshade from file to file, row by row; false where it has to be made whole. */
async function surfaceByRows(
  name: 'slope' | 'hillshade',
  input: string,
  out: string,
  settings: Record<string, string>,
  { spacing, range, registration, json }: Options,
  kernels: Kernels,
): Promise<boolean> {
  const format = formatByName(out);
  const done = await byRows(input, { spacing, range, registration }, async (heights) => {
    const type = name === 'hillshade' ? 'u8' : 'f32';
    if (!format.writes.includes(type)) return undefined;
    const encoding: Encoding = { format: format.id, type, ...(type === 'u8' ? { range: { low: 0, high: 255 } } : {}) };
    const ground = { ...heights.ground, datum: 0 };
    const light = name === 'hillshade' ? lightOf(settings) : undefined;
    const rows = (from: number, to: number) => surfaceOfRows(kernels, heights, from, to, light);
    const delivery = await writeByRows({ ground, rows }, out, encoding, kernels);
    return delivery && { ...delivery, encoding };
  });
  if (!done) return false;
  const { ground, encoding, lowest, highest, proof } = done;
  report(
    json,
    { out, width: ground.across, height: ground.down, min: lowest, max: highest, type: encoding.type, proof: proofOf(proof) },
    `${out}: ${name}, ${inWords(encoding)}, ${lowest} to ${highest}.`,
  );
  return true;
}

/** Flow accumulation in m², or streams as lines. */
async function water(
  name: 'flow' | 'streams',
  field: Field,
  out: string,
  settings: Record<string, string>,
  { json, depth }: Options,
  kernels: Kernels,
): Promise<void> {
  const { by = 'steepest', edges = 'open', sea, least } = settings;
  if (!['steepest', 'multiple', 'facet'].includes(by)) throw new UplandError('setting', 'by is steepest, multiple or facet.');
  if (edges !== 'open' && edges !== 'closed') throw new UplandError('setting', 'edges is open or closed.');
  const ground = sea === undefined ? field.ground : { ...field.ground, sea: parseNumber(sea) };
  const land = { ...field, ground };
  const drainage = await drainageOf(kernels, land, { open: edges === 'open', toSea: sea !== undefined });
  const { x, y } = spacingOf(ground);
  const { across, down } = ground;
  if (name === 'streams') {
    const streams = streamsOf(land, drainage, least === undefined ? defaultChannelArea(ground) : parseNumber(least));
    await save(out, new TextEncoder().encode(streamsAsGeoJson(land, streams)));
    const { lakes } = lakesOf(land, drainage);
    const highest = streams.reduce((most, s) => Math.max(most, s.order), 0);
    report(
      json,
      { out, streams: streams.length, order: highest, lakes: lakes.slice(0, 100) },
      `${out}: ${streams.length} streams, up to order ${highest}; ${lakes.length} lakes.`,
    );
    return;
  }
  const samples = by === 'steepest' ? drainage.accumulation : spreadAccumulation(land, drainage, by as Spreading);
  const height = samples.map((a) => a * x * y);
  const map: Field = { ground: { ...ground, datum: 0 }, height };
  const { bytes, beside } = await deliver(map, out, encodingForWorked(out, map, { depth }));
  await saveAll(out, bytes, beside);
  const { lowest, highest } = statistics(map);
  report(json, { out, width: across, height: down, min: lowest, max: highest, unit: 'm²' }, `${out}: flow, ${lowest} to ${highest} m².`);
}

async function derive(
  name: Exclude<Map, 'normal' | 'flow' | 'streams'>,
  field: Field,
  settings: Record<string, string>,
  kernels: Kernels,
): Promise<Float32Array<ArrayBuffer>> {
  switch (name) {
    case 'slope':
      return slopeOnKernels(kernels, field);
    case 'aspect':
      return aspect(field);
    case 'roughness':
      return roughness(field);
    case 'profile-curvature':
      return curvature(field, 'profile');
    case 'plan-curvature':
      return curvature(field, 'plan');
    case 'shade': {
      const sky = numbersOf('Ambient shade', { directions: DEFAULT_AMBIENT.directions, exaggeration: DEFAULT_AMBIENT.exaggeration }, settings);
      if (!(sky.directions >= 2 && sky.directions <= 256)) throw new UplandError('setting', 'Ambient shade looks in 2 to 256 directions.');
      return ambientShade(kernels, field, sky);
    }
    case 'hillshade':
      return hillshadeOnKernels(kernels, field, lightOf(settings));
  }
}

const lightOf = (settings: Record<string, string>): Light => numbersOf('Hillshade', { ...DEFAULT_LIGHT }, settings);

/** Settings that are numbers, over what is usual. */
function numbersOf<T extends Record<keyof T, number>>(title: string, usual: T, settings: Record<string, string>): T {
  const own = { ...usual };
  for (const key of Object.keys(settings)) {
    if (!(key in own)) throw new UplandError('setting', `${title} has no setting "${key}". It has: ${Object.keys(own).join(', ')}.`);
    own[key as keyof T] = parseNumber(settings[key]) as T[keyof T];
  }
  return own;
}
