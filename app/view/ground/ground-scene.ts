import { Box3, BufferAttribute, BufferGeometry, Matrix4, Mesh, Scene, Vector2, Vector3, type Camera, type Frustum, type WebGLRenderer } from 'three';
import { upliftOf, type Ground, type Rock } from '@upland-cast/core';
import type { DaySettings } from '../light/day';
import { SKY_FRAGMENT, SKY_VERTEX } from '../light/shaders';
import type { GroundCameras } from './cameras';
import type { Box } from './frames';
import { drawnSize, GatheredGround, type PixelBox } from './gathered-ground';
import { wallGeometry } from './geometry';
import { GroundPatches, type PatchAsk } from './patches';
import type { HeightSource } from './pick';
import { groundFragment, GROUND_VERTEX, WALL_FRAGMENT, WALL_VERTEX } from './shaders';
import { Shaders, type Shading } from './shading';
import { drawnInSoftware } from './software';
import type { GroundTextures } from './textures';

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

/** Places along each wall of the block. */
const WALL_PARTS = 1024;
/** What a sample may be drawn off its place at rest where there is no graphics card: still within a pixel. */
const SOFTWARE_SLACK = 1.35;
/** Patches that are drawn in a turn where no graphics card stands behind the page. */
const PATCHES_A_TURN = 10;

