import { Box3, Frustum, InstancedBufferAttribute, Matrix4, Vector3, type PerspectiveCamera } from 'three';
import type { Ground } from '@upland-cast/core';
import { choosePatches, deepestLevel, forget, type PatchNode } from '../../drawing/quadtree';
import { patchGeometry } from './geometry';

const MOST_PATCHES = 4096;
/** Pixels that a patch may lie off the ground before it is split. */
const FINE = 0.7;

/** How a ground is looked at, as far as its patches go. */
export interface PatchAsk {
  /** Metres from the ground's datum to where the view's y is 0. */
  middle: number;
  range: { low: number; high: number };
  exaggeration: number;
  everySample: boolean;
  /** Seen from straight above. */
  plan: boolean;
  /** Rows of pixels that are drawn. */
  rows: number;
}

/** The patches that the ground is drawn with: fewer where it is far or smooth. */
export class GroundPatches {
  private readonly places = new InstancedBufferAttribute(new Float32Array(MOST_PATCHES * 4), 4);
  readonly geometry = patchGeometry(this.places);
  /** How far patches lie off the ground, of `patchErrors`; null while it is not known. */
  errors: Float32Array | null = null;

  /** Samples within a rectangle were changed: what was known there is not any more. */
  forget(ground: Ground, { left, top, right, bottom }: { left: number; top: number; right: number; bottom: number }): void {
    if (!this.errors) return;
    const longest = Math.max(ground.width, ground.depth);
    const [x, y] = [ground.width / longest / ground.across, ground.depth / longest / ground.down];
    forget(this.errors, (left - 1) * x, (top - 1) * y, (right + 1) * x, (bottom + 1) * y);
  }

  /**
   * Chooses the patches: one is fine enough where no sample of it would be drawn `FINE` pixels
   * off its place. Where there is no room for so many the bound is raised. Gives how many they are.
   */
  choose(ground: Ground, perspective: PerspectiveCamera, ask: PatchAsk): number {
    const longest = Math.max(ground.width, ground.depth);
    const samples = Math.max(ground.across, ground.down);
    const { errors } = this;
    const { exaggeration, everySample, range } = ask;
    const eye = perspective.position;
    // Top and foot of the ground, from the middle that y counts from.
    const middle = ground.datum + ask.middle;
    const high = (range.high - middle) * exaggeration;
    const low = (Math.min(range.low, ground.sea) - middle) * exaggeration - longest / 20;
    const away = (x: number, z: number, size: number) => {
      const dx = Math.max(x - ground.width / 2 - eye.x, 0, eye.x - (x + size - ground.width / 2));
      const dz = Math.max(z - ground.depth / 2 - eye.z, 0, eye.z - (z + size - ground.depth / 2));
      return Math.hypot(dx, Math.max(0, eye.y - high), dz);
    };
    const pixelsARadian = (ask.rows / 2 / Math.tan((perspective.fov * Math.PI) / 360)) * exaggeration;
    perspective.updateMatrixWorld();
    const frustum = new Frustum().setFromProjectionMatrix(new Matrix4().multiplyMatrices(perspective.projectionMatrix, perspective.matrixWorldInverse));
    const seen = (x: number, z: number, size: number) =>
      frustum.intersectsBox(
        new Box3(
          new Vector3(x - ground.width / 2, low, z - ground.depth / 2),
          new Vector3(x + size - ground.width / 2, high + 50 * exaggeration, z + size - ground.depth / 2),
        ),
      );
    const known = errors && errors.length === (4 ** (deepestLevel(samples) + 1) - 1) / 3;
    let nodes: PatchNode[] = [];
    // Seen from straight above the shape of the patches does not show: few will do.
    if (ask.plan) nodes = choosePatches(() => false, ground, samples);
    else {
      for (let fine = everySample ? 0 : FINE; ; fine = Math.max(0.1, fine * 1.5)) {
        const coarse = (x: number, z: number, size: number, index: number) =>
          fine === 0 || (known ? errors[index] * pixelsARadian > fine * away(x, z, size) : away(x, z, size) * fine < 1.8 * size);
        nodes = choosePatches(coarse, ground, samples, seen);
        if (nodes.length <= MOST_PATCHES) break;
      }
    }
    nodes.forEach((node, i) => {
      const [across, down] = [longest / ground.width, longest / ground.depth];
      this.places.setXYZW(i, node.x * across, node.z * down, node.size * across, node.size * down);
    });
    this.places.needsUpdate = true;
    this.geometry.instanceCount = nodes.length;
    return nodes.length;
  }
}
