import { LINEAR_OF_CODE, srgbFromLinear } from '@upland-cast/core';
import type { CameraPlace } from './cameras';
import { GroundView, type ViewOptions } from './ground-view';
import type { HeightSource } from './pick';

/** How a still is taken. */
export interface StillSettings {
  width: number;
  height: number;
  /** Millimetres, on a film 24 mm high. */
  focal: number;
  /** The f-number; Infinity: everything sharp. */
  aperture: number;
  /** Metres from the eye to what is sharp. */
  focus: number;
  /** The ground is photographed as a model of this scale, 1 : n, so that a lens blurs what is near and far; 1: as large as it is. */
  scale: number;
  /** Pictures that are laid over each other: smooth edges, and the lens's blur. */
  samples: number;
}

export interface StillScene {
  source: HeightSource;
  range: { low: number; high: number };
  options: Omit<ViewOptions, 'sculpting' | 'camera'>;
  /** How far patches lie off the ground, of `patchErrors`; the outline is right to a part of a pixel of the still. */
  errors: Float32Array | null;
  /** The shares of sky and sun that the samples see, under the still's sun; null: not known. */
  lights: Uint8Array<ArrayBuffer> | null;
  /** Colours of the ground's samples, four bytes each. */
  colours: Uint8Array<ArrayBuffer> | null;
  /** Water on the ground's samples, as the view has it; null: the sea alone. */
  water: Float32Array<ArrayBuffer> | null;
}

const FILM = 24;
/** The angle between neighbours on a sunflower's disc, which fills a lens evenly (Vogel 1979). */
const GOLDEN = Math.PI * (3 - Math.sqrt(5));

/** Degrees from the top of the picture to its foot. */
export const fieldOfView = (focal: number) => (2 * Math.atan(FILM / 2 / focal) * 180) / Math.PI;

/** The radius of the lens in metres of the ground. */
export const lensRadius = ({ focal, aperture, scale }: Pick<StillSettings, 'focal' | 'aperture' | 'scale'>) =>
  Number.isFinite(aperture) ? (focal / 1000 / aperture / 2) * scale : 0;

/** The diameter in pixels of the blur of a point at a distance. */
export function blurAt(distance: number, settings: StillSettings): number {
  const pixelsARadian = settings.height / 2 / Math.tan((fieldOfView(settings.focal) * Math.PI) / 360);
  return 2 * lensRadius(settings) * Math.abs(1 / distance - 1 / settings.focus) * pixelsARadian;
}

/** Where the eye stands after a part of a turn around what it looks at. */
export function turned({ eye, target }: CameraPlace, degrees: number): CameraPlace {
  const [sin, cos] = [Math.sin((degrees * Math.PI) / 180), Math.cos((degrees * Math.PI) / 180)];
  const [x, y] = [eye[0] - target[0], eye[1] - target[1]];
  return { eye: [target[0] + x * cos - y * sin, target[1] + x * sin + y * cos, eye[2]], target };
}

/** A camera of its own beside the view, for pictures of any size. */
export class StillCamera {
  private readonly box = document.createElement('div');
  private readonly canvas = document.createElement('canvas');
  private readonly view: GroundView;

  constructor(scene: StillScene, width: number, height: number) {
    const { box, canvas } = this;
    Object.assign(box.style, { position: 'fixed', left: '-99999px', top: '0', width: `${width}px`, height: `${height}px` });
    box.append(canvas);
    document.body.append(box);
    this.view = new GroundView(canvas, 1);
    this.view.setGround(scene.source, scene.range, scene.errors);
    this.view.setColours(scene.colours);
    this.view.setWater(scene.water);
    this.view.setOptions({ ...scene.options, camera: 'relief', sculpting: false });
    this.view.setLights(scene.lights);
  }

  /** Takes a picture: several from all over the lens and within a pixel, laid over each other in linear light. */
  async take(place: CameraPlace, settings: StillSettings, onWork: (share: number) => void, signal: AbortSignal): Promise<Blob> {
    const { width, height, focus } = settings;
    const sum = new Float32Array(3 * width * height);
    const radius = lensRadius(settings);
    this.view.cameras.lookAlong(place);
    for (let k = 0; k < settings.samples; k++) {
      signal.throwIfAborted();
      const reach = radius * Math.sqrt((k + 0.5) / settings.samples);
      const lens = [reach * Math.cos(k * GOLDEN), reach * Math.sin(k * GOLDEN)] as const;
      // Within the pixel along the two-dimensional golden ratio (Roberts 2018).
      const jitter = [((k * 0.7548776662) % 1) - 0.5, ((k * 0.569840291) % 1) - 0.5] as const;
      const pixels = await this.view.exposure({ fov: fieldOfView(settings.focal), lens, focus, jitter });
      for (let i = 0, j = 0; i < pixels.length; i += 4) for (let c = 0; c < 3; c++) sum[j++] += LINEAR_OF_CODE[pixels[i + c]];
      onWork((k + 1) / settings.samples);
    }
    const image = new ImageData(width, height);
    for (let row = 0; row < height; row++) {
      // A card counts rows from the foot.
      let from = 3 * (height - 1 - row) * width;
      for (let i = 4 * row * width, end = i + 4 * width; i < end; i += 4) {
        for (let c = 0; c < 3; c++) image.data[i + c] = 255 * srgbFromLinear(sum[from++] / settings.samples, (a, b) => a ** b);
        image.data[i + 3] = 255;
      }
    }
    const out = new OffscreenCanvas(width, height);
    out.getContext('2d')!.putImageData(image, 0, 0);
    return out.convertToBlob({ type: 'image/png' });
  }

  dispose(): void {
    this.view.dispose();
    this.box.remove();
  }
}
