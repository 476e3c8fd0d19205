import { LINEAR_OF_CODE, srgbFromLinear, type Rock } from '@upland-cast/core';
import type { CameraPlace } from './cameras';
import { GroundView, type Pass, type ViewOptions } from './ground-view';
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
  /** The rock that the block's walls are cut through, and that near ground shows; null: alike everywhere. */
  rock: Rock | null;
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

/** Pixels along a side of what is drawn at once: larger stills are taken in parts. */
const PART = 2048;

interface Part {
  left: number;
  top: number;
  width: number;
  height: number;
}

/** The parts that a picture is taken in, row after row. */
export function partsOf(width: number, height: number): Part[] {
  const parts: Part[] = [];
  for (let top = 0; top < height; top += PART)
    for (let left = 0; left < width; left += PART) parts.push({ left, top, width: Math.min(PART, width - left), height: Math.min(PART, height - top) });
  return parts;
}

/** Places between kept ones, `t` from 0 at the first to 1 at the last, on a smooth line through all of them (Catmull & Rom 1974). */
export function along(places: readonly CameraPlace[], t: number): CameraPlace {
  const at = Math.min(places.length - 1, Math.max(0, t * (places.length - 1)));
  const k = Math.min(places.length - 2, Math.floor(at));
  if (k < 0) return places[0];
  const u = at - k;
  const place = (i: number) => places[Math.min(places.length - 1, Math.max(0, i))];
  const between = (of: (place: CameraPlace) => number) => {
    const [a, b, c, d] = [place(k - 1), place(k), place(k + 1), place(k + 2)].map(of);
    return b + 0.5 * u * (c - a + u * (2 * a - 5 * b + 4 * c - d + u * (3 * (b - c) + d - a)));
  };
  const three = (key: 'eye' | 'target') => [0, 1, 2].map((i) => between((p) => p[key][i])) as [number, number, number];
  return { eye: three('eye'), target: three('target') };
}

/** A camera of its own beside the view, for pictures of any size. */
export class StillCamera {
  private readonly box = document.createElement('div');
  private readonly canvas = document.createElement('canvas');
  private readonly view: GroundView;

  constructor(scene: StillScene, width: number, height: number) {
    const { box, canvas } = this;
    const [wide, tall] = [Math.min(PART, width), Math.min(PART, height)];
    Object.assign(box.style, { position: 'fixed', left: '-99999px', top: '0', width: `${wide}px`, height: `${tall}px` });
    box.append(canvas);
    document.body.append(box);
    this.view = new GroundView(canvas, 1);
    this.view.setGround(scene.source, scene.range, scene.errors);
    this.view.setColours(scene.colours);
    this.view.setWater(scene.water);
    this.view.setRock(scene.rock);
    this.view.setOptions({ ...scene.options, camera: 'relief', sculpting: false });
    this.view.setLights(scene.lights);
  }

  /** Takes a picture: several from all over the lens and within a pixel, laid over each other in linear light. */
  async take(place: CameraPlace, settings: StillSettings, onWork: (share: number) => void, signal: AbortSignal): Promise<Blob> {
    const { width, height } = settings;
    const image = new ImageData(width, height);
    await this.expose(place, settings, 'seen', onWork, signal, (part, sum, count) => {
      eachPixel(part, width, (from, to) => {
        for (let c = 0; c < 3; c++) image.data[4 * to + c] = 255 * srgbFromLinear(sum[3 * from + c] / count, (a, b) => a ** b);
        image.data[4 * to + 3] = 255;
      });
    });
    const out = new OffscreenCanvas(width, height);
    out.getContext('2d')!.putImageData(image, 0, 0);
    return out.convertToBlob({ type: 'image/png' });
  }

  /** The same as floats, one array a channel, red, green and blue; depth has one alone, of a single pass through the middle of the lens. */
  async floats(
    place: CameraPlace,
    settings: StillSettings,
    pass: Pass,
    onWork: (share: number) => void,
    signal: AbortSignal,
  ): Promise<Float32Array<ArrayBuffer>[]> {
    const { width, height } = settings;
    const out = Array.from({ length: pass === 'depth' ? 1 : 3 }, () => new Float32Array(width * height));
    // What is measured is not blurred.
    const own = pass === 'linear' ? settings : { ...settings, samples: 1, aperture: Infinity };
    await this.expose(place, own, pass, onWork, signal, (part, sum, count) => {
      eachPixel(part, width, (from, to) => out.forEach((channel, c) => (channel[to] = sum[3 * from + c] / count)));
    });
    return out;
  }

  private async expose(
    place: CameraPlace,
    settings: StillSettings,
    pass: Pass,
    onWork: (share: number) => void,
    signal: AbortSignal,
    done: (part: Part, sum: Float32Array, count: number) => void,
  ): Promise<void> {
    const { width, height, focus, samples } = settings;
    const radius = lensRadius(settings);
    this.view.cameras.lookAlong(place);
    const parts = partsOf(width, height);
    for (const [p, part] of parts.entries()) {
      const sum = new Float32Array(3 * part.width * part.height);
      for (let k = 0; k < samples; k++) {
        signal.throwIfAborted();
        const reach = radius * Math.sqrt((k + 0.5) / samples);
        const lens = [reach * Math.cos(k * GOLDEN), reach * Math.sin(k * GOLDEN)] as const;
        // Within the pixel along the two-dimensional golden ratio (Roberts 2018).
        const jitter = samples === 1 ? ([0, 0] as const) : ([((k * 0.7548776662) % 1) - 0.5, ((k * 0.569840291) % 1) - 0.5] as const);
        const pixels = await this.view.exposure({ fov: fieldOfView(settings.focal), lens, focus, jitter, part: { ...part, of: { width, height } }, pass });
        const light = pixels instanceof Uint8Array;
        for (let i = 0, j = 0; i < pixels.length; i += 4) for (let c = 0; c < 3; c++) sum[j++] += light ? LINEAR_OF_CODE[pixels[i + c]] : pixels[i + c];
        onWork((p + (k + 1) / samples) / parts.length);
      }
      done(part, sum, samples);
    }
  }

  dispose(): void {
    this.view.dispose();
    this.box.remove();
  }
}

/** Every pixel of a part: its place there, counted from the foot as a card does, and in the whole picture, from the top. */
function eachPixel({ left, top, width, height }: Part, across: number, at: (from: number, to: number) => void): void {
  for (let row = 0; row < height; row++) {
    for (let x = 0; x < width; x++) at((height - 1 - row) * width + x, (top + row) * across + left + x);
  }
}
