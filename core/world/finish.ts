import { UplandError } from '../errors';
import { makeField, type Field } from '../field/field';
import { spacingOf, type Ground } from '../field/ground';
import { formatById, readHeightmap } from '../formats';
import { CODES, type SampleType } from '../formats/format';
import { toField } from '../formats/heights';
import { encode } from '../delivery/heights/encode';
import { noteOf, type TileNote, type World } from './world';
import { tileFile, writeJson, type WorldStore } from './store';
import type { WorldTile } from './plan';

/** How the ground goes on across the borders of tiles. */
export interface SeamProof {
  /** Pairs of samples on both sides of a border. */
  pairs: number;
  /** The mean step across borders, and beside them within the tiles, metres. */
  across: number;
  within: number;
  /** The one by the other: 1 where a border cannot be told. */
  ratio: number;
}

export interface FinishedWorld {
  tiles: number;
  lowest: number;
  highest: number;
  seams: SeamProof | null;
  /** Names of what was written beside the tiles. */
  files: string[];
}

/** The overview's samples along its longer side, at the most. */
const OVERVIEW = 2048;
/** Samples on each side of a border that are looked at. */
const RIM = 2;

/**
 * Puts a world together when all of its tiles are done: reads every one back, holds it against what was noted of it, measures the
 * borders, and writes the overview, the virtual raster over the tiles and one docket. Refuses while a tile is missing or altered.
 */
export async function finishWorld(store: WorldStore, world: World, onProgress: (share: number) => void = () => undefined): Promise<FinishedWorld> {
  const { ground } = world;
  const seams = new Seams();
  const overview = new Overview(ground);
  const notes: (WorldTile & TileNote)[] = [];
  for (const tile of world.tiles) {
    const note = await noteOf(store, world, tile);
    const name = nameOf(world, tile);
    if (!note)
      throw new UplandError(
        'world-tile-lost',
        `The tile ${name} is missing, or it is not what it was. Go on with the world by --resume: it is worked out anew.`,
      );
    notes.push({ ...tile, ...note });
    const field = await tileField(store, world, tile);
    seams.take(tile, field);
    overview.take(tile, field);
    onProgress(notes.length / world.tiles.length);
  }
  const lowest = Math.min(...notes.map((n) => n.lowest));
  const highest = Math.max(...notes.map((n) => n.highest));
  const files = ['overview.tif', 'world.vrt', 'docket.json'];
  await store.write(files[0], (await encode(overview.field(), { format: 'tiff', type: 'f32' })).bytes);
  await store.write(files[1], new TextEncoder().encode(virtualRaster(world)));
  const found = { tiles: notes.length, lowest, highest, seams: seams.proof(), files };
  await writeJson(store, files[2], {
    format: 'upland-cast world docket',
    name: world.name,
    samples: { across: ground.across, down: ground.down },
    metres: { width: ground.width, depth: ground.depth },
    registration: ground.registration,
    encoding: world.encoding,
    lowest,
    highest,
    base: world.based ? { across: world.base.across, down: world.base.down } : null,
    seams: found.seams,
    tiles: notes.map(({ row, column, window, sha256, bytes, lowest: low, highest: high, maxAbs }) => ({
      file: nameOf(world, { row, column }),
      row,
      column,
      window,
      sha256,
      bytes,
      lowest: low,
      highest: high,
      maxAbs,
    })),
  });
  return found;
}

const nameOf = (world: World, tile: { row: number; column: number }) => tileFile(tile, formatById(world.encoding.format).endings[0]);

/** A tile as it is read back. */
export async function tileField(store: WorldStore, world: World, tile: WorldTile): Promise<Field> {
  const name = nameOf(world, tile);
  const bytes = await store.read(name);
  if (!bytes) throw new UplandError('world-tile-lost', `The tile ${name} is missing. Go on with the world by --resume.`);
  const { type } = world.encoding;
  const { across, down } = tile.window;
  // Bytes that say nothing of themselves lie as they were written.
  const as = world.encoding.format === 'raw' ? `raw:${type}:le:${across}x${down}` : undefined;
  return toField(await readHeightmap(bytes, as), { range: world.encoding.range });
}

/** Steps across the borders of tiles, and beside them. */
class Seams {
  /** The last columns of the tile before, and the last rows of the tiles above, by column. */
  private readonly columns = new Map<string, Float64Array[]>();
  private readonly rows = new Map<string, Float64Array[]>();
  private pairs = 0;
  private across = 0;
  private within = 0;

  take({ row, column, window }: WorldTile, { ground, height }: Field): void {
    const { across, down } = window;
    if (across < 2 * RIM || down < 2 * RIM) return;
    const columnAt = (x: number) => Float64Array.from({ length: down }, (_, y) => height[y * across + x] + ground.datum);
    const rowAt = (y: number) => Float64Array.from({ length: across }, (_, x) => height[y * across + x] + ground.datum);
    this.compare(this.columns.get(`${row}:${column - 1}`), [columnAt(0), columnAt(1)]);
    this.compare(this.rows.get(`${row - 1}:${column}`), [rowAt(0), rowAt(1)]);
    this.columns.delete(`${row}:${column - 1}`);
    this.rows.delete(`${row - 1}:${column}`);
    this.columns.set(`${row}:${column}`, [columnAt(across - 2), columnAt(across - 1)]);
    this.rows.set(`${row}:${column}`, [rowAt(down - 2), rowAt(down - 1)]);
  }

