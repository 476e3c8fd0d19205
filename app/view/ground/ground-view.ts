import { Vector2, WebGLRenderer } from 'three';
import { bedTable, upliftOf, type Rectangle, type Rock } from '@upland-cast/core';
import { roundInterval } from '../../drawing/ramp';
import { setDay } from '../light/day';
import { surfaceAt, type HeightSource } from './pick';
import type { Walker } from './walk';
import { GroundCameras, type Aspect } from './cameras';
import { around, Frames, type Box } from './frames';
import { BACKDROP, expose, type Exposure } from './exposures';
import { GroundScene, type ViewOptions } from './ground-scene';
import { drawnInSoftware } from './software';
import { GroundTextures } from './textures';

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

interface Ring {
  east: number;
  south: number;
  /** Metres. */
  radius: number;
}

/** Milliseconds within which the light on a new ground is there, as a rule. */
const LIGHT_COMES = 1600;
/** How much further off its place than at rest a sample may be drawn while the camera moves. */
const MOVING_SLACK = 4;
/** Degrees that the sun of the working light stands above the horizon. */
const SUN_HEIGHT = { relief: 34, plan: 45 };
/** Places along a side at which the grain of near ground asks for the rock's beds. */
const STACKS = 128;

/** Draws a ground with three: height as a float texture, a level-of-detail grid displaced on the card, only when something changed. */
export class GroundView {
  readonly cameras: GroundCameras;
  private readonly textures: GroundTextures;
  private readonly renderer: WebGLRenderer;
  private readonly scene: GroundScene;
  private readonly frames: Frames;
  /** The rings that are drawn. */
  private ringed: Ring[] = [];
  private options: ViewOptions = { ...WORKING_LIGHT, camera: 'relief', drape: 'tint', contours: false, water: true };
  private lit = true;
  private seen: Aspect | null = null;
  /** Whether what is shown stands in for what is worked out. */
  private stoodIn = false;
  private framed = '';
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
    this.scene = new GroundScene(this.renderer, this.textures, this.cameras);
    this.frames = new Frames(this.renderer, drawnInSoftware(), {
      begin: (moving) => this.beginFrame(moving),
      gather: () => this.scene.gatherSome(),
      paint: (part) => this.scene.paint(part),
      done: () => this.endFrame(),
      // Read by the browser tests: what is seen is all there is to see.
      rest: (atRest) => void (atRest ? (canvas.dataset.drawn = '') : delete canvas.dataset.drawn),
    });
    if (!still) {
      this.watcher = new ResizeObserver(() => this.resize());
      this.watcher.observe(canvas.parentElement!);
    }
    canvas.addEventListener('webglcontextlost', (event) => event.preventDefault());
    canvas.addEventListener('webglcontextrestored', () => {
      this.textures.restore();
      this.scene.forget();
      this.renderer.setClearColor(BACKDROP);
      this.frames.stop();
      this.redraw();
    });
    this.cameras.heightOver = ([east, south, height]) => {
      const { source } = this.scene;
      if (!source || east < 0 || south < 0 || east > source.ground.width || south > source.ground.depth) return Infinity;
      const depths = (this.textures.uniforms.waters.value?.image.data ?? null) as Float32Array | null;
      return height - surfaceAt(source, this.options.water ? { depths } : null, east, south);
    };
    this.resize();
  }

  /** Shows a ground, which may stand in for one that is worked out; the camera stays unless the land itself changed its size. */
  setGround(source: HeightSource, range: { low: number; high: number }, errors: Float32Array | null = null, standsIn = false): void {
    const { ground } = source;
    const u = this.textures.uniforms;
    this.scene.show(source, range, errors);
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
    if (this.scene.shading.day && !u.lights.value) this.frames.coarseFor(LIGHT_COMES);
    else if (standsIn) this.frames.standIn();
    else if (this.stoodIn) this.frames.settle();
    this.stoodIn = standsIn;
  }

  /** Uploads only the samples that a stroke changed. */
  patch(part: Rectangle): void {
    if (!this.scene.source) return;
    this.textures.patchHeights(this.scene.source.height, part);
    this.scene.patches.forget(this.scene.source.ground, part);
    this.scene.patches.know(this.scene.source, part);
    this.scene.changed();
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
    this.scene.shading = { ...this.scene.shading, day, drape, grain: options.grain, plan: options.camera === 'plan', water: options.water };
    if (day) setDay(u, options);
    this.pointSun(day ? Math.max(0.5, options.sunHeight) : SUN_HEIGHT[options.camera]);
    this.cameras.use(options);
    this.scene.wallsStand = options.camera === 'relief';
    this.scene.sky.visible = day;
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
    this.scene.patches.knowWater(values);
    this.scene.changed();
    this.redraw();
  }

  /** The rock that the walls of the block are cut through; null: alike everywhere. */
  setRock(rock: Rock | null): void {
    if (!this.scene.source) return;
    const { ground } = this.scene.source;
    const up = rock && upliftOf(rock, ground);
    const [low, high] = this.scene.stackWalls(rock, ground);
    this.textures.setStacks(
      up &&
        Float32Array.from({ length: STACKS * STACKS }, (_, i) =>
          up((((i % STACKS) + 0.5) / STACKS) * ground.width, ((Math.floor(i / STACKS) + 0.5) / STACKS) * ground.depth),
        ),
    );
    const floor = this.textures.uniforms.floorLevel.value;
    this.textures.setBeds(rock && bedTable(rock, floor - high, this.scene.range.high - ground.datum - low));
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
    if (!this.scene.source) return null;
    const { width, depth, across, down } = this.scene.source.ground;
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
    return this.scene.source && this.cameras.placeAt(this.scene.source, clientX, clientY, this.options.water);
  }

  /** Where a place on the ground is seen, pixels of the canvas; null while it lies behind the eye. */
  screenOf(east: number, south: number): { x: number; y: number } | null {
    return this.scene.source && this.cameras.screenOf(this.scene.source, east, south, this.options.water);
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

  /** A part of a still, as `expose` takes it. */
  exposure(exposure: Exposure): Promise<Uint8Array | Float32Array> {
    this.frames.stop();
    return expose(this.scene, this.options, exposure);
  }

  redraw(): void {
    this.frames.ask();
  }

  dispose(): void {
    this.frames.dispose();
    this.watcher?.disconnect();
    this.scene.dispose();
    this.cameras.dispose();
    this.textures.dispose();
    this.renderer.dispose();
  }

  /** Makes ready for a frame; what moves is drawn without grain. */
  private beginFrame(moving: boolean): void {
    if (!this.scene.source) return;
    const u = this.textures.uniforms;
    this.cameras.stayAbove();
    this.seen = this.cameras.aspect(this.scene.source.ground, this.scene.range);
    u.contours.value = this.options.contours ? this.seen.contourInterval : 0;
    u.interval.value = roundInterval(this.scene.range.high - this.scene.range.low, 10);
    u.meshLines.value = this.options.meshLines ? this.seen.meshEvery : 0;
    const rows = this.renderer.getDrawingBufferSize(new Vector2()).y;
    const count = moving ? this.scene.choosePatches(this.options, rows / 2, MOVING_SLACK) : this.scene.choosePatches(this.options, rows);
    // Read by the browser tests.
    this.canvas.dataset.patches = String(count);
    this.scene.shade(moving ? { grain: false } : {});
  }

  private endFrame(): void {
    if (this.seen) this.onFrame(this.seen);
    this.overlays.forEach((moved) => moved());
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
