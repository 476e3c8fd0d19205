import {
  AmbientLight,
  BufferAttribute,
  BufferGeometry,
  DirectionalLight,
  Mesh,
  MeshLambertMaterial,
  PerspectiveCamera,
  Scene,
  WebGLRenderer,
  DoubleSide,
  LineBasicMaterial,
  LineSegments,
  WireframeGeometry,
} from 'three';
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';
import type { MeshPicture } from '../engine/protocol';

/** Above this many triangles the wire is left out: it would be a solid sheet. */
const MOST_WIRED = 90_000;

/** Draws a triangle mesh as it is, shaded flat, with its edges over it; only when something changed. */
export class MeshView {
  private readonly renderer: WebGLRenderer;
  private readonly scene = new Scene();
  private readonly camera = new PerspectiveCamera(38, 1, 0.1, 1e6);
  private readonly controls: OrbitControls;
  private readonly watcher: ResizeObserver;
  private surface: Mesh | null = null;
  private wire: LineSegments | null = null;
  private pending = 0;
  private framed = '';

  constructor(private readonly canvas: HTMLCanvasElement) {
    this.renderer = new WebGLRenderer({ canvas, antialias: true });
    this.renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
    this.renderer.setClearColor(0xc4c7c6);
    const sun = new DirectionalLight(0xffffff, 2.2);
    sun.position.set(-1, 1.1, -0.8);
    this.scene.add(sun, new AmbientLight(0xffffff, 0.9));
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.enableDamping = false;
    this.controls.zoomToCursor = true;
    this.controls.addEventListener('change', () => this.redraw());
    this.watcher = new ResizeObserver(() => this.resize());
    this.watcher.observe(canvas.parentElement!);
    this.resize();
  }

  show(picture: MeshPicture | null): void {
    for (const part of [this.surface, this.wire]) {
      if (!part) continue;
      this.scene.remove(part);
      part.geometry.dispose();
      for (const material of [part.material].flat()) material.dispose();
    }
    this.surface = this.wire = null;
    if (!picture) {
      this.redraw();
      return;
    }
    const geometry = new BufferGeometry();
    geometry.setAttribute('position', new BufferAttribute(picture.positions, 3));
    geometry.setIndex(new BufferAttribute(picture.indices, 1));
    this.surface = new Mesh(
      geometry,
      new MeshLambertMaterial({ color: 0xe4dccb, flatShading: true, side: DoubleSide, polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1 }),
    );
    this.scene.add(this.surface);
    if (picture.indices.length / 3 <= MOST_WIRED) {
      this.wire = new LineSegments(new WireframeGeometry(geometry), new LineBasicMaterial({ color: 0x2a6a8c, transparent: true, opacity: 0.28 }));
      this.scene.add(this.wire);
    }
    // A mesh that is z up is stood up, so that both kinds are seen alike.
    for (const part of [this.surface, this.wire]) if (part) part.rotation.x = picture.up === 'z' ? -Math.PI / 2 : 0;
    geometry.computeBoundingSphere();
    const { radius } = geometry.boundingSphere!;
    const frame = radius.toPrecision(3);
    if (this.framed !== frame) {
      this.framed = frame;
      const centre = geometry.boundingSphere!.center.clone();
      if (picture.up === 'z') centre.set(centre.x, centre.z, -centre.y);
      this.controls.target.copy(centre);
      this.camera.position.set(centre.x - radius * 0.55, centre.y + radius * 1.35, centre.z + radius * 2.1);
      this.camera.near = radius / 1000;
      this.camera.far = radius * 20;
      this.camera.updateProjectionMatrix();
      this.controls.update();
    }
    this.redraw();
  }

  dispose(): void {
    cancelAnimationFrame(this.pending);
    this.watcher.disconnect();
    this.show(null);
    this.controls.dispose();
    this.renderer.dispose();
    cancelAnimationFrame(this.pending);
  }

  private redraw(): void {
    this.pending ||= requestAnimationFrame(() => {
      this.pending = 0;
      this.renderer.render(this.scene, this.camera);
    });
  }

  private resize(): void {
    const box = this.canvas.parentElement!;
    this.renderer.setSize(Math.max(1, box.clientWidth), Math.max(1, box.clientHeight), false);
    this.camera.aspect = box.clientWidth / Math.max(1, box.clientHeight);
    this.camera.updateProjectionMatrix();
    this.redraw();
  }
}
