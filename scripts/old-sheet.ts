// Makes the demo's Old Sheet: an eight-bit JPEG scan of the valley beside Dunmorrow, with every flaw there is, and the terrain that mends it.
import { encode as encodeJpeg } from 'jpeg-js';
import { srgbFromLinear } from '../core/colour';
import {
  evaluate,
  exactMath,
  findingsIn,
  makeCourse,
  makeGround,
  readAsset,
  readWith,
  sha256,
  stepUse,
  type AssetReading,
  type Course,
  type Kernels,
} from '@upland-cast/core';

const ground = makeGround({ width: 6144, depth: 4608, across: 512, down: 384, registration: 'area', sea: 0 });
const [BLACK, WHITE] = [220, 800];

/** The scan as bytes: tone-curved, clipped at the tops, framed in white, specked, and packed at a low quality. */
async function scan(kernels: Kernels): Promise<Uint8Array<ArrayBuffer>> {
  const valley = makeCourse('valley', ground, [
    stepUse('noise', { kind: 'fbm', feature: 2900, height: 420, level: 600, octaves: 9, gain: 0.54, warp: 240, seed: 318 }, { join: 'replace' }),
    stepUse('landform', { form: 'trough', height: 210, radius: 1500, length: 9000, east: 150, north: -250, turn: -28 }, { join: 'subtract' }),
    stepUse('landform', { form: 'plateau', height: 180, radius: 1300, rim: 0.4, east: -1900, north: 1200 }, { join: 'add' }),
    stepUse('noise', { kind: 'ridged', feature: 900, height: 90, octaves: 7, gain: 0.5, seed: 77 }, { join: 'add', strength: 0.8 }),
    stepUse('talus', { repose: 37, sweeps: 40 }),
  ]);
  const { height } = await evaluate(valley, { kernels });
  const { pow } = exactMath();
  const { across, down } = ground;
  const data = new Uint8Array(4 * across * down);
  for (let row = 0, i = 0; row < down; row++) {
    for (let column = 0; column < across; column++, i++) {
      const share = Math.min(1, Math.max(0, (height[i] - BLACK) / (WHITE - BLACK)));
      let code = Math.round(255 * srgbFromLinear(share, pow));
      if (row < 7 || column < 9 || row >= down - 6 || column >= across - 8) code = 255;
      data.set([code, code, code, 255], 4 * i);
    }
  }
  // Dust on the glass: single samples of black and white, spread by the golden ratio.
  for (let k = 0; k < 16; k++) {
    const column = 20 + Math.floor((across - 40) * ((k * 0.6180339887) % 1));
    const row = 20 + Math.floor((down - 40) * ((k * 0.7548776662) % 1));
    const code = k % 3 ? 0 : 255;
    data.set([code, code, code], 4 * (row * across + column));
  }
  return new Uint8Array(encodeJpeg({ data, width: across, height: down }, 62).data);
}

/** The scan, and a terrain that reads and mends it by its own findings. */
export async function oldSheet(kernels: Kernels): Promise<{ jpeg: Uint8Array<ArrayBuffer>; course: Course; sha: string }> {
  const jpeg = await scan(kernels);
  const sha = await sha256(jpeg);
  const reading: AssetReading = { map: { code0: 0, height0: BLACK, code1: 255, height1: WHITE }, spacing: { x: 12, y: 12 }, registration: 'area' };
  const read = await readWith(jpeg, reading);
  const field = await readAsset(jpeg, reading);
  const found = await findingsIn(read.reading, read.meaning, field, kernels);
  const mends = found.flatMap((f) => (f.mend && 'step' in f.mend ? [stepUse(f.mend.step, f.mend.params, { id: `mend-${f.id}`, note: f.message })] : []));
  const course = makeCourse('Old Sheet', ground, [stepUse('raster', { asset: sha }, { id: 'scan', name: 'The scan' }), ...mends]);
  course.assets[sha] = { name: 'old-sheet.jpg', bytes: jpeg.length, reading };
  return { jpeg, course, sha };
}
