import type { Ground } from '../../field/ground';
import { TILE, tileKey, type Tiles } from '../../field/tiles';
import type { Rectangle } from './brush';
import { brushRoom } from './room';

type Floats = Float32Array<ArrayBuffer>;

/**
 * The ground that a stroke works on: what lies beneath, and the differences on it in sparse
 * tiles. A tile is copied when the stroke first changes it, so that the tiles from before it
 * stay as they were. Heights in metres above the datum.
 */
export class Surface {
  /** Tiles that this stroke made or changed. */
  readonly touched = new Set<string>();

  constructor(
    readonly ground: Ground,
    readonly beneath: Float32Array,
    readonly tiles: Tiles,
  ) {}

  /** The tile to change, a copy of its own. */
  private own(key: string): Floats {
    let tile = this.tiles.get(key);
    if (this.touched.has(key)) return tile!;
    tile = tile ? tile.slice() : new Float32Array(TILE * TILE);
    this.tiles.set(key, tile);
    this.touched.add(key);
    return tile;
  }

  /** The differences in a rectangle, row by row. */
  differences(rectangle: Rectangle, out = new Float32Array(areaOf(rectangle))): Floats {
    const width = rectangle.right - rectangle.left;
    eachTile(rectangle, (key, row, column, from, to) => {
      const tile = this.tiles.get(key);
      const start = (row - rectangle.top) * width + from - rectangle.left;
      if (!tile) out.fill(0, start, start + to - from);
      else {
        const first = (row % TILE) * TILE + from - column;
        out.set(tile.subarray(first, first + to - from), start);
      }
    });
    return out;
  }

  /** The heights in a rectangle, row by row; beyond the ground its outer samples carry on. */
  heights(rectangle: Rectangle, out = new Float32Array(areaOf(rectangle))): Floats {
    const { across, down } = this.ground;
    const { left, top, right, bottom } = rectangle;
    const width = right - left;
    const [l, t, r, b] = [Math.max(0, left), Math.max(0, top), Math.min(across, right), Math.min(down, bottom)];
    if (l < r && t < b) {
      for (let row = t; row < b; row++) out.set(this.beneath.subarray(row * across + l, row * across + r), (row - top) * width + l - left);
      for (const part of tilesUnder({ left: l, top: t, right: r, bottom: b })) {
        const tile = this.tiles.get(part.key);
        if (tile) addRows(out, (part.top - top) * width + part.left - left, width, tile, part);
      }
    }
    if (left < 0 || right > across) {
      for (let row = t; row < b; row++) {
        const first = (row - top) * width;
        if (l >= r) out.fill(this.heightAt(left < 0 ? 0 : across - 1, row), first, first + width);
        else {
          if (left < 0) out.fill(out[first - left], first, first - left);
          if (right > across) out.fill(out[first + across - left - 1], first + across - left, first + width);
        }
      }
    }
    if (top < 0) for (let row = top; row < Math.min(0, bottom); row++) out.copyWithin((row - top) * width, -top * width, (-top + 1) * width);
    if (bottom > down) {
      const last = (down - 1 - top) * width;
      for (let row = Math.max(top, down); row < bottom; row++) out.copyWithin((row - top) * width, last, last + width);
    }
    return out;
  }

  heightAt(column: number, row: number): number {
    const tile = this.tiles.get(tileKey(Math.floor(column / TILE), Math.floor(row / TILE)));
    const under = this.beneath[row * this.ground.across + column];
    return tile ? Math.fround(under + tile[(row % TILE) * TILE + (column % TILE)]) : under;
  }

  /** Height between samples, bilinear; beyond the ground its outer samples carry on. `x` and `y` in samples. */
  between(x: number, y: number): number {
    const { across, down } = this.ground;
    const cx = Math.min(across - 1, Math.max(0, x));
    const cy = Math.min(down - 1, Math.max(0, y));
    const [x0, y0] = [Math.floor(cx), Math.floor(cy)];
    const [x1, y1] = [Math.min(across - 1, x0 + 1), Math.min(down - 1, y0 + 1)];
    const [u, v] = [cx - x0, cy - y0];
    const north = this.heightAt(x0, y0) * (1 - u) + this.heightAt(x1, y0) * u;
    const south = this.heightAt(x0, y1) * (1 - u) + this.heightAt(x1, y1) * u;
    return north * (1 - v) + south * v;
  }

