import { quoted, UplandError } from '../errors';
import { compress, decompress } from './deflate';
import { channelOf } from './bands';
import type { Format, Page, Reading, ReadOptions } from './format';
import { halfToNumber } from './half';
import { checkLength, checkSize, checkUnpacked } from './limits';

const MAGIC = [0x76, 0x2f, 0x31, 0x01];
/** Ways of packing by their number in the file; rows a block. */
const PACKINGS = ['none', 'RLE', 'ZIPS', 'ZIP', 'PIZ', 'PXR24', 'B44', 'B44A', 'DWAA', 'DWAB'];
const ROWS: Record<number, number> = { 0: 1, 1: 1, 2: 1, 3: 16 };
const BYTES_OF = [4, 2, 4];

interface Channel {
  name: string;
  /** 0 uint, 1 half, 2 float. */
  kind: number;
}

/**
 * OpenEXR of one part, scan lines or tiles (of several levels the full one), packed by none, RLE,
 * ZIPS or ZIP: one channel of half, float or whole numbers
 * (`Y`, or the first there is). Written: `Y` in float, ZIP.
 * Source: "OpenEXR File Layout" and "Technical Introduction to OpenEXR".
 */
export const exr: Format = {
  id: 'exr',
  title: 'OpenEXR',
  endings: ['.exr'],
  mediaType: 'image/x-exr',
  writes: ['f32'],
  carriesRange: true,
  sniff: (bytes) => MAGIC.every((b, i) => bytes[i] === b),
  read,
  write: async ({ width, height, samples }: Page) => encodeExr(width, height, { Y: samples as ArrayLike<number> }),
};

async function read(bytes: Uint8Array<ArrayBuffer>, { band }: ReadOptions = {}): Promise<Reading> {
  checkLength('OpenEXR file', 'its header', 16, bytes.length);
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const flags = view.getUint32(4, true) >>> 8;
  if (flags & 0x08) throw new UplandError('exr-kind', 'This is a deep OpenEXR file, with several samples a pixel, which is not read here. Flatten it first.');
  if (flags & 0x10) throw new UplandError('exr-kind', 'This is an OpenEXR file of several parts, which is not read here. Save one part by itself.');
  const { attributes, end } = attributesOf(bytes, view);
  const window = attributes.get('dataWindow');
  const list = attributes.get('channels');
  if (!window || window.length < 16 || !list)
    throw new UplandError('damaged', 'This OpenEXR file is damaged: its header does not name its channels and its window.');
  const box = new DataView(window.buffer, window.byteOffset, 16);
  const [left, top, right, bottom] = [0, 4, 8, 12].map((at) => box.getInt32(at, true));
  const width = right - left + 1;
  const height = bottom - top + 1;
  checkSize('OpenEXR file', width, height);
  const packing = attributes.get('compression')?.[0] ?? 0;
  const rows = ROWS[packing];
  if (!rows)
    throw new UplandError(
      'exr-packing',
      `This is an OpenEXR file packed by ${PACKINGS[packing] ?? `way ${packing}`}, which is not read here. None, RLE, ZIPS and ZIP are.`,
    );
  const channels = channelsOf(list);
  const wanted = band === undefined ? (channels.find((c) => c.name === 'Y') ?? channels[0]) : channels[channelOf('OpenEXR file', channels.length, band)];
  const tiles = flags & 0x02 ? tilesOf(attributes.get('tiles')) : { across: width, down: rows };
  checkUnpacked('OpenEXR file', bytes.length, 4 * width * height + 2 * sampleBytes(channels) * Math.min(tiles.across, width) * Math.min(tiles.down, height));
  const picture: Picture = { bytes, view, end, width, height, top, packing, channels, wanted };
  const samples = wanted.kind === 0 ? new Uint32Array(width * height) : new Float32Array(width * height);
  if (flags & 0x02) await readTiles(picture, tiles, samples);
  else await readLines(picture, rows, samples);
  const odd: string[] = [];
  if (channels.length > 1)
    odd.push(`It has ${channels.length} channels (${quoted(channels.map((c) => c.name).join(', '), 120)}); ${quoted(wanted.name)} is read.`);
  if (wanted.kind === 1) odd.push('Its numbers are halves of 16 bits: over 2 048 m they are a metre or more apart.');
  return {
    format: 'exr',
    width,
    height,
    channels: channels.length,
    ...(channels.length > 1 ? { band: channels.indexOf(wanted) + 1 } : {}),
    type: wanted.kind === 0 ? 'u32' : 'f32',
    samples,
    unit: wanted.kind === 0 ? 'code' : 'm',
    scale: 1,
    offset: 0,
    spacing: null,
    registration: null,
    noData: null,
    odd,
  };
}

