import {
  Box3,
  BufferAttribute,
  BufferGeometry,
  FloatType,
  Matrix4,
  Mesh,
  NearestFilter,
  Scene,
  Vector2,
  Vector3,
  WebGLRenderer,
  WebGLRenderTarget,
  type Camera,
  type Frustum,
} from 'three';
import { bedTable, upliftOf, type Ground, type Rectangle, type Rock } from '@upland-cast/core';
import { roundInterval } from '../../drawing/ramp';
import { setDay, type DaySettings } from '../light/day';
import { SKY_FRAGMENT, SKY_VERTEX } from '../light/shaders';
import { wallGeometry } from './geometry';
import { surfaceAt, type HeightSource } from './pick';
import { groundFragment, GROUND_VERTEX, WALL_FRAGMENT, WALL_VERTEX } from './shaders';
import type { Walker } from './walk';
import { GroundCameras, type Aspect } from './cameras';
import { around, Frames, type Box } from './frames';
import { drawnSize, GatheredGround, type PixelBox } from './gathered-ground';
import { GroundPatches, type PatchAsk } from './patches';
import { Shaders, type Shading } from './shading';
import { GroundTextures } from './textures';

export interface ViewOptions extends DaySettings {
  /** Neutral light that form is judged in, or sun and sky as outside. */
  light: 'working' | 'day';
  /** Near ground shows what it is made of, by day. */
  grain: boolean;
  camera: 'relief' | 'plan';
  /** A tint by height, shade alone, or a layer that `setLayer` was given. */
  drape: string;
  contours: boolean;
  meshLines: boolean;
  water: boolean;
  exaggeration: number;
  /** Every sample is drawn, as far as there is room, however far away it lies. */
  everySample: boolean;
  /** Left button and one finger belong to the brush. */
  sculpting: boolean;
}

/** What a picture shows: as on the screen; light before it is bent for it; metres from the eye; normals (east, up, south); the cover's colour. */
const PASSES = { seen: 0, depth: 1, normal: 2, cover: 3, linear: 4 } as const;
export type Pass = keyof typeof PASSES;

/** The light, and all that is usual beside it, of a view for judging form. */
export const WORKING_LIGHT = {
  light: 'working',
  grain: false,
  sun: 315,
  sunHeight: 34,
  turbidity: 2.6,
  haze: 1,
  exaggeration: 1,
  meshLines: false,
  everySample: false,
  sculpting: false,
} as const satisfies Partial<ViewOptions>;

export interface Exposure {
  fov: number;
  lens: readonly [number, number];
  focus: number;
  jitter: readonly [number, number];
  /** Pixels of a picture `of` a size, from its left and top; as large as the canvas at most. */
  part: { left: number; top: number; width: number; height: number; of: { width: number; height: number } };
  pass?: Pass;
  /** It is one of the four finer pictures that are gathered together: which quarter of the pixels, and whether it is the first; null: of its own. */
  shared?: { at: readonly [number, number]; fresh: boolean } | null;
  /** 255 at pixels of the part, rows from the foot up, that are not drawn any more; null: all are drawn. */
  settled?: Uint8Array<ArrayBuffer> | null;
}

interface Ring {
  east: number;
  south: number;
  /** Metres. */
  radius: number;
}

/** Milliseconds within which the light on a new ground is there, as a rule. */
const LIGHT_COMES = 1100;
/** Places along each wall of the block. */
const WALL_PARTS = 1024;
const BACKDROP = 0xc4c7c6;
/** The same at rest where there is no graphics card: still within a pixel. */
const SOFTWARE_SLACK = 1.35;
/** How much further off its place than at rest a sample may be drawn while the camera moves. */
const MOVING_SLACK = 4;
/** Parts that a still is drawn in where no graphics card stands behind the page. */
const SOFTWARE_STRIPS = 4;
/** Degrees that the sun of the working light stands above the horizon. */
const SUN_HEIGHT = { relief: 34, plan: 45 };
/** Patches that are drawn in a turn where no graphics card stands behind the page. */
const PATCHES_A_TURN = 10;
/** Places along a side at which the grain of near ground asks for the rock's beds. */
const STACKS = 128;

