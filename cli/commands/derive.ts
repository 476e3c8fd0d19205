import { Command } from 'commander';
import {
  aspect,
  curvature,
  deliver,
  encodeRgb,
  formatByName,
  hillshade,
  normalMap,
  readHeightmap,
  roughness,
  slope,
  statistics,
  toField,
  UplandError,
  USUAL_LIGHT,
  type Field,
  type Meaning,
} from '@upland-cast/core';
import { load, save } from '../files';
import { collect, encodingFor, oneOf, parseNumber, parseRange } from '../options';
import { proofOf, report } from '../report';

const MAPS = ['slope', 'aspect', 'hillshade', 'normal', 'profile-curvature', 'plan-curvature', 'roughness'] as const;
type Map = (typeof MAPS)[number];

interface Options extends Meaning {
  map: never;
  as?: string;
  set: string[];
  json?: boolean;
}

export function deriveCommand(): Command {
  return new Command('derive')
    .description('A map derived from heights: slope, aspect, hillshade, normals, curvature, roughness.')
    .argument('<in>')
    .argument('<out>')
    .requiredOption('--map <name>', MAPS.join(', '), oneOf<Map>(...MAPS))
    .option('--as <spec>', 'how to read the input')
    .option('--spacing <m>', 'metres from sample to sample', parseNumber)
    .option('--range <lo:hi>', 'metres that the ends of the input’s codes stand for', parseRange)
    .option('--set <key=value>', 'hillshade: azimuth, altitude, exaggeration; normal: green=up|down', collect, [])
    .option('--json', 'print JSON')
    .action(async (input: string, out: string, given: Options) => {
      const name = given.map as unknown as Map;
      const settings = Object.fromEntries(given.set.map((text) => text.split(/=(.*)/s) as [string, string]));
      const { spacing, range, as } = given;
      const field = toField(await readHeightmap(await load(input), as), { spacing, range });
      const { across, down } = field.ground;
      if (name === 'normal') {
        if (formatByName(out).id !== 'png') throw new UplandError('format', 'Normals are written as PNG.');
        if (settings.green && settings.green !== 'up' && settings.green !== 'down') throw new UplandError('setting', 'green is up or down.');
        await save(out, encodeRgb(normalMap(field, settings.green as 'up' | 'down' | undefined), across, down));
        report(given.json, { out, width: across, height: down }, `${out}: normals, ${across} × ${down}.`);
        return;
      }
      const map: Field = { ground: { ...field.ground, datum: 0 }, height: derive(name, field, settings) };
      const type = name === 'hillshade' ? ('u8' as const) : undefined;
      const encoding =
        type && formatByName(out).writes.includes(type)
          ? { format: formatByName(out).id, type, range: { low: 0, high: 255 } }
          : encodingFor(out, map, {}, { type: 'f32' });
      const { bytes, proof } = await deliver(map, out, encoding);
      await save(out, bytes);
      const { lowest, highest } = statistics(map);
      report(given.json, { out, width: across, height: down, min: lowest, max: highest, proof: proofOf(proof) }, `${out}: ${name}, ${lowest} to ${highest}.`);
    });
}

function derive(name: Exclude<Map, 'normal'>, field: Field, settings: Record<string, string>): Float32Array<ArrayBuffer> {
  switch (name) {
    case 'slope':
      return slope(field);
    case 'aspect':
      return aspect(field);
    case 'roughness':
      return roughness(field);
    case 'profile-curvature':
      return curvature(field, 'profile');
    case 'plan-curvature':
      return curvature(field, 'plan');
    case 'hillshade': {
      const light = { ...USUAL_LIGHT };
      for (const key of Object.keys(settings)) {
        if (!(key in light)) throw new UplandError('setting', `Hillshade has no setting "${key}". It has: ${Object.keys(light).join(', ')}.`);
        light[key as keyof typeof light] = parseNumber(settings[key]);
      }
      return Float32Array.from(hillshade(field, light));
    }
  }
}
