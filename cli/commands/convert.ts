import { Command } from 'commander';
import {
  inspect,
  CODES,
  deliver,
  flipColumns,
  flipRows,
  rangeOfCodes,
  readHeightmap,
  resample,
  statistics,
  toField,
  countDistinct,
  formatById,
  formatByName,
  NotByRows,
  resampledRows,
  sameSamples,
  makeSamples,
  sha256,
  turn,
  withSamples,
  fillVoids,
  spacingOf,
  UplandError,
  type Band,
  type Encoding,
  type Field,
  type Kernels,
  type Filter,
  type Reading,
  type Registration,
  type RowDelivery,
  grouped,
} from '@upland-cast/core';
import { loadHeightmap, save, saveAll } from '../files';
import { byRows, writeByRows } from '../row-file';
import { withKernels } from '../node-kernels';
import { encodingFor, oneOf, parseBand, parseFilter, parseMap, parseNumber, parseRange, parseSize } from '../options';
import { proofOf, report } from '../report';

interface Options {
  as?: string;
  band?: Band;
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
    .option('--band <which>', 'of a file with several: its number, luminance or packed', parseBand)
    .option('--out-as <spec>', 'the format to write, such as png, tiff:deflate, tiff:cloud (cloud-optimised), or raw:TYPE:ORDER[:skip=N][:rows=…]')
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
    .action((input: string, out: string, options: Options) => withKernels(input, (kernels) => convert(input, out, options, kernels)));
}

async function convert(input: string, out: string, options: Options, kernels: Kernels): Promise<void> {
  if (await convertByRows(input, out, options, kernels)) return;
  const reading = await loadHeightmap(input, options.as, options.band);
  if (keepsCodes(reading, options)) {
    await convertCodes(reading, out, options);
    return;
  }
  let field = toField(reading, options);
  if (options.registration) field = { ...field, ground: { ...field.ground, registration: options.registration } };
  if (options.fillVoids) field = await filled(field);
  if (options.flip) field = options.flip === 'rows' ? flipRows(field) : flipColumns(field);
  if (options.turn) field = turn(field, Number(options.turn) as 90 | 180 | 270);
  if (options.shift !== undefined) field = shifted(field, options.shift);
  if (options.stretch) field = stretched(field, options.stretch);
  if (options.size) field = resample(field, withSamples(field.ground, options.size.across, options.size.down), options.filter);

  const encoding = encodingFor(out, field, options, { type: reading.type, range: rangeOfCodes(reading, options) });
  if (field.valid && CODES[encoding.type]) encoding.noData = reading.noData;
  if (encoding.noData === null) delete encoding.noData;
  warnAboutCodes(input, reading.unit === 'code' && !options.range && !options.map, encoding);
  const { bytes, beside, proof } = await deliver(field, out, encoding, { kernels });
  await saveAll(out, bytes, beside);
  tell(out, options, { ...statistics(field), ground: field.ground, proof });
}

function tell(out: string, { json }: Options, { ground, lowest, highest, proof }: RowDelivery): void {
  const { across, down } = ground;
  report(
    json,
    { out, width: across, height: down, min: lowest, max: highest, proof: proofOf(proof) },
    `${out}: ${across} × ${down}, ${lowest} to ${highest} m, read back within ${proof.maxAbs.toPrecision(3)} m${proof.clipped ? `, ${grouped(proof.clipped)} samples clipped` : ''}.`,
  );
}

