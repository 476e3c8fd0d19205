import { UplandError } from '../errors';

/** Samples along the side of a tile of hand work. */
export const TILE = 256;
export const TILE_BYTES = TILE * TILE * 4;

/** Sparse differences in metres: tiles of 256 × 256 by their place, "column,row" in tiles. What has no tile is 0. */
export type Tiles = Map<string, Float32Array<ArrayBuffer>>;

export const tileKey = (column: number, row: number) => `${column},${row}`;

/** The differences laid out over the whole ground; 0 where no tile lies. */
export function unrollTiles(tiles: Tiles, across: number, down: number): Float32Array<ArrayBuffer> {
  const out = new Float32Array(across * down);
  for (const [key, tile] of tiles) {
    const [column, row] = key.split(',').map(Number);
    const left = column * TILE;
    const top = row * TILE;
    const width = Math.min(TILE, across - left);
    for (let y = 0; y < TILE && top + y < down; y++) {
      if (width > 0) out.set(tile.subarray(y * TILE, y * TILE + width), (top + y) * across + left);
    }
  }
  return out;
}

/** Painted weights (a byte each, 255 is 1) laid out over the whole ground; 0 where no tile lies. */
export function unrollWeights(tiles: Map<string, Uint8Array>, across: number, down: number): Float32Array<ArrayBuffer> {
  const asTiles: Tiles = new Map();
  for (const [key, bytes] of tiles) {
    if (bytes.length !== TILE * TILE) throw new UplandError('tile-size', `A tile of painted weights has ${bytes.length} bytes; it needs ${TILE * TILE}.`);
    asTiles.set(
      key,
      Float32Array.from(bytes, (b) => b / 255),
    );
  }
  return unrollTiles(asTiles, across, down);
}

/** A tile as the bytes of an asset: little-endian float32, whatever the machine. */
export function tileToBytes(tile: Float32Array): Uint8Array<ArrayBuffer> {
  const bytes = new Uint8Array(TILE_BYTES);
  const view = new DataView(bytes.buffer);
  for (let i = 0; i < tile.length; i++) view.setFloat32(i * 4, tile[i], true);
  return bytes;
}

export function tileFromBytes(bytes: Uint8Array): Float32Array<ArrayBuffer> {
  if (bytes.byteLength !== TILE_BYTES) {
    throw new UplandError('tile-size', `A tile of hand work has ${bytes.byteLength} bytes; it needs ${TILE_BYTES}.`);
  }
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const tile = new Float32Array(TILE * TILE);
  for (let i = 0; i < tile.length; i++) tile[i] = view.getFloat32(i * 4, true);
  return tile;
}
