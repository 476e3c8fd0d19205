import {
  BufferAttribute,
  BufferGeometry,
  Color,
  FloatType,
  Group,
  Mesh,
  NearestFilter,
  Scene,
  Sphere,
  Vector2,
  Vector3,
  WebGLRenderTarget,
  type Camera,
  type PerspectiveCamera,
  type WebGLRenderer,
} from 'three';
import type { Ground } from '@upland-cast/core';
import type { GroundPatches, PatchAsk } from './patches';
import { GATHER_FRAGMENT, GRAIN_PIXEL, GROUND_VERTEX, groundFragment, TILE_VERTEX } from './shaders';
import { Shaders, type Shading } from './shading';
import type { GroundTextures } from './textures';
import { dropSettled, GROUND, NEAR, rows, tileGrid, TileMarker, WET } from './tiles';

/** Pixels of the target that is drawn to, from its left and its foot. */
export interface PixelBox {
  left: number;
  foot: number;
  width: number;
  height: number;
}

/** Pixels around a part that are gathered with it: how things change from pixel to pixel is asked of neighbours. */
const MARGIN = 2;

/** The camera and the size of a picture, and the count of changes of the ground. */
interface GatheredFor {
  place: string;
  version: number;
}

/** What tiles can show beside dry, far ground: each kind has shaders that work out nothing else. */
const KINDS = [0, WET, NEAR, WET | NEAR];
/** Pixels along a tile's side; less where many are settled. */
const TILE = 8;
const FINE_TILE = 4;

/**
 * The ground where no graphics card stands behind the page. There every branch of a shader is worked out, for every triangle that touches a
 * pixel's block of four, also where another hides it. So the triangles write down only which place of the ground a pixel shows, and light falls
 * on what is seen in the end, in tiles of which each is drawn by what it can show.
 */
export class GatheredGround {
  /** What shades the gathered places; part of the scene. */
  readonly tiles = new Group();
  private readonly meshes: readonly Mesh[];
  private readonly shaders: Shaders;
  private readonly gatherers: Shaders;
  private readonly triangles: Mesh;
  private readonly scene = new Scene();
  private readonly target = new WebGLRenderTarget(1, 1, { type: FloatType, minFilter: NearestFilter, magFilter: NearestFilter });
  private readonly uniforms = { gathered: { value: this.target.texture }, tileSize: { value: new Vector2(1, 1) }, finer: { value: new Vector3(1, 0, 0) } };

  /** What all gathered places are of; null: of nothing that is known. */
  holds: GatheredFor | null = null;
  /** What some groups of patches were gathered of. */
  begun: (GatheredFor & { groups: number }) | null = null;

  constructor(
    private readonly patches: GroundPatches,
    textures: GroundTextures,
  ) {
    const { uniforms } = textures;
    this.shaders = new Shaders(TILE_VERTEX, groundFragment(true), { ...uniforms, ...this.uniforms });
    this.gatherers = new Shaders(GROUND_VERTEX, GATHER_FRAGMENT, uniforms);
    this.triangles = new Mesh(patches.geometry);
    this.triangles.frustumCulled = false;
    this.scene.add(this.triangles);
    this.meshes = KINDS.map(() => {
      const mesh = new Mesh(new BufferGeometry());
      // Its corners are tiles of the picture, of no place in the scene.
      mesh.geometry.boundingSphere = new Sphere();
      mesh.frustumCulled = false;
      // Walls and sky come after it, behind what it shows.
      mesh.renderOrder = -1;
      return mesh;
    });
    this.tiles.add(...this.meshes);
  }

  /** Puts the shaders in for what is to be seen. */
  shade(shading: Shading): void {
    KINDS.forEach((kind, k) => {
      const own = { ...shading, wet: (kind & WET) > 0, grain: shading.grain && shading.day && (kind & NEAR) > 0 };
      this.meshes[k].material = this.shaders.for(own);
    });
    // Where the ground lies does not hang on its light.
    const unlit = { day: false, grain: false, plan: false, wet: false, lighted: false, bedded: false, masked: false, drape: 0, pass: 0 } as const;
    this.triangles.material = this.gatherers.for({ ...shading, ...unlit });
  }

