import { hillshade, resample, withSamples, type Field } from '@upland-cast/core';
import { WATER } from './palette';

/** A shaded relief of a field as RGBA pixels, the middle strip of the ground in the shape asked for; with water where that is wanted. */
export function reliefPixels(field: Field, width: number, height: number, water = false): Uint8ClampedArray<ArrayBuffer> {
  const { ground } = field;
  const tall = Math.max(height, Math.round((width * ground.depth) / ground.width));
  const small = resample({ ...field, valid: undefined }, withSamples(ground, width, tall));
  // Small pictures flatten slopes; lift them by how much coarser they are.
  const exaggeration = Math.min(3, Math.max(1, Math.sqrt(ground.across / width)));
  const shade = hillshade(small, { azimuth: 315, altitude: 42, exaggeration });
  const skip = Math.floor((tall - height) / 2) * width;
  const pixels = new Uint8ClampedArray(width * height * 4);
  for (let i = 0; i < width * height; i++) {
    // Ink to paper, so that a picture belongs to the sheet it lies on.
    const t = shade[skip + i] / 255;
    pixels[4 * i] = 34 + t * (249 - 34);
    pixels[4 * i + 1] = 41 + t * (246 - 41);
    pixels[4 * i + 2] = 43 + t * (238 - 43);
    pixels[4 * i + 3] = 255;
    if (water && small.height[skip + i] + ground.datum < ground.sea) {
      // Map water over the relief of its floor.
      for (const [k, tone] of WATER.flat.entries()) pixels[4 * i + k] = tone * 0.8 + pixels[4 * i + k] * 0.2;
    }
  }
  return pixels;
}
