import { Box3, Frustum, InstancedBufferAttribute, Matrix4, Vector3, type PerspectiveCamera } from 'three';
import { deepestLevel, type Ground, type Rectangle } from '@upland-cast/core';
import { choosePatches, forget, type PatchNode } from '../../drawing/quadtree';
import { patchGeometry } from './geometry';
import type { HeightSource } from './pick';

const MOST_PATCHES = 4096;
/** Pixels that a patch may lie off the ground before it is split. */
const FINE = 0.7;

/** How a ground is looked at, as far as its patches go. */
export interface PatchAsk {
  /** Metres from the ground's datum to where the view's y is 0. */
  middle: number;
  exaggeration: number;
  everySample: boolean;
  /** Seen from straight above. */
  plan: boolean;
  /** Rows of pixels that are drawn. */
  rows: number;
  /** How much further off its place a sample may be drawn than at rest. */
  slack?: number;
}

/** A piece of the ground in the view's space. */
export interface GroundCell {
  box: Box3;
  /** Some of it lies under the sea, a lake or a river. */
  wet: boolean;
}

/** Metres of water under which ground is not drawn as if it lay under it. */
const LEAST_WATER = 0.03;
/** Cells along the longer side whose lowest and highest samples are known. */
const CELLS = 64;

/** The patches that the ground is drawn with: fewer where it is far or smooth. */
export class GroundPatches {
  private readonly places = new InstancedBufferAttribute(new Float32Array(MOST_PATCHES * 4), 4);
  readonly geometry = patchGeometry(this.places);
  /** How far patches lie off the ground, of `patchErrors`; null while it is not known. */
  errors: Float32Array | null = null;
  /** The chosen patches from near to far. */
  chosen: readonly { node: PatchNode; box: Box3 }[] = [];
  private ground: Ground | null = null;
  private cells = { across: 1, down: 1, every: 1, low: new Float32Array(1), high: new Float32Array(1) };
  /** Cells under lakes and rivers. */
  private lakes = new Uint8Array(0);

  /** Samples within a rectangle were changed: what was known there is not any more. */
  forget(ground: Ground, { left, top, right, bottom }: { left: number; top: number; right: number; bottom: number }): void {
    if (!this.errors) return;
    const longest = Math.max(ground.width, ground.depth);
    const [x, y] = [ground.width / longest / ground.across, ground.depth / longest / ground.down];
    forget(this.errors, (left - 1) * x, (top - 1) * y, (right + 1) * x, (bottom + 1) * y);
  }

  /** How high the ground reaches in each part of it; of a rectangle of samples alone where the rest is known. */
  know({ ground, height }: HeightSource, part: Rectangle = { left: 0, top: 0, right: ground.across, bottom: ground.down }): void {
    const { across, down } = ground;
    const every = Math.ceil(Math.max(across, down) / CELLS);
    const [wide, tall] = [Math.ceil(across / every), Math.ceil(down / every)];
    if (this.cells.low.length !== wide * tall || this.ground !== ground) {
      this.cells = { across: wide, down: tall, every, low: new Float32Array(wide * tall), high: new Float32Array(wide * tall) };
      part = { left: 0, top: 0, right: across, bottom: down };
    }
    this.ground = ground;
    const { low, high } = this.cells;
    for (let row = Math.floor(Math.max(0, part.top - 1) / every); row <= Math.min(tall - 1, Math.floor(part.bottom / every)); row++) {
      for (let column = Math.floor(Math.max(0, part.left - 1) / every); column <= Math.min(wide - 1, Math.floor(part.right / every)); column++) {
        let [least, most] = [Infinity, -Infinity];
        // One sample further: a patch reaches to the next cell's first.
        for (let y = row * every; y <= Math.min(down - 1, (row + 1) * every); y++) {
          for (let x = column * every, i = y * across + x; x <= Math.min(across - 1, (column + 1) * every); x++, i++) {
            const h = height[i];
            if (h < least) least = h;
            if (h > most) most = h;
          }
        }
        low[row * wide + column] = least;
        high[row * wide + column] = most;
      }
    }
  }

  /** Metres of water on the samples, as the card has them; null: none but the sea. */
  knowWater(depths: Float32Array | null): void {
    const { across, down, every } = this.cells;
    const { ground } = this;
    this.lakes = new Uint8Array(across * down);
    if (!ground || depths?.length !== ground.across * ground.down) return;
    for (let y = 0, i = 0; y < ground.down; y++)
      for (let x = 0, row = Math.floor(y / every) * across; x < ground.across; x++, i++)
        if (depths[i] > LEAST_WATER) this.lakes[row + Math.floor(x / every)] = 1;
  }

