import { LinearFilter, Mesh, OrthographicCamera, PlaneGeometry, RawShaderMaterial, GLSL3, Scene, Vector2, WebGLRenderTarget, type WebGLRenderer } from 'three';

/** Milliseconds without a movement after which a picture is at rest. */
const REST = 140;
/** What one turn of drawing may take without a graphics card, milliseconds: the page answers between turns. */
const TURN = 60;
/** Milliseconds without a touch after which what was drawn in parts is drawn whole: a hill that was raised also hides what lies behind it. */
const AFTER = 1200;
const MOST_STRIPS = 24;
/** Milliseconds that a coarse picture is put off when the whole one may be there as soon: the first of its kind takes as long, its shaders have to be made. */
const SOON = 350;
/** Milliseconds after which what stands in for work under way is drawn whole, where nothing newer has come. */
const STANDS_IN = 8000;
/** How much coarser what moves is drawn where there is no graphics card, at the least and at the most. */
const COARSE = { least: 2, most: 5 };

/** Pixels of the canvas, CSS, from its left and top. */
export interface Box {
  left: number;
  top: number;
  right: number;
  bottom: number;
}

/** What holds all of some boxes. */
export const around = (boxes: readonly Box[]): Box => ({
  left: Math.min(...boxes.map(({ left }) => left)),
  top: Math.min(...boxes.map(({ top }) => top)),
  right: Math.max(...boxes.map(({ right }) => right)),
  bottom: Math.max(...boxes.map(({ bottom }) => bottom)),
});

/**
 * How pictures come to the screen. With a graphics card each is drawn at once. Without one, what moves is drawn coarsely, what rests comes in
 * strips, one a turn, and where only a part was touched that part alone is drawn.
 */
export class Frames {
  private pending = 0;
  private resting: ReturnType<typeof setTimeout> | undefined;
  /** Nothing is drawn before: what is needed for the whole picture may come at once. */
  private waiting: ReturnType<typeof setTimeout> | undefined;
  private movedAt = -Infinity;
  private strips = 6;
  private strip = 0;
  /** How far a picture in strips has come before its first. */
  private phase: 'none' | 'gathering' | 'gathered' = 'none';
  /** Milliseconds that the strips of this picture took, and what came before them. */
  private took = 0;
  private gatherTook = 0;
  private again = false;
  private factor = COARSE.least;
  private standsIn = false;
  /** The part that was touched since the last picture; null: all of it. */
  private part: Box | null = null;
  private asked = false;
  /** Whether the canvas shows a whole picture at rest, of which a part can be drawn anew. */
  private whole = false;
  private readonly coarse = new WebGLRenderTarget(1, 1, { minFilter: LinearFilter, magFilter: LinearFilter });
  /** Milliseconds that the last picture took that was whole or stood in for one; 0 where a card draws it beside the page's work. */
  cost = 0;
  private warmed = false;
  private readonly pixel = new Uint8Array(4);
  private readonly copy = new Scene();
  private readonly flat = new OrthographicCamera(-1, 1, 1, -1, -1, 1);

  /** `begin` makes ready for a picture, `gather` does a turn's part of what has to come before it is drawn and says whether that was the last, `paint` draws the scene, `done` is told when the whole picture is there, `rest` whether it is what there is to see or something newer is on its way. */
  constructor(
    private readonly renderer: WebGLRenderer,
    private readonly software: boolean,
    private readonly scene: {
      begin: (moving: boolean) => void;
      gather: () => boolean;
      paint: (part: Box | null) => void;
      done: () => void;
      rest: (atRest: boolean) => void;
    },
  ) {
    const material = new RawShaderMaterial({
      glslVersion: GLSL3,
      vertexShader:
        'precision highp float; in vec3 position; out vec2 at; void main() { at = 0.5 * position.xy + 0.5; gl_Position = vec4(position.xy, 0.0, 1.0); }',
      fragmentShader: 'precision highp float; uniform sampler2D seen; in vec2 at; out vec4 colour; void main() { colour = texture(seen, at); }',
      uniforms: { seen: { value: this.coarse.texture } },
      depthTest: false,
      depthWrite: false,
    });
    const plane = new Mesh(new PlaneGeometry(2, 2), material);
    plane.frustumCulled = false;
    this.copy.add(plane);
  }

