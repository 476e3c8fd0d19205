import { MOUSE, TOUCH, Vector3 } from 'three';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { fieldFrom } from '@upland-cast/core';
import { groundOf } from '../../../tests/helpers/grounds';
import { GroundCameras, SIDES, type CameraPlace, type Side } from './cameras';
import type { GroundTextures } from './textures';
import { EYES, putDown } from './walk';

const WIDTH = 900;
const HEIGHT = 600;
/** A hill of 300 m in the middle of 4 km by 3 km. */
const hill = fieldFrom(
  { ...groundOf(201, 151, 20), width: 4000, depth: 3000 },
  (east, south) => 100 + 300 * Math.exp(-(((east - 2000) / 600) ** 2) - ((south - 1500) / 600) ** 2),
);

/** As much of a canvas as the controls and the cameras ask for. */
function canvasOf(): HTMLCanvasElement {
  const target = new EventTarget();
  return Object.assign(target, {
    style: {},
    clientWidth: WIDTH,
    clientHeight: HEIGHT,
    ownerDocument: new EventTarget(),
    getBoundingClientRect: () => ({ left: 40, top: 20, width: WIDTH, height: HEIGHT }),
  }) as unknown as HTMLCanvasElement;
}

const uniformsOf = (exaggeration = 1) =>
  ({
    extent: { value: { x: 4000, y: 3000 } },
    exaggeration: { value: exaggeration },
    middle: { value: 250 },
    sea: { value: 0 },
  }) as unknown as GroundTextures['uniforms'];

