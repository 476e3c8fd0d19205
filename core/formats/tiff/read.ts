import { grouped } from '../../grouped';
import { throwIfStopped, UplandError } from '../../errors';
import { oneBand, planesFor } from '../bands';
import { bytesOfSamples, makeSamples, type Reading, type ReadOptions, type RowReading, type SampleArray } from '../format';
import { checkLength, checkSize, checkUnpacked } from '../limits';
import { noDataAmong, numberIn } from '../no-data';
import { checkCompression, insideLerc, JPEG, LERC, unpackBlock, unpackJpeg } from './blocks';
import { undoPredictor } from './codecs';
import { directoriesOf, mainDirectory, TAG, type Directory } from './directory';
import { placeOf } from './geotiff';
import { unpackLerc } from './lerc';
import { inMemory, type ByteSource } from '../source';
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

/** The picture of a TIFF as its tags have it, before any sample is read. */
function openPicture(source: ByteSource, options: ReadOptions) {
  const little = source.bytes(0, 1)[0] === 0x49;
  const { directory, odd } = mainDirectory(directoriesOf(source, little));
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
  const picture: Picture = { width, height, channels, stored, compression, photometric, little };
  const orientation = one(TAG.orientation, 1);
  const planes = planesOf(source, directory, picture, palette ? [0] : wanted);
  return { ...picture, directory, odd, palette, bands, colour, wanted, orientation, planes };
}

/** The rows of a TIFF as they are asked for; null where it has to be read whole: colours, palettes, pictures that are stored turned. */
export function openTiff(source: ByteSource, options: ReadOptions = {}): RowReading | null {
  const { width, height, stored, photometric, palette, bands, wanted, orientation, directory, odd, planes } = openPicture(source, options);
  const plain = !palette && wanted.length === 1 && bands === 1 && photometric !== PHOTOMETRIC.whiteIsZero && orientation <= 1;
  if (!plain || (stored.bits === 64 && stored.kind !== 'float')) return null;
  const { odd: aboutPlace, ...meaning } = meaningOf(directory, stored, height);
  const said = numberIn(directory.text(TAG.noData) ?? '');
  return {
    format: 'tiff',
    width,
    height,
    channels: 1,
    ...meaning,
    type: stored.type,
    noData: Number.isNaN(said) ? null : said,
    odd: [...odd, ...aboutWidth(stored), ...aboutPlace],
    tall: planes.blockHeight,
    rows: async (from, to, signal) => {
      const { samples, sparse, masked } = await planes.read(from, to, { signal });
      // What lies outside of the parts, or under a mask, is said once all of it was read: such a file is read whole.
      return { samples: samples[0], whole: sparse > 0 || masked > 0 };
    },
  };
}