  /** Something is seen otherwise: the whole picture is drawn anew. */
  ask(): void {
    this.scene.rest(false);
    this.part = null;
    this.asked = true;
    if (this.waiting !== undefined) return;
    if (this.pending) this.again = this.begun;
    else this.next();
  }

  /** A camera moves. */
  move(): void {
    this.putOff();
    this.movedAt = performance.now();
    if (!this.software) return this.ask();
    this.scene.rest(false);
    this.part = null;
    this.asked = true;
    // What was being drawn is of another place.
    this.leave();
    if (!this.pending) this.next();
  }

  /** What there is to see is not whole yet: for so many milliseconds at the most it is drawn as what moves, and for the first of them what was there is left. */
  coarseFor(milliseconds: number): void {
    if (!this.software) return this.ask();
    this.stop();
    this.putOff(() => {
      this.move();
      this.movedAt += milliseconds - SOON - REST;
    });
  }

  /** What there is to see stands in for what is worked out: drawn as what moves, so that the work has the machine. */
  standIn(): void {
    if (!this.software) return this.ask();
    this.move();
    this.movedAt += STANDS_IN - REST;
    this.standsIn = true;
  }

  /** It is whole now. */
  settle(): void {
    this.putOff();
    this.movedAt = -Infinity;
    this.ask();
  }

  /** Only a part of the picture is seen otherwise. */
  touch(box: Box | null): void {
    if (!this.software || !box || !this.whole || this.begun || (this.asked && !this.part)) return this.ask();
    this.scene.rest(false);
    this.part = around(this.part ? [this.part, box] : [box]);
    this.asked = true;
    if (!this.pending) this.next();
  }

  /** Draws nothing until then; without an end goes on at once. */
  private putOff(then?: () => void): void {
    clearTimeout(this.waiting);
    this.waiting = then && setTimeout(then, SOON);
  }

  /** Nothing more is drawn; what was asked for is forgotten. */
  stop(): void {
    this.scene.rest(false);
    this.putOff();
    cancelAnimationFrame(this.pending);
    clearTimeout(this.resting);
    this.pending = 0;
    this.leave();
    this.asked = false;
    this.whole = false;
  }

  private get begun(): boolean {
    return this.strip > 0 || this.phase !== 'none';
  }

  private leave(): void {
    this.strip = 0;
    this.phase = 'none';
    this.again = false;
  }

  dispose(): void {
    this.stop();
    this.coarse.dispose();
    for (const mesh of this.copy.children as Mesh<PlaneGeometry, RawShaderMaterial>[]) {
      mesh.geometry.dispose();
      mesh.material.dispose();
    }
  }

