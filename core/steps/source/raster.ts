import { grouped } from '../../grouped';
import { z } from 'zod';
import { UplandError } from '../../errors';
import { makeField, type Field } from '../../field/field';
import { spacingOf, withSamples, type Ground } from '../../field/ground';
import { resample, resampleWindow } from '../../field/resample';
import { EDGES, indexAt, type Edge } from '../../field/sample';
import { statistics } from '../../field/statistics';
import { fillVoids } from '../../field/voids';
import { gridOf } from '../../field/window';
import { DEGREE, exactMath } from '../../kernels/math';
import { placeProgram } from '../../kernels/programs/displace';
import { distanceProgram } from '../../kernels/programs/distance';
import { VOID } from '../mend/fill-voids';
import { defineStep, type Layers, type StepContext, type StepOutput } from '../step';
import { asset, choice, degrees, distance, toggle } from '../params';

/**
 * Heights from an asset (any supported heightmap), placed on the ground: over the whole of it
 * at first, or with a size of its own, turned, flipped, repeated. Samples without data take the
 * lowest height. Where the asset is finer than the ground it is averaged down before it is
 * asked; between its samples lies a Catmull–Rom surface.
 */
export const raster = defineStep({
  id: 'raster',
  title: 'Raster',
  family: 'source',
  summary: 'Heights from a file or a pressed mesh, placed on the ground.',
  finds: ['heightmap', 'image', 'file', 'import', 'dem', 'dtm', 'lidar', 'scan', 'picture', 'greyscale', 'texture'],
  params: z.object({
    asset: asset('Heights', 'The file that the heights come from.'),
    filter: choice(
      'cubic',
      { nearest: 'Nearest', linear: 'Linear', cubic: 'Cubic', monotone: 'Monotone cubic', average: 'Average', lanczos: 'Lanczos' },
      { label: 'Resampling', help: 'How heights between the file’s samples are found where it lies over the whole ground.' },
    ),
    width: distance(0, { min: 0, max: 1e6, label: 'Size across', help: 'Metres; 0 is the whole ground.' }),
    depth: distance(0, { min: 0, max: 1e6, label: 'Size down', help: 'Metres; 0 is the whole ground.' }),
    east: distance(0, { min: -1e6, max: 1e6, label: 'East of the middle' }),
    north: distance(0, { min: -1e6, max: 1e6, label: 'North of the middle' }),
    turn: degrees(0, { min: -180, max: 180, label: 'Turn', help: 'Degrees clockwise.' }),
    flip: choice('none', { none: 'No', columns: 'East–west', rows: 'North–south' }, { label: 'Flipped' }),
    edge: choice('carry', EDGES, { label: 'Beyond its edge', help: 'What lies where the raster does not reach; mirrored and wrapped repeat it.' }),
    beyond: choice(
      'raster',
      { raster: 'The raster’s own edge', ground: 'The ground before it' },
      { label: 'Around it', help: 'The ground before it stays where the raster does not reach and where it has no height.' },
    ),
    fade: distance(0, { min: 0, max: 10_000, label: 'Fades in over', help: 'Metres from its border inwards.', when: { beyond: ['ground'] } }),
    sits: toggle(false, {
      label: 'Sits on the ground',
      help: 'Moved up or down so that its border meets the ground, on the mean.',
      when: { beyond: ['ground'] },
    }),
    scaled: toggle(false, { label: 'Scale to a height', help: 'Off: the file’s own metres.' }),
    fullScale: distance(500, { min: 0, max: 20_000, label: 'Full scale', help: 'Metres from its lowest to its highest.', when: { scaled: [true] } }),
    level: distance(0, { min: -20_000, max: 20_000, label: 'Level', help: 'Its lowest point lies here.', when: { scaled: [true] } }),
  }),
  joins: ['replace', 'add', 'subtract', 'multiply', 'higher', 'lower', 'smooth-higher', 'smooth-lower', 'mean', 'difference'],
  inputs: ({ asset: sha }) => ({ assets: sha ? [sha] : [] }),
  // Placed freely, its places are counted from the window's corner: only the whole has the whole's bits.
  reach: (params) =>
    params.beyond === 'ground' || params.width || params.depth || params.east || params.north || params.turn || params.flip !== 'none' ? Infinity : 0,
  caption: ({ width, edge }) => (width > 0 ? `${Math.round(width)} m${edge === 'carry' ? '' : ', repeated'}` : 'the whole ground'),
  async run({ height: before, layers }, params, context) {
    const { ground, window, say } = context;
    if (!params.asset) throw new UplandError('no-asset', 'This step has no file yet. Choose one, or press a mesh in the Mesh room.');
    const read = await context.heights(params.asset);
    const { lowest, highest } = statistics(read);
    const filled = read.valid ? read.height.map((h, i) => (read.valid![i] ? h : lowest - read.ground.datum)) : read.height;
    const factor = params.scaled ? params.fullScale / Math.max(1e-9, highest - lowest) : 1;
    const elevationOf = (h: number) => (params.scaled ? params.level + (h + read.ground.datum - lowest) * factor : h + read.ground.datum);

    const width = params.width || ground.width;
    const depth = params.depth || ground.depth;
    const plain =
      width === ground.width && depth === ground.depth && !params.east && !params.north && !params.turn && params.flip === 'none' && params.beyond === 'raster';
    if (plain) {
      const reducing = read.ground.across > ground.across;
      const laid = { ...read, ground: { ...read.ground, width, depth } };
      const filter = reducing && params.filter === 'cubic' ? 'average' : params.filter;
      const here = resampleWindow(laid, { ...ground, datum: read.ground.datum }, window, filter);
      const height = here.height.map((h) => elevationOf(h) - ground.datum);
      return withHoles(height, here.valid, elevationOf(lowest - read.ground.datum) - ground.datum, layers, say);
    }

    // Finer than the ground: averaged to about the ground's own spacing, or its peaks would be missed.
    const spacing = spacingOf(ground);
    const point = read.ground.registration === 'point';
    if (params.edge !== 'carry' && (width < 2 * spacing.x || depth < 2 * spacing.y)) {
      say(
        `A repeat is ${Math.min(width / spacing.x, depth / spacing.y).toFixed(1)} samples wide: under two, its form is lost. Make it larger, or work at more samples.`,
      );
    }
    const most = (length: number, own: number, count: number) => Math.max(2, Math.min(count, Math.ceil(length / own) + (point ? 1 : 0)));
    const fewer = withSamples(read.ground, most(width, spacing.x, read.ground.across), most(depth, spacing.y, read.ground.down));
    // Set into the ground, it is carried on where it has no height, so that its border is its own.
    const own = params.beyond === 'ground' && read.valid ? await carriedOn(read, read.valid, context.signal) : filled;
    const source = resample(makeField(read.ground, own), fewer);
    const { across, down } = source.ground;
    const place = placingOf(source.ground, { width, depth }, params, context);
    const size = { across, down, outAcross: window.across, outDown: window.down };
    const height =
      params.filter === 'nearest'
        ? nearest(source.height, size, place, params.edge, point)
        : await context.kernels.run(placeProgram, { ...size, ...place, edge: params.edge, point }, source.height, { signal: context.signal });
    for (let i = 0; i < height.length; i++) height[i] = elevationOf(height[i]) - ground.datum;
    // Where it has a height, asked of the nearest sample.
    const known =
      read.valid && nearest(resample({ ground: read.ground, height: Float32Array.from(read.valid) }, fewer, 'nearest').height, size, place, params.edge, point);
    if (params.beyond === 'ground') {
      const reached = within(size, place, point);
      if (known) for (let i = 0; i < reached.length; i++) if (known[i] < 0.5) reached[i] = 0;
      return { height: await setInto(before, height, reached, params, context) };
    }
    if (!known) return { height };
    const valid = Uint8Array.from(known);
    return withHoles(height, valid, elevationOf(lowest - read.ground.datum) - ground.datum, layers, say);
  },
});