/** What a TIFF holds, as it is read: see {@link import('../tiff').tiff}. */
export async function readTiff(bytes: Uint8Array<ArrayBuffer>, options: ReadOptions = {}): Promise<Reading> {
  const opened = openPicture(inMemory(bytes), options);
  const { width, height, stored, photometric, palette, bands, colour, wanted, orientation, directory, odd } = opened;
  const planes = await opened.planes.read(0, height, options);

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
  if (planes.sparse) odd.push(`${planes.sparse} of its parts hold nothing: they were read as ${Number.isNaN(said) ? '0' : 'no data'}.`);
  if (planes.masked) odd.push(`${grouped(planes.masked)} samples are masked out in it, and have no height.`);
  odd.push(...aboutWidth(stored));
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
  return oriented(reading, orientation, meaning.georeference !== undefined);
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

/** How the parts of a picture lie in a file and are packed. */
interface Parts {
  source: ByteSource;
  directory: Directory;
  picture: Picture;
  layout: Layout;
  /** Every channel has parts of its own. */
  planar: boolean;
  /** Channels that lie side by side in a part. */
  interleaved: number;
  rowBytes: number;
  predictor: number;
  /** The bits of every byte lie the other way round. */
  reversed: boolean;
  /** What a sample is where a file says that it has none; NaN: it does not say. */
  said: number;
  /** The bytes are the samples as they are kept here. */
  copied: boolean;
}

function partsOf(source: ByteSource, directory: Directory, picture: Picture): Parts {
  const { channels, stored, compression, little } = picture;
  const planar = directory.first(TAG.planar) === 2;
  const interleaved = planar ? 1 : channels;
  const layout = layoutOf(source.length, directory, picture, planar ? channels : 1);
  const predictor = directory.first(TAG.predictor) ?? 1;
  checkPredictor(predictor, stored, compression);
  return {
    source,
    directory,
    picture,
    layout,
    planar,
    interleaved,
    rowBytes: rowBytesOf(layout.blockWidth * interleaved, stored),
    predictor,
    reversed: directory.first(TAG.fillOrder) === 2,
    said: numberIn(directory.text(TAG.noData) ?? ''),
    copied: isCopied(stored, little, interleaved),
  };
}

/** Rows `from` … `from` + `tall` − 1 of some channels, as they are read. */
interface Rows {
  copies: { channel: number; into: SampleArray }[];
  from: number;
  tall: number;
}

/** What was not there to be read: parts that hold nothing, and samples that are masked. */
interface Lacking {
  sparse: number;
  masked: number;
}

/** The `index`-th part of a file, which is the `b`-th of its channels, into its place among the rows. */
async function takePart(parts: Parts, index: number, b: number, { copies, from, tall }: Rows): Promise<Lacking> {
  const { source, directory, picture, layout, interleaved, rowBytes, predictor, reversed, said, copied } = parts;
  const { width, stored, compression, little } = picture;
  const { blockWidth, blockHeight, columns, offsets, lengths } = layout;
  const left = (b % columns) * blockWidth;
  const top = Math.floor(b / columns) * blockHeight - from;
  const rows = Math.min(blockHeight, tall - top);
  const none = { sparse: 0, masked: 0 };
  const place = { left, top, blockWidth, rows, rowBytes, channels: interleaved };
  const length = lengths[index] ?? rowBytes * rows;
  if (offsets[index] === 0 || length === 0) {
    if (!Number.isNaN(said) && said !== 0) for (const { into } of copies) copyBlock(() => said, into, width, tall, { ...place, channel: 0 });
    return { ...none, sparse: 1 };
  }
  checkLength('TIFF', `part ${index + 1} of ${offsets.length}`, offsets[index] + length, source.length);
  let packed = source.bytes(offsets[index], offsets[index] + length);
  if (reversed) packed = packed.map((v) => REVERSED[v]);
  if (compression === LERC)
    return { ...none, masked: await takeLerc(parts, packed, { copies, from, tall }, { ...place, channels: 1, rowBytes: 0, channel: 0 }) };
  const plain = compression === UNPACKED && predictor === 1;
  if (plain) checkLength('TIFF', 'a strip', rowBytes * rows, packed.length);
  const block = plain
    ? packed
    : compression === JPEG
      ? await unpackJpeg(directory, packed, blockWidth, rows, interleaved, picture.photometric === PHOTOMETRIC.yCbCr)
      : await unpackBlock(compression, packed, rowBytes * rows);
  if (predictor > 1) undoPredictor(predictor, block, blockWidth, rows, interleaved, stored.bits / 8, little);
  if (copied) {
    for (const { into } of copies) copyBytes(block, into, width, tall, { ...place, channel: 0 });
    return none;
  }
  const get = samplesOf(block, stored, little);
  for (const { channel, into } of copies) copyBlock(get, into, width, tall, { ...place, channel });
  return none;
}

/** A part packed by LERC, which says itself which of its samples are none; how many. */
async function takeLerc(parts: Parts, packed: Uint8Array<ArrayBuffer>, { copies, tall }: Rows, place: Parameters<typeof copyBlock>[4]): Promise<number> {
  const { directory, picture, layout, interleaved, rowBytes, said } = parts;
  const { tiled, blockWidth, blockHeight } = layout;
  // Tiles are stored whole, also where they reach beyond the picture.
  const whole = tiled ? blockHeight : place.rows;
  const block = unpackLerc(await insideLerc(directory, packed, 2 * rowBytes * whole + 65_536), blockWidth, whole, interleaved, picture.stored);
  let masked = 0;
  for (const { channel, into } of copies) {
    const plane = block.planes[channel];
    const { mask } = block;
    copyBlock((_, i) => plane[i], into, picture.width, tall, place, blockWidth);
    if (!mask) continue;
    const given = (_: number, i: number) => {
      if (mask[i]) return plane[i];
      masked++;
      return said;
    };
    copyBlock(given, into, picture.width, tall, place, blockWidth);
  }
  return masked;
}

/** Copies strips from the `b`-th on that lie behind each other, one piece of the file, into the rows from `from`; the first that was not copied. */
function copyStrips({ source, picture, layout, rowBytes }: Parts, b: number, last: number, samples: readonly SampleArray[], from: number): number {
  const { blockHeight, offsets, lengths } = layout;
  const stripBytes = (k: number) => rowBytes * Math.min(blockHeight, picture.height - k * blockHeight);
  let end = b;
  let length = 0;
  while (end < last && offsets[end] === offsets[b] + length && (lengths[end] ?? stripBytes(end)) === stripBytes(end)) length += stripBytes(end++);
  if (offsets[b] === 0 || offsets[b] + length > source.length) return b;
  for (const into of samples) {
    const rows = bytesOfSamples(into).subarray((b * blockHeight - from) * rowBytes);
    source.fill(offsets[b], rows.subarray(0, length));
  }
  return end;
}

/** The wanted channels, each by itself, read row by row. */
function planesOf(source: ByteSource, directory: Directory, picture: Picture, wanted: number[]) {
  const { width, height, stored, compression } = picture;
  const parts = partsOf(source, directory, picture);
  const { layout, planar, rowBytes, predictor, reversed, copied } = parts;
  const { tiled, blockHeight, columns, blocks } = layout;
  const tallest = Math.min(blockHeight, height);
  // One that is still written is ours, and is not all there yet.
  if (!source.more) checkUnpacked('TIFF', source.length, width * height * bytesOf(stored) * wanted.length + 2 * rowBytes * tallest);
  const asTheyLie = compression === UNPACKED && predictor === 1 && copied && !reversed && columns === 1 && !tiled;

  /** The rows `from` … `to` − 1; the first has to be the first of a part, and the last the last of one or of the picture. */
  const read = async (from: number, to: number, options: Pick<ReadOptions, 'signal' | 'progress'>) => {
    const samples = wanted.map(() => makeSamples(stored.type, width * (to - from)));
    const [first, last] = [Math.floor(from / blockHeight) * columns, Math.min(blocks, Math.ceil(to / blockHeight) * columns)];
    let [sparse, masked] = [0, 0];
    for (let b = first; b < last; b++) {
      throwIfStopped(options.signal);
      options.progress?.((b - first) / (last - first));
      const end = asTheyLie ? copyStrips(parts, b, last, samples, from) : b;
      if (end > b) {
        b = end - 1;
        continue;
      }
      const copies = wanted.map((channel, k) => ({ channel: planar ? 0 : channel, into: samples[k] }));
      const each = planar ? copies.map((copy, k) => ({ index: wanted[k] * blocks + b, copies: [copy] })) : [{ index: b, copies }];
      for (const { index, copies: into } of each) {
        const lacking = await takePart(parts, index, b, { copies: into, from, tall: to - from });
        sparse += lacking.sparse;
        masked += lacking.masked;
      }
    }
    return { samples, sparse, masked };
  };
  return { blockHeight, read };
}

const bytesOf = ({ type }: Stored): number => (type === 'f64' ? 8 : type === 'u8' ? 1 : type === 'u16' || type === 's16' ? 2 : 4);

/** The bytes with their bits the other way round. */
const REVERSED = Uint8Array.from({ length: 256 }, (_, v) => {
  let out = 0;
  for (let k = 0; k < 8; k++) if (v & (1 << k)) out |= 128 >> k;
  return out;
});

/** Where the parts of a picture are; refuses what cannot be before anything is read by it. */
function layoutOf(fileBytes: number, directory: Directory, { width, height }: Picture, planes: number): Layout {
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
  if (blocks > MOST_PARTS + fileBytes / 256)
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
  if (lengths.reduce((sum, n) => sum + n, 0) > 4 * fileBytes + 65_536)
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