/** From file to file row by row, with not all of it in memory; false where it has to be read or written whole. */
async function convertByRows(input: string, out: string, options: Options, kernels: Kernels): Promise<boolean> {
  const { as, band, fillVoids, flip, turn: turned, stretch, size, shift = 0, outRange, depth, outAs } = options;
  const format = outAs ? formatById(outAs.split(':')[0]) : formatByName(out);
  if (as || band !== undefined || fillVoids || flip || turned || stretch || !format.writeRows) return false;
  const done = await byRows(input, options, async (heights) => {
    const { reading } = heights;
    if (keepsCodes(reading, options)) return undefined;
    const shifts = (height: Float32Array<ArrayBuffer>) => (shift ? height.map((h) => h + shift) : height);
    const moved = { ground: heights.ground, rows: async (from: number, to: number, signal?: AbortSignal) => shifts(await heights.rows(from, to, signal)) };
    const ground = size ? withSamples(moved.ground, size.across, size.down) : moved.ground;
    const made = sameSamples(ground, moved.ground) ? moved : resampledRows(kernels, moved, ground, options.filter);
    if (!made) return undefined;
    // What codes go by has to be known before the first of them is written.
    const inCodes = reading.type[0] !== 'f' || depth !== undefined || outAs !== undefined || !format.writes.includes(reading.type);
    const bounds = inCodes && !outRange && made === moved ? await heights.bounds() : undefined;
    const measure = () => {
      if (!bounds) throw new NotByRows();
      const { datum } = ground;
      const at = (height: number) => Math.fround(height - datum + shift) + datum;
      return { lowest: at(bounds.lowest), highest: at(bounds.highest) };
    };
    const encoding = encodingFor(out, { ground, measure }, options, { type: reading.type, range: rangeOfCodes(reading, options) });
    const delivery = await writeByRows(made, out, encoding, kernels);
    return delivery && { ...delivery, encoding, reading };
  });
  if (!done) return false;
  warnAboutCodes(input, done.reading.unit === 'code' && !options.range && !options.map, done.encoding);
  tell(out, options, done);
  return true;
}

async function filled(field: Field): Promise<Field> {
  const { ground, height, valid } = field;
  if (!valid) return field;
  const { x, y } = spacingOf(ground);
  const voids = valid.map((v) => 1 - v);
  return { ground, height: (await fillVoids(height, ground.across, ground.down, voids, { aspect: x / y })).height };
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

/** 32-bit codes do not fit into float32 heights: where only the order of the samples changes, they are moved as they are. */
function keepsCodes(reading: Pick<Reading, 'type'>, options: Options): boolean {
  const untouched =
    !options.fillVoids &&
    !options.range &&
    !options.map &&
    !options.outRange &&
    !options.size &&
    !options.stretch &&
    options.shift === undefined &&
    !options.depth;
  return untouched && CODES[reading.type]?.bits === 32;
}

async function convertCodes(reading: Reading, out: string, options: Options): Promise<void> {
  const codes = CODES[reading.type]!;
  const asIndices = toField(
    { ...reading, type: 'f64', samples: Float64Array.from({ length: reading.samples.length }, (_, i) => i), noData: null, scale: 1, offset: 0 },
    { spacing: options.spacing, registration: options.registration },
  );
  let places: Field = { ...asIndices, height: Float32Array.from(asIndices.height, (_, i) => i), ground: { ...asIndices.ground, datum: 0 } };
  if (reading.samples.length > 2 ** 24)
    throw new UplandError('too-large', '32-bit codes are moved up to 16 777 216 samples. Give a --range to convert them as heights.');
  if (options.flip) places = options.flip === 'rows' ? flipRows(places) : flipColumns(places);
  if (options.turn) places = turn(places, Number(options.turn) as 90 | 180 | 270);
  const samples = makeSamples(reading.type, reading.samples.length);
  for (let i = 0; i < samples.length; i++) samples[i] = reading.samples[places.height[i]];
  const own = { low: codes.min, high: codes.max };
  const encoding = encodingFor(out, places, { outAs: options.outAs, outRange: own }, { type: reading.type, range: own });
  if (encoding.type !== reading.type)
    throw new UplandError('type', `${out} cannot hold ${codes.bits}-bit codes as they are. Give a --range, or write TIFF or raw.`);
  const { across: width, down: height } = places.ground;
  const bytes = await formatById(encoding.format).write({
    width,
    height,
    type: reading.type,
    samples,
    ground: places.ground,
    scale: reading.scale,
    offset: reading.offset,
    noData: reading.noData,
    options: encoding.options ?? {},
  });
  const order = encoding.options?.order ?? 'le';
  const layout = `raw:${encoding.type}:${order}:${width}x${height}${encoding.options?.skip ? `:skip=${encoding.options.skip}` : ''}${encoding.options?.rows === 'south' ? ':rows=south' : ''}`;
  const back = await readHeightmap(bytes, encoding.format === 'raw' ? layout : undefined);
  if (!back.samples.every((v, i) => v === samples[i]))
    throw new UplandError('proof-failed', `${out} was not written: read back, its codes are not those of the input.`);
  await save(out, bytes);
  const { min, max } = inspect(back);
  const proof = { maxAbs: 0, rmse: 0, step: reading.scale, clipped: 0, codesUsed: countDistinct(samples), sha256: await sha256(bytes), ok: true };
  report(options.json, { out, width, height, min, max, proof }, `${out}: ${width} × ${height}, every code as it was.`);
}
