import {
  Box3,
  DataTexture,
  FloatType,
  Frustum,
  GLSL3,
  InstancedBufferAttribute,
  LinearFilter,
  Matrix4,
  Mesh,
  NearestFilter,
  OrthographicCamera,
  PerspectiveCamera,
  RawShaderMaterial,
  RedFormat,
  RGBAFormat,
  Scene,
  UnsignedByteType,
  Vector2,
  Vector3,
  WebGLRenderer,
  DoubleSide,
  MOUSE,
  type Camera as ThreeCamera,
} from 'three';
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';
import type { Ground, Rectangle } from '@upland-cast/core';
import { heightAt, pick, type HeightSource } from './pick';
import { patchGeometry, wallGeometry } from './geometry';
import { choosePatches, deepestLevel, forget, type PatchNode } from '../drawing/quadtree';
import { EYES, type Walker } from './walk';
import { rampPixels, roundInterval, TINT } from '../drawing/ramp';
import { GROUND_FRAGMENT, GROUND_VERTEX, WALL_FRAGMENT, WALL_VERTEX } from './shaders';

export interface ViewOptions {
  camera: 'relief' | 'plan';
  /** A tint by height, shade alone, or a layer that `setLayer` was given. */
  drape: string;
  contours: boolean;
  meshLines: boolean;
  water: boolean;
  exaggeration: number;
  /** Degrees clockwise from north. */
  sun: number;
  /** Every sample is drawn, as far as there is room, however far away it lies. */
  everySample: boolean;
  /** Left button and one finger belong to the brush. */
  sculpting: boolean;
}

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

interface Ring {
  east: number;
  south: number;
  /** Metres. */
  radius: number;
}

const BACKDROP = 0xc4c7c6;
const MOST_PATCHES = 4096;
/** Pixels that a patch may lie off the ground before it is split. */
const FINE = 0.7;
/** Parts that a frame is drawn in where no graphics card stands behind the page. */
const SOFTWARE_STRIPS = 4;

/** Draws a ground with three: height as a float texture, a level-of-detail grid displaced on the card, only when something changed. */
export class GroundView {
  private readonly renderer: WebGLRenderer;
  private readonly scene = new Scene();
  private readonly perspective = new PerspectiveCamera(38, 1, 1, 1e6);
  private readonly orthographic = new OrthographicCamera();
  private readonly orbit: OrbitControls;
  private readonly map: OrbitControls;
  private readonly uniforms = {
    heights: { value: null as DataTexture | null },
    samples: { value: new Vector2(1, 1) },
    extent: { value: new Vector2(1, 1) },
    pointSamples: { value: 1 },
    middle: { value: 0 },
    exaggeration: { value: 1 },
    sea: { value: 0 },
    water: { value: 1 },
    skirt: { value: 0 },
    range: { value: new Vector2(0, 1) },
    sun: { value: new Vector3(0, 1, 0) },
    drape: { value: 0 },
    contours: { value: 0 },
    meshLines: { value: 0 },
    brush: { value: new Vector3() },
    brushTwin: { value: new Vector3() },
    mask: { value: null as DataTexture | null },
    masked: { value: 0 },
    ramp: { value: ramp(TINT) },
    layer: { value: null as DataTexture | null },
    layerRamp: { value: null as DataTexture | null },
    colours: { value: null as DataTexture | null },
    floorLevel: { value: 0 },
    interval: { value: 50 },
  };
  private readonly patchAt = new InstancedBufferAttribute(new Float32Array(MOST_PATCHES * 4), 4);
  private readonly patches = patchGeometry(this.patchAt);
  private readonly walls: Mesh;
  private source: HeightSource | null = null;
  private options: ViewOptions = {
    camera: 'relief',
    drape: 'tint',
    contours: false,
    meshLines: false,
    water: true,
    exaggeration: 1,
    sun: 315,
    everySample: false,
    sculpting: false,
  };
  /** How far patches lie off the ground, of `patchErrors`; null while it is not known. */
  private errors: Float32Array | null = null;
  private lit = true;
  private walking = false;
  private beforeWalk: CameraPlace | null = null;
  private pending = 0;
  /** The strip of the frame that is drawn next, and whether another frame was asked for meanwhile. */
  private strip = 0;
  private again = false;
  private seen: Aspect | null = null;
  private framed = '';
  private range = { low: 0, high: 1 };
  private readonly watcher: ResizeObserver;
  /** Called after every drawn frame. */
  onFrame: (aspect: Aspect) => void = () => undefined;
  /** What is drawn over the ground and has to move with it. */
  readonly overlays = new Set<() => void>();

