import { Command } from 'commander';
import {
  CODES,
  deliver,
  flipColumns,
  flipRows,
  inspect,
  meaningOf,
  readHeightmap,
  resample,
  statistics,
  toField,
  turn,
  withSamples,
  UplandError,
  type Encoding,
  type Field,
  type Filter,
  type Registration,
} from '@upland-cast/core';
import { load, save } from '../files';
import { encodingFor, oneOf, parseFilter, parseMap, parseNumber, parseRange, parseSize, rangeOfCodes } from '../options';
import { proofOf, report } from '../report';

interface Options {
  as?: string;
  outAs?: string;
  range?: { low: number; high: number };
  map?: { code0: number; height0: number; code1: number; height1: number };
  outRange?: { low: number; high: number };
  size?: { across: number; down: number };
  filter?: Filter;
  registration?: Registration;
  spacing?: number;
  shift?: number;
  stretch?: { low: number; high: number };
  flip?: 'rows' | 'columns';
  turn?: '90' | '180' | '270';
  fillVoids?: boolean;
  depth?: '8' | '16' | '32f';
  json?: boolean;
}

export function convertCommand(): Command {
  return new Command('convert')
    .description('From one heightmap to another: format, samples, range, orientation.')
    .argument('<in>')
    .argument('<out>')
    .option('--as <spec>', 'how to read the input')
    .option('--out-as <spec>', 'the format to write, or raw:TYPE:ORDER[:skip=N][:rows=…]')
    .option('--range <lo:hi>', 'metres that the ends of the input’s codes stand for', parseRange)
    .option('--map <c0=h0,c1=h1>', 'two codes of the input and their metres', parseMap)
    .option('--out-range <lo:hi>', 'metres that the ends of the written codes stand for', parseRange)
    .option('--size <WxH>', 'samples to write', parseSize)
    .option('--filter <name>', 'nearest, linear, cubic, monotone, average or lanczos', parseFilter)
    .option('--registration <kind>', 'point or area', oneOf('point', 'area'))
    .option('--spacing <m>', 'metres from sample to sample in the input', parseNumber)
    .option('--shift <m>', 'move everything up', parseNumber)
    .option('--stretch <lo:hi>', 'stretch the range to these metres', parseRange)
    .option('--flip <what>', 'rows or columns', oneOf('rows', 'columns'))
    .option('--turn <degrees>', '90, 180 or 270, clockwise', oneOf('90', '180', '270'))
    .option('--fill-voids', 'fill samples without data')
    .option('--depth <bits>', '8, 16 or 32f', oneOf('8', '16', '32f'))
    .option('--json', 'print JSON')
    .action(async (input: string, out: string, options: Options) => {
      if (options.fillVoids) throw new UplandError('not-yet', 'Filling voids is not in this version yet. Leave --fill-voids out.');
      const reading = await readHeightmap(await load(input), options.as);
      const { scale, offset } = meaningOf(reading, options);
      let field = toField(reading, options);
      if (options.registration) field = { ...field, ground: { ...field.ground, registration: options.registration } };
      if (options.flip) field = options.flip === 'rows' ? flipRows(field) : flipColumns(field);
      if (options.turn) field = turn(field, Number(options.turn) as 90 | 180 | 270);
      if (options.shift !== undefined) field = shifted(field, options.shift);
      if (options.stretch) field = stretched(field, options.stretch);
      if (options.size) field = resample(field, withSamples(field.ground, options.size.across, options.size.down), options.filter);

      const encoding = encodingFor(out, field, options, { type: reading.type, range: rangeOfCodes(reading, scale, offset) });
      if (field.valid && CODES[encoding.type]) encoding.noData = reading.noData;
      if (encoding.noData === null) delete encoding.noData;
      warnAboutCodes(input, inspect(reading).unit === 'code' && !options.range && !options.map, encoding);
      const { bytes, proof } = await deliver(field, out, encoding);
      await save(out, bytes);
      const { lowest, highest } = statistics(field);
      const { across, down } = field.ground;
      report(
        options.json,
        { out, width: across, height: down, min: lowest, max: highest, proof: proofOf(proof) },
        `${out}: ${across} × ${down}, ${lowest} to ${highest} m, read back within ${proof.maxAbs.toPrecision(3)} m${proof.clipped ? `, ${proof.clipped} samples clipped` : ''}.`,
      );
    });
}

function warnAboutCodes(input: string, asTheyAre: boolean, encoding: Encoding): void {
  if (asTheyAre)
    process.stderr.write(
      `${input} does not say how many metres its codes stand for: one code was taken as one metre${encoding.range ? '' : ', and metres were written'}. Say --range LO:HI otherwise.\n`,
    );
}

function shifted(field: Field, by: number): Field {
  return { ...field, height: field.height.map((h) => h + by) };
}

function stretched(field: Field, to: { low: number; high: number }): Field {
  const { lowest, highest } = statistics(field);
  if (!(highest > lowest)) throw new UplandError('stretch-span', `Every sample stands at ${lowest} m, so there is no range to stretch.`);
  const factor = (to.high - to.low) / (highest - lowest);
  const { datum } = field.ground;
  return { ...field, height: field.height.map((h) => to.low + (h + datum - lowest) * factor - datum) };
}