async function carriedOn({ ground, height }: Field, valid: Uint8Array, signal?: AbortSignal): Promise<Float32Array<ArrayBuffer>> {
  const { x, y } = spacingOf(ground);
  const voids = Uint8Array.from(valid, (v) => 1 - v);
  return (await fillVoids(height, ground.across, ground.down, voids, { aspect: x / y, stiffness: 'membrane', signal })).height;
}

type Placed = Pick<z.output<typeof raster.params>, 'east' | 'north' | 'turn' | 'flip'>;

/** Where the window's samples lie in a raster that is laid over `width` × `depth` metres of the ground, turned and turned over: in its samples. */
function placingOf(
  { across, down, registration }: Ground,
  { width, depth }: { width: number; depth: number },
  { east, north, turn, flip }: Placed,
  { ground, window }: StepContext,
): Placing {
  const point = registration === 'point';
  const steps = (n: number) => (point ? Math.max(1, n - 1) : n);
  const { sin, cos } = exactMath();
  const [s, c] = [sin(turn * DEGREE), cos(turn * DEGREE)];
  const grid = gridOf(ground, window);
  // The window's first sample about the raster's middle; shares of the raster, in its samples.
  const x = grid.firstX + grid.left * grid.stepX - ground.width / 2 - east;
  const y = grid.firstY + grid.top * grid.stepY - ground.depth / 2 + north;
  const [flipX, flipY] = [flip === 'columns' ? -1 : 1, flip === 'rows' ? -1 : 1];
  const [kx, ky] = [(flipX * steps(across)) / width, (flipY * steps(down)) / depth];
  const pad = point ? 0 : 0.5;
  return {
    x0: (x * c + y * s) * kx + steps(across) / 2 - pad,
    xc: c * kx * grid.stepX,
    xr: s * kx * grid.stepY,
    y0: (y * c - x * s) * ky + steps(down) / 2 - pad,
    yc: -s * ky * grid.stepX,
    yr: c * ky * grid.stepY,
  };
}

