import { Frustum, Matrix4, MOUSE, OrthographicCamera, PerspectiveCamera, TOUCH, Vector3, type Camera as ThreeCamera } from 'three';
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';
import type { Ground } from '@upland-cast/core';
import { roundInterval } from '../../drawing/ramp';
import { heightAt, pick, type HeightSource } from './pick';
import { EYES, type Walker } from './walk';
import type { GroundTextures } from './textures';

/** What an overlay needs to know of how the ground is being seen. */
export interface Aspect {
  /** Degrees clockwise that north is turned from straight up on the screen. */
  north: number;
  /** Metres a pixel where the view looks. */
  metresPerPixel: number;
  contourInterval: number;
  /** Samples from mesh line to mesh line. */
  meshEvery: number;
}

/** Where the eye is and what it looks at: metres east, south and above the datum, without exaggeration. */
export interface CameraPlace {
  eye: [number, number, number];
  target: [number, number, number];
}

/** Sides that the ground can be looked at from. */
export const SIDES = { south: 'From the south', west: 'From the west', north: 'From the north', east: 'From the east', above: 'From above' } as const;
export type Side = keyof typeof SIDES;

/** Degrees from top to bottom: of the relief, and out of the eyes of somebody who walks. */
const FOV = 38;
const WALKING_FOV = 60;