  /** `pixelRatio`: pixels a CSS pixel; left out: the screen's, two at the most. */
  constructor(
    private readonly canvas: HTMLCanvasElement,
    pixelRatio?: number,
  ) {
    const kept = drawnInSoftware() || pixelRatio !== undefined;
    this.renderer = new WebGLRenderer({ canvas, antialias: !drawnInSoftware(), powerPreference: 'high-performance', preserveDrawingBuffer: kept });
    this.renderer.setPixelRatio(pixelRatio ?? Math.min(2, window.devicePixelRatio));
    this.renderer.setClearColor(BACKDROP);
    this.renderer.getContext().getExtension('OES_texture_float_linear');
    const ground = new Mesh(this.patches, this.material(GROUND_VERTEX, GROUND_FRAGMENT));
    ground.frustumCulled = false;
    this.walls = new Mesh(wallGeometry(1024), this.material(WALL_VERTEX, WALL_FRAGMENT));
    this.walls.frustumCulled = false;
    this.scene.add(ground, this.walls);

    this.orbit = this.controls(this.perspective);
    this.orbit.maxPolarAngle = Math.PI * 0.495;
    this.orbit.zoomToCursor = true;
    this.map = this.controls(this.orthographic);
    this.map.enableRotate = false;
    this.map.zoomToCursor = true;
    this.map.mouseButtons.LEFT = MOUSE.PAN;
    this.orthographic.up.set(0, 0, -1);

    this.watcher = new ResizeObserver(() => this.resize());
    this.watcher.observe(canvas.parentElement!);
    canvas.addEventListener('webglcontextlost', (event) => event.preventDefault());
    canvas.addEventListener('webglcontextrestored', () => {
      // The card has forgotten every texture.
      for (const texture of [
        this.uniforms.heights,
        this.uniforms.mask,
        this.uniforms.layer,
        this.uniforms.layerRamp,
        this.uniforms.ramp,
        this.uniforms.colours,
      ]) {
        if (texture.value) texture.value.needsUpdate = true;
      }
      this.renderer.setClearColor(BACKDROP);
      this.strip = 0;
      this.pending = 0;
      this.redraw();
    });
    this.resize();
  }

  /** Shows a ground; the camera stays unless the land itself changed its size. */
  setGround(source: HeightSource, range: { low: number; high: number }, errors: Float32Array | null = null): void {
    const { ground, height } = source;
    this.errors = errors;
    const u = this.uniforms;
    const same = this.source && this.source.ground.across === ground.across && this.source.ground.down === ground.down;
    this.source = source;
    this.range = range;
    if (same && u.heights.value) {
      u.heights.value.image = { data: height as Float32Array<ArrayBuffer>, width: ground.across, height: ground.down };
      u.heights.value.needsUpdate = true;
    } else {
      u.heights.value?.dispose();
      const texture = new DataTexture(height as Float32Array<ArrayBuffer>, ground.across, ground.down, RedFormat, FloatType);
      texture.minFilter = texture.magFilter = LinearFilter;
      texture.unpackAlignment = 4;
      texture.needsUpdate = true;
      u.heights.value = texture;
    }
    u.samples.value.set(ground.across, ground.down);
    u.extent.value.set(ground.width, ground.depth);
    u.pointSamples.value = ground.registration === 'point' ? 1 : 0;
    u.range.value.set(range.low - ground.datum, range.high - ground.datum);
    u.sea.value = ground.sea - ground.datum;
    u.mask.value?.dispose();
    u.mask.value = null;
    u.masked.value = 0;
    const land = `${ground.width}×${ground.depth}`;
    if (this.framed !== land) {
      this.framed = land;
      u.middle.value = (range.low + range.high) / 2 - ground.datum;
      this.frameAll();
    }
    const base = Math.min(range.low, Math.max(ground.sea, range.low - 1));
    u.floorLevel.value = base - ground.datum - Math.max(ground.width, ground.depth) * 0.025;
    u.skirt.value = Math.max(ground.width, ground.depth) / 60;
    this.setOptions(this.options);
  }