  /** The pieces of the ground whose reach is known. */
  inCells(ground: Ground, { middle, exaggeration }: Pick<PatchAsk, 'middle' | 'exaggeration'>): GroundCell[] {
    const { across, down, every, low, high } = this.cells;
    const { lakes } = this;
    const [x, z] = [ground.width / Math.max(1, ground.across - 1), ground.depth / Math.max(1, ground.down - 1)];
    const sea = ground.sea - ground.datum;
    return Array.from({ length: across * down }, (_, k) => {
      const [west, north] = [(k % across) * every * x, Math.floor(k / across) * every * z];
      const [floor, top] = [Math.min(low[k], sea), Math.max(high[k], sea)].map((h) => (h - middle) * exaggeration);
      const corner = new Vector3(west - ground.width / 2, floor, north - ground.depth / 2);
      return {
        box: new Box3(corner, new Vector3(Math.min(corner.x + every * x, ground.width / 2), top, Math.min(corner.z + every * z, ground.depth / 2))),
        wet: low[k] < sea || lakes[k] === 1,
      };
    });
  }

  /** The lowest and highest sample under a piece of the ground, metres over its datum. */
  private reach(ground: Ground, x: number, z: number, size: number): [number, number] {
    const { across, down, low, high } = this.cells;
    const cell = (at: number, of: number, cells: number) => Math.min(cells - 1, Math.max(0, Math.floor((at / of) * cells)));
    let [least, most] = [Infinity, -Infinity];
    for (let row = cell(z, ground.depth, down) - 1; row <= cell(z + size, ground.depth, down) + 1; row++) {
      if (row < 0 || row >= down) continue;
      for (let column = cell(x, ground.width, across) - 1; column <= cell(x + size, ground.width, across) + 1; column++) {
        if (column < 0 || column >= across) continue;
        least = Math.min(least, low[row * across + column]);
        most = Math.max(most, high[row * across + column]);
      }
    }
    return [least, most];
  }

  /**
   * Chooses the patches: one is fine enough where no sample of it would be drawn `FINE` pixels
   * off its place. Where there is no room for so many the bound is raised. Gives how many they are.
   */
  choose(ground: Ground, perspective: PerspectiveCamera, ask: PatchAsk): number {
    const longest = Math.max(ground.width, ground.depth);
    const samples = Math.max(ground.across, ground.down);
    const { errors } = this;
    const { exaggeration, everySample, middle, slack = 1 } = ask;
    const eye = perspective.position;
    const sea = (ground.sea - ground.datum - middle) * exaggeration;
    const box = (x: number, z: number, size: number) => {
      const [low, high] = this.reach(ground, x, z, size).map((h) => (h - middle) * exaggeration);
      return new Box3(
        new Vector3(x - ground.width / 2, Math.min(low, sea) - longest / 55, z - ground.depth / 2),
        new Vector3(x + size - ground.width / 2, Math.max(high, sea) + 50 * exaggeration, z + size - ground.depth / 2),
      );
    };
    const away = (x: number, z: number, size: number) => box(x, z, size).distanceToPoint(eye);
    const pixelsARadian = (ask.rows / 2 / Math.tan((perspective.fov * Math.PI) / 360)) * exaggeration;
    perspective.updateMatrixWorld();
    const frustum = new Frustum().setFromProjectionMatrix(new Matrix4().multiplyMatrices(perspective.projectionMatrix, perspective.matrixWorldInverse));
    const seen = (x: number, z: number, size: number) => frustum.intersectsBox(box(x, z, size));
    const known = errors && errors.length === (4 ** (deepestLevel(samples) + 1) - 1) / 3;
    let nodes: PatchNode[] = [];
    // Seen from straight above the shape of the patches does not show: few will do.
    if (ask.plan) nodes = choosePatches(() => false, ground, samples);
    else {
      for (let fine = everySample ? 0 : FINE * slack; ; fine = Math.max(0.1, fine * 1.5)) {
        const coarse = (x: number, z: number, size: number, index: number) =>
          fine === 0 || (known ? errors[index] * pixelsARadian > fine * away(x, z, size) : away(x, z, size) * fine < 1.8 * size);
        nodes = choosePatches(coarse, ground, samples, seen);
        if (nodes.length <= MOST_PATCHES) break;
      }
    }
    // From near to far: what lies behind is then not shaded at all.
    this.chosen = nodes
      .map((node) => ({ node, box: box(node.x * longest, node.z * longest, node.size * longest) }))
      .map((one) => ({ ...one, away: one.box.distanceToPoint(eye) }))
      .sort((a, b) => a.away - b.away);
    this.within(ground, null);
    return nodes.length;
  }

  /** Of the chosen patches one of `of` groups is drawn, the first with the nearest. */
  group(ground: Ground, k: number, of: number): void {
    const [from, to] = [k, k + 1].map((at) => Math.floor((at * this.chosen.length) / of));
    this.place(ground, this.chosen.slice(from, to));
  }

  /** Of the chosen patches those that can be seen in a part of the picture are drawn; null: all. */
  within(ground: Ground, part: Frustum | null): void {
    this.place(ground, part ? this.chosen.filter(({ box }) => part.intersectsBox(box)) : this.chosen);
  }

  private place(ground: Ground, patches: readonly { node: PatchNode }[]): void {
    const longest = Math.max(ground.width, ground.depth);
    const [across, down] = [longest / ground.width, longest / ground.depth];
    let count = 0;
    for (const { node } of patches) {
      this.places.setXYZW(count++, node.x * across, node.z * down, node.size * across, node.size * down);
    }
    this.places.needsUpdate = true;
    this.geometry.instanceCount = count;
  }
}
