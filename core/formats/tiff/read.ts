import { grouped } from '../../grouped';
import { throwIfStopped, UplandError } from '../../errors';
import { oneBand, planesFor } from '../bands';
import { makeSamples, type Reading, type ReadOptions, type SampleArray } from '../format';
import { checkLength, checkSize, checkUnpacked } from '../limits';
import { noDataAmong, numberIn } from '../no-data';
import { checkCompression, insideLerc, JPEG, LERC, unpackBlock, unpackJpeg } from './blocks';
import { undoPredictor } from './codecs';
import { directoriesOf, mainDirectory, TAG, type Directory } from './directory';
import { placeOf } from './geotiff';
import { unpackLerc } from './lerc';
import { INEXACT, narrowed } from '../whole';
import { copyBlock, copyBytes, isCopied, rowBytesOf, samplesOf, storedAs, type Stored } from './samples';

const UNPACKED = 1;
const PHOTOMETRIC = { whiteIsZero: 0, rgb: 2, palette: 3, cmyk: 5, yCbCr: 6 };
/** Kinds of colour that are no heights, by their numbers (TIFF 6.0, sections 16 to 23). */
const NO_HEIGHTS: Record<number, string> = {
  5: 'CMYK',
  8: 'Lab colour',
  9: 'Lab colour',
  10: 'Lab colour',
  32_844: 'logarithmic light',
  32_845: 'logarithmic light',
};

/** Parts that a picture may be cut into: beside these, tiles of 256 samples for every byte of the file are plenty. */
const MOST_PARTS = 20_000;

/** How a picture is cut into parts, and where they are. */
interface Layout {
  tiled: boolean;
  blockWidth: number;
  blockHeight: number;
  columns: number;
  blocks: number;
  offsets: number[];
  lengths: number[];
}

/** What a TIFF holds, as it is read: see {@link import('../tiff').tiff}. */
export async function readTiff(bytes: Uint8Array<ArrayBuffer>, options: ReadOptions = {}): Promise<Reading> {
  const little = bytes[0] === 0x49;
  const { directory, odd } = mainDirectory(directoriesOf(bytes, little));
  const one = (tag: number, otherwise?: number) => {
    const value = directory.first(tag) ?? otherwise;
    if (value === undefined) throw new UplandError('damaged', `This TIFF is damaged: the tag ${tag} is missing.`, { tag });
    return value;
  };
  const width = one(TAG.width);
  const height = one(TAG.height);
  checkSize('TIFF', width, height);
  const channels = one(TAG.channels, 1);
  if (!(channels >= 1 && channels <= 64)) throw new UplandError('damaged', `This TIFF says it has ${channels} channels; 64 are the most.`);
  const stored = storedAs(perChannel(directory, TAG.bits, channels), perChannel(directory, TAG.sampleFormat, channels));
  const compression = one(TAG.compression, 1);
  checkCompression(compression);
  const photometric = one(TAG.photometric, 1);
  if (NO_HEIGHTS[photometric]) throw new UplandError('tiff-colour', `This is a TIFF in ${NO_HEIGHTS[photometric]}, which holds no heights. Save it as grey.`);
  if (photometric === PHOTOMETRIC.yCbCr && compression !== JPEG)
    throw new UplandError('tiff-colour', 'This is a TIFF whose colours are brightness and two differences, unpacked, which is not read here. Save it as grey.');
  const palette = photometric === PHOTOMETRIC.palette ? paletteOf(directory, stored) : undefined;
  const colour = photometric === PHOTOMETRIC.rgb || photometric === PHOTOMETRIC.yCbCr || palette?.length === 3;
  const bands = palette ? palette.length : channels;
  const wanted = planesFor('TIFF', bands, colour, options.band);
  const planes = await readPlanes(bytes, directory, { width, height, channels, stored, compression, photometric, little }, palette ? [0] : wanted, options);

  const said = numberIn(directory.text(TAG.noData) ?? '');
  let noData = noDataAmong(planes.samples[0], stored.type, said);
  const top = 2 ** stored.bits - 1;
  if (photometric === PHOTOMETRIC.whiteIsZero && stored.kind === 'uint') {
    for (const samples of planes.samples) for (let i = 0; i < samples.length; i++) samples[i] = top - samples[i];
    if (noData !== null) noData = top - noData;
    odd.push('White was 0 in it; that was turned round.');
  }
  let { samples } = planes;
  if (palette) {
    const codes = samples[0];
    samples = wanted.map((k) => Uint8Array.from(codes, (code) => palette[k][code]));
    odd.push(palette.length === 1 ? 'Its greys were listed in a palette.' : 'Its colours were listed in a palette.');
    noData = null;
  }
  odd.push(...planes.odd, ...aboutWidth(stored));
  let chosen = oneBand(samples, palette ? 'u8' : stored.type, bands, colour, options.band);
  if (chosen.samples !== samples[0]) noData = null;
  if (stored.bits === 64 && stored.kind !== 'float') {
    const whole = narrowed(chosen.samples as Float64Array<ArrayBuffer>);
    if (whole.inexact) odd.push(INEXACT);
    chosen = { ...chosen, samples: whole.samples, type: whole.type };
  }
  const meaning = meaningOf(directory, stored, height);
  odd.push(...meaning.odd);
  const reading: Reading = { format: 'tiff', width, height, channels: bands, ...meaning, noData, ...chosen, odd: [...odd, ...chosen.odd] };
  return oriented(reading, one(TAG.orientation, 1), meaning.georeference !== undefined);
}