  /** Milliseconds that drawing has taken, when it is there. */
  private since(began: number): number {
    const gl = this.renderer.getContext();
    // Only who asks for a pixel waits until it is drawn.
    gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, this.pixel);
    return performance.now() - began;
  }

  private next(): void {
    this.pending = requestAnimationFrame(() => this.draw());
  }

  private draw(): void {
    this.pending = 0;
    if (!this.software) return this.paintWhole();
    if (performance.now() - this.movedAt < REST) return this.paintMoving();
    const { part } = this;
    if (part && this.whole && !this.begun) return this.paintPart(part);
    this.paintStrip();
  }

  private paintWhole(): void {
    this.asked = false;
    this.scene.begin(false);
    this.scene.paint(null);
    this.scene.done();
    this.scene.rest(true);
  }

  private paintMoving(): void {
    const { renderer, coarse } = this;
    const began = performance.now();
    const { x, y } = renderer.getDrawingBufferSize(new Vector2());
    coarse.setSize(Math.ceil(x / this.factor), Math.ceil(y / this.factor));
    this.asked = false;
    this.part = null;
    this.whole = false;
    this.scene.begin(true);
    renderer.setScissorTest(false);
    renderer.setRenderTarget(coarse);
    this.scene.paint(null);
    renderer.setRenderTarget(null);
    renderer.render(this.copy, this.flat);
    this.scene.done();
    const took = this.since(began);
    if (this.standsIn) this.cost = took;
    this.standsIn = false;
    // The next movement may come only now that the page answers again.
    this.movedAt = Math.max(this.movedAt, performance.now());
    if (took > 1.5 * TURN) this.factor = Math.min(COARSE.most, this.factor + 0.5);
    else if (took < TURN / 2) this.factor = Math.max(COARSE.least, this.factor - 0.25);
    clearTimeout(this.resting);
    this.resting = setTimeout(() => this.ask(), this.movedAt + REST + 10 - performance.now());
  }

  private paintPart({ left, top, right, bottom }: Box): void {
    const { renderer } = this;
    const { x, y } = renderer.getSize(new Vector2());
    const [l, t, r, b] = [Math.max(0, Math.floor(left)), Math.max(0, Math.floor(top)), Math.min(x, Math.ceil(right)), Math.min(y, Math.ceil(bottom))];
    if ((r - l) * (b - t) > 0.5 * x * y) {
      this.part = null;
      return this.paintStrip();
    }
    this.asked = false;
    this.part = null;
    this.scene.begin(false);
    if (r > l && b > t) {
      renderer.setScissorTest(true);
      renderer.setScissor(l, y - b, r - l, b - t);
      this.scene.paint({ left: l, top: t, right: r, bottom: b });
    }
    this.scene.done();
    clearTimeout(this.resting);
    this.resting = setTimeout(() => this.ask(), AFTER);
  }

  private paintStrip(): void {
    const { renderer, strips } = this;
    if (!this.begun) {
      this.asked = false;
      this.part = null;
      this.took = this.gatherTook = 0;
      this.phase = 'gathering';
      this.scene.begin(false);
    }
    const began = performance.now();
    if (this.phase === 'gathering') {
      if (this.scene.gather()) this.phase = 'gathered';
      this.gatherTook += this.since(began);
      return this.next();
    }
    const { x, y } = renderer.getSize(new Vector2());
    const from = Math.floor((y * (strips - 1 - this.strip)) / strips);
    const to = Math.floor((y * (strips - this.strip)) / strips);
    renderer.setScissorTest(true);
    renderer.setScissor(0, from, x, to - from);
    this.scene.paint({ left: 0, top: y - to, right: x, bottom: y - from });
    this.took += this.since(began);
    this.strip++;
    if (this.strip < strips) return this.next();
    const { again } = this;
    this.leave();
    this.whole = true;
    this.cost = this.took + this.gatherTook;
    this.gatherTook = 0;
    this.strips = Math.min(MOST_STRIPS, Math.max(1, Math.round(this.took / TURN)));
    if (again) this.ask();
    this.scene.done();
    if (!this.asked) this.scene.rest(true);
    if (!this.warmed) this.warm();
  }

  /** What moves is drawn by shaders of its own: they are made before somebody moves it, in a picture that nobody sees. */
  private warm(): void {
    this.warmed = true;
    setTimeout(() => {
      if (this.pending) return void (this.warmed = false);
      this.coarse.setSize(8, 8);
      this.scene.begin(true);
      this.renderer.setScissorTest(false);
      this.renderer.setRenderTarget(this.coarse);
      this.scene.paint(null);
      this.renderer.setRenderTarget(null);
      this.scene.begin(false);
    }, REST);
  }
}