  /** Lays out the tiles for a picture of the chosen patches; of settled pixels (not 0, rows from the foot up) none. */
  lay(ground: Ground, camera: Camera, ask: PatchAsk, { width, height, settled }: { width: number; height: number; settled: Uint8Array | null }): void {
    const grid = tileGrid(width, height, settled ? FINE_TILE : TILE);
    camera.updateMatrixWorld();
    const marker = new TileMarker(camera, width, height);
    for (const { box } of this.patches.chosen) marker.mark(grid, box, GROUND);
    const perspective = camera as PerspectiveCamera;
    const metresAPixel = perspective.isPerspectiveCamera ? (2 * Math.tan((perspective.fov * Math.PI) / 360)) / ask.rows : Infinity;
    const eye = new Vector3().setFromMatrixPosition(camera.matrixWorld);
    for (const { box, wet } of this.patches.inCells(ground, ask)) {
      const flag = (wet ? WET : 0) | (box.distanceToPoint(eye) * metresAPixel < GRAIN_PIXEL ? NEAR : 0);
      if (flag) marker.mark(grid, box, flag);
    }
    if (settled) dropSettled(grid, settled, width, height);
    this.uniforms.tileSize.value.set(grid.size / width, grid.size / height);
    KINDS.forEach((kind, k) =>
      this.place(
        this.meshes[k],
        rows(grid, (flags) => (flags & GROUND) > 0 && (flags & (WET | NEAR)) === kind),
      ),
    );
  }

  private place(mesh: Mesh, corners: readonly number[]): void {
    let places = mesh.geometry.getAttribute('position') as BufferAttribute | undefined;
    if (!places || places.array.length < corners.length) {
      // What the card holds of a shorter list goes with it.
      mesh.geometry.dispose();
      places = new BufferAttribute(new Float32Array(Math.max(1024, Math.ceil(0.6 * corners.length) * 2)), 2);
      mesh.geometry.setAttribute('position', places);
    }
    places.set(corners);
    places.needsUpdate = true;
    mesh.geometry.setDrawRange(0, corners.length / 2);
    mesh.visible = corners.length > 0;
  }

  /** So many places are gathered for a pixel, across and down, and the one at a place of them is shown. */
  look({ finer, at }: { finer: number; at: readonly [number, number] } = { finer: 1, at: [0, 0] }): void {
    this.uniforms.finer.value.set(finer, ...at);
  }

  /** The camera, and the size of what the renderer draws to. */
  placeOf(renderer: WebGLRenderer, camera: Camera): string {
    const { width, height } = drawnSize(renderer);
    return JSON.stringify([width, height, camera.projectionMatrix.elements, camera.matrixWorld.elements]);
  }

  has(place: string, version: number): boolean {
    return this.holds?.place === place && this.holds.version === version;
  }

  /** The card has forgotten what was gathered. */
  forget(): void {
    this.holds = this.begun = null;
  }

  /** Gathers the patches that are placed for a picture of a size, or in a part of it; `more` of the same picture is added to what is there. */
  gather(
    renderer: WebGLRenderer,
    camera: Camera,
    size: { width: number; height: number },
    { part, more = false }: { part?: PixelBox | null; more?: boolean } = {},
  ): void {
    const { target } = this;
    const finer = this.uniforms.finer.value.x;
    this.forget();
    const [x, y] = [size.width * finer, size.height * finer];
    if (target.width < x || target.height < y) target.setSize(Math.max(target.width, x), Math.max(target.height, y));
    target.viewport.set(0, 0, x, y);
    target.scissorTest = true;
    const [left, foot, width, height] = part ? [part.left, part.foot, part.width, part.height].map((pixels) => pixels * finer) : [0, 0, x, y];
    target.scissor.set(left - MARGIN, foot - MARGIN, width + 2 * MARGIN, height + 2 * MARGIN);
    const into = renderer.getRenderTarget();
    const [clear, alpha] = [renderer.getClearColor(new Color()), renderer.getClearAlpha()];
    renderer.setRenderTarget(target);
    renderer.setClearColor(0, -1);
    renderer.autoClear = !more;
    renderer.render(this.scene, camera);
    renderer.autoClear = true;
    renderer.setClearColor(clear, alpha);
    renderer.setRenderTarget(into);
  }

  dispose(): void {
    this.shaders.dispose();
    this.gatherers.dispose();
    this.target.dispose();
    this.meshes.forEach(({ geometry }) => geometry.dispose());
  }
}

/** Pixels of what a renderer draws to. */
export function drawnSize(renderer: WebGLRenderer): { width: number; height: number } {
  const into = renderer.getRenderTarget();
  if (into) return { width: into.width, height: into.height };
  const { x: width, y: height } = renderer.getDrawingBufferSize(new Vector2());
  return { width, height };
}