/** What stands before the cameras: the ground in its patches, the walls of its block, and the sky. */
export class GroundScene {
  readonly patches = new GroundPatches();
  private readonly scene = new Scene();
  /** The ground as it is drawn where there is a graphics card. */
  private readonly ground: Mesh;
  /** The same where there is none. */
  readonly gathered: GatheredGround | null;
  private readonly walls: Mesh;
  readonly sky: Mesh;
  /** Of the ground, the walls and the sky. */
  private readonly shaders: readonly [Shaders, Shaders, Shaders];
  private readonly fromClip = { value: new Matrix4() };
  /** Counts what changes where the ground is seen, beside the camera. */
  private version = 0;
  /** What the patches were chosen for. */
  asked: PatchAsk = { middle: 0, exaggeration: 1, everySample: false, plan: false, rows: 1 };
  private askedBefore = '';
  /** What the tiles were laid for; '': for another camera's picture. */
  private laidFor = '';
  shading: Shading = {
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
  source: HeightSource | null = null;
  range = { low: 0, high: 1 };

  constructor(
    readonly renderer: WebGLRenderer,
    readonly textures: GroundTextures,
    readonly cameras: GroundCameras,
  ) {
    const { uniforms } = textures;
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
    this.sky = skyMesh();
    // Places are floats: what cannot be drawn to is drawn as on a card.
    const floats = renderer.getContext().getExtension('EXT_color_buffer_float') !== null;
    this.gathered = drawnInSoftware() && floats ? new GatheredGround(this.patches, textures) : null;
    this.scene.add(this.sky, this.gathered?.tiles ?? this.ground, this.walls);
  }

  /** Takes over a ground, and how far off it its patches lie. */
  show(source: HeightSource, range: { low: number; high: number }, errors: Float32Array | null): void {
    this.source = source;
    this.range = range;
    this.patches.errors = errors;
    this.patches.know(source);
    this.patches.knowWater(null);
    this.changed();
  }

  /** Where the ground is seen has changed, though the camera may have not. */
  changed(): void {
    this.version++;
  }

  /** The card has forgotten what it was given. */
  forget(): void {
    this.gathered?.forget();
  }

  set wallsStand(stand: boolean) {
    this.walls.visible = stand;
  }

  /** How high the stack of a rock's beds lies along the walls; the lowest and the highest, metres. */
  stackWalls(rock: Rock | null, ground: Ground): [number, number] {
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
    return [low, high];
  }

  dispose(): void {
    this.gathered?.dispose();
    this.shaders.forEach((shaders) => shaders.dispose());
  }

  /** Draws the scene through the current camera; of a part of the canvas what can be seen there. */
  paint(part: Box | null): void {
    if (!this.source) return;
    const camera = this.cameras.current;
    this.lookThrough(camera);
    const { x, y } = this.renderer.getSize(new Vector2());
    const box = part && { left: part.left / x, top: part.top / y, right: part.right / x, bottom: part.bottom / y };
    const through = box && !this.asked.plan ? this.cameras.through(box) : null;
    if (this.gathered) {
      this.patches.within(this.source.ground, through);
      this.layTiles(this.gathered, this.source.ground, part);
    }
    this.draw(camera, through);
  }

  /** Draws what can be seen in a part of the picture; null: all of it. */
  draw(camera: Camera, through: Frustum | null): void {
    if (!this.gathered) this.patches.within(this.source!.ground, through);
    this.walls.geometry.groups = this.wallsSeen(through);
    this.renderer.render(this.scene, camera);
  }

  /** Gathers some patches of a picture at rest; whether those were the last. */
  gatherSome(): boolean {
    const { gathered, source } = this;
    if (!gathered || !source) return true;
    const camera = this.cameras.current;
    camera.updateMatrixWorld();
    const place = gathered.placeOf(this.renderer, camera);
    if (gathered.has(place, this.version)) return true;
    const groups = Math.ceil(this.patches.chosen.length / PATCHES_A_TURN);
    const begun = gathered.begun?.place === place && gathered.begun.version === this.version ? gathered.begun.groups : 0;
    this.patches.group(source.ground, begun, groups);
    gathered.gather(this.renderer, camera, drawnSize(this.renderer), { more: begun > 0 });
    gathered.begun = { place, version: this.version, groups: begun + 1 };
    if (begun + 1 < groups) return false;
    gathered.holds = { place, version: this.version };
    return true;
  }

  /** Makes ready what a part of the canvas, or of what is drawn to, shows; where the ground itself is as it was gathered only the light is new. */
  private layTiles(gathered: GatheredGround, ground: Ground, part: Box | null): void {
    const camera = this.cameras.current;
    const place = gathered.placeOf(this.renderer, camera);
    const version = this.version;
    if (!gathered.has(place, version)) {
      // A part alone will do where the rest is there.
      const within = gathered.holds?.place === place ? part && this.pixelsOf(part) : null;
      if (!within) this.patches.within(ground, null);
      gathered.gather(this.renderer, camera, drawnSize(this.renderer), { part: within });
      gathered.holds = { place, version };
    }
    if (part && this.laidFor === place + version) return;
    this.laidFor = place + version;
    gathered.lay(ground, camera, this.asked, { ...drawnSize(this.renderer), settled: null });
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

  /** Puts the shaders in that draw what is to be seen, and nothing else. */
  shade(other: Partial<Shading> = {}): void {
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
  lookThrough(camera: Camera): void {
    camera.updateMatrixWorld();
    this.textures.uniforms.eye.value.setFromMatrixPosition(camera.matrixWorld);
    this.fromClip.value.copy(camera.matrixWorld).multiply(camera.projectionMatrixInverse);
  }

  /** Chooses the patches for so many rows of pixels; how many they are. */
  choosePatches({ exaggeration, everySample, camera }: ViewOptions, rows: number, slack = drawnInSoftware() ? SOFTWARE_SLACK : 1): number {
    const { ground } = this.source!;
    const u = this.textures.uniforms;
    const plan = camera === 'plan';
    this.asked = { middle: u.middle.value, exaggeration, everySample, plan, rows, slack };
    const asked = JSON.stringify(this.asked) + this.shading.water;
    if (asked !== this.askedBefore) this.changed();
    this.askedBefore = asked;
    const count = this.patches.choose(ground, this.cameras.perspective, this.asked);
    u.skirt.value = plan ? 0 : Math.max(ground.width, ground.depth) / 60;
    return count;
  }
}

function skyMesh(): Mesh {
  const geometry = new BufferGeometry();
  geometry.setAttribute('position', new BufferAttribute(Float32Array.of(-1, -1, 0, 3, -1, 0, -1, 3, 0), 3));
  const mesh = new Mesh(geometry);
  mesh.frustumCulled = false;
  mesh.renderOrder = 1;
  mesh.visible = false;
  return mesh;
}