/** Draws a ground with three: height as a float texture, a level-of-detail grid displaced on the card, only when something changed. */
export class GroundView {
  readonly cameras: GroundCameras;
  private readonly textures: GroundTextures;
  private readonly patches = new GroundPatches();
  private readonly renderer: WebGLRenderer;
  private readonly scene = new Scene();
  /** The ground as it is drawn where there is a graphics card. */
  private readonly ground: Mesh;
  /** The same where there is none. */
  private readonly gathered: GatheredGround | null;
  private readonly walls: Mesh;
  private readonly sky: Mesh;
  /** Of the ground, the walls and the sky. */
  private readonly shaders: readonly [Shaders, Shaders, Shaders];
  private readonly frames: Frames;
  /** Counts what changes where the ground is seen, beside the camera. */
  private groundVersion = 0;
  /** What the patches were chosen for. */
  private askedBefore = '';
  /** What the tiles were laid for; '': for another camera's picture. */
  private laidFor = '';
  private asked: PatchAsk = { middle: 0, exaggeration: 1, everySample: false, plan: false, rows: 1 };
  /** The rings that are drawn. */
  private ringed: Ring[] = [];
  private shading: Shading = {
    day: false,
    grain: false,
    plan: false,
    water: true,
    wet: true,
    watered: false,
    lighted: false,
    bedded: false,
    masked: false,
    drape: 0,
    pass: 0,
  };
  private readonly fromClip = { value: new Matrix4() };
  private source: HeightSource | null = null;
  private options: ViewOptions = { ...WORKING_LIGHT, camera: 'relief', drape: 'tint', contours: false, water: true };
  private lit = true;
  private seen: Aspect | null = null;
  private framed = '';
  private range = { low: 0, high: 1 };
  private readonly watcher: ResizeObserver | null = null;
  /** Called after every drawn frame. */
  onFrame: (aspect: Aspect) => void = () => undefined;
  /** Called when a camera was moved, before the frame is drawn. */
  onMove: () => void = () => undefined;
  /** What is drawn over the ground and has to move with it. */
  readonly overlays = new Set<() => void>();