  /** Uploads only the weights that were painted; all of them are those given to `setMask`. */
  patchMask(weights: Uint8Array<ArrayBuffer>, { left, top, right, bottom }: Rectangle): void {
    const texture = this.uniforms.mask.value;
    const across = this.source?.ground.across;
    if (!texture || !across) return this.setMask(weights);
    const width = right - left;
    const part = new Uint8Array(width * (bottom - top));
    for (let row = top; row < bottom; row++) part.set(weights.subarray(row * across + left, row * across + right), (row - top) * width);
    const piece = new DataTexture(part, width, bottom - top, RedFormat, UnsignedByteType);
    piece.unpackAlignment = 1;
    piece.needsUpdate = true;
    this.renderer.copyTextureToTexture(piece, texture, null, new Vector2(left, top));
    piece.dispose();
    this.redraw();
  }

  /** Uploads only the samples that a stroke changed. */
  patch({ left, top, right, bottom }: Rectangle): void {
    const { source } = this;
    const texture = this.uniforms.heights.value;
    if (!source || !texture) return;
    const width = right - left;
    const part = new Float32Array(width * (bottom - top));
    for (let row = top; row < bottom; row++) {
      const from = row * source.ground.across;
      part.set(source.height.subarray(from + left, from + right), (row - top) * width);
    }
    const piece = new DataTexture(part, width, bottom - top, RedFormat, FloatType);
    piece.minFilter = piece.magFilter = NearestFilter;
    piece.needsUpdate = true;
    this.renderer.copyTextureToTexture(piece, texture, null, new Vector2(left, top));
    piece.dispose();
    if (this.errors) {
      const longest = Math.max(source.ground.width, source.ground.depth);
      const [x, y] = [source.ground.width / longest / source.ground.across, source.ground.depth / longest / source.ground.down];
      forget(this.errors, (left - 1) * x, (top - 1) * y, (right + 1) * x, (bottom + 1) * y);
    }
    this.redraw();
  }

  setOptions(options: ViewOptions): void {
    this.options = options;
    const u = this.uniforms;
    u.exaggeration.value = options.exaggeration;
    u.water.value = options.water ? 1 : 0;
    u.drape.value = u.colours.value ? (this.lit ? 3 : 4) : options.drape === 'tint' ? 0 : u.layer.value && options.drape !== 'shade' ? 2 : 1;
    const azimuth = (options.sun * Math.PI) / 180;
    const altitude = (options.camera === 'plan' ? 45 : 34) * (Math.PI / 180);
    u.sun.value.set(Math.sin(azimuth) * Math.cos(altitude), Math.sin(altitude), -Math.cos(azimuth) * Math.cos(altitude));
    const relief = options.camera === 'relief';
    this.orbit.enabled = relief && !this.walking;
    this.map.enabled = !relief;
    this.walls.visible = relief;
    this.orbit.mouseButtons.LEFT = options.sculpting ? null : MOUSE.ROTATE;
    this.orbit.mouseButtons.RIGHT = options.sculpting ? MOUSE.ROTATE : MOUSE.PAN;
    this.map.mouseButtons.LEFT = options.sculpting ? null : MOUSE.PAN;
    this.map.mouseButtons.RIGHT = MOUSE.PAN;
    this.redraw();
  }

  /** Weights (a byte a sample, those of the ground) laid over it as a drape; null takes them away. */
  setMask(weights: Uint8Array<ArrayBuffer> | null): void {
    const u = this.uniforms;
    u.mask.value?.dispose();
    u.mask.value = null;
    u.masked.value = 0;
    const ground = this.source?.ground;
    if (weights && ground && weights.length === ground.across * ground.down) {
      const texture = new DataTexture(weights, ground.across, ground.down, RedFormat, UnsignedByteType);
      texture.minFilter = texture.magFilter = LinearFilter;
      texture.unpackAlignment = 1;
      texture.needsUpdate = true;
      u.mask.value = texture;
      u.masked.value = 1;
    }
    this.redraw();
  }

