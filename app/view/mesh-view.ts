import {
  AddEquation,
  AmbientLight,
  BufferAttribute,
  BufferGeometry,
  CanvasTexture,
  CustomBlending,
  DirectionalLight,
  DoubleSide,
  LineBasicMaterial,
  LineSegments,
  LinearSRGBColorSpace,
  Mesh,
  MeshBasicMaterial,
  MeshLambertMaterial,
  MeshStandardMaterial,
  OneFactor,
  PerspectiveCamera,
  Scene,
  SRGBColorSpace,
  Vector2,
  WebGLRenderer,
  WireframeGeometry,
  type Material,
} from 'three';
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';
import type { MeshPicture, Pixels } from '../drawing/pictures';

/** Above this many triangles the wire is left out: it would be a solid sheet. */
const MOST_WIRED = 160_000;

/** How a mesh is looked at. */
export type Look = 'wire' | 'shade' | 'error' | 'normals' | 'outline';

export interface MeshScene {
  picture: MeshPicture | null;
  look: Look;
  /** The full ground, for `normals` and `outline`. */
  high?: MeshPicture;
  error?: Pixels;
  normal?: Pixels;
}

const CLEAR = 0xc4c7c6;
const STONE = 0xe4dccb;

/** Draws a triangle mesh as it is; only when something changed. */
export class MeshView {
  private readonly renderer: WebGLRenderer;
  /** What is drawn, and beside it what it is held against. */
  private readonly left = new Scene();
  private readonly right = new Scene();
  private readonly camera = new PerspectiveCamera(38, 1, 0.1, 1e6);
  private readonly controls: OrbitControls;
  private readonly watcher: ResizeObserver;
  private parts: (Mesh | LineSegments)[] = [];
  private textures: CanvasTexture[] = [];
  private sideBySide = false;
  private pending = 0;
  private framed = '';

  constructor(private readonly canvas: HTMLCanvasElement) {
    this.renderer = new WebGLRenderer({ canvas, antialias: true });
    this.renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
    for (const scene of [this.left, this.right]) {
      const sun = new DirectionalLight(0xffffff, 2.2);
      sun.position.set(-1, 1.1, -0.8);
      scene.add(sun, new AmbientLight(0xffffff, 0.9));
    }
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.enableDamping = false;
    this.controls.zoomToCursor = true;
    this.controls.addEventListener('change', () => this.redraw());
    this.watcher = new ResizeObserver(() => this.resize());
    this.watcher.observe(canvas.parentElement!);
    this.resize();
  }

  show({ picture, look, high, error, normal }: MeshScene): void {
    this.empty();
    this.sideBySide = false;
    this.renderer.setClearColor(look === 'outline' ? 0x101820 : CLEAR);
    if (picture) {
      const geometry = geometryOf(picture);
      if (look === 'outline' && high) {
        // Light adds up: both together are white, one alone has its colour.
        this.add(this.left, geometryOf(high), silhouette(0xd8482c), high.up);
        this.add(this.left, geometry, silhouette(0x2798b8), picture.up);
      } else if (look === 'normals' && high && normal && geometry.getAttribute('tangent')) {
        this.sideBySide = true;
        const map = this.texture(normal, false);
        this.add(
          this.left,
          geometry,
          new MeshStandardMaterial({ color: STONE, normalMap: map, normalScale: new Vector2(1, 1), roughness: 1, side: DoubleSide }),
          picture.up,
        );
        this.add(this.right, geometryOf(high), new MeshStandardMaterial({ color: STONE, roughness: 1, side: DoubleSide }), high.up);
      } else if (look === 'error' && error && picture.uvs) {
        this.add(this.left, geometry, new MeshLambertMaterial({ map: this.texture(error, true), side: DoubleSide }), picture.up);
      } else {
        this.add(
          this.left,
          geometry,
          new MeshLambertMaterial({
            color: STONE,
            flatShading: look === 'wire',
            side: DoubleSide,
            polygonOffset: true,
            polygonOffsetFactor: 1,
            polygonOffsetUnits: 1,
          }),
          picture.up,
        );
      }
      if (look === 'wire' && picture.indices.length / 3 <= MOST_WIRED) {
        const wire = new LineSegments(
          picture.quads ? quadEdges(picture) : new WireframeGeometry(geometry),
          new LineBasicMaterial({ color: 0x2a6a8c, transparent: true, opacity: 0.28 }),
        );
        this.place(this.left, wire, picture.up);
      }
      this.frame(geometry, picture.up);
    }
    this.resize();
  }

  dispose(): void {
    cancelAnimationFrame(this.pending);
    this.watcher.disconnect();
    this.empty();
    this.controls.dispose();
    this.renderer.dispose();
    cancelAnimationFrame(this.pending);
  }

  private empty(): void {
    for (const part of this.parts) {
      part.removeFromParent();
      part.geometry.dispose();
      for (const material of [part.material].flat()) material.dispose();
    }
    for (const texture of this.textures) texture.dispose();
    this.parts = [];
    this.textures = [];
  }