interface Placing {
  x0: number;
  xc: number;
  xr: number;
  y0: number;
  yc: number;
  yr: number;
}

/** Where the placed raster reaches: 1, and 0 beyond it. */
function within(
  { across, down, outAcross, outDown }: { across: number; down: number; outAcross: number; outDown: number },
  { x0, xc, xr, y0, yc, yr }: Placing,
  point: boolean,
): Uint8Array {
  const out = new Uint8Array(outAcross * outDown);
  // Middles of cells end half a cell before the edge.
  const pad = point ? 1e-6 : 0.5;
  for (let row = 0, i = 0; row < outDown; row++) {
    for (let column = 0; column < outAcross; column++, i++) {
      const x = x0 + column * xc + row * xr;
      const y = y0 + column * yc + row * yr;
      if (x >= -pad && y >= -pad && x <= across - 1 + pad && y <= down - 1 + pad) out[i] = 1;
    }
  }
  return out;
}

/** A raster set into the ground before it where it reaches, fading in from its border; on request moved so that the border meets that ground. */
async function setInto(
  before: Float32Array,
  laid: Float32Array<ArrayBuffer>,
  reached: Uint8Array,
  { fade, sits }: { fade: number; sits: boolean },
  { ground, window, kernels, signal, say }: StepContext,
): Promise<Float32Array<ArrayBuffer>> {
  const { x: spacingX, y: spacingY } = spacingOf(ground);
  const beyond = reached.map((r) => 1 - r);
  // Metres to the nearest sample that it does not reach.
  const inwards = await kernels.run(distanceProgram, { across: window.across, down: window.down, spacingX, spacingY }, beyond, { signal });
  let [count, inside, sum] = [0, 0, 0];
  const border = 1.5 * Math.max(spacingX, spacingY);
  for (let i = 0; i < laid.length; i++) {
    if (!reached[i]) continue;
    inside++;
    if (inwards[i] > border) continue;
    sum += before[i] - laid[i];
    count++;
  }
  if (inside === 0) say('It does not reach the ground: nothing changed. Move it, or make it larger.');
  const lift = sits && count > 0 ? sum / count : 0;
  if (sits && count > 0) say(`It was moved by ${lift.toFixed(1)} m, so that its border meets the ground.`);
  for (let i = 0; i < laid.length; i++) {
    if (!reached[i]) {
      laid[i] = before[i];
      continue;
    }
    const t = fade > 0 ? Math.min(1, inwards[i] / fade) : 1;
    const weight = t * t * (3 - 2 * t);
    laid[i] = before[i] + (laid[i] + lift - before[i]) * weight;
  }
  return laid;
}

/** Samples without data at the lowest height, marked in a layer so that they can be filled or left out. */
function withHoles(
  height: Float32Array<ArrayBuffer>,
  valid: Uint8Array | undefined,
  lowest: number,
  layers: Layers,
  say: (sentence: string) => void,
): StepOutput {
  if (!valid) return { height };
  const marks = new Float32Array(height.length);
  let count = 0;
  for (let i = 0; i < height.length; i++) {
    if (valid[i]) continue;
    height[i] = lowest;
    marks[i] = 1;
    count++;
  }
  if (count === 0) return { height };
  say(`${grouped(count)} samples have no height; they stand at the lowest. Fill voids gives them one.`);
  return { height, layers: { ...layers, [VOID]: marks } };
}

function nearest(
  source: Float32Array,
  { across, down, outAcross, outDown }: { across: number; down: number; outAcross: number; outDown: number },
  { x0, xc, xr, y0, yc, yr }: { x0: number; xc: number; xr: number; y0: number; yc: number; yr: number },
  edge: Edge,
  point: boolean,
): Float32Array<ArrayBuffer> {
  const out = new Float32Array(outAcross * outDown);
  for (let row = 0, i = 0; row < outDown; row++) {
    for (let column = 0; column < outAcross; column++, i++) {
      const x = indexAt(Math.floor(x0 + xc * column + xr * row + 0.5), across, edge, point);
      const y = indexAt(Math.floor(y0 + yc * column + yr * row + 0.5), down, edge, point);
      out[i] = source[y * across + x];
    }
  }
  return out;
}