  /** `still`: pixels of what is drawn by `exposure` alone, on a canvas of no page; left out: as large as what holds the canvas, at the screen's fineness. */
  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly still?: { width: number; height: number },
  ) {
    const kept = drawnInSoftware() || still !== undefined;
    this.renderer = new WebGLRenderer({ canvas, antialias: !drawnInSoftware(), powerPreference: 'high-performance', preserveDrawingBuffer: kept });
    this.renderer.setPixelRatio(still ? 1 : Math.min(2, window.devicePixelRatio));
    this.renderer.setClearColor(BACKDROP);
    this.renderer.getContext().getExtension('OES_texture_float_linear');
    this.textures = new GroundTextures(this.renderer);
    this.cameras = new GroundCameras(canvas, this.textures.uniforms, () => {
      this.frames.move();
      this.onMove();
    });
    const { uniforms } = this.textures;
    this.shaders = [
      new Shaders(GROUND_VERTEX, groundFragment(false), uniforms),
      new Shaders(WALL_VERTEX, WALL_FRAGMENT, uniforms),
      // Behind all else, and after it: only where nothing stands before it.
      new Shaders(SKY_VERTEX, SKY_FRAGMENT, { ...uniforms, fromClip: this.fromClip }, { depthWrite: false }),
    ];
    this.ground = new Mesh(this.patches.geometry);
    this.ground.frustumCulled = false;
    this.walls = new Mesh(wallGeometry(WALL_PARTS));
    this.walls.frustumCulled = false;
    this.sky = this.skyMesh();
    this.gathered = drawnInSoftware() ? new GatheredGround(this.patches, this.textures) : null;
    this.scene.add(this.sky, this.gathered?.tiles ?? this.ground, this.walls);
    this.frames = new Frames(this.renderer, drawnInSoftware(), {
      begin: (moving) => this.beginFrame(moving),
      gather: () => this.gatherSome(),
      paint: (part) => this.paint(part),
      done: () => this.endFrame(),
    });
    if (!still) {
      this.watcher = new ResizeObserver(() => this.resize());
      this.watcher.observe(canvas.parentElement!);
    }
    canvas.addEventListener('webglcontextlost', (event) => event.preventDefault());
    canvas.addEventListener('webglcontextrestored', () => {
      this.textures.restore();
      if (this.gathered) this.gathered.holds = this.gathered.begun = null;
      this.renderer.setClearColor(BACKDROP);
      this.frames.stop();
      this.redraw();
    });
    this.cameras.heightOver = ([east, south, height]) => {
      const { source } = this;
      if (!source || east < 0 || south < 0 || east > source.ground.width || south > source.ground.depth) return Infinity;
      const depths = (this.textures.uniforms.waters.value?.image.data ?? null) as Float32Array | null;
      return height - surfaceAt(source, this.options.water ? { depths } : null, east, south);
    };
    this.resize();
  }

  /** Shows a ground; the camera stays unless the land itself changed its size. */
  setGround(source: HeightSource, range: { low: number; high: number }, errors: Float32Array | null = null): void {
    const { ground } = source;
    const u = this.textures.uniforms;
    this.source = source;
    this.range = range;
    this.groundVersion++;
    this.patches.errors = errors;
    this.patches.know(source);
    this.patches.knowWater(null);
    this.textures.setHeights(source);
    u.range.value.set(range.low - ground.datum, range.high - ground.datum);
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
    // Light comes soon after a ground that has none yet.
    if (this.shading.day && !u.lights.value) this.frames.coarseFor(LIGHT_COMES);
  }

  /** Uploads only the samples that a stroke changed. */
  patch(part: Rectangle): void {
    if (!this.source) return;
    this.textures.patchHeights(this.source.height, part);
    this.patches.forget(this.source.ground, part);
    this.patches.know(this.source, part);
    this.groundVersion++;
    this.frames.touch(this.boxOfPart(part));
  }

  /** Uploads only the weights that were painted; all of them are those given to `setMask`. */
  patchMask(weights: Uint8Array<ArrayBuffer>, part: Rectangle): void {
    this.textures.patchMask(weights, part);
    this.frames.touch(this.boxOfPart(part));
  }

  setOptions(options: ViewOptions): void {
    this.options = options;
    const u = this.textures.uniforms;
    u.exaggeration.value = options.exaggeration;
    const named = options.drape === 'tint' || options.drape === 'ground' ? 0 : u.layer.value && options.drape !== 'shade' ? 2 : 1;
    const drape = u.colours.value ? (this.lit ? 3 : 4) : named;
    // Drapes of data are read in the working light, and a map is shaded alike at every hour.
    const day = options.light === 'day' && options.camera === 'relief' && (drape === 0 || (drape === 3 && options.drape === 'ground'));
    this.shading = { ...this.shading, day, drape, grain: options.grain, plan: options.camera === 'plan', water: options.water };
    if (day) setDay(u, options);
    this.pointSun(day ? Math.max(0.5, options.sunHeight) : SUN_HEIGHT[options.camera]);
    this.cameras.use(options);
    this.walls.visible = options.camera === 'relief';
    this.sky.visible = day;
    this.redraw();
  }

  /** Weights (a byte a sample, those of the ground) laid over it as a drape; null takes them away. */
  setMask(weights: Uint8Array<ArrayBuffer> | null): void {
    this.textures.setMask(weights);
    this.redraw();
  }

  /** Values (a byte a sample, those of the ground) in colours of their own; null takes them away. */
  setLayer(values: Uint8Array<ArrayBuffer> | null, colours?: readonly [number, string][]): void {
    this.textures.setLayer(values, colours);
    this.setOptions(this.options);
  }

  /** The water on the ground's samples; null takes it away. */
  setWater(values: Float32Array<ArrayBuffer> | null): void {
    this.textures.setWater(values);
    this.patches.knowWater(values);
    this.groundVersion++;
    this.redraw();
  }

  /** The rock that the walls of the block are cut through; null: alike everywhere. */
  setRock(rock: Rock | null): void {
    if (!this.source) return;
    const { ground } = this.source;
    const place = this.walls.geometry.getAttribute('position');
    const stack = this.walls.geometry.getAttribute('stack');
    const up = rock && upliftOf(rock, ground);
    let [low, high] = [0, 0];
    for (let i = 0; i < stack.count; i++) {
      const at = up ? up(place.getX(i) * ground.width, place.getY(i) * ground.depth) : 0;
      stack.setX(i, at);
      [low, high] = i === 0 ? [at, at] : [Math.min(low, at), Math.max(high, at)];
    }
    stack.needsUpdate = true;
    this.textures.setStacks(
      up &&
        Float32Array.from({ length: STACKS * STACKS }, (_, i) =>
          up((((i % STACKS) + 0.5) / STACKS) * ground.width, ((Math.floor(i / STACKS) + 0.5) / STACKS) * ground.depth),
        ),
    );
    const floor = this.textures.uniforms.floorLevel.value;
    this.textures.setBeds(rock && bedTable(rock, floor - high, this.range.high - ground.datum - low));
    this.redraw();
  }

  /** Colours of the ground's samples (four bytes each) laid over it, under its light or flat; null takes them away. */
  setColours(rgba: Uint8Array<ArrayBuffer> | null, lit = true): void {
    this.lit = lit;
    this.textures.setColours(rgba);
    this.setOptions(this.options);
  }

  /** Uploads only the colours of a part that a brush has changed. */
  patchColours(rgba: Uint8Array<ArrayBuffer>, part: Rectangle): void {
    this.textures.patchColours(rgba, part);
    this.frames.touch(this.boxOfPart(part));
  }

  /** The colour of contours in the working light, 0 to 1 each. */
  setContourInk(rgb: readonly [number, number, number]): void {
    this.textures.uniforms.contourInk.value.set(...rgb);
    this.redraw();
  }

  /** The rings of the brush, and of its twin in the mirror. */
  setBrush(brush: Ring | null, twin: Ring | null = null): void {
    const u = this.textures.uniforms;
    u.brush.value.set(brush?.east ?? 0, brush?.south ?? 0, brush?.radius ?? 0);
    u.brushTwin.value.set(twin?.east ?? 0, twin?.south ?? 0, twin?.radius ?? 0);
    const { ringed } = this;
    this.ringed = [brush, twin].filter((ring) => ring !== null);
    const boxes = [...ringed, ...this.ringed].map((ring) => this.boxOfRing(ring));
    this.frames.touch(boxes.includes(null) ? null : around(boxes as Box[]));
  }

  /** Where a ring is seen, with what a line's width needs; null: it cannot be said. */
  private boxOfRing({ east, south, radius }: Ring): Box | null {
    const places = Array.from({ length: 24 }, (_, k) => {
      const turn = (2 * Math.PI * k) / 24;
      return [east + 1.02 * radius * Math.cos(turn), south + 1.02 * radius * Math.sin(turn)] as const;
    });
    return this.boxOfPlaces(places, 8);
  }

  /** Where a part of the samples is seen. */
  private boxOfPart({ left, top, right, bottom }: Rectangle): Box | null {
    if (!this.source) return null;
    const { width, depth, across, down } = this.source.ground;
    const LOOKS = 8;
    const places = Array.from({ length: (LOOKS + 1) * (LOOKS + 1) }, (_, k) => {
      const [u, v] = [(k % (LOOKS + 1)) / LOOKS, Math.floor(k / (LOOKS + 1)) / LOOKS];
      return [((left - 1 + u * (right - left + 2)) * width) / across, ((top - 1 + v * (bottom - top + 2)) * depth) / down] as const;
    });
    return this.boxOfPlaces(places, 32);
  }

  private boxOfPlaces(places: readonly (readonly [number, number])[], margin: number): Box | null {
    const seen = places.map(([east, south]) => this.screenOf(east, south));
    if (seen.includes(null)) return null;
    return around(seen.map((at) => ({ left: at!.x - margin, top: at!.y - margin, right: at!.x + margin, bottom: at!.y + margin })));
  }

  /** Sees its ground from where another view sees its own. */
  follow(other: GroundView): void {
    this.cameras.follow(other.cameras);
    this.redraw();
  }

  /** Both grounds' heights are drawn about one level, so that outlines can be held against each other. */
  drawAbout(middle: number): void {
    this.textures.uniforms.middle.value = middle;
    this.redraw();
  }

  /** Looks at the whole ground, in both cameras. */
  frameAll(): void {
    this.cameras.frameAll();
    this.resize();
  }

  /** Looks out of the eyes of somebody on the ground; null goes back to where the camera was. */
  walk(walker: Walker | null): void {
    this.cameras.walk(walker);
    this.setOptions(this.options);
  }

  /** The place on the ground under a pixel of the canvas. */
  placeAt(clientX: number, clientY: number): { east: number; south: number } | null {
    return this.source && this.cameras.placeAt(this.source, clientX, clientY, this.options.water);
  }

  /** Where a place on the ground is seen, pixels of the canvas; null while it lies behind the eye. */
  screenOf(east: number, south: number): { x: number; y: number } | null {
    return this.source && this.cameras.screenOf(this.source, east, south, this.options.water);
  }

  /** Milliseconds that a whole picture takes where there is no graphics card; else 0. */
  get drawingCost(): number {
    return this.frames.cost;
  }

  /** Bytes that the card holds for this view. */
  get bytes(): number {
    return this.textures.bytes;
  }

  /** The shares of sky and sun that the samples see, a byte each; null: not known. */
  setLights(shares: Uint8Array<ArrayBuffer> | null): void {
    const first = shares && !this.textures.uniforms.lights.value;
    this.textures.setLights(shares);
    if (first) this.frames.settle();
    else this.redraw();
  }

  private pointSun(degrees: number): void {
    const azimuth = (this.options.sun * Math.PI) / 180;
    const altitude = (degrees * Math.PI) / 180;
    this.textures.uniforms.sun.value.set(Math.sin(azimuth) * Math.cos(altitude), Math.sin(altitude), -Math.cos(azimuth) * Math.cos(altitude));
  }

  /**
   * A part of one picture through a point of the lens, metres right and up of its middle, sharp at `focus` metres; moved by a part of a
   * pixel. Rows from the foot up, four values a pixel: bytes as seen, or floats of another pass.
   */
  async exposure({ fov, lens, focus, jitter, part, pass = 'seen', shared = null, settled = null }: Exposure): Promise<Uint8Array | Float32Array> {
    this.frames.stop();
    const { renderer } = this;
    const { perspective } = this.cameras;
    const [stood, looked, opened, aspect] = [perspective.position.clone(), perspective.quaternion.clone(), perspective.fov, perspective.aspect];
    perspective.fov = fov;
    perspective.aspect = part.of.width / part.of.height;
    perspective.setViewOffset(part.of.width, part.of.height, part.left, part.top, part.width, part.height);
    perspective.updateProjectionMatrix();
    const size = renderer.getSize(new Vector2());
    const half = Math.tan((fov * Math.PI) / 360);
    // The window stays where it is at the focus while the eye moves over the lens.
    const e = perspective.projectionMatrix.elements;
    e[8] += -(lens[0] / (focus * half * perspective.aspect)) * (part.of.width / part.width) + (2 * jitter[0]) / part.width;
    e[9] += -(lens[1] / (focus * half)) * (part.of.height / part.height) + (2 * jitter[1]) / part.height;
    perspective.projectionMatrixInverse.copy(perspective.projectionMatrix).invert();
    perspective.position.add(new Vector3(lens[0], lens[1], 0).applyQuaternion(perspective.quaternion));
    this.seen = this.cameras.aspect(this.source!.ground, this.range);
    const u = this.textures.uniforms;
    u.contours.value = this.options.contours ? this.seen.contourInterval : 0;
    this.shade({ pass: PASSES[pass] });
    const sky = this.sky.visible;
    if (pass === 'depth' || pass === 'normal' || pass === 'cover') this.sky.visible = false;
    this.choosePatches(part.of.height);
    const target =
      pass === 'seen' ? null : new WebGLRenderTarget(part.width, part.height, { type: FloatType, minFilter: NearestFilter, magFilter: NearestFilter });
    renderer.setRenderTarget(target);
    if (target) renderer.setClearColor(0, 0);
    if (!target) renderer.setViewport(0, 0, part.width, part.height);
    await this.gatherInGroups(settled, part, shared);
    renderer.setScissorTest(!target);
    const strips = target ? 1 : SOFTWARE_STRIPS;
    for (let strip = 0; strip < strips; strip++) {
      const [from, to] = [strip, strip + 1].map((k) => Math.floor((part.height * k) / strips));
      if (!target) renderer.setScissor(0, from, part.width, to - from);
      this.lookThrough(perspective);
      // The lens moves what is seen by pixels at the most.
      const through = strips > 1 ? this.cameras.through({ left: 0, top: 1 - to / part.height - 0.02, right: 1, bottom: 1 - from / part.height + 0.02 }) : null;
      if (!this.gathered) this.patches.within(this.source!.ground, through);
      this.walls.geometry.groups = this.wallsSeen(through);
      renderer.render(this.scene, perspective);
      await turn();
    }
    renderer.setScissorTest(false);
    renderer.setViewport(0, 0, size.x, size.y);
    const pixels = target ? new Float32Array(4 * part.width * part.height) : new Uint8Array(4 * part.width * part.height);
    const gl = renderer.getContext();
    if (target) renderer.readRenderTargetPixels(target, 0, 0, part.width, part.height, pixels as Float32Array);
    else gl.readPixels(0, 0, part.width, part.height, gl.RGBA, gl.UNSIGNED_BYTE, pixels);
    renderer.setRenderTarget(null);
    renderer.setClearColor(BACKDROP, 1);
    target?.dispose();
    this.sky.visible = sky;
    perspective.clearViewOffset();
    perspective.position.copy(stood);
    perspective.quaternion.copy(looked);
    perspective.fov = opened;
    perspective.aspect = aspect;
    perspective.updateProjectionMatrix();
    return pixels;
  }

  /** Gathers the places of a whole exposure, some patches a turn; of four that share theirs, for all of them. */
  private async gatherInGroups(settled: Uint8Array<ArrayBuffer> | null, { width, height }: { width: number; height: number }, shared: Exposure['shared']): Promise<void> {
    const { gathered, renderer } = this;
    if (!gathered) return;
    const { perspective } = this.cameras;
    gathered.lay(this.source!.ground, perspective, this.asked, { width, height, settled });
    this.laidFor = '';
    gathered.look(shared ? { finer: 2, at: shared.at } : undefined);
    if (shared && !shared.fresh) return;
    const own = perspective.clone();
    if (shared) {
      // The finer picture's pixels lie about the middle of these.
      own.projectionMatrix.elements[8] -= (shared.at[0] - 0.5) / width;
      own.projectionMatrix.elements[9] -= (shared.at[1] - 0.5) / height;
    }
    for (let group = 0; group < SOFTWARE_STRIPS; group++) {
      this.patches.group(this.source!.ground, group, SOFTWARE_STRIPS);
      gathered.gather(renderer, own, { left: 0, foot: 0, width, height }, group > 0);
      await turn();
    }
  }

  redraw(): void {
    this.frames.ask();
  }

  dispose(): void {
    this.frames.dispose();
    this.watcher?.disconnect();
    this.gathered?.dispose();
    this.cameras.dispose();
    this.textures.dispose();
    this.shaders.forEach((shaders) => shaders.dispose());
    this.renderer.dispose();
  }

  /** Makes ready for a frame; what moves is drawn without grain. */
  private beginFrame(moving: boolean): void {
    if (!this.source) return;
    const u = this.textures.uniforms;
    this.cameras.stayAbove();
    this.seen = this.cameras.aspect(this.source.ground, this.range);
    u.contours.value = this.options.contours ? this.seen.contourInterval : 0;
    u.interval.value = roundInterval(this.range.high - this.range.low, 10);
    u.meshLines.value = this.options.meshLines ? this.seen.meshEvery : 0;
    const rows = this.renderer.getDrawingBufferSize(new Vector2()).y;
    if (moving) this.choosePatches(rows / 2, MOVING_SLACK);
    else this.choosePatches(rows);
    this.shade(moving ? { grain: false } : {});
  }

  /** Draws the scene; of a part of the canvas the patches that can be seen there. */
  private paint(part: Box | null): void {
    if (!this.source) return;
    this.lookThrough(this.cameras.current);
    if (this.options.camera === 'relief') {
      const { x, y } = this.renderer.getSize(new Vector2());
      const through = part && this.cameras.through({ left: part.left / x, top: part.top / y, right: part.right / x, bottom: part.bottom / y });
      this.patches.within(this.source.ground, through);
      this.walls.geometry.groups = this.wallsSeen(through);
    }
    if (this.gathered) this.layTiles(this.gathered, this.source.ground, part);
    this.renderer.render(this.scene, this.cameras.current);
  }

  /** Gathers some patches of a picture at rest; whether those were the last. */
  private gatherSome(): boolean {
    const { gathered, source } = this;
    if (!gathered || !source) return true;
    const camera = this.cameras.current;
    camera.updateMatrixWorld();
    const place = gathered.placeOf(this.renderer, camera);
    if (gathered.has(place, this.groundVersion)) return true;
    const groups = Math.ceil(this.patches.chosen.length / PATCHES_A_TURN);
    const begun = gathered.begun?.place === place && gathered.begun.version === this.groundVersion ? gathered.begun.groups : 0;
    this.patches.group(source.ground, begun, groups);
    gathered.gather(this.renderer, camera, null, begun > 0);
    gathered.begun = { place, version: this.groundVersion, groups: begun + 1 };
    if (begun + 1 < groups) return false;
    gathered.holds = { place, version: this.groundVersion };
    return true;
  }

  /** Makes ready what a part of the canvas, or of what is drawn to, shows; where the ground itself is as it was gathered only the light is new. */
  private layTiles(gathered: GatheredGround, ground: Ground, part: Box | null): void {
    const camera = this.cameras.current;
    const place = gathered.placeOf(this.renderer, camera);
    const version = this.groundVersion;
    if (!gathered.has(place, version)) {
      // A part alone will do where the rest is there.
      const within = gathered.holds?.place === place ? part && this.pixelsOf(part) : null;
      if (!within) this.patches.within(ground, null);
      gathered.gather(this.renderer, camera, within);
      gathered.holds = { place, version };
    }
    if (part && this.laidFor === place + version) return;
    this.laidFor = place + version;
    const { x: width, y: height } = drawnSize(this.renderer);
    gathered.lay(ground, camera, this.asked, { width, height, settled: null });
  }

  private pixelsOf({ left, top, right, bottom }: Box): PixelBox {
    const ratio = this.renderer.getPixelRatio();
    const { y } = this.renderer.getSize(new Vector2());
    return { left: left * ratio, foot: (y - bottom) * ratio, width: (right - left) * ratio, height: (bottom - top) * ratio };
  }

  /** Of the four walls those that face the eye, and can be seen in a part of the picture. */
  private wallsSeen(part: Frustum | null): BufferGeometry['groups'] {
    const { extent, floorLevel, middle, exaggeration } = this.textures.uniforms;
    const { position: eye } = this.cameras.perspective;
    const [x, z] = [extent.value.x / 2, extent.value.y / 2];
    const [foot, top] = [floorLevel.value, this.range.high - this.source!.ground.datum + 50].map((h) => (h - middle.value) * exaggeration.value);
    const wall = (x0: number, z0: number, x1: number, z1: number) => new Box3(new Vector3(x0, foot, z0), new Vector3(x1, top, z1)).expandByScalar(x / 100);
    const sides: [boolean, Box3][] = [
      [eye.z < -z, wall(-x, -z, x, -z)],
      [eye.z > z, wall(-x, z, x, z)],
      [eye.x < -x, wall(-x, -z, -x, z)],
      [eye.x > x, wall(x, -z, x, z)],
    ];
    return sides.flatMap(([faces, box], side) =>
      faces && (!part || part.intersectsBox(box)) ? [{ start: side * 6 * WALL_PARTS, count: 6 * WALL_PARTS, materialIndex: 0 }] : [],
    );
  }

  private endFrame(): void {
    if (this.seen) this.onFrame(this.seen);
    this.overlays.forEach((moved) => moved());
  }

  /** Puts the shaders in that draw what is to be seen, and nothing else. */
  private shade(other: Partial<Shading> = {}): void {
    const u = this.textures.uniforms;
    const known = { watered: u.waters.value !== null, lighted: u.lights.value !== null, bedded: u.beds.value !== null, masked: u.mask.value !== null };
    const shading = { ...this.shading, ...known, ...other };
    const [ground, walls, sky] = this.shaders;
    if (this.gathered) this.gathered.shade(shading);
    else this.ground.material = ground.for(shading);
    this.walls.material = [walls.for(shading)];
    this.sky.material = sky.for(shading);
  }

  /** Tells the shaders where the eye is. */
  private lookThrough(camera: Camera): void {
    camera.updateMatrixWorld();
    this.textures.uniforms.eye.value.setFromMatrixPosition(camera.matrixWorld);
    this.fromClip.value.copy(camera.matrixWorld).multiply(camera.projectionMatrixInverse);
  }

  private skyMesh(): Mesh {
    const geometry = new BufferGeometry();
    geometry.setAttribute('position', new BufferAttribute(Float32Array.of(-1, -1, 0, 3, -1, 0, -1, 3, 0), 3));
    const mesh = new Mesh(geometry);
    mesh.frustumCulled = false;
    mesh.renderOrder = 1;
    mesh.visible = false;
    return mesh;
  }

  private choosePatches(rows: number, slack = drawnInSoftware() ? SOFTWARE_SLACK : 1): void {
    const { ground } = this.source!;
    const { exaggeration, everySample, camera } = this.options;
    const u = this.textures.uniforms;
    const plan = camera === 'plan';
    this.asked = { middle: u.middle.value, exaggeration, everySample, plan, rows, slack };
    const asked = JSON.stringify(this.asked) + this.shading.water;
    if (asked !== this.askedBefore) this.groundVersion++;
    this.askedBefore = asked;
    const count = this.patches.choose(ground, this.cameras.perspective, this.asked);
    u.skirt.value = plan ? 0 : Math.max(ground.width, ground.depth) / 60;
    // Read by the browser tests.
    this.canvas.dataset.patches = String(count);
  }

  private resize(): void {
    const box = this.canvas.parentElement;
    const width = this.still?.width ?? Math.max(1, box!.clientWidth);
    const height = this.still?.height ?? Math.max(1, box!.clientHeight);
    this.renderer.setSize(width, height, false);
    this.cameras.resize(width, height);
    // The canvas is empty now: something whole is seen at once.
    this.frames.move();
  }
}

/** Lets the page do what waits. */
const turn = () => new Promise((resolve) => setTimeout(resolve));

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