  /** Values (a byte a sample, those of the ground) in colours of their own; null takes them away. */
  setLayer(values: Uint8Array<ArrayBuffer> | null, colours: readonly [number, string][] = TINT): void {
    const u = this.uniforms;
    for (const texture of [u.layer, u.layerRamp]) {
      texture.value?.dispose();
      texture.value = null;
    }
    const ground = this.source?.ground;
    if (values && ground && values.length === ground.across * ground.down) {
      const texture = new DataTexture(values, ground.across, ground.down, RedFormat, UnsignedByteType);
      texture.minFilter = texture.magFilter = LinearFilter;
      texture.unpackAlignment = 1;
      texture.needsUpdate = true;
      u.layer.value = texture;
      u.layerRamp.value = ramp(colours);
    }
    this.setOptions(this.options);
  }

  /** Colours of the ground's samples (four bytes each) laid over it, under its light or flat; null takes them away. */
  setColours(rgba: Uint8Array<ArrayBuffer> | null, lit = true): void {
    const u = this.uniforms;
    u.colours.value?.dispose();
    u.colours.value = null;
    this.lit = lit;
    const ground = this.source?.ground;
    if (rgba && ground && rgba.length === 4 * ground.across * ground.down) {
      const texture = new DataTexture(rgba, ground.across, ground.down, RGBAFormat, UnsignedByteType);
      texture.minFilter = texture.magFilter = LinearFilter;
      texture.needsUpdate = true;
      u.colours.value = texture;
    }
    this.setOptions(this.options);
  }

  /** Where a place on the ground is seen, pixels of the canvas; null while it lies behind the eye. */
  screenOf(east: number, south: number): { x: number; y: number } | null {
    if (!this.source) return null;
    const u = this.uniforms;
    let h = heightAt(this.source, east, south);
    if (this.options.water) h = Math.max(h, u.sea.value);
    const p = new Vector3(east - u.extent.value.x / 2, (h - u.middle.value) * u.exaggeration.value, south - u.extent.value.y / 2).project(this.camera);
    if (p.z > 1 || p.z < -1) return null;
    return { x: ((p.x + 1) / 2) * this.canvas.clientWidth, y: ((1 - p.y) / 2) * this.canvas.clientHeight };
  }

  /** The rings of the brush, and of its twin in the mirror. */
  setBrush(brush: Ring | null, twin: Ring | null = null): void {
    this.uniforms.brush.value.set(brush?.east ?? 0, brush?.south ?? 0, brush?.radius ?? 0);
    this.uniforms.brushTwin.value.set(twin?.east ?? 0, twin?.south ?? 0, twin?.radius ?? 0);
    this.redraw();
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
    this.map.target.set(0, 0, 0);
    this.map.update();
    this.resize();
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
    this.redraw();
  }

  /** Where the camera of the relief stands. */
  cameraPlace(): CameraPlace {
    const u = this.uniforms;
    const [w, d] = [u.extent.value.x / 2, u.extent.value.y / 2];
    const place = (p: Vector3): [number, number, number] => [p.x + w, p.z + d, p.y / u.exaggeration.value + u.middle.value];
    return { eye: place(this.perspective.position), target: place(this.orbit.target) };
  }

  goTo({ eye, target }: CameraPlace): void {
    const u = this.uniforms;
    const [w, d] = [u.extent.value.x / 2, u.extent.value.y / 2];
    const put = (p: Vector3, [east, south, height]: [number, number, number]) => p.set(east - w, (height - u.middle.value) * u.exaggeration.value, south - d);
    put(this.orbit.target, target);
    put(this.perspective.position, eye);
    this.orbit.update();
    this.redraw();
  }