/** A tag's numbers, one a channel; of a list that is shorter the first counts for all. */
function perChannel(directory: Directory, tag: number, channels: number): number[] {
  const list = directory.numbers(tag, channels) ?? [1];
  return Array.from({ length: channels }, (_, i) => list[i] ?? list[0]);
}

interface Picture {
  width: number;
  height: number;
  channels: number;
  stored: Stored;
  compression: number;
  photometric: number;
  little: boolean;
}

/** The wanted channels, each by itself. */
async function readPlanes(bytes: Uint8Array<ArrayBuffer>, directory: Directory, picture: Picture, wanted: number[], options: ReadOptions) {
  const { width, height, channels, stored, compression, little } = picture;
  const planar = directory.first(TAG.planar) === 2;
  const interleaved = planar ? 1 : channels;
  const layout = layoutOf(bytes, directory, picture, planar ? channels : 1);
  const { tiled, blockWidth, blockHeight, columns, blocks, offsets, lengths } = layout;
  const rowBytes = rowBytesOf(blockWidth * interleaved, stored);
  const tallest = Math.min(blockHeight, height);
  checkUnpacked('TIFF', bytes.length, width * height * bytesOf(stored) * wanted.length + 2 * rowBytes * tallest);
  const predictor = directory.first(TAG.predictor) ?? 1;
  checkPredictor(predictor, stored, compression);
  const reversed = directory.first(TAG.fillOrder) === 2;
  const colour = picture.photometric === PHOTOMETRIC.yCbCr;

  const samples = wanted.map(() => makeSamples(stored.type, width * height));
  const said = numberIn(directory.text(TAG.noData) ?? '');
  const empty = Number.isNaN(said) ? 0 : said;
  const copied = isCopied(stored, little, interleaved);
  let sparse = 0;
  let masked = 0;

  const take = async (index: number, b: number, copies: { channel: number; into: SampleArray }[]) => {
    const left = (b % columns) * blockWidth;
    const top = Math.floor(b / columns) * blockHeight;
    const rows = Math.min(blockHeight, height - top);
    const place = { left, top, blockWidth, rows, rowBytes, channels: interleaved };
    const length = lengths[index] ?? rowBytes * rows;
    if (offsets[index] === 0 || length === 0) {
      sparse++;
      if (empty) for (const { into } of copies) copyBlock(() => empty, into, width, height, { ...place, channel: 0 });
      return;
    }
    checkLength('TIFF', `part ${index + 1} of ${offsets.length}`, offsets[index] + length, bytes.length);
    let packed = bytes.subarray(offsets[index], offsets[index] + length);
    if (reversed) packed = packed.map((v) => REVERSED[v]);
    if (compression === LERC) {
      // Tiles are stored whole, also where they reach beyond the picture.
      const tall = tiled ? blockHeight : rows;
      const block = unpackLerc(await insideLerc(directory, packed, 2 * rowBytes * tall + 65_536), blockWidth, tall, interleaved, stored);
      for (const { channel, into } of copies) {
        const plane = block.planes[channel];
        const { mask } = block;
        copyBlock((_, i) => plane[i], into, width, height, { ...place, channels: 1, rowBytes: 0, channel: 0 }, blockWidth);
        if (!mask) continue;
        copyBlock(
          (_, i) => {
            if (mask[i]) return plane[i];
            masked++;
            return Number.isNaN(said) ? NaN : said;
          },
          into,
          width,
          height,
          { ...place, channels: 1, rowBytes: 0, channel: 0 },
          blockWidth,
        );
      }
      return;
    }
    const plain = compression === UNPACKED && predictor === 1;
    if (plain) checkLength('TIFF', 'a strip', rowBytes * rows, packed.length);
    const block = plain
      ? packed
      : compression === JPEG
        ? await unpackJpeg(directory, packed, blockWidth, rows, interleaved, colour)
        : await unpackBlock(compression, packed, rowBytes * rows);
    if (predictor > 1) undoPredictor(predictor, block, blockWidth, rows, interleaved, stored.bits / 8, little);
    if (copied) {
      for (const { into } of copies) copyBytes(block, into, width, height, { ...place, channel: 0 });
      return;
    }
    const get = samplesOf(block, stored, little);
    for (const { channel, into } of copies) copyBlock(get, into, width, height, { ...place, channel });
  };
  for (let b = 0; b < blocks; b++) {
    throwIfStopped(options.signal);
    options.progress?.(b / blocks);
    if (planar) for (const [k, channel] of wanted.entries()) await take(channel * blocks + b, b, [{ channel: 0, into: samples[k] }]);
    else {
      const copies = wanted.map((channel, k) => ({ channel, into: samples[k] }));
      await take(b, b, copies);
    }
  }
  const odd: string[] = [];
  if (sparse) odd.push(`${sparse} of its parts hold nothing: they were read as ${Number.isNaN(said) ? '0' : 'no data'}.`);
  if (masked) odd.push(`${grouped(masked)} samples are masked out in it, and have no height.`);
  return { samples, odd };
}

