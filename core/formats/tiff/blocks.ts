import { grouped } from '../../grouped';
import { UplandError } from '../../errors';
import { decompress } from '../deflate';
import { decodeJpeg, frameOf, scansOf } from '../jpeg-decoder';
import { checkLength } from '../limits';
import { unpackZstd } from '../zstd';
import { unpackBits, unpackLzw } from './codecs';
import { TAG, type Directory } from './directory';

/** Ways of packing by their numbers in the file (TIFF 6.0 and its supplements, libtiff's registry). */
const NAMES: Record<number, string> = {
  2: 'CCITT run lengths',
  3: 'fax group 3',
  4: 'fax group 4',
  6: 'the old kind of JPEG',
  32_766: 'NeXT runs',
  32_809: 'ThunderScan',
  34_676: 'SGI log',
  34_677: 'SGI log',
  34_712: 'JPEG 2000',
  34_925: 'LZMA',
  50_001: 'WebP',
  50_002: 'JPEG XL',
  52_546: 'JPEG XL',
};
const READ = [1, 5, 7, 8, 32_773, 32_946, 34_887, 50_000];
export const JPEG = 7;
export const LERC = 34_887;

/** Refuses by name a way of packing that is not read here. */
export function checkCompression(compression: number): void {
  if (READ.includes(compression)) return;
  const name = NAMES[compression] ?? `method ${compression}`;
  throw new UplandError('compression', `This is a TIFF packed by ${name}, which is not read here. Save it unpacked, or with LZW, Deflate, ZSTD or LERC.`, {
    compression,
  });
}

/** Exactly `expected` bytes out of one part of a TIFF, whatever packs it. */
export async function unpackBlock(compression: number, packed: Uint8Array<ArrayBuffer>, expected: number): Promise<Uint8Array<ArrayBuffer>> {
  switch (compression) {
    case 1:
      checkLength('TIFF', 'a strip', expected, packed.length);
      return packed.slice(0, expected);
    case 5:
      return unpackLzw(packed, expected);
    case 32_773:
      return unpackBits(packed, expected);
    case 50_000:
      return unpackZstd('TIFF', packed, expected);
    default:
      return decompress('TIFF', packed, expected);
  }
}

/** What LERC blocks are packed by once more: none, deflate or ZSTD (libtiff's LercParameters). */
export async function insideLerc(directory: Directory, packed: Uint8Array<ArrayBuffer>, most: number): Promise<Uint8Array<ArrayBuffer>> {
  const again = directory.numbers(TAG.lerc, 2)?.[1] ?? 0;
  if (again === 0) return packed;
  // LERC itself says how long it is; what it holds is never longer than its samples and their header.
  const first = await unpackBlock(again === 2 ? 50_000 : 8, packed, LERC_HEADER);
  const size = new DataView(first.buffer).getInt32(lengthAt(first), true);
  if (!(size >= LERC_HEADER && size <= most))
    throw new UplandError('damaged', 'This TIFF is damaged: a part packed by LERC says it has a length that cannot be.');
  return unpackBlock(again === 2 ? 50_000 : 8, packed, size);
}

/** Bytes up to and with the block's own length, in every version 2. */
const LERC_HEADER = 42;
const lengthAt = (b: Uint8Array): number => {
  const version = new DataView(b.buffer, b.byteOffset).getInt32(6, true);
  // Magic 6, version 4, [checksum 4], rows 4, columns 4, [depth 4], valid 4, micro block 4, then the length.
  return 10 + (version >= 3 ? 4 : 0) + 8 + (version >= 4 ? 4 : 0) + 8;
};

/** The samples of a part packed as JPEG, channel beside channel; tables that all parts share lie in a tag of their own. */
export async function unpackJpeg(
  directory: Directory,
  packed: Uint8Array<ArrayBuffer>,
  width: number,
  rows: number,
  channels: number,
  colour: boolean,
): Promise<Uint8Array<ArrayBuffer>> {
  const tables = directory.bytes(TAG.jpegTables);
  let stream = packed;
  if (tables && tables.length > 4) {
    // The tables without their end, the picture without its beginning.
    stream = new Uint8Array(tables.length - 2 + packed.length - 2);
    stream.set(tables.subarray(0, tables.length - 2));
    stream.set(packed.subarray(2), tables.length - 2);
  }
  const frame = frameOf(stream);
  if (frame.width < width || frame.height < rows || frame.width > width + 16 || frame.height > 65_500 || frame.channels !== channels) {
    throw new UplandError('damaged', `This TIFF is damaged: a part packed as JPEG is ${frame.width} × ${frame.height}, not ${width} × ${rows}.`);
  }
  if (frame.width * frame.height > 1024 * packed.length + 65_536) {
    throw new UplandError(
      'cut-short',
      `This TIFF is cut short: ${grouped(packed.length)} bytes cannot hold a part of ${frame.width} × ${frame.height} samples.`,
    );
  }
  if (scansOf(stream, frame.at) > channels) throw new UplandError('damaged', 'This TIFF is damaged: a part packed as JPEG has more scans than channels.');
  const out = new Uint8Array(width * rows * channels);
  await decodeJpeg(
    stream,
    ({ samples }) => {
      for (let row = 0; row < rows; row++) {
        const from = row * frame.width * channels;
        out.set(samples.subarray(from, from + width * channels), row * width * channels);
      }
    },
    colour,
  );
  return out;
}