describe('the cameras of a ground', () => {
  const moved = vi.fn<() => void>();
  const make = (exaggeration = 1, width = WIDTH, height = HEIGHT) => {
    const cameras = new GroundCameras(canvasOf(), uniformsOf(exaggeration), moved);
    cameras.resize(width, height);
    cameras.use({ camera: 'relief', sculpting: false });
    cameras.frameAll();
    cameras.perspective.updateMatrixWorld();
    cameras.orthographic.updateMatrixWorld();
    return cameras;
  };
  beforeEach(() => moved.mockClear());

  const corners = [
    [0, 0],
    [4000, 0],
    [0, 3000],
    [4000, 3000],
    [2000, 1500],
  ];
  const isOnScreen = (at: { x: number; y: number } | null, top = 0) => at !== null && at.x >= 0 && at.x <= WIDTH && at.y >= top && at.y <= HEIGHT;

  it('see the whole ground at first, from aside and from above, and in plan beneath what covers the top', () => {
    const cameras = make();
    for (const [east, south] of corners) expect(isOnScreen(cameras.screenOf(hill, east, south, false)), `${east} ${south}`).toBe(true);
    cameras.covered = 90;
    cameras.resize(WIDTH, HEIGHT);
    cameras.use({ camera: 'plan', sculpting: false });
    cameras.frameAll();
    cameras.orthographic.updateMatrixWorld();
    for (const [east, south] of corners) expect(isOnScreen(cameras.screenOf(hill, east, south, false), 90), `${east} ${south}`).toBe(true);
  });

  it('have north at the top and east at the right in plan, at one scale both ways', () => {
    const cameras = make();
    cameras.use({ camera: 'plan', sculpting: false });
    const [a, east, south] = [
      [1000, 1000],
      [2000, 1000],
      [1000, 2000],
    ].map(([e, s]) => cameras.screenOf(hill, e, s, false)!);
    expect(east.y).toBeCloseTo(a.y, 3);
    expect(south.x).toBeCloseTo(a.x, 3);
    expect(east.x - a.x).toBeGreaterThan(0);
    expect(south.y - a.y).toBeCloseTo(east.x - a.x, 3);
    expect(1000 / (east.x - a.x)).toBeCloseTo(cameras.aspect(hill.ground, { low: 100, high: 400 }).metresPerPixel, 3);
  });

  it.each(['relief', 'plan'] as const)('find the place under the pixel that a place is seen at: %s', (camera) => {
    const cameras = make(1.5);
    cameras.use({ camera, sculpting: false });
    for (const [east, south] of [
      [2000, 1900],
      [900, 2400],
      [3300, 2000],
    ]) {
      const at = cameras.screenOf(hill, east, south, false)!;
      const back = cameras.placeAt(hill, at.x + 40, at.y + 20, false)!;
      expect(Math.hypot(back.east - east, back.south - south), `${east} ${south}`).toBeLessThan(4);
    }
    // Beside the ground, and over the horizon.
    expect(cameras.placeAt(hill, 41, 21, false)).toBeNull();
  });

  it('do not see what lies behind the eye', () => {
    const cameras = make();
    cameras.lookAlong({ eye: [2000, 1500, 500], target: [2000, 0, 500] });
    cameras.perspective.updateMatrixWorld();
    expect(cameras.screenOf(hill, 2000, 2900, false)).toBeNull();
    expect(cameras.screenOf(hill, 2000, 100, false)).not.toBeNull();
  });

  it('see water where it lies over the ground', () => {
    const cameras = make();
    (cameras as unknown as { uniforms: GroundTextures['uniforms'] }).uniforms.sea.value = 180;
    const [dry, wet] = [false, true].map((water) => cameras.screenOf(hill, 400, 400, water)!);
    expect(wet.y).toBeLessThan(dry.y);
  });

  it.each([1, 2.5])('go to a place and say it again, whatever heights are multiplied by (%f)', (exaggeration) => {
    const cameras = make(exaggeration);
    const place: CameraPlace = { eye: [700, 2600, 900], target: [2000, 1500, 300] };
    cameras.goTo(place);
    expect(moved).toHaveBeenCalled();
    const said = cameras.cameraPlace();
    for (const k of [0, 1, 2]) {
      expect(said.eye[k]).toBeCloseTo(place.eye[k], 3);
      expect(said.target[k]).toBeCloseTo(place.target[k], 3);
    }
    cameras.frameAll();
    cameras.lookAlong(place);
    const exact = cameras.cameraPlace();
    for (const k of [0, 1, 2]) expect(exact.eye[k]).toBeCloseTo(place.eye[k], 6);
    const ahead = cameras.perspective.getWorldDirection(new Vector3());
    const wanted = new Vector3(1300, -600 * exaggeration, -1100).normalize();
    expect(ahead.distanceTo(wanted)).toBeLessThan(1e-6);
  });

  it('cut off nearer to the eye the lower it stands', () => {
    const cameras = make();
    cameras.heightOver = ([, , height]) => height - 100;
    cameras.lookAlong({ eye: [500, 500, 102], target: [2000, 1500, 102] });
    const low = cameras.perspective.near;
    cameras.lookAlong({ eye: [500, 500, 900], target: [2000, 1500, 102] });
    expect(low).toBeCloseTo(0.5, 6);
    expect(cameras.perspective.near).toBeGreaterThan(low);
  });

  it('look from every side, and say where north is then', () => {
    const cameras = make();
    const norths: Record<Side, number> = { south: 0, west: -90, north: 180, east: 90, above: 0 };
    for (const side of Object.keys(SIDES) as Side[]) {
      cameras.lookFrom(side);
      const { north } = cameras.aspect(hill.ground, { low: 100, high: 400 });
      expect(Math.abs(((north - norths[side] + 540) % 360) - 180), side).toBeLessThan(1e-6);
      cameras.perspective.updateMatrixWorld();
      for (const [east, south] of corners) expect(isOnScreen(cameras.screenOf(hill, east, south, false)), `${side}: ${east} ${south}`).toBe(true);
    }
  });

  it('lift an eye that has come under the ground, and leave one that stands over it', () => {
    const cameras = make();
    cameras.heightOver = ([, , height]) => height - 400;
    cameras.goTo({ eye: [1000, 2900, 380], target: [2000, 1500, 300] });
    cameras.stayAbove();
    const { eye } = cameras.cameraPlace();
    expect(eye[2]).toBeCloseTo(400 + Math.max(1.7, 3 * cameras.perspective.near), 3);
    cameras.goTo({ eye: [1000, 2900, 800], target: [2000, 1500, 300] });
    cameras.stayAbove();
    expect(cameras.cameraPlace().eye[2]).toBeCloseTo(800, 3);
  });

  it('walk with eyes over the feet, look where the walker does, and come back to where they were', () => {
    const cameras = make();
    const before = cameras.cameraPlace();
    const walker = { ...putDown(hill, null, 'walk', 1500, 1200, 90), pitch: 0 };
    cameras.walk(walker);
    const { eye, target } = cameras.cameraPlace();
    expect(eye[2] - walker.feet).toBeCloseTo(EYES, 6);
    // A heading of 90° is east.
    expect([target[0] - eye[0], target[1] - eye[1], target[2] - eye[2]].map((d) => Math.round(d))).toEqual([100, 0, 0]);
    expect(cameras.perspective.near).toBeLessThan(1);
    expect(cameras.aspect(hill.ground, { low: 100, high: 400 }).north).toBeCloseTo(-90, 6);
    cameras.walk({ ...walker, east: 1600 });
    cameras.walk(null);
    const after = cameras.cameraPlace();
    for (const k of [0, 1, 2]) expect(after.eye[k]).toBeCloseTo(before.eye[k], 3);
    expect(cameras.perspective.fov).toBeLessThan(60);
    // Who does not walk does not come back from it.
    cameras.goTo({ eye: [700, 2600, 900], target: [2000, 1500, 300] });
    cameras.walk(null);
    expect(cameras.cameraPlace().eye[0]).toBeCloseTo(700, 3);
  });

  it('are turned, tilted and brought nearer from the keyboard, within what they allow', () => {
    const cameras = make();
    const away = () => cameras.perspective.position.distanceTo(new Vector3(0, 0, 360));
    const before = cameras.perspective.position.clone();
    const far = away();
    for (let k = 0; k < 8; k++) cameras.steer({ turn: 45 });
    expect(cameras.perspective.position.distanceTo(before)).toBeLessThan(0.01);
    cameras.steer({ nearer: 2 });
    expect(away()).toBeCloseTo(far / 2, 3);
    for (let k = 0; k < 40; k++) cameras.steer({ nearer: 2 });
    expect(away()).toBeCloseTo(10, 3);
    for (let k = 0; k < 60; k++) cameras.steer({ nearer: 0.5 });
    expect(away()).toBeCloseTo(16_000, 1);
    for (let k = 0; k < 40; k++) cameras.steer({ tilt: -10 });
    expect(cameras.perspective.position.y).toBeGreaterThan(0);
    for (let k = 0; k < 40; k++) cameras.steer({ tilt: 10 });
    expect(Math.abs(cameras.perspective.position.x) + Math.abs(cameras.perspective.position.z - 360)).toBeLessThan(0.05 * cameras.perspective.position.y);
  });

  it('are moved on over the map from the keyboard, by a tenth of what is seen', () => {
    const cameras = make();
    cameras.use({ camera: 'plan', sculpting: false });
    const before = cameras.screenOf(hill, 2000, 1500, false)!;
    cameras.steer({ east: 1 });
    cameras.orthographic.updateMatrixWorld();
    const after = cameras.screenOf(hill, 2000, 1500, false)!;
    expect(before.x - after.x).toBeCloseTo(HEIGHT / 10, 3);
    for (let k = 0; k < 40; k++) cameras.steer({ nearer: 2 });
    expect(cameras.orthographic.zoom).toBe(200);
    for (let k = 0; k < 40; k++) cameras.steer({ nearer: 0.5 });
    expect(cameras.orthographic.zoom).toBe(0.3);
  });

  it('see in a part of the picture what is seen there, and not what is seen elsewhere', () => {
    const cameras = make();
    for (const [east, south] of corners) {
      const at = cameras.screenOf(hill, east, south, false)!;
      const [x, y] = [at.x / WIDTH, at.y / HEIGHT];
      const height = hill.height[Math.round(south / 20) * 201 + Math.round(east / 20)] ?? 100;
      const place = new Vector3(east - 2000, height - 250, south - 1500);
      expect(cameras.through({ left: x - 0.02, top: y - 0.02, right: x + 0.02, bottom: y + 0.02 }).containsPoint(place), `${east} ${south}`).toBe(true);
      expect(cameras.through({ left: x + 0.02, top: y - 0.02, right: x + 0.1, bottom: y + 0.02 }).containsPoint(place)).toBe(false);
      expect(cameras.through({ left: x - 0.02, top: y + 0.02, right: x + 0.02, bottom: y + 0.1 }).containsPoint(place)).toBe(false);
    }
  });

  it('leave the left button and one finger to a brush', () => {
    const cameras = make();
    const { orbit, map } = cameras as unknown as Record<
      'orbit' | 'map',
      { mouseButtons: Record<string, number | null>; touches: Record<string, number | null>; enabled: boolean }
    >;
    cameras.use({ camera: 'relief', sculpting: true });
    expect([orbit.mouseButtons.LEFT, orbit.mouseButtons.RIGHT, orbit.touches.ONE]).toEqual([null, MOUSE.ROTATE, null]);
    expect([orbit.enabled, map.enabled]).toEqual([true, false]);
    cameras.use({ camera: 'plan', sculpting: false });
    expect([map.mouseButtons.LEFT, map.touches.ONE]).toEqual([MOUSE.PAN, TOUCH.PAN]);
    expect([orbit.enabled, map.enabled]).toEqual([false, true]);
    expect(cameras.current).toBe(cameras.orthographic);
  });

  it('follow those of another view, so that both see a place at the same pixel', () => {
    const [one, other] = [make(), make()];
    one.goTo({ eye: [700, 2600, 900], target: [2000, 1500, 300] });
    one.steer({ turn: 20, nearer: 1.4 });
    other.follow(one);
    for (const cameras of [one, other]) cameras.perspective.updateMatrixWorld();
    expect(other.screenOf(hill, 1200, 1800, false)).toEqual(one.screenOf(hill, 1200, 1800, false));
  });

  it('draw mesh lines that stand at least five pixels apart', () => {
    const cameras = make();
    for (const nearer of [1, 4, 4]) {
      cameras.steer({ nearer });
      const { metresPerPixel, meshEvery } = cameras.aspect(hill.ground, { low: 100, high: 400 });
      expect(20 * meshEvery).toBeGreaterThanOrEqual(5 * metresPerPixel);
      if (meshEvery > 1) expect(10 * meshEvery).toBeLessThan(5 * metresPerPixel);
    }
  });

  it('let go of the canvas', () => {
    const cameras = make();
    expect(() => cameras.dispose()).not.toThrow();
  });
});