interface Picture {
  bytes: Uint8Array<ArrayBuffer>;
  view: DataView;
  /** Where the header ends. */
  end: number;
  width: number;
  height: number;
  top: number;
  packing: number;
  channels: Channel[];
  wanted: Channel;
}

const sampleBytes = (channels: Channel[]) => channels.reduce((sum, c) => sum + BYTES_OF[c.kind], 0);

async function readLines(picture: Picture, rows: number, samples: Float32Array | Uint32Array): Promise<void> {
  const { bytes, view, end, width, height, top } = picture;
  const blocks = Math.ceil(height / rows);
  checkLength('OpenEXR file', 'its table of rows', blocks * 8, bytes.length - end);
  const budget = budgetOf(bytes);
  for (let block = 0; block < blocks; block++) {
    const at = chunkAt(picture, end + block * 8, 8, `row block ${block + 1}`);
    const first = view.getInt32(at, true) - top;
    const size = view.getInt32(at + 4, true);
    if (first < 0 || first >= height || size < 0)
      throw new UplandError('damaged', `This OpenEXR file is damaged: row block ${block + 1} does not say where it belongs.`);
    budget(size);
    await take(picture, at + 8, size, { left: 0, top: first, across: width, down: Math.min(rows, height - first) }, samples);
  }
}

/** Tiles of the full picture; smaller copies come after it in the table. */
async function readTiles(picture: Picture, { across, down }: { across: number; down: number }, samples: Float32Array | Uint32Array): Promise<void> {
  const { bytes, view, end, width, height } = picture;
  const [columns, rows] = [Math.ceil(width / across), Math.ceil(height / down)];
  checkLength('OpenEXR file', 'its table of tiles', columns * rows * 8, bytes.length - end);
  const budget = budgetOf(bytes);
  for (let k = 0; k < columns * rows; k++) {
    const at = chunkAt(picture, end + k * 8, 20, `tile ${k + 1}`);
    const [column, row, levelX, levelY, size] = [0, 4, 8, 12, 16].map((o) => view.getInt32(at + o, true));
    if (levelX !== 0 || levelY !== 0 || !(column >= 0 && column < columns && row >= 0 && row < rows) || size < 0)
      throw new UplandError('damaged', `This OpenEXR file is damaged: tile ${k + 1} does not say where it belongs.`);
    budget(size);
    const [left, first] = [column * across, row * down];
    await take(picture, at + 20, size, { left, top: first, across: Math.min(across, width - left), down: Math.min(down, height - first) }, samples);
  }
}

function tilesOf(attribute: Uint8Array | undefined): { across: number; down: number } {
  if (!attribute || attribute.length < 9) throw new UplandError('damaged', 'This OpenEXR file is damaged: it does not say how large its tiles are.');
  const view = new DataView(attribute.buffer, attribute.byteOffset, 8);
  const [across, down] = [view.getUint32(0, true), view.getUint32(4, true)];
  if (!(across >= 8 && down >= 8 && across <= 65_536 && down <= 65_536))
    throw new UplandError('damaged', `This OpenEXR file is damaged: its tiles are ${across} × ${down}.`);
  return { across, down };
}

/** Blocks may share their bytes, but not all of them all of the file. */
function budgetOf(bytes: Uint8Array): (size: number) => void {
  let left = 4 * bytes.length;
  return (size) => {
    left -= size;
    if (left < 0) throw new UplandError('damaged', 'This OpenEXR file is damaged: its blocks say they are several times as long as the whole file.');
  };
}

function chunkAt({ bytes, view, end }: Picture, entry: number, head: number, what: string): number {
  const at = Number(view.getBigUint64(entry, true));
  if (!(at >= end && at + head <= bytes.length)) throw new UplandError('damaged', `This OpenEXR file is damaged: ${what} lies outside of it.`);
  return at;
}

interface Box {
  left: number;
  top: number;
  across: number;
  down: number;
}

