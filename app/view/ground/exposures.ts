import { FloatType, NearestFilter, Vector2, Vector3, WebGLRenderTarget, type PerspectiveCamera } from 'three';
import type { GroundScene, ViewOptions } from './ground-scene';

/** What a picture shows: as on the screen; light before it is bent for it; metres from the eye; normals (east, up, south); the cover's colour. */
const PASSES = { seen: 0, depth: 1, normal: 2, cover: 3, linear: 4 } as const;
export type Pass = keyof typeof PASSES;

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

/** Parts that a still is drawn in where no graphics card stands behind the page. */
const SOFTWARE_STRIPS = 4;
export const BACKDROP = 0xc4c7c6;

/** Lets the page do what waits. */
const turn = () => new Promise((resolve) => setTimeout(resolve));

/**
 * A part of one picture through a point of the lens, metres right and up of its middle, sharp at `focus` metres; moved by a part of a pixel.
 * Rows from the foot up, four values a pixel: bytes as seen, or floats of another pass.
 */
export async function expose(scene: GroundScene, options: ViewOptions, exposure: Exposure): Promise<Uint8Array | Float32Array> {
  const { renderer, sky } = scene;
  const { part, pass = 'seen' } = exposure;
  const restore = throughLens(scene.cameras.perspective, exposure);
  const aspect = scene.cameras.aspect(scene.source!.ground, scene.range);
  scene.textures.uniforms.contours.value = options.contours ? aspect.contourInterval : 0;
  scene.shade({ pass: PASSES[pass] });
  const skyShown = sky.visible;
  if (pass === 'depth' || pass === 'normal' || pass === 'cover') sky.visible = false;
  scene.choosePatches(options, part.of.height);
  const target =
    pass === 'seen' ? null : new WebGLRenderTarget(part.width, part.height, { type: FloatType, minFilter: NearestFilter, magFilter: NearestFilter });
  const size = renderer.getSize(new Vector2());
  try {
    renderer.setRenderTarget(target);
    if (target) renderer.setClearColor(0, 0);
    else renderer.setViewport(0, 0, part.width, part.height);
    await gatherInGroups(scene, exposure);
    await drawInStrips(scene, part, target ? 1 : SOFTWARE_STRIPS);
    if (target) {
      const floats = new Float32Array(4 * part.width * part.height);
      renderer.readRenderTargetPixels(target, 0, 0, part.width, part.height, floats);
      return floats;
    }
    const pixels = new Uint8Array(4 * part.width * part.height);
    const gl = renderer.getContext();
    gl.readPixels(0, 0, part.width, part.height, gl.RGBA, gl.UNSIGNED_BYTE, pixels);
    return pixels;
  } finally {
    renderer.setScissorTest(false);
    renderer.setViewport(0, 0, size.x, size.y);
    renderer.setRenderTarget(null);
    renderer.setClearColor(BACKDROP, 1);
    target?.dispose();
    sky.visible = skyShown;
    restore();
  }
}

/** Looks through a place of the lens at a part of the picture; what it gives puts the camera back. */
function throughLens(camera: PerspectiveCamera, { fov, lens, focus, jitter, part }: Exposure): () => void {
  const [stood, opened, aspect] = [camera.position.clone(), camera.fov, camera.aspect];
  camera.fov = fov;
  camera.aspect = part.of.width / part.of.height;
  camera.setViewOffset(part.of.width, part.of.height, part.left, part.top, part.width, part.height);
  camera.updateProjectionMatrix();
  const half = Math.tan((fov * Math.PI) / 360);
  // The window stays where it is at the focus while the eye moves over the lens.
  const e = camera.projectionMatrix.elements;
  e[8] += -(lens[0] / (focus * half * camera.aspect)) * (part.of.width / part.width) + (2 * jitter[0]) / part.width;
  e[9] += -(lens[1] / (focus * half)) * (part.of.height / part.height) + (2 * jitter[1]) / part.height;
  camera.projectionMatrixInverse.copy(camera.projectionMatrix).invert();
  camera.position.add(new Vector3(lens[0], lens[1], 0).applyQuaternion(camera.quaternion));
  return () => {
    camera.clearViewOffset();
    camera.position.copy(stood);
    camera.fov = opened;
    camera.aspect = aspect;
    camera.updateProjectionMatrix();
  };
}

/** Gathers the places of a whole exposure, some patches a turn; of four that share theirs, for all of them. */
async function gatherInGroups(scene: GroundScene, { part, shared = null, settled = null }: Exposure): Promise<void> {
  const { gathered, renderer, patches, source } = scene;
  if (!gathered) return;
  const { perspective } = scene.cameras;
  const { width, height } = part;
  perspective.updateMatrixWorld();
  gathered.lay(source!.ground, perspective, scene.asked, { width, height, settled });
  gathered.look(shared ? { finer: 2, at: shared.at } : undefined);
  if (shared && !shared.fresh) return;
  const own = perspective.clone();
  if (shared) {
    // The finer picture's pixels lie about the middle of these.
    own.projectionMatrix.elements[8] -= (shared.at[0] - 0.5) / width;
    own.projectionMatrix.elements[9] -= (shared.at[1] - 0.5) / height;
  }
  for (let group = 0; group < SOFTWARE_STRIPS; group++) {
    patches.group(source!.ground, group, SOFTWARE_STRIPS);
    gathered.gather(renderer, own, { width, height }, { more: group > 0 });
    await turn();
  }
}

async function drawInStrips(scene: GroundScene, { width, height }: { width: number; height: number }, strips: number): Promise<void> {
  const { renderer } = scene;
  const { perspective } = scene.cameras;
  renderer.setScissorTest(strips > 1);
  for (let strip = 0; strip < strips; strip++) {
    const [from, to] = [strip, strip + 1].map((k) => Math.floor((height * k) / strips));
    if (strips > 1) renderer.setScissor(0, from, width, to - from);
    scene.lookThrough(perspective);
    // The lens moves what is seen by pixels at the most.
    const through = strips > 1 ? scene.cameras.through({ left: 0, top: 1 - to / height - 0.02, right: 1, bottom: 1 - from / height + 0.02 }) : null;
    scene.draw(perspective, through);
    await turn();
  }
}
