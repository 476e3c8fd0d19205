import { inBlocks } from '../blocks';
import { z } from 'zod';
import { accumulationOf, drainageOf, spreadAccumulation } from '../analysis/drainage';
import { eachGradient } from '../analysis/slope';
import { gaussian, gaussianReach } from '../field/gaussian';
import { spacingOf, type Ground } from '../field/ground';
import type { Window } from '../field/window';
import { DEGREE, exactMath } from '../kernels/math';
import type { Kernels } from '../kernels/pool';
import { choice, degrees, distance, elevation, plain, ratio } from '../steps/params';
import { boundedBy, curvatureReach, curvatureWeights, slopeReach, slopeWeights, within } from '../analysis/weights';
import { defineMask } from './mask';

export const heightMask = defineMask({
  id: 'height',
  title: 'Height',
  summary: 'Between two elevations.',
  finds: ['elevation', 'altitude', 'band', 'range'],
  params: z.object({
    low: elevation(0, { min: -11_000, max: 9_000, label: 'From', help: 'The lowest elevation where it acts whole.' }),
    high: elevation(9_000, { min: -11_000, max: 9_000, label: 'To', help: 'The highest elevation where it acts whole.' }),
    softness: distance(40, { min: 0, max: 4_000, label: 'Softness', help: 'Over so many metres beyond the bounds it fades out.' }),
  }),
  weigh: ({ height }, params, context) => boundedBy(height, params, context),
});

const oneSample = (_: unknown, ground: Ground) => slopeReach(spacingOf(ground));

const sizeOf = (ground: Ground, { across, down }: Window) => ({ across, down, spacing: spacingOf(ground) });

/** By slope in degrees (Horn 1981). */
export const slopeMask = defineMask({
  id: 'slope',
  title: 'Slope',
  summary: 'Between two slopes.',
  finds: ['steepness', 'angle', 'gradient', 'cliff'],
  params: z.object({
    low: degrees(25, { min: 0, max: 90, label: 'From', help: 'The gentlest slope where it acts whole.' }),
    high: degrees(90, { min: 0, max: 90, label: 'To', help: 'The steepest slope where it acts whole.' }),
    softness: degrees(8, { min: 0, max: 90, label: 'Softness', help: 'Over so many degrees beyond the bounds it fades out.' }),
  }),
  reach: oneSample,
  weigh: ({ height }, bounds, { ground, window, kernels, signal }) => slopeWeights({ height, ...sizeOf(ground, window) }, bounds, { kernels, signal }),
});

/** By the direction a slope faces (Horn 1981); level ground faces nowhere and has no weight. */
export const aspectMask = defineMask({
  id: 'aspect',
  title: 'Aspect',
  summary: 'Slopes that face one way.',
  finds: ['facing', 'direction', 'exposure', 'orientation', 'north', 'south', 'sunny'],
  params: z.object({
    towards: degrees(0, { min: 0, max: 360, label: 'Facing', help: 'Degrees clockwise from north: 90 faces east, 180 south.' }),
    spread: degrees(45, { min: 0, max: 180, label: 'Spread', help: 'So far to either side it acts whole.' }),
    softness: degrees(30, { min: 0, max: 180, label: 'Softness', help: 'Over so many degrees beyond the spread it fades out.' }),
  }),
  reach: oneSample,
  weigh({ height }, { towards, spread, softness }, { ground, window }) {
    const { atan2 } = exactMath();
    const out = new Float32Array(height.length);
    const bounds = { low: -spread, high: spread, softness };
    eachGradient(height, window.across, window.down, spacingOf(ground), (i, east, south) => {
      if (east === 0 && south === 0) return;
      // Downhill is against the gradient; south is positive y, north is up on the compass.
      let off = atan2(-east, south) / DEGREE - towards;
      off -= 360 * Math.round(off / 360);
      out[i] = within(off, bounds);
    });
    return out;
  },
});

/** By curvature (Zevenbergen & Thorne 1987) of the ground smoothed to a size; positive where it stands out. */
export const curvatureMask = defineMask({
  id: 'curvature',
  title: 'Curvature',
  summary: 'Ridges and edges, or hollows and feet.',
  finds: ['convex', 'concave', 'ridge', 'valley', 'cavity', 'crest'],
  params: z.object({
    way: choice('mean', { mean: 'Both ways', profile: 'Down the slope', plan: 'Along the contour' }, { label: 'Measured' }),
    size: distance(60, { min: 0, max: 2_000, label: 'Size', help: 'Detail smaller than this does not count.' }),
    low: plain(1, { min: -1_000, max: 1_000, step: 0.1, label: 'From', help: 'One over kilometres; above 0 the ground stands out, below 0 it is hollow.' }),
    high: plain(1_000, { min: -1_000, max: 1_000, step: 0.1, label: 'To', help: 'One over kilometres.' }),
    softness: plain(1, { min: 0, max: 1_000, step: 0.1, label: 'Softness', help: 'Over so much beyond the bounds it fades out.' }),
  }),
  reach: ({ size }, ground) => curvatureReach(size, spacingOf(ground)),
  weigh: ({ height }, { way, size, ...bounds }, { ground, window, kernels, signal }) =>
    curvatureWeights({ height, ...sizeOf(ground, window) }, { way, size, ...bounds }, { kernels, signal }),
});