const bytesOf = ({ type }: Stored): number => (type === 'f64' ? 8 : type === 'u8' ? 1 : type === 'u16' || type === 's16' ? 2 : 4);

/** The bytes with their bits the other way round. */
const REVERSED = Uint8Array.from({ length: 256 }, (_, v) => {
  let out = 0;
  for (let k = 0; k < 8; k++) if (v & (1 << k)) out |= 128 >> k;
  return out;
});

/** Where the parts of a picture are; refuses what cannot be before anything is read by it. */
function layoutOf(bytes: Uint8Array, directory: Directory, { width, height }: Picture, planes: number): Layout {
  const tiled = directory.has(TAG.tileOffsets);
  const number = (tag: number, otherwise: number) => directory.first(tag) ?? otherwise;
  const blockWidth = tiled ? number(TAG.tileWidth, 0) : width;
  const blockHeight = tiled ? number(TAG.tileHeight, 0) : Math.min(height, number(TAG.rowsPerStrip, height));
  // A tile may reach beyond its picture, but it is not larger by far.
  const most = Math.max(4096, 2 * Math.max(width, height));
  if (!(blockWidth >= 1 && blockHeight >= 1 && blockWidth <= most && (blockHeight <= most || !tiled))) {
    throw new UplandError('damaged', `This TIFF is damaged: its parts are ${blockWidth} × ${blockHeight} samples.`);
  }
  const columns = Math.ceil(width / blockWidth);
  const blocks = columns * Math.ceil(height / blockHeight);
  if (blocks > MOST_PARTS + bytes.length / 256)
    throw new UplandError(
      'damaged',
      `This TIFF is cut into ${grouped(blocks)} parts of ${blockWidth} × ${blockHeight} samples, which is more than a file of its size needs.`,
    );
  // Planes that lie apart are stored one whole band after the other.
  const needed = blocks * planes;
  const offsets = directory.numbers(tiled ? TAG.tileOffsets : TAG.stripOffsets, needed);
  if (!offsets) throw new UplandError('damaged', 'This TIFF is damaged: it does not say where its samples are.');
  if (offsets.length < needed)
    throw new UplandError('damaged', `This TIFF is damaged: ${grouped(needed)} parts are needed and ${grouped(offsets.length)} are listed.`);
  const lengths = directory.numbers(tiled ? TAG.tileBytes : TAG.stripBytes, needed) ?? [];
  // Parts may share their bytes, but not all of them all of the file.
  if (lengths.reduce((sum, n) => sum + n, 0) > 4 * bytes.length + 65_536)
    throw new UplandError('damaged', 'This TIFF is damaged: its parts say they are several times as long as the whole file.');
  return { tiled, blockWidth, blockHeight, columns, blocks, offsets, lengths };
}

function checkPredictor(predictor: number, { kind, bits }: Stored, compression: number): void {
  if (predictor === 1) return;
  const whole = bits === 8 || bits === 16 || bits === 32 || bits === 64;
  const fits = predictor === 2 ? whole : predictor === 3 && kind === 'float';
  if (!fits || compression === JPEG || compression === LERC) {
    throw new UplandError('damaged', `This TIFF is packed with predictor ${predictor} over samples of ${bits} bits, which does not go together.`);
  }
}

