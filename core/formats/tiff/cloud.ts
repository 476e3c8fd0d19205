import type { Kernels } from '../../kernels/pool';
import { compressEach } from '../deflate';
import { BYTES, makeSamples, type Page, type SampleArray } from '../format';
import { applyPredictor } from './codecs';
import { TAG, type TagToWrite } from './directory';
import { headOf, littleEndian, meaningEntries, predictorOf, type DirectoryToWrite } from './write';

/** Samples a side of a tile. */
const TILE = 512;

type Level = Pick<Page, 'width' | 'height' | 'samples'>;

/**
 * A cloud-optimised GeoTIFF (OGC 21-026): the picture and its overviews in tiles of 512 samples, every directory before all data, and
 * the smallest overview first, so that what somebody looks at from afar is read in one go. Overviews halve until they fit into one tile.
 */
export async function writeCloudTiff(page: Page, kernels?: Kernels): Promise<Uint8Array<ArrayBuffer>> {
  const levels: Level[] = [page];
  for (let last = levels[0]; Math.max(last.width, last.height) > TILE;) levels.push((last = halved(last, page)));
  const tiles: Uint8Array[][] = [];
  for (const level of levels) tiles.push(await packedTiles(level, page, kernels));
  const directories = levels.map((level, n): DirectoryToWrite => ({ entries: entriesOf(level, n, page), lengths: tiles[n].map((tile) => tile.length) }));
  const { head, offsets, length } = headOf(directories);
  const bytes = new Uint8Array(length);
  bytes.set(head);
  tiles.forEach((own, n) => own.forEach((tile, i) => bytes.set(tile, offsets[n][i])));
  return bytes;
}

function entriesOf({ width, height }: Level, n: number, page: Page): TagToWrite[] {
  const { type, options } = page;
  const predictor = predictorOf(page);
  return [
    ...(n > 0 ? [{ tag: TAG.subfile, kind: 4 as const, values: [1] }] : []),
    { tag: TAG.width, kind: 4, values: [width] },
    { tag: TAG.height, kind: 4, values: [height] },
    { tag: TAG.bits, kind: 3, values: [BYTES[type] * 8] },
    { tag: TAG.compression, kind: 3, values: [options.compression === 'deflate' ? 8 : 1] },
    { tag: TAG.photometric, kind: 3, values: [1] },
    { tag: TAG.channels, kind: 3, values: [1] },
    { tag: TAG.planar, kind: 3, values: [1] },
    ...(predictor > 1 ? [{ tag: TAG.predictor, kind: 3 as const, values: [predictor] }] : []),
    { tag: TAG.tileWidth, kind: 3, values: [TILE] },
    { tag: TAG.tileHeight, kind: 3, values: [TILE] },
    ...[TAG.tileOffsets, TAG.tileBytes].map((tag) => ({ tag, kind: 4 as const, values: Array.from({ length: tilesIn(width) * tilesIn(height) }, () => 0) })),
    { tag: TAG.sampleFormat, kind: 3, values: [type[0] === 'u' ? 1 : type[0] === 's' ? 2 : 3] },
    // An overview lies where its picture does, and its codes mean the same.
    ...meaningEntries(page).filter(({ tag }) => n === 0 || tag === TAG.noData),
  ];
}

const tilesIn = (samples: number) => Math.ceil(samples / TILE);

const packedTiles = async (level: Level, page: Page, kernels?: Kernels): Promise<Uint8Array[]> =>
  page.options.compression === 'deflate' ? compressEach(kernels, tilesOf(level, page)) : tilesOf(level, page);

/** The tiles of a level, row by row; beyond its edge the outer samples go on. */
function tilesOf({ width, height, samples }: Level, page: Page): Uint8Array[] {
  const { type } = page;
  const predictor = predictorOf(page);
  const tiles: Uint8Array[] = [];
  for (let top = 0; top < height; top += TILE) {
    for (let left = 0; left < width; left += TILE) {
      const tile = makeSamples(type, TILE * TILE);
      const count = Math.min(TILE, width - left);
      for (let row = 0; row < TILE; row++) {
        const from = Math.min(height - 1, top + row) * width + left;
        tile.set(samples.subarray(from, from + count) as never, row * TILE);
        tile.fill(samples[from + count - 1], row * TILE + count, (row + 1) * TILE);
      }
      const bytes = littleEndian(type, tile);
      if (predictor > 1) applyPredictor(predictor, bytes, TILE, TILE, BYTES[type]);
      tiles.push(bytes);
    }
  }
  return tiles;
}

/** Means of squares of two samples a side; what has no data is left out of them. */
function halved({ width, height, samples }: Level, { type, noData }: Page): Level {
  const [across, down] = [Math.ceil(width / 2), Math.ceil(height / 2)];
  const out: SampleArray = makeSamples(type, across * down);
  const whole = type[0] !== 'f';
  for (let row = 0, i = 0; row < down; row++) {
    const bottom = Math.min(height, 2 * row + 2);
    for (let column = 0; column < across; column++, i++) {
      const right = Math.min(width, 2 * column + 2);
      let [sum, count] = [0, 0];
      for (let y = 2 * row; y < bottom; y++) {
        for (let x = 2 * column; x < right; x++) {
          const value = samples[y * width + x];
          if (value === noData || value !== value) continue;
          sum += value;
          count++;
        }
      }
      const mean = count === 0 ? (noData ?? NaN) : sum / count;
      out[i] = whole ? Math.round(mean) : mean;
    }
  }
  return { width: across, height: down, samples: out };
}