/** One block of rows or one tile into its place. */
async function take(
  { bytes, width, packing, channels, wanted }: Picture,
  at: number,
  size: number,
  box: Box,
  samples: Float32Array | Uint32Array,
): Promise<void> {
  checkLength('OpenEXR file', 'a block of it', size, bytes.length - at);
  const lineBytes = sampleBytes(channels) * box.across;
  const whole = lineBytes * box.down;
  const packed = bytes.slice(at, at + size);
  const raw = packing === 0 || size === whole ? packed : unpacked(packing === 1 ? unpackRuns(packed, whole) : await decompress('OpenEXR file', packed, whole));
  checkLength('OpenEXR file', 'a block of it', whole, raw.length);
  const lines = new DataView(raw.buffer, raw.byteOffset, raw.byteLength);
  const before = sampleBytes(channels.slice(0, channels.indexOf(wanted))) * box.across;
  for (let row = 0; row < box.down; row++) {
    const from = row * lineBytes + before;
    const to = (box.top + row) * width + box.left;
    for (let x = 0; x < box.across; x++) {
      if (wanted.kind === 2) samples[to + x] = lines.getFloat32(from + 4 * x, true);
      else if (wanted.kind === 1) samples[to + x] = halfToNumber(lines.getUint16(from + 2 * x, true));
      else samples[to + x] = lines.getUint32(from + 4 * x, true);
    }
  }
}

/** Runs: a count below 0 stands before so many bytes as they are, one from 0 on before a byte that is repeated. */
function unpackRuns(bytes: Uint8Array, expected: number): Uint8Array<ArrayBuffer> {
  const out = new Uint8Array(expected);
  let to = 0;
  for (let at = 0; at < bytes.length && to < expected;) {
    const n = (bytes[at++] << 24) >> 24;
    const count = Math.min(expected - to, n < 0 ? -n : n + 1);
    if (n < 0) {
      out.set(bytes.subarray(at, at + count), to);
      at -= n;
    } else out.fill(bytes[at++] ?? 0, to, to + count);
    to += count;
  }
  checkLength('OpenEXR file', 'a block of it', expected, to);
  return out;
}

function attributesOf(bytes: Uint8Array, view: DataView): { attributes: Map<string, Uint8Array>; end: number } {
  const attributes = new Map<string, Uint8Array>();
  let at = 8;
  const text = () => {
    const from = at;
    while (at < bytes.length && bytes[at] !== 0 && at - from < 256) at++;
    if (bytes[at] !== 0) throw new UplandError('damaged', 'This OpenEXR file is damaged: its header does not end.');
    return String.fromCharCode(...bytes.subarray(from, at++));
  };
  for (let n = 0; n < 1000; n++) {
    const name = text();
    if (name === '') return { attributes, end: at };
    text();
    checkLength('OpenEXR file', `its attribute ${quoted(name)}`, 4, bytes.length - at);
    const size = view.getInt32(at, true);
    at += 4;
    if (size < 0) throw new UplandError('damaged', `This OpenEXR file is damaged: its attribute ${quoted(name)} has a size of ${size}.`);
    checkLength('OpenEXR file', `its attribute ${quoted(name)}`, size, bytes.length - at);
    attributes.set(name, bytes.slice(at, at + size));
    at += size;
  }
  throw new UplandError('damaged', 'This OpenEXR file is damaged: its header does not end.');
}

function channelsOf(list: Uint8Array): Channel[] {
  const channels: Channel[] = [];
  const view = new DataView(list.buffer, list.byteOffset, list.byteLength);
  let at = 0;
  while (at < list.length && list[at] !== 0) {
    const from = at;
    while (at < list.length && list[at] !== 0) at++;
    const name = String.fromCharCode(...list.subarray(from, at++));
    checkLength('OpenEXR file', 'its list of channels', 16, list.length - at);
    const kind = view.getInt32(at, true);
    if (kind < 0 || kind > 2) throw new UplandError('damaged', `This OpenEXR file is damaged: its channel ${quoted(name)} holds numbers of kind ${kind}.`);
    if (view.getInt32(at + 8, true) !== 1 || view.getInt32(at + 12, true) !== 1) {
      throw new UplandError('exr-sampling', `The channel ${quoted(name)} of this OpenEXR file has fewer samples than the picture; that is not read here.`);
    }
    channels.push({ name, kind });
    at += 16;
  }
  if (channels.length === 0 || channels.length > 64)
    throw new UplandError('damaged', `This OpenEXR file has ${channels.length} channels; one at least is needed, 64 at most.`);
  return channels;
}

/** Undoes the differences from byte to byte, then the parting into even and odd bytes. */
function unpacked(bytes: Uint8Array<ArrayBuffer>): Uint8Array<ArrayBuffer> {
  for (let i = 1; i < bytes.length; i++) bytes[i] = bytes[i - 1] + bytes[i] - 128;
  const out = new Uint8Array(bytes.length);
  const half = (bytes.length + 1) >> 1;
  for (let i = 0; i < out.length; i++) out[i] = i & 1 ? bytes[half + (i >> 1)] : bytes[i >> 1];
  return out;
}

