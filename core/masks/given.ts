import { z } from 'zod';
import { UplandError } from '../errors';
import { resampleWindow } from '../field/resample';
import { asset, choice, distance, elevation, hidden, ratio, tributary } from '../steps/params';
import { samplesSchema, tilesSchema } from '../field/tiles-schema';
import { unrollWeights } from '../field/tiles';
import { boundedBy } from '../analysis/weights';
import { Recent } from '../recent';
import { defineMask } from './mask';

/** Painted masks as they lie on a ground: a course that is worked out again has the same ones. Up to so many samples each, and so many of them. */
const MOST_SAMPLES = 1 << 22;
const painted = new Recent<Float32Array<ArrayBuffer>>(6, (weights) => weights.length <= MOST_SAMPLES);

/** By a picture laid over the ground: its darkest counts as 0, its brightest as 1. */
export const imageMask = defineMask({
  id: 'image',
  title: 'Image',
  summary: 'By the values of a picture laid over the ground.',
  finds: ['picture', 'texture', 'file', 'selection', 'bitmap', 'greyscale'],
  params: z.object({
    asset: asset('Image', 'A grey picture or heightmap; its lowest value counts as 0 %, its highest as 100 %.'),
    low: ratio(0.5, { label: 'From' }),
    high: ratio(1, { label: 'To' }),
    softness: ratio(0.5, { label: 'Softness' }),
  }),
  inputs: ({ asset: sha }) => ({ assets: sha ? [sha] : [] }),
  async weigh(_input, { asset: sha, low, high, softness }, { ground, window, heights, kernels, signal }) {
    if (!sha) throw new UplandError('no-asset', 'The image mask has no picture yet. Choose one, or take the mask away.');
    const source = await heights(sha);
    const laid = { height: source.height, ground: { ...source.ground, width: ground.width, depth: ground.depth, datum: 0 } };
    const values = resampleWindow(laid, { ...ground, datum: 0 }, window).height;
    let least = Infinity;
    let most = -Infinity;
    for (let i = 0; i < source.height.length; i++) {
      if (source.valid && !source.valid[i]) continue;
      if (source.height[i] < least) least = source.height[i];
      if (source.height[i] > most) most = source.height[i];
    }
    const scale = most > least ? 1 / (most - least) : 0;
    return boundedBy(
      values.map((v) => Math.min(1, Math.max(0, (v - least) * scale))),
      { low, high, softness },
      { kernels, signal },
    );
  },
});

/** By the elevations of a tributary. */
export const tributaryMask = defineMask({
  id: 'tributary',
  title: 'Tributary',
  summary: 'Where a tributary lies between two elevations.',
  finds: ['branch', 'layer', 'height', 'heightmap'],
  params: z.object({
    tributary: tributary({ label: 'Tributary', help: 'The side line whose heights decide.' }),
    low: elevation(0, { min: -11_000, max: 9_000, label: 'From' }),
    high: elevation(9_000, { min: -11_000, max: 9_000, label: 'To' }),
    softness: distance(20, { min: 0, max: 4_000, label: 'Softness' }),
  }),
  inputs: ({ tributary: id }) => ({ tributaries: id ? [id] : [] }),
  async weigh(_input, params, context) {
    if (!params.tributary) throw new UplandError('no-tributary', 'The tributary mask has no tributary yet. Choose one, or take the mask away.');
    return boundedBy(await context.tributary(params.tributary), params, context);
  },
});

/** Painted by hand: weights of 8 bits in sparse tiles of 256 × 256; 0 where no tile lies. */
export const paintedMask = defineMask({
  id: 'painted',
  title: 'Painted',
  summary: 'Where it was painted by hand.',
  finds: ['brush', 'paint', 'draw', 'selection', 'hand'],
  params: z.object({ samples: hidden(samplesSchema, 'Samples'), tiles: hidden(tilesSchema, 'Tiles') }),
  inputs: ({ tiles }) => ({ assets: Object.values(tiles) }),
  async weigh(_input, { samples, tiles }, { ground, window, asset: load }) {
    if (Object.keys(tiles).length === 0) return new Float32Array(window.across * window.down);
    const laid = await painted.of(JSON.stringify([samples, tiles, ground, window]), async () => {
      const loaded = new Map<string, Uint8Array>();
      for (const [key, sha] of Object.entries(tiles)) loaded.set(key, await load(sha));
      const given = { ground: { ...ground, ...samples }, height: unrollWeights(loaded, samples.across, samples.down) };
      // Straight between its samples a hard edge would be a flight of steps.
      return resampleWindow(given, ground, window, ground.across > samples.across ? 'spline' : undefined).height;
    });
    return laid.slice();
  },
});

/** By what an earlier step left behind: depths of cut and fill, flow, water, sediment. */
export const layerMask = defineMask({
  id: 'layer',
  title: 'Layer',
  summary: 'Where an earlier step cut, filled or left water.',
  finds: ['erosion', 'sediment', 'deposit', 'wear', 'cut', 'fill', 'output'],
  params: z.object({
    layer: choice(
      'cut',
      { cut: 'Cut', fill: 'Fill', flow: 'Flow', water: 'Water', sediment: 'Sediment', loose: 'Loose', ice: 'Ice', till: 'Till', void: 'Holes' },
      { label: 'Layer' },
    ),
    low: distance(1, { min: 0, max: 1e11, step: 0.1, label: 'From', help: 'Metres of depth; of flow, square metres that drain through.' }),
    high: distance(1e11, { min: 0, max: 1e11, step: 0.1, label: 'To', help: 'Metres of depth; of flow, square metres.' }),
    softness: distance(1, { min: 0, max: 1e11, step: 0.1, label: 'Softness' }),
  }),
  weigh({ layers }, { layer, low, high, softness }, context) {
    const values = layers[layer];
    if (!values) {
      const known = Object.keys(layers).join(', ');
      throw new UplandError('layer', `No step before this one leaves a layer "${layer}".${known ? ` There are: ${known}.` : ' Weathering steps do.'}`);
    }
    return boundedBy(values, { low, high, softness }, context);
  },
});
