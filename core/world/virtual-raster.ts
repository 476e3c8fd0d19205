import { spacingOf, type Ground } from '../field/ground';
import type { Window } from '../field/window';
import { CODES, type SampleType } from '../formats/format';
import type { Encoding } from '../delivery/heights/encode';

const GDAL_TYPES: Partial<Record<SampleType, string>> = {
  u8: 'Byte',
  u16: 'UInt16',
  s16: 'Int16',
  u32: 'UInt32',
  s32: 'Int32',
  f32: 'Float32',
  f64: 'Float64',
};

const escaped = (text: string) => text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;');

/** A raster in files: its ground, what its samples are written as, and which file holds which window. */
export interface TiledRaster {
  ground: Ground;
  encoding: Pick<Encoding, 'type' | 'range'>;
  sources: readonly { file: string; window: Window }[];
  /** Files of its overviews, each half the one before. */
  overviews?: readonly string[];
}

/** Tiles as one raster, by GDAL's virtual format (gdal.org/drivers/raster/vrt.html). Files are named from where it lies. */
export function virtualRaster({ ground, encoding, sources, overviews = [] }: TiledRaster): string {
  const { x, y } = spacingOf(ground);
  const place = ground.georeference ?? { west: 0, north: ground.depth, crs: '' };
  const per = place.perMetre ?? { x: 1, y: 1 };
  const half = ground.registration === 'point' ? 0.5 : 0;
  const [dx, dy] = [x * per.x, y * per.y];
  const type = GDAL_TYPES[encoding.type] ?? 'Float32';
  const codes = CODES[encoding.type];
  const { range } = encoding;
  const scale = codes && range ? [`  <Offset>${range.low}</Offset>`, `  <Scale>${(range.high - range.low) / (codes.max - codes.min)}</Scale>`] : [];
  return [
    `<VRTDataset rasterXSize="${ground.across}" rasterYSize="${ground.down}">`,
    ...(place.crs ? [` <SRS>${escaped(place.crs)}</SRS>`] : []),
    ` <GeoTransform>${[place.west - half * dx, dx, 0, place.north + half * dy, 0, -dy].join(', ')}</GeoTransform>`,
    ...(ground.registration === 'point' ? [' <Metadata><MDI key="AREA_OR_POINT">Point</MDI></Metadata>'] : []),
    ` <VRTRasterBand dataType="${type}" band="1">`,
    ...scale,
    ...overviews.map((file) => `  <Overview><SourceFilename relativeToVRT="1">${escaped(file)}</SourceFilename><SourceBand>1</SourceBand></Overview>`),
    ...sources.map(({ file, window }) => simpleSource(file, window, type)),
    ' </VRTRasterBand>',
    '</VRTDataset>',
    '',
  ].join('\n');
}

function simpleSource(file: string, { left, top, across, down }: Window, type: string): string {
  return [
    '  <SimpleSource>',
    `   <SourceFilename relativeToVRT="1">${escaped(file)}</SourceFilename>`,
    '   <SourceBand>1</SourceBand>',
    `   <SourceProperties RasterXSize="${across}" RasterYSize="${down}" DataType="${type}" />`,
    `   <SrcRect xOff="0" yOff="0" xSize="${across}" ySize="${down}" />`,
    `   <DstRect xOff="${left}" yOff="${top}" xSize="${across}" ySize="${down}" />`,
    '  </SimpleSource>',
  ].join('\n');
}