  /** The two lines before a border, and the two after it. */
  private compare(before: Float64Array[] | undefined, [c, d]: Float64Array[]): void {
    if (!before) return;
    const [a, b] = before;
    for (let i = 0; i < c.length; i++) {
      const across = Math.abs(c[i] - b[i]);
      const within = (Math.abs(b[i] - a[i]) + Math.abs(d[i] - c[i])) / 2;
      if (!(across - across === 0) || !(within - within === 0)) continue;
      this.across += across;
      this.within += within;
      this.pairs++;
    }
  }

  proof(): SeamProof | null {
    const { pairs } = this;
    if (pairs === 0) return null;
    const across = this.across / pairs;
    const within = this.within / pairs;
    return { pairs, across, within, ratio: across === within ? 1 : across / within };
  }
}

/** The whole world on few samples: means of squares of them. */
class Overview {
  private readonly factor: number;
  private readonly across: number;
  private readonly down: number;
  private readonly sums: Float64Array;
  private readonly counts: Uint32Array;

  constructor(private readonly ground: Ground) {
    this.factor = Math.ceil(Math.max(ground.across, ground.down) / OVERVIEW);
    this.across = Math.ceil(ground.across / this.factor);
    this.down = Math.ceil(ground.down / this.factor);
    this.sums = new Float64Array(this.across * this.down);
    this.counts = new Uint32Array(this.sums.length);
  }

  take({ window }: WorldTile, { ground, height, valid }: Field): void {
    for (let row = 0, i = 0; row < window.down; row++) {
      const start = Math.floor((window.top + row) / this.factor) * this.across;
      for (let column = 0; column < window.across; column++, i++) {
        if (valid && !valid[i]) continue;
        const at = start + Math.floor((window.left + column) / this.factor);
        this.sums[at] += height[i] + ground.datum;
        this.counts[at]++;
      }
    }
  }

  field(): Field {
    const { ground, across, down, factor } = this;
    const { x, y } = spacingOf(ground);
    const place = ground.georeference ?? { west: 0, north: ground.depth, crs: '' };
    const per = place.perMetre ?? { x: 1, y: 1 };
    const half = ground.registration === 'point' ? 0.5 : 0;
    const whole: Ground = {
      ...ground,
      datum: 0,
      registration: 'area',
      across,
      down,
      width: across * factor * x,
      depth: down * factor * y,
      georeference: { ...place, west: place.west - half * x * per.x, north: place.north + half * y * per.y },
    };
    const valid = this.counts.some((n) => n === 0) ? Uint8Array.from(this.counts, (n) => (n ? 1 : 0)) : undefined;
    return makeField(
      whole,
      Float32Array.from(this.sums, (sum, i) => sum / Math.max(1, this.counts[i])),
      valid,
    );
  }
}

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

/** The tiles as one raster, by GDAL's virtual format (gdal.org/drivers/raster/vrt.html). */
function virtualRaster(world: World): string {
  const { ground, encoding } = world;
  const { x, y } = spacingOf(ground);
  const place = ground.georeference ?? { west: 0, north: ground.depth, crs: '' };
  const per = place.perMetre ?? { x: 1, y: 1 };
  const half = ground.registration === 'point' ? 0.5 : 0;
  const [dx, dy] = [x * per.x, y * per.y];
  const type = GDAL_TYPES[encoding.type] ?? 'Float32';
  const codes = CODES[encoding.type];
  const { range } = encoding;
  const scale = codes && range ? [`  <Offset>${range.low}</Offset>`, `  <Scale>${(range.high - range.low) / (codes.max - codes.min)}</Scale>`] : [];
  const sources = world.tiles.map((tile) => {
    const { left, top, across, down } = tile.window;
    return [
      '  <SimpleSource>',
      `   <SourceFilename relativeToVRT="1">${escaped(nameOf(world, tile))}</SourceFilename>`,
      '   <SourceBand>1</SourceBand>',
      `   <SourceProperties RasterXSize="${across}" RasterYSize="${down}" DataType="${type}" />`,
      `   <SrcRect xOff="0" yOff="0" xSize="${across}" ySize="${down}" />`,
      `   <DstRect xOff="${left}" yOff="${top}" xSize="${across}" ySize="${down}" />`,
      '  </SimpleSource>',
    ].join('\n');
  });
  return [
    `<VRTDataset rasterXSize="${ground.across}" rasterYSize="${ground.down}">`,
    ...(place.crs ? [` <SRS>${escaped(place.crs)}</SRS>`] : []),
    ` <GeoTransform>${[place.west - half * dx, dx, 0, place.north + half * dy, 0, -dy].join(', ')}</GeoTransform>`,
    ...(ground.registration === 'point' ? [' <Metadata><MDI key="AREA_OR_POINT">Point</MDI></Metadata>'] : []),
    ` <VRTRasterBand dataType="${type}" band="1">`,
    ...scale,
    ...sources,
    ' </VRTRasterBand>',
    '</VRTDataset>',
    '',
  ].join('\n');
}