/** The cameras of the ground: relief and plan, each with its controls, and a walker's eyes. */
export class GroundCameras {
  readonly perspective = new PerspectiveCamera(FOV, 1, 1, 1e6);
  readonly orthographic = new OrthographicCamera();
  private readonly orbit: OrbitControls;
  private readonly map: OrbitControls;
  private plan = false;
  private walking = false;
  private beforeWalk: CameraPlace | null = null;

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly uniforms: GroundTextures['uniforms'],
    /** Called when a camera was moved. */
    private readonly moved: () => void,
  ) {
    this.orbit = this.controls(this.perspective);
    this.orbit.maxPolarAngle = Math.PI * 0.495;
    this.orbit.zoomToCursor = true;
    this.map = this.controls(this.orthographic);
    this.map.enableRotate = false;
    this.map.zoomToCursor = true;
    this.map.mouseButtons.LEFT = MOUSE.PAN;
    this.orthographic.up.set(0, 0, -1);
  }

  /** Which camera is looked through, and whether the left button belongs to a brush. */
  use({ camera, sculpting }: { camera: 'relief' | 'plan'; sculpting: boolean }): void {
    this.plan = camera === 'plan';
    this.orbit.enabled = !this.plan && !this.walking;
    this.map.enabled = this.plan;
    this.orbit.mouseButtons.LEFT = sculpting ? null : MOUSE.ROTATE;
    this.orbit.mouseButtons.RIGHT = sculpting ? MOUSE.ROTATE : MOUSE.PAN;
    this.map.mouseButtons.LEFT = sculpting ? null : MOUSE.PAN;
    this.map.mouseButtons.RIGHT = MOUSE.PAN;
    // One finger is the left button; two move and pinch, and turn where one finger is a brush.
    this.orbit.touches.ONE = sculpting ? null : TOUCH.ROTATE;
    this.orbit.touches.TWO = sculpting ? TOUCH.DOLLY_ROTATE : TOUCH.DOLLY_PAN;
    this.map.touches.ONE = sculpting ? null : TOUCH.PAN;
    this.map.touches.TWO = TOUCH.DOLLY_PAN;
  }

  get current(): ThreeCamera {
    return this.plan ? this.orthographic : this.perspective;
  }

  dispose(): void {
    this.orbit.dispose();
    this.map.dispose();
  }

  /** Looks at the whole ground, in both cameras. */
  frameAll(): void {
    const { x: width, y: depth } = this.uniforms.extent.value;
    const reach = Math.max(width, depth);
    this.orbit.target.set(0, 0, reach * 0.09);
    this.perspective.position.set(-reach * 0.24, reach * 0.72, reach * 1.2);
    this.perspective.near = reach / 2000;
    this.perspective.far = reach * 12;
    this.orbit.minDistance = reach / 400;
    this.orbit.maxDistance = reach * 4;
    this.orbit.update();
    this.orthographic.position.set(0, reach * 4, 0);
    this.orthographic.near = 1;
    this.orthographic.far = reach * 8;
    this.orthographic.zoom = 1;
    this.orthographic.updateProjectionMatrix();
    this.map.target.set(0, 0, 0);
    this.map.update();
  }

  /** Looks at the whole ground from one side, low, or from straight above. */
  lookFrom(side: Side): void {
    const { x: width, y: depth } = this.uniforms.extent.value;
    const reach = Math.max(width, depth);
    const ways: Record<Side, [number, number, number]> = {
      south: [0, 0.28, 1.55],
      north: [0, 0.28, -1.55],
      west: [-1.55, 0.28, 0],
      east: [1.55, 0.28, 0],
      above: [0, 1.72, 0.002],
    };
    const [x, y, z] = ways[side].map((k) => k * reach);
    this.orbit.target.set(0, 0, 0);
    this.perspective.position.set(x, y, z);
    this.orbit.update();
    this.moved();
  }

  /** Where the camera of the relief stands. */
  cameraPlace(): CameraPlace {
    const u = this.uniforms;
    const [w, d] = [u.extent.value.x / 2, u.extent.value.y / 2];
    const place = (p: Vector3): [number, number, number] => [p.x + w, p.z + d, p.y / u.exaggeration.value + u.middle.value];
    // Who walks looks ahead, and not at what the camera turned about before.
    const ahead = this.walking ? this.perspective.getWorldDirection(new Vector3()).multiplyScalar(100).add(this.perspective.position) : this.orbit.target;
    return { eye: place(this.perspective.position), target: place(ahead) };
  }

  /** Takes over where another view's cameras stand, so that two grounds are seen from one place. */
  follow(other: GroundCameras): void {
    this.orbit.target.copy(other.orbit.target);
    this.perspective.position.copy(other.perspective.position);
    this.perspective.quaternion.copy(other.perspective.quaternion);
    this.perspective.near = other.perspective.near;
    this.perspective.far = other.perspective.far;
    this.perspective.updateProjectionMatrix();
    this.map.target.copy(other.map.target);
    this.orthographic.position.copy(other.orthographic.position);
    this.orthographic.quaternion.copy(other.orthographic.quaternion);
    this.orthographic.zoom = other.orthographic.zoom;
    this.orthographic.updateProjectionMatrix();
  }

  /** Looks from a place exactly, whatever the controls would allow: for stills. */
  lookAlong({ eye, target }: CameraPlace): void {
    const u = this.uniforms;
    const [w, d] = [u.extent.value.x / 2, u.extent.value.y / 2];
    const put = ([east, south, height]: [number, number, number]) => new Vector3(east - w, (height - u.middle.value) * u.exaggeration.value, south - d);
    const [from, to] = [put(eye), put(target)];
    this.orbit.target.copy(to);
    this.perspective.position.copy(from);
    this.perspective.lookAt(to);
    const above = this.height(eye) * u.exaggeration.value;
    this.perspective.near = Math.max(0.3, Math.min(Math.max(w, d) / 1000, above / 4));
    this.perspective.updateProjectionMatrix();
  }

  /** Metres of an eye over the middle of the ground; enough to tell a walker's from a bird's. */
  private height(eye: [number, number, number]): number {
    return Math.max(1, this.heightOver?.(eye) ?? Infinity);
  }

  /** CSS pixels along the top of the canvas that something lies over. */
  covered = 0;

  /** How high a place lies over the ground, metres; set by the view that has it. */
  heightOver: ((place: [number, number, number]) => number) | null = null;

  /** An eye that has come under the ground is lifted out of it. */
  stayAbove(): void {
    if (this.plan || this.walking || !this.heightOver) return;
    const { eye } = this.cameraPlace();
    const least = Math.max(1.7, 3 * this.perspective.near);
    const over = this.heightOver(eye);
    if (over >= least) return;
    this.perspective.position.y += (least - over) * this.uniforms.exaggeration.value;
    this.perspective.lookAt(this.orbit.target);
  }

  goTo({ eye, target }: CameraPlace): void {
    const u = this.uniforms;
    const [w, d] = [u.extent.value.x / 2, u.extent.value.y / 2];
    const put = (p: Vector3, [east, south, height]: [number, number, number]) => p.set(east - w, (height - u.middle.value) * u.exaggeration.value, south - d);
    put(this.orbit.target, target);
    put(this.perspective.position, eye);
    this.orbit.update();
    this.moved();
  }

  /** Looks out of the eyes of somebody on the ground; null goes back to where the camera was. */
  walk(walker: Walker | null): void {
    const reach = Math.max(this.uniforms.extent.value.x, this.uniforms.extent.value.y);
    if (!walker) {
      if (this.beforeWalk) {
        this.perspective.near = reach / 2000;
        this.perspective.fov = FOV;
        this.perspective.updateProjectionMatrix();
        this.walking = false;
        this.goTo(this.beforeWalk);
        this.beforeWalk = null;
      }
      this.orbit.enabled = !this.plan;
      return;
    }
    this.beforeWalk ??= this.cameraPlace();
    const u = this.uniforms;
    this.walking = true;
    this.orbit.enabled = false;
    this.perspective.near = walker.how === 'walk' ? 0.4 : reach / 20_000;
    this.perspective.fov = WALKING_FOV;
    this.perspective.updateProjectionMatrix();
    const [turn, tilt] = [(walker.heading * Math.PI) / 180, (walker.pitch * Math.PI) / 180];
    const y = (walker.feet - u.middle.value) * u.exaggeration.value + EYES;
    this.perspective.position.set(walker.east - u.extent.value.x / 2, y, walker.south - u.extent.value.y / 2);
    this.perspective.lookAt(
      this.perspective.position.clone().add(new Vector3(Math.sin(turn) * Math.cos(tilt), Math.sin(tilt), -Math.cos(turn) * Math.cos(tilt))),
    );
    this.moved();
  }

  /** Turns and tilts the view, degrees; moves nearer by a factor. For the keyboard. */
  steer({ turn = 0, tilt = 0, nearer = 1, east = 0, south = 0 }: { turn?: number; tilt?: number; nearer?: number; east?: number; south?: number }): void {
    if (this.plan) {
      const step = (this.orthographic.top - this.orthographic.bottom) / this.orthographic.zoom / 10;
      for (const p of [this.orthographic.position, this.map.target]) {
        p.x += east * step;
        p.z += south * step;
      }
      this.orthographic.zoom = Math.min(200, Math.max(0.3, this.orthographic.zoom * nearer));
      this.orthographic.updateProjectionMatrix();
      this.map.update();
      this.moved();
      return;
    }
    const target = this.orbit.target;
    const arm = this.perspective.position.clone().sub(target);
    const length = arm.length();
    let around = Math.atan2(arm.x, arm.z);
    let over = Math.asin(Math.min(1, Math.max(-1, arm.y / length)));
    around += (turn * Math.PI) / 180;
    over = Math.min(1.55, Math.max(0.03, over + (tilt * Math.PI) / 180));
    const ahead = length / 8;
    target.x += (east * Math.cos(around) + south * Math.sin(around)) * ahead;
    target.z += (-east * Math.sin(around) + south * Math.cos(around)) * ahead;
    const far = Math.min(this.orbit.maxDistance, Math.max(this.orbit.minDistance, length / nearer));
    this.perspective.position.set(
      target.x + Math.sin(around) * Math.cos(over) * far,
      target.y + Math.sin(over) * far,
      target.z + Math.cos(around) * Math.cos(over) * far,
    );
    this.orbit.update();
    this.moved();
  }

  /** The place on the ground under a pixel of the canvas. */
  placeAt(source: HeightSource, clientX: number, clientY: number, water: boolean): { east: number; south: number } | null {
    const box = this.canvas.getBoundingClientRect();
    const x = ((clientX - box.left) / box.width) * 2 - 1;
    const y = 1 - ((clientY - box.top) / box.height) * 2;
    const u = this.uniforms;
    if (this.plan) {
      const p = new Vector3(x, y, 0).unproject(this.orthographic);
      const east = p.x + u.extent.value.x / 2;
      const south = p.z + u.extent.value.y / 2;
      return east >= 0 && south >= 0 && east <= u.extent.value.x && south <= u.extent.value.y ? { east, south } : null;
    }
    const origin = this.perspective.position;
    const direction = new Vector3(x, y, 0.5).unproject(this.perspective).sub(origin).normalize();
    const floor = water ? u.sea.value : -Infinity;
    return pick(source, origin.toArray(), direction.toArray(), u.middle.value, u.exaggeration.value, floor);
  }

  /** Where a place on the ground is seen, pixels of the canvas; null while it lies behind the eye. */
  screenOf(source: HeightSource, east: number, south: number, water: boolean): { x: number; y: number } | null {
    const u = this.uniforms;
    let h = heightAt(source, east, south);
    if (water) h = Math.max(h, u.sea.value);
    const p = new Vector3(east - u.extent.value.x / 2, (h - u.middle.value) * u.exaggeration.value, south - u.extent.value.y / 2).project(this.current);
    if (p.z > 1 || p.z < -1) return null;
    return { x: ((p.x + 1) / 2) * this.canvas.clientWidth, y: ((1 - p.y) / 2) * this.canvas.clientHeight };
  }

  /** What can be seen in a part of the picture, shares of it from its left and top. */
  through({ left, top, right, bottom }: { left: number; top: number; right: number; bottom: number }): Frustum {
    const { perspective } = this;
    perspective.updateMatrixWorld();
    // The part of the screen's square becomes all of it.
    const [x, y] = [1 / (right - left), 1 / (bottom - top)];
    const part = new Matrix4().set(x, 0, 0, x * (1 - left - right), 0, y, 0, y * (top + bottom - 1), 0, 0, 1, 0, 0, 0, 0, 1);
    return new Frustum().setFromProjectionMatrix(part.multiply(perspective.projectionMatrix).multiply(perspective.matrixWorldInverse));
  }

  /** How a ground is being seen whose heights reach so far. */
  aspect(ground: Ground, range: { low: number; high: number }): Aspect {
    const height = this.canvas.clientHeight || 1;
    const relief = !this.plan;
    const distance = this.perspective.position.distanceTo(this.orbit.target);
    const metresPerPixel = relief
      ? (2 * distance * Math.tan((this.perspective.fov * Math.PI) / 360)) / height
      : (this.orthographic.top - this.orthographic.bottom) / this.orthographic.zoom / height;
    const arm = this.perspective.position.clone().sub(this.orbit.target);
    if (this.walking) arm.copy(this.perspective.getWorldDirection(new Vector3()).negate());
    const north = relief ? (Math.atan2(arm.x, arm.z) * 180) / Math.PI : 0;
    const spacing = ground.width / Math.max(1, ground.across - 1);
    let meshEvery = 1;
    while (spacing * meshEvery < metresPerPixel * 5) meshEvery *= 2;
    return { north, metresPerPixel, contourInterval: roundInterval(range.high - range.low, relief ? 30 : 40), meshEvery };
  }

  /** The canvas has another size, in CSS pixels. */
  resize(width: number, height: number): void {
    this.perspective.aspect = width / height;
    this.perspective.updateProjectionMatrix();
    const { x, y } = this.uniforms.extent.value;
    // A map lies under what covers the top of the canvas.
    const free = Math.max(0.5, 1 - this.covered / height);
    const tall = Math.max((y * 1.04) / free, (x * 1.04 * height) / width);
    this.orthographic.top = tall / 2 + ((1 - free) * tall) / 2;
    this.orthographic.bottom = this.orthographic.top - tall;
    this.orthographic.right = ((tall / 2) * width) / height;
    this.orthographic.left = -this.orthographic.right;
    this.orthographic.updateProjectionMatrix();
  }

  private controls(camera: PerspectiveCamera | OrthographicCamera): OrbitControls {
    const controls = new OrbitControls(camera, this.canvas);
    controls.enableDamping = false;
    controls.addEventListener('change', () => this.moved());
    return controls;
  }
}