/**
 * By how high a place stands among its surroundings, whatever its elevation: 0 % in the deepest
 * hollows, 50 % on an even slope, 100 % on the sharpest tops. The height over the mean of a size
 * around, against how much the ground differs from that mean there: ½ + d / (4 σ).
 */
export const reliefMask = defineMask({
  id: 'relief',
  title: 'Relief',
  summary: 'Peaks and crests, or hollows, wherever they lie.',
  finds: ['cavity', 'prominence', 'peaks', 'hollows', 'tpi', 'local height'],
  params: z.object({
    size: distance(600, { min: 1, max: 20_000, logarithmic: true, label: 'Size', help: 'How far around the ground is looked at.' }),
    low: ratio(0.6, { label: 'From', help: '0 % the deepest hollows, 50 % even slopes, 100 % the sharpest tops.' }),
    high: ratio(1, { label: 'To' }),
    softness: ratio(0.15, { label: 'Softness' }),
  }),
  reach({ size }, ground) {
    const { x, y } = spacingOf(ground);
    return 2 * Math.max(x, y) * (1 + gaussianReach(size / 2 / Math.min(x, y)));
  },
  weigh: async ({ height }, params, { ground, window, kernels, signal }) =>
    boundedBy(await reliefOf(kernels, height, window, spacingOf(ground), params.size, signal), params, { kernels, signal }),
});

/** Where every sample stands among its surroundings of `size` metres, 0 to 1. */
export async function reliefOf(
  kernels: Kernels,
  height: Float32Array,
  { across, down }: { across: number; down: number },
  spacing: { x: number; y: number },
  size: number,
  signal?: AbortSignal,
): Promise<Float32Array<ArrayBuffer>> {
  const [sigmaX, sigmaY] = [size / 2 / spacing.x, size / 2 / spacing.y];
  const mean = await gaussian(kernels, height, across, down, sigmaX, sigmaY, { signal });
  const away = mean;
  const squares = new Float32Array(away.length);
  inBlocks(away.length, (from, to) => {
    for (let i = from; i < to; i++) {
      away[i] = height[i] - mean[i];
      squares[i] = away[i] * away[i];
    }
  });
  const spread = await gaussian(kernels, squares, across, down, sigmaX, sigmaY, { signal });
  inBlocks(away.length, (from, to) => {
    for (let i = from; i < to; i++) {
      const sigma = Math.sqrt(Math.max(0, spread[i]));
      const share = sigma > 1e-6 ? 0.5 + away[i] / (4 * sigma) : 0.5;
      away[i] = share < 0 ? 0 : share > 1 ? 1 : share;
    }
  });
  return away;
}

/** By the land that drains through a place, whatever a step left behind: depressions filled, by the steepest way (O'Callaghan & Mark 1984) or over all lower neighbours (Freeman 1991). */
export const flowMask = defineMask({
  id: 'flow',
  title: 'Flow',
  summary: 'Where water gathers on the ground as it is.',
  finds: ['drainage', 'accumulation', 'wetness', 'streams', 'water'],
  params: z.object({
    by: choice(
      'steepest',
      { steepest: 'Steepest way', multiple: 'All lower ways' },
      { label: 'Water runs', help: 'All lower ways are softer, and take longer.' },
    ),
    low: distance(20_000, { min: 0, max: 1e10, logarithmic: true, label: 'From', help: 'Square metres of land that drain through.' }),
    high: distance(1e10, { min: 0, max: 1e10, logarithmic: true, label: 'To', help: 'Square metres.' }),
    softness: distance(10_000, { min: 0, max: 1e10, logarithmic: true, label: 'Softness', help: 'Over so many square metres it fades out.' }),
  }),
  reach: () => Infinity,
  async weigh({ height }, params, { ground, kernels, signal }) {
    const field = { ground, height: height as Float32Array<ArrayBuffer> };
    const flow =
      params.by === 'multiple'
        ? spreadAccumulation(field, await drainageOf(kernels, field, { signal }), 'multiple')
        : await accumulationOf(kernels, field, { signal });
    const { x, y } = spacingOf(ground);
    for (let i = 0; i < flow.length; i++) flow[i] *= x * y;
    return boundedBy(flow, params, { kernels, signal });
  },
});