function packed(bytes: Uint8Array): Uint8Array<ArrayBuffer> {
  const out = new Uint8Array(bytes.length);
  const half = (bytes.length + 1) >> 1;
  for (let i = 0; i < bytes.length; i++) out[i & 1 ? half + (i >> 1) : i >> 1] = bytes[i];
  for (let i = out.length - 1; i > 0; i--) out[i] = out[i] - out[i - 1] + 128;
  return out;
}

type NamedSamples = [name: string, samples: ArrayLike<number>];

/** The bytes that a view of so many is filled with. */
function filled(size: number, fill: (view: DataView) => void = () => undefined): Uint8Array<ArrayBuffer> {
  const view = new DataView(new ArrayBuffer(size));
  fill(view);
  return new Uint8Array(view.buffer);
}

const int = (value: number) => filled(4, (v) => v.setInt32(0, value, true));
const float = (value: number) => filled(4, (v) => v.setFloat32(0, value, true));

/** The list of channels, each of 32-bit floats at every sample. */
function channelList(channels: readonly NamedSamples[]): Uint8Array<ArrayBuffer> {
  const text = new TextEncoder();
  return filled(
    channels.reduce((sum, [name]) => sum + name.length + 17, 1),
    (v) => {
      let at = 0;
      for (const [name] of channels) {
        for (const [i, code] of text.encode(name).entries()) v.setUint8(at + i, code);
        at += name.length + 1;
        v.setInt32(at, 2, true);
        v.setInt32(at + 8, 1, true);
        v.setInt32(at + 12, 1, true);
        at += 16;
      }
    },
  );
}

/** Magic number, version, and the attributes that have to be there. */
function headerOf(width: number, height: number, channels: readonly NamedSamples[]): Uint8Array[] {
  const text = new TextEncoder();
  const attribute = (name: string, type: string, data: Uint8Array) => [text.encode(`${name}\0${type}\0`), int(data.length), data];
  const box = filled(16, (v) => {
    v.setInt32(8, width - 1, true);
    v.setInt32(12, height - 1, true);
  });
  return [
    Uint8Array.from([...MAGIC, 2, 0, 0, 0]),
    ...attribute('channels', 'chlist', channelList(channels)),
    ...attribute('compression', 'compression', Uint8Array.of(3)),
    ...attribute('dataWindow', 'box2i', box),
    ...attribute('displayWindow', 'box2i', box),
    ...attribute('lineOrder', 'lineOrder', Uint8Array.of(0)),
    ...attribute('pixelAspectRatio', 'float', float(1)),
    ...attribute('screenWindowCenter', 'v2f', filled(8)),
    ...attribute('screenWindowWidth', 'float', float(1)),
    Uint8Array.of(0),
  ];
}

/** `count` rows of every channel, packed where that is smaller. */
function blockOf(channels: readonly NamedSamples[], width: number, first: number, count: number): Uint8Array {
  const raw = filled(count * width * 4 * channels.length, (v) => {
    let put = 0;
    for (let row = first; row < first + count; row++) {
      for (const [, samples] of channels) for (let i = row * width; i < (row + 1) * width; i++, put += 4) v.setFloat32(put, samples[i], true);
    }
  });
  const small = compress(packed(raw));
  return small.length < raw.length ? small : raw;
}

/** A picture of several channels as float OpenEXR, ZIP; each row after row from the top. Channels stand in the file by their names. */
export function encodeExr(width: number, height: number, named: Record<string, ArrayLike<number>>): Uint8Array<ArrayBuffer> {
  const channels = Object.entries(named).sort(([a], [b]) => (a < b ? -1 : 1));
  const header = headerOf(width, height, channels);
  const rows = ROWS[3];
  const blocks = Math.ceil(height / rows);
  const table = new DataView(new ArrayBuffer(blocks * 8));
  const chunks: Uint8Array[] = [];
  let at = header.reduce((sum, part) => sum + part.length, 0) + blocks * 8;
  for (let block = 0; block < blocks; block++) {
    const first = block * rows;
    const body = blockOf(channels, width, first, Math.min(rows, height - first));
    table.setBigUint64(block * 8, BigInt(at), true);
    chunks.push(int(first), int(body.length), body);
    at += 8 + body.length;
  }
  const out = new Uint8Array(at);
  let to = 0;
  for (const part of [...header, new Uint8Array(table.buffer), ...chunks]) {
    out.set(part, to);
    to += part.length;
  }
  return out;
}
