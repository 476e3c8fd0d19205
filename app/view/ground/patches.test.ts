import { makeGround } from '@upland-cast/core';
import { Box3, Frustum, Matrix4, PerspectiveCamera, Vector3 } from 'three';
import { beforeEach, describe, expect, it } from 'vitest';
import { GroundPatches, type PatchAsk } from './patches';
import type { HeightSource } from './pick';

const SAMPLES = 257;
const ground = makeGround({ width: 2048, depth: 2048, across: SAMPLES, down: SAMPLES, registration: 'point', datum: 100, sea: 90 });

/** A plain at 20 m over the datum, with one peak of 300 m and a pit that lies under the sea. */
function land(): HeightSource {
  const height = new Float32Array(SAMPLES * SAMPLES).fill(20);
  height[40 * SAMPLES + 200] = 300;
  height[200 * SAMPLES + 30] = -30;
  return { ground, height };
}

function camera(): PerspectiveCamera {
  const made = new PerspectiveCamera(40, 1, 1, 20_000);
  made.position.set(0, 1500, 4200);
  made.lookAt(0, 0, 0);
  made.updateMatrixWorld();
  return made;
}

const ask: PatchAsk = { middle: 20, exaggeration: 2, everySample: false, plan: false, rows: 600 };

describe('the patches of a ground', () => {
  let patches: GroundPatches;
  let source: HeightSource;
  beforeEach(() => {
    patches = new GroundPatches();
    source = land();
    patches.know(source);
  });

  const drawn = () => {
    const at = patches.geometry.getAttribute('patchAt');
    return Array.from({ length: patches.geometry.instanceCount }, (_, k) => [at.getX(k), at.getY(k), at.getZ(k), at.getW(k)]);
  };
  const area = (places: number[][]) => places.reduce((sum, [, , width, depth]) => sum + width * depth, 0);

  it('cover it once when all of it is seen, and stand in groups that hold each of them once, nearest first', () => {
    const eye = camera();
    const count = patches.choose(ground, eye, ask);
    expect(patches.geometry.instanceCount).toBe(count);
    expect(area(drawn())).toBeCloseTo(1, 9);
    const all = drawn();
    const groups = [0, 1, 2].map((k) => {
      patches.group(ground, k, 3);
      return drawn();
    });
    expect(groups.flat()).toEqual(all);
    const away = patches.chosen.map(({ box }) => box.distanceToPoint(eye.position));
    expect(away).toEqual([...away].sort((a, b) => a - b));
  });

  it('are those of a part of the picture where only that is drawn: what is left out cannot be seen in it', () => {
    const eye = camera();
    patches.choose(ground, eye, ask);
    const all = drawn().length;
    const part = camera();
    part.setViewOffset(600, 600, 0, 0, 150, 600);
    part.updateProjectionMatrix();
    const frustum = new Frustum().setFromProjectionMatrix(new Matrix4().multiplyMatrices(part.projectionMatrix, part.matrixWorldInverse));
    patches.within(ground, frustum);
    expect(drawn().length).toBeGreaterThan(0);
    expect(drawn().length).toBeLessThan(all);
    // Every sample that is seen there lies in one of them.
    for (let k = 0; k < 500; k++) {
      const [u, v] = [Math.abs(Math.sin(k * 12.9)), Math.abs(Math.sin(k * 7.7))];
      const at = new Vector3((u - 0.5) * 2048, 0, (v - 0.5) * 2048);
      if (!frustum.containsPoint(at)) continue;
      expect(drawn().some(([x, z, width, depth]) => u >= x && u <= x + width && v >= z && v <= z + depth)).toBe(true);
    }
  });

  it('are all that there are where every sample is asked for', () => {
    expect(patches.choose(ground, camera(), { ...ask, everySample: true })).toBe((256 / 32) ** 2);
  });

  it('are known in cells that hold all of it, each as high and as low as its samples are drawn', () => {
    const cells = patches.inCells(ground, ask);
    const whole = cells.reduce((all, { box }) => all.union(box), new Box3());
    expect([whole.min.x, whole.max.x]).toEqual([-1024, expect.closeTo(1024, 6)]);
    // The peak stands (300 − 20) · 2 over the middle.
    const peak = cells.filter(({ box }) => box.max.y > 100);
    expect(Math.max(...peak.map(({ box }) => box.max.y))).toBe(560);
    expect(peak.every(({ box }) => box.min.x <= 200 * 8 - 1024 && box.max.x >= 200 * 8 - 1024)).toBe(true);
  });

  it('are wet where samples lie under the sea or under a lake, and there alone', () => {
    const wet = () => patches.inCells(ground, ask).filter((cell) => cell.wet);
    const holds = (column: number, row: number) => (box: Box3) =>
      box.min.x <= column * 8 - 1024 && box.max.x >= column * 8 - 1024 && box.min.z <= row * 8 - 1024 && box.max.z >= row * 8 - 1024;
    expect(wet().length).toBeGreaterThan(0);
    expect(wet().every(({ box }) => holds(30, 200)(box))).toBe(true);
    const depths = new Float32Array(SAMPLES * SAMPLES);
    depths[100 * SAMPLES + 150] = 2;
    // Less is a film, and a share less than nothing a stream that is drawn on dry ground.
    depths[10 * SAMPLES + 10] = 0.02;
    depths[60 * SAMPLES + 60] = -0.7;
    patches.knowWater(depths);
    const lakes = wet().filter(({ box }) => !holds(30, 200)(box));
    expect(lakes).toHaveLength(1);
    expect(holds(150, 100)(lakes[0].box)).toBe(true);
    patches.knowWater(null);
    expect(wet().every(({ box }) => holds(30, 200)(box))).toBe(true);
  });

  it('know a part anew that a brush has raised', () => {
    source.height[128 * SAMPLES + 128] = 900;
    const tops = () => Math.max(...patches.inCells(ground, ask).map(({ box }) => box.max.y));
    expect(tops()).toBe(560);
    patches.know(source, { left: 120, top: 120, right: 136, bottom: 136 });
    expect(tops()).toBe(1760);
  });
});