/** What the codes of a palette stand for, 8 bits: one list where all are grey, else red, green and blue. */
function paletteOf(directory: Directory, { kind, bits }: Stored): Uint8Array[] {
  const map = directory.numbers(TAG.colourMap);
  const count = 2 ** bits;
  if (kind !== 'uint' || bits > 16 || !map || map.length < 3 * count)
    throw new UplandError('damaged', 'This TIFF is damaged: its palette is missing or too short.');
  // 16 bits a channel; files that only fill 8 of them are common.
  const shift = map.some((v) => v > 255) ? 8 : 0;
  const tones = [0, 1, 2].map((k) => Uint8Array.from({ length: count }, (_, i) => map[k * count + i] >> shift));
  const grey = tones[0].every((v, i) => v === tones[1][i] && v === tones[2][i]);
  return grey ? [tones[0]] : tones;
}

/** Bits between those of its type are codes with a top of their own. */
function aboutWidth({ kind, bits, type }: Stored): string[] {
  const own = type === 'u8' ? 8 : 16;
  if (kind !== 'uint' || bits >= 16 || bits === own) return [];
  return [
    `Its codes have ${bits} ${bits === 1 ? 'bit' : 'bits'}: its largest is ${2 ** bits - 1}, not ${2 ** own - 1}. Give that code its height when the range is set.`,
  ];
}

/** Scale, unit and place as the tags have them. */
function meaningOf(directory: Directory, { kind }: Stored, rows: number) {
  const place = placeOf(directory, rows);
  const { scale, offset } = scaleOf(directory.text(TAG.gdalMetadata) ?? '');
  const inMetres = kind === 'float' || scale !== undefined || offset !== undefined || place.registration !== undefined;
  const foot = place.feet ?? 1;
  return {
    unit: inMetres ? ('m' as const) : ('code' as const),
    scale: (scale ?? 1) * foot,
    offset: (offset ?? 0) * foot,
    spacing: place.spacing,
    registration: place.registration ?? null,
    georeference: place.georeference,
    ...(place.feet ? { feet: true } : {}),
    odd: place.odd,
  };
}

/** Scale and offset out of GDAL's metadata, item by item. */
function scaleOf(metadata: string): { scale?: number; offset?: number } {
  const found: { scale?: number; offset?: number } = {};
  for (const item of metadata.split('<Item').slice(1, 1000)) {
    const open = item.indexOf('>');
    const close = item.indexOf('<');
    if (open < 0 || close < open) continue;
    const value = Number(item.slice(open + 1, close).trim() || NaN);
    if (!Number.isFinite(value)) continue;
    const head = item.slice(0, open);
    if (head.includes('role="scale"')) found.scale ??= value;
    if (head.includes('role="offset"')) found.offset ??= value;
  }
  return found;
}

const ORIENTATIONS = [
  '',
  '',
  'mirrored left to right',
  'turned by half',
  'upside down',
  'with rows and columns exchanged',
  'turned to the right',
  'turned and mirrored',
  'turned to the left',
];

/** The picture upright, as its orientation has it; where a map says which way is north, that counts. */
function oriented(reading: Reading, orientation: number, placed: boolean): Reading {
  if (!(orientation >= 2 && orientation <= 8)) return reading;
  const how = ORIENTATIONS[orientation];
  if (placed) return { ...reading, odd: [...reading.odd, `It says its picture is to be shown ${how}; its place on the map says otherwise, and counts.`] };
  const { width, height, samples } = reading;
  const crossed = orientation >= 5;
  const [across, down] = crossed ? [height, width] : [width, height];
  const out = makeSamples(reading.type, samples.length);
  // Whether the stored rows run from the bottom, and columns from the right (TIFF 6.0, tag 274).
  const upward = [3, 4, 7, 8].includes(orientation);
  const leftward = [2, 3, 6, 7].includes(orientation);
  for (let row = 0, i = 0; row < down; row++) {
    for (let column = 0; column < across; column++, i++) {
      const [x, y] = crossed
        ? [upward ? down - 1 - row : row, leftward ? across - 1 - column : column]
        : [leftward ? across - 1 - column : column, upward ? down - 1 - row : row];
      out[i] = samples[y * width + x];
    }
  }
  const spacing = reading.spacing && crossed ? { x: reading.spacing.y, y: reading.spacing.x } : reading.spacing;
  return { ...reading, width: across, height: down, samples: out, spacing, odd: [...reading.odd, `It says its picture is stored ${how}; it was put upright.`] };
}
