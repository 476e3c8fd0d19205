import { Box3, Frustum, Matrix4, Vector3, Vector4, type Camera } from 'three';

/** What a tile shows, added up; 0: nothing that is drawn. */
export const GROUND = 1;
export const WET = 2;
export const NEAR = 4;

/** A grid of tiles over a picture, from its left and its foot. */
export interface TileGrid {
  across: number;
  down: number;
  /** Pixels along a tile's side. */
  size: number;
  flags: Uint8Array;
}

export function tileGrid(width: number, height: number, size: number): TileGrid {
  const [across, down] = [Math.ceil(width / size), Math.ceil(height / size)];
  return { across, down, size, flags: new Uint8Array(across * down) };
}

/** Pixels around a box that its tiles take in: what is drawn may lie a little off where it was taken to be. */
const MARGIN = 4;

/** Marks the tiles of boxes (in the view's space) as a camera sees them in a picture of a size; what reaches behind the eye is everywhere. */
export class TileMarker {
  private readonly toClip: Matrix4;
  private readonly frustum: Frustum;
  private readonly corner = new Vector4();

  constructor(
    camera: Camera,
    private readonly width: number,
    private readonly height: number,
  ) {
    this.toClip = new Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse);
    this.frustum = new Frustum().setFromProjectionMatrix(this.toClip);
  }

  mark(grid: TileGrid, box: Box3, flag: number): void {
    if (!this.frustum.intersectsBox(box)) return;
    const [low, high] = [new Vector3(Infinity, Infinity), new Vector3(-Infinity, -Infinity)];
    for (let k = 0; k < 8; k++) {
      this.corner.set(k & 1 ? box.max.x : box.min.x, k & 2 ? box.max.y : box.min.y, k & 4 ? box.max.z : box.min.z, 1).applyMatrix4(this.toClip);
      const { x, y, w } = this.corner;
      if (w < 1e-3) {
        low.set(-1, -1, 0);
        high.set(1, 1, 0);
        break;
      }
      low.set(Math.min(low.x, x / w), Math.min(low.y, y / w), 0);
      high.set(Math.max(high.x, x / w), Math.max(high.y, y / w), 0);
    }
    const tile = (clip: number, pixels: number, margin: number, most: number) =>
      Math.min(most - 1, Math.max(0, Math.floor(((0.5 + 0.5 * clip) * pixels + margin) / grid.size)));
    const [left, right] = [tile(low.x, this.width, -MARGIN, grid.across), tile(high.x, this.width, MARGIN, grid.across)];
    const [foot, top] = [tile(low.y, this.height, -MARGIN, grid.down), tile(high.y, this.height, MARGIN, grid.down)];
    for (let row = foot; row <= top; row++) for (let x = left; x <= right; x++) grid.flags[row * grid.across + x] |= flag;
  }
}

/** Takes away the tiles of which every pixel is settled (not 0), rows from the foot up. */
export function dropSettled({ across, down, size, flags }: TileGrid, settled: Uint8Array, width: number, height: number): void {
  const open = new Uint8Array(across * down);
  for (let y = 0, p = 0; y < height; y++) {
    const row = Math.floor(y / size) * across;
    for (let x = 0; x < width; x++, p++) if (settled[p] === 0) open[row + Math.floor(x / size)] = 1;
  }
  for (let t = 0; t < flags.length; t++) if (!open[t]) flags[t] = 0;
}

/** The tiles whose flags are asked for, those beside each other as one: two triangles each, two coordinates a corner. */
export function rows({ across, down, flags }: TileGrid, asked: (flags: number) => boolean): number[] {
  const corners: number[] = [];
  for (let y = 0; y < down; y++) {
    for (let x = 0; x < across; x++) {
      if (!asked(flags[y * across + x])) continue;
      const from = x;
      while (x < across && asked(flags[y * across + x])) x++;
      corners.push(from, y, x, y, from, y + 1, from, y + 1, x, y, x, y + 1);
    }
  }
  return corners;
}
