/** Heightmap formats: bytes to heights and back. */

import '../zod-jitless';

export { arranged, type AssetReading, heightsOf, readAsset, readWith, settledIn } from '../formats/asset';
export { type Band, type Beside, CODES, makeSamples, type Reading, type ReadOptions, type SampleType } from '../formats/format';
export { type Meaning, meaningOf, rangeOfCodes, readHeights, toField } from '../formats/heights';
export { formatById, formatByName, formats, readHeightmap, saysNothing } from '../formats';
export { decodeJpeg } from '../formats/jpeg-decoder';
export { encodePicture } from '../formats/picture';
export { decodePlanes, encodeImage, encodeRgb, type Image } from '../formats/png';
export { parseRawSpec } from '../formats/raw';
export { isMesh } from '../formats/unreadable';

export { encodeExr } from '../formats/exr';
export { NotByRows, openHeights, type HeightRows } from '../formats/height-rows';
export type { ByteSource } from '../formats/source';
