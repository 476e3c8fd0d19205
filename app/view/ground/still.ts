import { srgbFromLinear, type Rock } from '@upland-cast/core';
import { Accumulation } from './accumulation';
import type { CameraPlace } from './cameras';
import type { Exposure, Pass } from './exposures';
import type { ViewOptions } from './ground-scene';
import { GroundView } from './ground-view';
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

/** The places on the lens, from its middle outwards, in an order of which every beginning is spread over all of it (van der Corput 1935). */
export function lensOrder(samples: number): number[] {
  const turned = (k: number) => {
    let [share, half] = [0, 0.5];
    for (let rest = k; rest > 0; rest = Math.floor(rest / 2), half /= 2) share += (rest % 2) * half;
    return share;
  };
  const shares = Array.from({ length: samples }, (_, k) => turned(k));
  const rank = new Map([...shares].sort((a, b) => a - b).map((share, at) => [share, at]));
  return shares.map((share) => rank.get(share)!);
}

/** The quarters of a pixel, each after that which is farthest from it. */
const QUARTERS = [
  [0, 0],
  [1, 1],
  [1, 0],
  [0, 1],
] as const;

/**
 * Where within the pixel a pass looks, parts of it from its middle, along the two-dimensional golden ratio (Roberts 2018). Through a lens of no
 * width four passes in turn are of one finer picture, a quarter of the pixel each.
 */
export function withinPixel(k: number, samples: number, blurred: boolean): { jitter: [number, number]; shared: Exposure['shared'] } {
  if (samples === 1) return { jitter: [0, 0], shared: null };
  const golden = (n: number): [number, number] => [((n * 0.7548776662) % 1) - 0.5, ((n * 0.569840291) % 1) - 0.5];
  if (blurred || samples < QUARTERS.length) return { jitter: golden(k), shared: null };
  const at = QUARTERS[k % QUARTERS.length];
  const [x, y] = golden(Math.floor(k / QUARTERS.length));
  return { jitter: [(x + at[0] - 0.5) / 2, (y + at[1] - 0.5) / 2], shared: { at, fresh: k % QUARTERS.length === 0 } };
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
  private readonly view: GroundView;

  constructor(scene: StillScene, width: number, height: number) {
    this.view = new GroundView(document.createElement('canvas'), { width: Math.min(PART, width), height: Math.min(PART, height) });
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
    await this.expose(place, settings, 'seen', onWork, signal, (part, sum) => {
      eachPixel(part, width, (from, to) => {
        for (let c = 0; c < 3; c++) image.data[4 * to + c] = 255 * srgbFromLinear(sum.mean(from, c), (a, b) => a ** b);
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
    await this.expose(place, own, pass, onWork, signal, (part, sum) => {
      eachPixel(part, width, (from, to) => out.forEach((channel, c) => (channel[to] = sum.mean(from, c))));
    });
    return out;
  }

  private async expose(
    place: CameraPlace,
    settings: StillSettings,
    pass: Pass,
    onWork: (share: number) => void,
    signal: AbortSignal,
    done: (part: Part, sum: Accumulation) => void,
  ): Promise<void> {
    const { width, height, focus, samples } = settings;
    const radius = lensRadius(settings);
    this.view.cameras.lookAlong(place);
    const parts = partsOf(width, height);
    const lenses = lensOrder(samples);
    for (const [p, part] of parts.entries()) {
      const sum = new Accumulation(part.width, part.height);
      for (let k = 0; k < samples && sum.open > 0; k++) {
        signal.throwIfAborted();
        const reach = radius * Math.sqrt((lenses[k] + 0.5) / samples);
        const lens = [reach * Math.cos(lenses[k] * GOLDEN), reach * Math.sin(lenses[k] * GOLDEN)] as const;
        const { jitter, shared } = withinPixel(k, samples, radius > 0);
        const of = { width, height };
        const settled = sum.open < 1 ? sum.settled : null;
        sum.add(await this.view.exposure({ fov: fieldOfView(settings.focal), lens, focus, jitter, shared, part: { ...part, of }, pass, settled }));
        onWork((p + (k + 1) / samples) / parts.length);
      }
      done(part, sum);
    }
  }

  dispose(): void {
    this.view.dispose();
  }
}

/** Every pixel of a part: its place there, counted from the foot as a card does, and in the whole picture, from the top. */
function eachPixel({ left, top, width, height }: Part, across: number, at: (from: number, to: number) => void): void {
  for (let row = 0; row < height; row++) {
    for (let x = 0; x < width; x++) at((height - 1 - row) * width + x, (top + row) * across + left + x);
  }
}