  /** Looks out of the eyes of somebody on the ground; null goes back to where the camera was. */
  walk(walker: Walker | null): void {
    const reach = Math.max(this.uniforms.extent.value.x, this.uniforms.extent.value.y);
    if (!walker) {
      if (this.beforeWalk) {
        this.perspective.near = reach / 2000;
        this.perspective.fov = 38;
        this.perspective.updateProjectionMatrix();
        this.walking = false;
        this.goTo(this.beforeWalk);
        this.beforeWalk = null;
      }
      return this.setOptions(this.options);
    }
    this.beforeWalk ??= this.cameraPlace();
    const u = this.uniforms;
    this.walking = true;
    this.orbit.enabled = false;
    this.perspective.near = walker.how === 'walk' ? 0.4 : reach / 20_000;
    this.perspective.fov = 60;
    this.perspective.updateProjectionMatrix();
    const [turn, tilt] = [(walker.heading * Math.PI) / 180, (walker.pitch * Math.PI) / 180];
    const y = (walker.feet - u.middle.value) * u.exaggeration.value + EYES;
    this.perspective.position.set(walker.east - u.extent.value.x / 2, y, walker.south - u.extent.value.y / 2);
    this.perspective.lookAt(
      this.perspective.position.clone().add(new Vector3(Math.sin(turn) * Math.cos(tilt), Math.sin(tilt), -Math.cos(turn) * Math.cos(tilt))),
    );
    this.redraw();
  }

  /** How high the sun stands, degrees; until options are set anew. */
  setSunHeight(degrees: number): void {
    const azimuth = (this.options.sun * Math.PI) / 180;
    const altitude = (degrees * Math.PI) / 180;
    this.uniforms.sun.value.set(Math.sin(azimuth) * Math.cos(altitude), Math.sin(altitude), -Math.cos(azimuth) * Math.cos(altitude));
  }

  /**
   * One picture through a point of the lens, metres right and up of its middle, sharp at `focus`
   * metres; moved by a part of a pixel. The pixels, four bytes each, from the foot up.
   */
  async exposure({
    fov,
    lens,
    focus,
    jitter,
  }: {
    fov: number;
    lens: readonly [number, number];
    focus: number;
    jitter: readonly [number, number];
  }): Promise<Uint8Array> {
    cancelAnimationFrame(this.pending);
    this.pending = 0;
    const { perspective, renderer } = this;
    const place = this.cameraPlace();
    perspective.fov = fov;
    perspective.updateProjectionMatrix();
    const size = renderer.getDrawingBufferSize(new Vector2());
    const half = Math.tan((fov * Math.PI) / 360);
    // The window stays where it is at the focus while the eye moves over the lens.
    const e = perspective.projectionMatrix.elements;
    e[8] += -lens[0] / (focus * half * perspective.aspect) + (2 * jitter[0]) / size.x;
    e[9] += -lens[1] / (focus * half) + (2 * jitter[1]) / size.y;
    perspective.projectionMatrixInverse.copy(perspective.projectionMatrix).invert();
    perspective.position.add(new Vector3(lens[0], lens[1], 0).applyQuaternion(perspective.quaternion));
    this.seen = this.aspect(this.source!.ground);
    this.uniforms.contours.value = this.options.contours ? this.seen.contourInterval : 0;
    this.choose(this.source!.ground);
    renderer.setScissorTest(true);
    for (let strip = 0; strip < SOFTWARE_STRIPS; strip++) {
      const [from, to] = [strip, strip + 1].map((k) => Math.floor((size.y * k) / SOFTWARE_STRIPS));
      renderer.setScissor(0, from, size.x, to - from);
      renderer.render(this.scene, perspective);
      await new Promise((resolve) => setTimeout(resolve));
    }
    renderer.setScissorTest(false);
    const pixels = new Uint8Array(4 * size.x * size.y);
    const gl = renderer.getContext();
    gl.readPixels(0, 0, size.x, size.y, gl.RGBA, gl.UNSIGNED_BYTE, pixels);
    this.goTo(place);
    cancelAnimationFrame(this.pending);
    this.pending = 0;
    return pixels;
  }