  /** Adds to the differences of a rectangle. Rounded before they are added, so that taking as much away leaves exactly zero. */
  add(rectangle: Rectangle, change: Floats): void {
    const width = rectangle.right - rectangle.left;
    const room = brushRoom();
    const at = room.placeOf(change);
    for (const part of tilesUnder(rectangle)) {
      const start = (part.top - rectangle.top) * width + part.left - rectangle.left;
      const [count, rows] = [part.right - part.left, part.bottom - part.top];
      if (at === undefined ? !anyIn(change, start, width, count, rows) : !room.kernels.brushAny(at + 4 * start, width, count, rows)) continue;
      const tile = this.own(part.key);
      if (at === undefined) {
        for (let row = 0; row < rows; row++) {
          for (let i = 0, to = part.first + row * TILE, from = start + row * width; i < count; i++) tile[to + i] += change[from + i];
        }
        continue;
      }
      // Through the room and back: rows are copied at once and added four by four.
      const { at: held, view } = room.oneTile;
      const own = tile.subarray(part.first, part.first + (rows - 1) * TILE + count);
      view.set(own);
      room.kernels.brushAdd(held, TILE, at + 4 * start, width, count, rows);
      own.set(view.subarray(0, own.length));
    }
  }

  /** Draws the differences of a rectangle towards zero by a share each; all of it leaves exactly zero. */
  fade(rectangle: Rectangle, share: Floats): void {
    const width = rectangle.right - rectangle.left;
    eachTile(rectangle, (key, row, column, from, to) => {
      if (!this.tiles.has(key)) return;
      const tile = this.own(key);
      const start = (row - rectangle.top) * width + from - rectangle.left;
      const first = (row % TILE) * TILE + from - column;
      for (let i = 0; i < to - from; i++) {
        const by = share[start + i];
        if (by > 0) tile[first + i] = by >= 1 ? 0 : tile[first + i] * (1 - by);
      }
    });
  }
}

const areaOf = ({ left, top, right, bottom }: Rectangle) => (right - left) * (bottom - top);

/** A part of a rectangle that lies in one tile; `first`: where it begins there. */
interface Part extends Rectangle {
  key: string;
  first: number;
}

function* tilesUnder({ left, top, right, bottom }: Rectangle): Generator<Part, void, void> {
  for (let tileRow = Math.floor(top / TILE); tileRow * TILE < bottom; tileRow++) {
    for (let tileColumn = Math.floor(left / TILE); tileColumn * TILE < right; tileColumn++) {
      const part = {
        left: Math.max(left, tileColumn * TILE),
        top: Math.max(top, tileRow * TILE),
        right: Math.min(right, (tileColumn + 1) * TILE),
        bottom: Math.min(bottom, (tileRow + 1) * TILE),
      };
      yield { ...part, key: tileKey(tileColumn, tileRow), first: (part.top - tileRow * TILE) * TILE + part.left - tileColumn * TILE };
    }
  }
}

/** Adds a part of a tile to rows of `width` floats, beginning at `start`. */
function addRows(out: Floats, start: number, width: number, tile: Floats, { first, left, top, right, bottom }: Part): void {
  const [count, rows] = [right - left, bottom - top];
  const room = brushRoom();
  const at = room.placeOf(out);
  if (at !== undefined) {
    const { at: held, view } = room.oneTile;
    view.set(tile.subarray(first, first + (rows - 1) * TILE + count));
    room.kernels.brushAdd(at + 4 * start, width, held, TILE, count, rows);
    return;
  }
  for (let row = 0; row < rows; row++) for (let i = 0, to = start + row * width, from = first + row * TILE; i < count; i++) out[to + i] += tile[from + i];
}

function anyIn(floats: Floats, start: number, width: number, count: number, rows: number): boolean {
  for (let row = 0; row < rows; row++) for (let i = start + row * width; i < start + row * width + count; i++) if (floats[i] !== 0) return true;
  return false;
}

/** Calls for every stretch of a row inside one tile: its key, the row, the tile's first column, and the stretch. */
function eachTile({ left, top, right, bottom }: Rectangle, visit: (key: string, row: number, column: number, from: number, to: number) => void): void {
  for (let tileRow = Math.floor(top / TILE); tileRow * TILE < bottom; tileRow++) {
    for (let tileColumn = Math.floor(left / TILE); tileColumn * TILE < right; tileColumn++) {
      const key = tileKey(tileColumn, tileRow);
      const column = tileColumn * TILE;
      const [from, to] = [Math.max(left, column), Math.min(right, column + TILE)];
      const last = Math.min(bottom, (tileRow + 1) * TILE);
      for (let row = Math.max(top, tileRow * TILE); row < last; row++) visit(key, row, column, from, to);
    }
  }
}
