import { UplandError } from '../errors';
import { isRemark, textOf } from './text';

interface Known {
  name: string;
  /** What a person can do about it. */
  then: string;
  is(bytes: Uint8Array, start: string): boolean;
}

const PICTURE = 'Save it as PNG of 16 bits or TIFF.';
const GRID = 'Turn it into a GeoTIFF first.';
const MESH = 'Export it as OBJ, PLY, STL, GLB or glTF.';

/** Kinds of files that people bring and that are not read here, by what their first bytes are. */
const KNOWN: readonly Known[] = [
  { name: 'a GIF', then: PICTURE, is: (_, s) => /^GIF8[79]a/.test(s) },
  { name: 'a WebP', then: PICTURE, is: (_, s) => s.startsWith('RIFF') && s.slice(8, 12) === 'WEBP' },
  { name: 'a JPEG 2000', then: PICTURE, is: (b, s) => s.startsWith('\0\0\0\x0cjP  ') || (b[0] === 0xff && b[1] === 0x4f && b[2] === 0xff && b[3] === 0x51) },
  { name: 'a JPEG XL', then: PICTURE, is: (b, s) => s.startsWith('\0\0\0\x0cJXL ') || (b[0] === 0xff && b[1] === 0x0a) },
  { name: 'an AVIF or HEIF picture', then: PICTURE, is: (_, s) => s.slice(4, 8) === 'ftyp' && /^(avif|avis|heic|heix|hevc|mif1|msf1)/.test(s.slice(8, 12)) },
  { name: 'a layered picture (PSD)', then: PICTURE, is: (_, s) => s.startsWith('8BPS') },
  {
    name: 'an icon',
    then: PICTURE,
    is: (b) => b[0] === 0 && b[1] === 0 && b[2] === 1 && b[3] === 0 && b[4] > 0 && b[5] === 0 && b.length < 1_000_000 && b[9] === 0,
  },
  { name: 'a texture of blocks (DDS)', then: PICTURE, is: (_, s) => s.startsWith('DDS ') },
  { name: 'a texture (KTX)', then: PICTURE, is: (_, s) => s.slice(1, 4) === 'KTX' && s[0] === '\xab' },
  { name: 'a Radiance picture (HDR)', then: 'Save it as OpenEXR or PFM.', is: (_, s) => /^#\?(RADIANCE|RGBE)/.test(s) },
  { name: 'a drawing (SVG)', then: PICTURE, is: (_, s) => /^\s*(<\?xml[^>]{0,200}\?>\s*)?<svg[\s>]/i.test(s) },
  { name: 'a TGA', then: PICTURE, is: isTga },
  { name: 'a PDF', then: PICTURE, is: (_, s) => s.startsWith('%PDF-') },
  { name: 'an HDF5 or netCDF file', then: GRID, is: (_, s) => s.startsWith('\x89HDF') || /^CDF[\x01\x02\x05]/.test(s) },
  { name: 'a GRIB file', then: GRID, is: (_, s) => s.startsWith('GRIB') },
  { name: 'a cloud of laser points (LAS)', then: 'Turn it into a grid, or into text of x, y and z.', is: (_, s) => s.startsWith('LASF') },
  { name: 'an ERDAS Imagine file', then: GRID, is: (_, s) => s.startsWith('EHFA_HEADER_TAG') },
  { name: 'a database (SQLite, GeoPackage)', then: GRID, is: (_, s) => s.startsWith('SQLite format 3') },
  { name: 'a Surfer grid', then: 'Save it as an ASCII grid (.asc) or GeoTIFF.', is: (_, s) => /^(DSAA|DSBB|DSRB)/.test(s) },
  {
    name: 'a project file of Upland Cast',
    then: 'Bring it in among the terrains.',
    is: (b, s) => s.startsWith('PK\x03\x04') && textOf(b, 0, 4096).includes('course.json'),
  },
  { name: 'a ZIP archive', then: 'Unpack it, and import what is in it.', is: (_, s) => s.startsWith('PK\x03\x04') || s.startsWith('PK\x05\x06') },
  { name: 'a packed file (gzip)', then: 'Unpack it first.', is: (b) => b[0] === 0x1f && b[1] === 0x8b },
  { name: 'an archive (7z)', then: 'Unpack it first.', is: (_, s) => s.startsWith('7z\xbc\xaf') },
  { name: 'an archive (RAR)', then: 'Unpack it first.', is: (_, s) => s.startsWith('Rar!') },
  { name: 'a packed file (Zstandard)', then: 'Unpack it first.', is: (b) => b[0] === 0x28 && b[1] === 0xb5 && b[2] === 0x2f && b[3] === 0xfd },
  { name: 'a packed file (xz)', then: 'Unpack it first.', is: (_, s) => s.startsWith('\xfd7zXZ') },
  { name: 'an FBX', then: MESH, is: (_, s) => s.startsWith('Kaydara FBX') || /^; FBX \d/.test(s) },
  { name: 'the scene of a modelling program', then: MESH, is: (_, s) => /^[A-Z]{7}[-_][vV]\d{3}/.test(s) },
  { name: 'an Alembic file', then: MESH, is: (_, s) => s.startsWith('Ogawa') },
  { name: 'a USD scene', then: MESH, is: (_, s) => s.startsWith('PXR-USDC') || s.startsWith('#usda') },
  { name: 'a COLLADA scene', then: MESH, is: (b, s) => /^\s*<\?xml/.test(s) && textOf(b, 0, 1000).includes('<COLLADA') },
  { name: 'a web page', then: 'It may be the answer of a server that did not have the file.', is: (_, s) => /^\s*<(!doctype html|html)/i.test(s) },
  { name: 'an XML file', then: 'There are no heights in it.', is: (_, s) => /^\s*<\?xml/.test(s) },
];

/** A TGA says so at its end, or not at all: then its header has to hold together with its length. */
function isTga(b: Uint8Array): boolean {
  if (b.length < 18) return false;
  if (textOf(b, Math.max(0, b.length - 18), b.length - 2) === 'TRUEVISION-XFILE') return true;
  const [id, map, kind] = b;
  const [width, height, bits] = [b[12] | (b[13] << 8), b[14] | (b[15] << 8), b[16]];
  if (map > 1 || (kind !== 2 && kind !== 3) || ![8, 16, 24, 32].includes(bits) || b[17] & 0xc0) return false;
  return width > 0 && height > 0 && b.length === 18 + id + (width * height * bits) / 8;
}

/** What bytes are that are not read here, as an error that says so; undefined where it is not known. */
export function whatItIs(bytes: Uint8Array): UplandError | undefined {
  const start = textOf(bytes, 0, 512);
  if (isDamagedPng(bytes, start)) {
    return new UplandError(
      'damaged',
      'This is a PNG whose first bytes were changed on the way, as happens when a file is sent as text. Fetch it again, as it is.',
    );
  }
  const known = KNOWN.find(({ is }) => is(bytes, start));
  return known && new UplandError('not-read', `This is ${known.name}, which is not read here. ${known.then}`, { kind: known.name });
}

/** The letters are there, and what stands around them in every PNG is not. */
const isDamagedPng = (b: Uint8Array, start: string): boolean =>
  start.slice(1, 4) === 'PNG' || (start.includes('IHDR') && b.length > 33 && start.indexOf('IHDR') < 24);

/** Whether bytes are text, and not numbers as they lie in memory. */
export function isText(bytes: Uint8Array): boolean {
  const part = bytes.subarray(0, 4096);
  let strange = 0;
  for (const b of part) if (b < 9 || (b > 13 && b < 32) || b === 127) strange++;
  return part.length > 0 && strange === 0;
}

/** The first line of text that is no remark. */
export function firstLineOf(bytes: Uint8Array): string {
  return (
    textOf(bytes, 0, 2048)
      .split(/\r\n|\n|\r/)
      .find((line) => line.trim() !== '' && !isRemark(line)) ?? ''
  );
}

/** Whether bytes (the first of a file of `size`) are those of a mesh: a GLB, glTF, PLY or STL by their beginning, an OBJ by its first vertex. */
export function isMesh(bytes: Uint8Array, size = bytes.length): boolean {
  const start = textOf(bytes, 0, 8192).replace(/^\xef\xbb\xbf/, '');
  if (start.startsWith('glTF') || /^ply[\r\n]/.test(start) || /^\s{0,20}solid\s/i.test(start)) return true;
  if (/^\s{0,20}\{/.test(start)) return start.includes('"asset"') || start.includes('"buffers"') || start.includes('"meshes"');
  const faces = bytes.length >= 84 ? new DataView(bytes.buffer, bytes.byteOffset).getUint32(80, true) : 0;
  if (faces > 0 && size >= 84 + 50 * faces && size < 84 + 50 * faces + 4096) return true;
  const lines = start.split(/\r\n|\n|\r/).filter((line) => line.trim() !== '' && !isRemark(line));
  const own = lines.find((line) => !/^\s*(mtllib|o|g|s|usemtl|vt|vn)\s/.test(line));
  return own !== undefined && /^\s*v\s+[-+.\d]/.test(own);
}
