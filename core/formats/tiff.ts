import { UplandError } from '../errors';
import type { Format, Reading, ReadOptions } from './format';
import { checkLength } from './limits';
import { writeCloudTiff } from './tiff/cloud';
import { openTiff, readTiff } from './tiff/read';
import { rowsOfTiff, writeTiff } from './tiff/write';

/**
 * TIFF 6.0 with GeoTIFF keys (OGC 19-008). Reads classic TIFF and BigTIFF, also with overviews
 * (the full picture among them) and parts that were left out; strips and tiles of 1 to 16, 24, 32
 * and 64-bit integers and 16, 24, 32 and 64-bit floats, both byte orders, channels beside each
 * other or apart, palettes, packed by none, LZW, Deflate, PackBits, ZSTD, LERC or JPEG, with
 * predictors 1 to 3. Writes little-endian strips, with the spacing and registration as GeoTIFF
 * keys and, for codes, their scale and offset in metres as GDAL metadata; on request
 * cloud-optimised (OGC 21-026), in tiles with overviews.
 */
export const tiff: Format = {
  id: 'tiff',
  title: 'TIFF',
  endings: ['.tif', '.tiff'],
  mediaType: 'image/tiff',
  writes: ['f32', 'u16', 'u8', 's16', 'u32', 's32', 'f64'],
  carriesRange: true,
  sniff: ([a, b, c, d]) => (a === 0x49 && b === 0x49 && (c === 42 || c === 43) && d === 0) || (a === 0x4d && b === 0x4d && c === 0 && (d === 42 || d === 43)),
  read,
  open: openTiff,
  write: (page, kernels) => (page.options.cloud ? writeCloudTiff(page, kernels) : writeTiff(page, kernels)),
  writeRows: rowsOfTiff,
};

async function read(bytes: Uint8Array<ArrayBuffer>, options: ReadOptions = {}): Promise<Reading> {
  checkLength('TIFF', 'the header', 8, bytes.length);
  if (!tiff.sniff(bytes)) throw new UplandError('not-tiff', 'This is not a TIFF: its first bytes are not those of one.');
  return readTiff(bytes, options);
}