  private add(scene: Scene, geometry: BufferGeometry, material: Material, up: 'y' | 'z'): void {
    this.place(scene, new Mesh(geometry, material), up);
  }

  /** A mesh that is z up is stood up, so that both kinds are seen alike. */
  private place(scene: Scene, part: Mesh | LineSegments, up: 'y' | 'z'): void {
    part.rotation.x = up === 'z' ? -Math.PI / 2 : 0;
    part.frustumCulled = false;
    scene.add(part);
    this.parts.push(part);
  }

  private texture({ width, height, pixels }: Pixels, colour: boolean): CanvasTexture {
    const canvas = document.createElement('canvas');
    canvas.width = width;
    canvas.height = height;
    canvas.getContext('2d')!.putImageData(new ImageData(pixels, width, height), 0, 0);
    const texture = new CanvasTexture(canvas);
    // The first row is the north edge, where v is 0.
    texture.flipY = false;
    texture.colorSpace = colour ? SRGBColorSpace : LinearSRGBColorSpace;
    texture.anisotropy = 4;
    this.textures.push(texture);
    return texture;
  }

  private frame(geometry: BufferGeometry, up: 'y' | 'z'): void {
    geometry.computeBoundingSphere();
    const { radius } = geometry.boundingSphere!;
    const frame = radius.toPrecision(2);
    if (this.framed === frame) return;
    this.framed = frame;
    const centre = geometry.boundingSphere!.center.clone();
    if (up === 'z') centre.set(centre.x, centre.z, -centre.y);
    // The near half is drawn larger: a little lower, the whole is in the middle.
    this.controls.target.set(centre.x + radius * 0.06, centre.y - radius * 0.14, centre.z);
    this.camera.position.set(centre.x - radius * 0.55, centre.y + radius * 1.35, centre.z + radius * 2.1);
    this.camera.near = radius / 1000;
    this.camera.far = radius * 20;
    this.camera.updateProjectionMatrix();
    this.controls.update();
  }

  private redraw(): void {
    this.pending ||= requestAnimationFrame(() => {
      this.pending = 0;
      const { clientWidth: width, clientHeight: height } = this.canvas.parentElement!;
      const { renderer } = this;
      if (!this.sideBySide) {
        renderer.setScissorTest(false);
        renderer.setViewport(0, 0, width, height);
        renderer.render(this.left, this.camera);
        return;
      }
      const half = Math.floor(width / 2);
      renderer.setScissorTest(true);
      for (const [scene, from, size] of [
        [this.left, 0, half - 1],
        [this.right, half + 1, width - half - 1],
      ] as const) {
        renderer.setViewport(from, 0, size, height);
        renderer.setScissor(from, 0, size, height);
        renderer.render(scene, this.camera);
      }
    });
  }

  private resize(): void {
    const box = this.canvas.parentElement!;
    this.renderer.setSize(Math.max(1, box.clientWidth), Math.max(1, box.clientHeight), false);
    this.camera.fov = this.sideBySide ? 62 : 38;
    this.camera.aspect = (this.sideBySide ? 0.5 : 1) * (box.clientWidth / Math.max(1, box.clientHeight));
    this.camera.updateProjectionMatrix();
    this.redraw();
  }
}

const silhouette = (color: number) =>
  new MeshBasicMaterial({
    color,
    side: DoubleSide,
    depthTest: false,
    blending: CustomBlending,
    blendEquation: AddEquation,
    blendSrc: OneFactor,
    blendDst: OneFactor,
    transparent: true,
  });

function geometryOf(picture: MeshPicture): BufferGeometry {
  const geometry = new BufferGeometry();
  geometry.setAttribute('position', new BufferAttribute(picture.positions, 3));
  if (picture.normals) geometry.setAttribute('normal', new BufferAttribute(picture.normals, 3));
  if (picture.uvs) geometry.setAttribute('uv', new BufferAttribute(picture.uvs, 2));
  if (picture.tangents) geometry.setAttribute('tangent', new BufferAttribute(picture.tangents, 4));
  geometry.setIndex(new BufferAttribute(picture.indices, 1));
  if (!picture.normals) geometry.computeVertexNormals();
  return geometry;
}

/** The edges of faces with four corners, without the diagonals that they are drawn with. */
function quadEdges({ positions, quads }: MeshPicture): BufferGeometry {
  const edges = new Uint32Array(quads!.length * 2);
  for (let i = 0, o = 0; i < quads!.length; i += 4) {
    for (let k = 0; k < 4; k++) {
      edges[o++] = quads![i + k];
      edges[o++] = quads![i + ((k + 1) % 4)];
    }
  }
  const geometry = new BufferGeometry();
  geometry.setAttribute('position', new BufferAttribute(positions, 3));
  geometry.setIndex(new BufferAttribute(edges, 1));
  return geometry;
}