  /** Bytes that the card holds for this view: the heights, and what lies over them. */
  get bytes(): number {
    const u = this.uniforms;
    const samples = u.samples.value.x * u.samples.value.y;
    return samples * (4 + (u.mask.value ? 1 : 0) + (u.layer.value ? 1 : 0));
  }

  /** Turns and tilts the view, degrees; moves nearer by a factor. For the keyboard. */
  steer({ turn = 0, tilt = 0, nearer = 1, east = 0, south = 0 }: { turn?: number; tilt?: number; nearer?: number; east?: number; south?: number }): void {
    if (this.options.camera === 'plan') {
      const step = (this.orthographic.top - this.orthographic.bottom) / this.orthographic.zoom / 10;
      for (const p of [this.orthographic.position, this.map.target]) {
        p.x += east * step;
        p.z += south * step;
      }
      this.orthographic.zoom = Math.min(200, Math.max(0.3, this.orthographic.zoom * nearer));
      this.orthographic.updateProjectionMatrix();
      this.map.update();
      this.redraw();
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
    this.redraw();
  }

  /** The place on the ground under a pixel of the canvas. */
  placeAt(clientX: number, clientY: number): { east: number; south: number } | null {
    if (!this.source) return null;
    const box = this.canvas.getBoundingClientRect();
    const x = ((clientX - box.left) / box.width) * 2 - 1;
    const y = 1 - ((clientY - box.top) / box.height) * 2;
    const u = this.uniforms;
    if (this.options.camera === 'plan') {
      const p = new Vector3(x, y, 0).unproject(this.orthographic);
      const east = p.x + u.extent.value.x / 2;
      const south = p.z + u.extent.value.y / 2;
      return east >= 0 && south >= 0 && east <= u.extent.value.x && south <= u.extent.value.y ? { east, south } : null;
    }
    const origin = this.perspective.position;
    const direction = new Vector3(x, y, 0.5).unproject(this.perspective).sub(origin).normalize();
    const floor = this.options.water ? u.sea.value : -Infinity;
    return pick(this.source, origin.toArray(), direction.toArray(), u.middle.value, u.exaggeration.value, floor);
  }

  redraw(): void {
    if (this.pending) this.again = this.strip > 0;
    else this.pending = requestAnimationFrame(() => this.draw());
  }

  dispose(): void {
    cancelAnimationFrame(this.pending);
    this.watcher.disconnect();
    this.orbit.dispose();
    this.map.dispose();
    this.uniforms.heights.value?.dispose();
    this.uniforms.mask.value?.dispose();
    this.renderer.dispose();
  }

  private get camera(): ThreeCamera {
    return this.options.camera === 'plan' ? this.orthographic : this.perspective;
  }

  /**
   * Draws a frame; without a graphics card in strips, one a turn, so that the page answers
   * between them. What is asked for meanwhile is drawn when the last strip is there.
   */
  private draw(): void {
    this.pending = 0;
    if (!this.source) return;
    const { ground } = this.source;
    if (this.strip === 0) {
      this.seen = this.aspect(ground);
      this.uniforms.contours.value = this.options.contours ? this.seen.contourInterval : 0;
      this.uniforms.interval.value = roundInterval(this.range.high - this.range.low, 10);
      this.uniforms.meshLines.value = this.options.meshLines ? this.seen.meshEvery : 0;
      this.choose(ground);
    }
    const strips = drawnInSoftware() ? SOFTWARE_STRIPS : 1;
    if (strips > 1) {
      const { width, height } = this.renderer.getSize(new Vector2());
      const from = Math.floor((height * (strips - 1 - this.strip)) / strips);
      const to = Math.floor((height * (strips - this.strip)) / strips);
      this.renderer.setScissorTest(true);
      this.renderer.setScissor(0, from, width, to - from);
    }
    this.renderer.render(this.scene, this.camera);
    this.strip++;
    if (this.strip < strips) {
      this.pending = requestAnimationFrame(() => this.draw());
      return;
    }
    this.strip = 0;
    if (this.again) {
      this.again = false;
      this.redraw();
    }
    if (this.seen) this.onFrame(this.seen);
    this.overlays.forEach((moved) => moved());
  }

  /**
   * Chooses the patches: one is fine enough where no sample of it would be drawn `FINE` pixels
   * off its place. Where there is no room for so many the bound is raised.
   */
  private choose(ground: Ground): void {
    const longest = Math.max(ground.width, ground.depth);
    const samples = Math.max(ground.across, ground.down);
    const { camera, perspective, uniforms, errors } = this;
    const { exaggeration, everySample } = this.options;
    const eye = perspective.position;
    // Top and foot of the ground, from the middle that y counts from.
    const middle = ground.datum + uniforms.middle.value;
    const high = (this.range.high - middle) * exaggeration;
    const low = (Math.min(this.range.low, ground.sea) - middle) * exaggeration - longest / 20;
    const away = (x: number, z: number, size: number) => {
      const dx = Math.max(x - ground.width / 2 - eye.x, 0, eye.x - (x + size - ground.width / 2));
      const dz = Math.max(z - ground.depth / 2 - eye.z, 0, eye.z - (z + size - ground.depth / 2));
      return Math.hypot(dx, Math.max(0, eye.y - high), dz);
    };
    const pixelsARadian = (this.renderer.getDrawingBufferSize(new Vector2()).y / 2 / Math.tan((perspective.fov * Math.PI) / 360)) * exaggeration;
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
    if (camera === this.orthographic) nodes = choosePatches(() => false, ground, samples);
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
      this.patchAt.setXYZW(i, node.x * across, node.z * down, node.size * across, node.size * down);
    });
    uniforms.skirt.value = camera === this.orthographic ? 0 : longest / 60;
    this.patchAt.needsUpdate = true;
    this.patches.instanceCount = nodes.length;
    // Read by the browser tests.
    this.canvas.dataset.patches = String(nodes.length);
  }

  private aspect(ground: Ground): Aspect {
    const height = this.canvas.clientHeight || 1;
    const relief = this.options.camera === 'relief';
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
    return { north, metresPerPixel, contourInterval: roundInterval(this.range.high - this.range.low, relief ? 30 : 40), meshEvery };
  }

  private resize(): void {
    const box = this.canvas.parentElement!;
    const width = Math.max(1, box.clientWidth);
    const height = Math.max(1, box.clientHeight);
    this.renderer.setSize(width, height, false);
    this.perspective.aspect = width / height;
    this.perspective.updateProjectionMatrix();
    const { x, y } = this.uniforms.extent.value;
    const tall = Math.max(y, (x * height) / width) * 1.06;
    this.orthographic.top = tall / 2;
    this.orthographic.bottom = -tall / 2;
    this.orthographic.right = ((tall / 2) * width) / height;
    this.orthographic.left = -this.orthographic.right;
    this.orthographic.updateProjectionMatrix();
    this.redraw();
  }

  private controls(camera: PerspectiveCamera | OrthographicCamera): OrbitControls {
    const controls = new OrbitControls(camera, this.canvas);
    controls.enableDamping = false;
    controls.addEventListener('change', () => this.redraw());
    return controls;
  }

  private material(vertexShader: string, fragmentShader: string): RawShaderMaterial {
    return new RawShaderMaterial({ glslVersion: GLSL3, vertexShader, fragmentShader, uniforms: this.uniforms, side: DoubleSide });
  }
}

let software: boolean | undefined;

/** Whether there is no graphics card behind the page: smoothing edges then costs more than it gives. */
function drawnInSoftware(): boolean {
  if (software === undefined) {
    const probe = document.createElement('canvas').getContext('webgl2');
    const facts = probe?.getExtension('WEBGL_debug_renderer_info');
    software = Boolean(probe && facts && /swiftshader|llvmpipe|software/i.test(String(probe.getParameter(facts.UNMASKED_RENDERER_WEBGL))));
    probe?.getExtension('WEBGL_lose_context')?.loseContext();
  }
  return software;
}

function ramp(stops: readonly [number, string][]): DataTexture {
  const texture = new DataTexture(rampPixels(stops), 256, 1, RGBAFormat, UnsignedByteType);
  texture.minFilter = texture.magFilter = LinearFilter;
  texture.needsUpdate = true;
  return texture;
}
