import type { EvaluateOptions, Evaluation } from '../course/evaluate';
import type { CoverLayer, Cover, MapSpec } from '../course/recipe';
import { findUse, type Course } from '../course/schema';
import { reachOfWhere } from '../course/where';
import { coverWeights, defaultCover, rampValues } from '../delivery/maps/cover';
import { drawMap } from '../delivery/maps/draw';
import { gaussianReach } from '../field/gaussian';
import { spacingOf, type Ground } from '../field/ground';

/** What reads farther than this many samples of a world is drawn of the whole ground at fewer samples. */
const FAR = 256;

/** A map by the whole ground. */
export interface BaseMap {
  /** What the smallest and the largest code stand for in every tile. */
  low: number;
  high: number;
  unit: string;
  words: string[];
  /** Of a map that knows the whole ground. */
  values?: Float32Array<ArrayBuffer>;
}

/** What of a cover is known by the whole ground: what drives its ramp, and weights by the ids of layers. */
export interface BaseCover {
  ramp?: Float32Array<ArrayBuffer>;
  weights: Map<string, Float32Array<ArrayBuffer>>;
}

/** Samples of a world's ground that a map reads around its own; Infinity: it is drawn of the whole ground. */
export function reachOfMap(spec: MapSpec, course: Course, ground: Ground): number {
  const { x, y } = spacingOf(ground);
  const near = (samples: number) => (samples <= FAR ? Math.ceil(samples) : Infinity);
  switch (spec.kind) {
    case 'slope':
    case 'aspect':
    case 'normal':
      return 2;
    case 'curvature':
      return near(2 + (spec.size > 0 ? gaussianReach(spec.size / 2 / Math.min(x, y)) : 0));
    case 'height':
      return spec.equalised ? Infinity : 0;
    case 'water mask':
    case 'water depth':
      return spec.of === 'sea' ? 0 : Infinity;
    case 'mask': {
      const found = findUse(course, spec.use);
      return found && found.use.hold === 'none' ? near(reachOfWhere(found.use.where, ground) / Math.min(x, y)) : Infinity;
    }
    case 'layer':
      return 0;
    case 'colour':
    case 'weights':
      return Math.max(0, ...(course.cover ?? defaultCover()).layers.filter((layer) => isNear(layer, ground)).map((layer) => reachOfLayer(layer, ground)));
    default:
      return Infinity;
  }
}

const reachOfLayer = ({ where }: CoverLayer, ground: Ground): number => {
  const { x, y } = spacingOf(ground);
  return Math.ceil(reachOfWhere(where, ground) / Math.min(x, y)) + 2;
};

/** Whether a layer of a cover is weighed by what lies around a tile. */
export const isNear = (layer: CoverLayer, ground: Ground): boolean => reachOfLayer(layer, ground) <= FAR;

const drawsCover = ({ kind }: MapSpec) => kind === 'colour' || kind === 'weights';

/** Draws the maps of a world of the whole ground: the range that all tiles share and, of what knows the whole, its values. */
export async function baseOfMaps(
  specs: readonly MapSpec[],
  course: Course,
  world: Ground,
  evaluation: Evaluation,
  options: EvaluateOptions,
): Promise<{ maps: BaseMap[]; cover: BaseCover }> {
  const cover = course.cover ?? defaultCover();
  const maps: BaseMap[] = [];
  for (const spec of specs) {
    if (drawsCover(spec) || spec.kind === 'normal') {
      maps.push({ low: 0, high: 1, unit: '', words: [] });
      continue;
    }
    const drawn = await drawMap(spec, course, evaluation, cover, options);
    if (!('field' in drawn)) continue;
    const { low, high, unit, words, field } = drawn;
    maps.push({ low, high, unit, words, ...(reachOfMap(spec, course, world) === Infinity ? { values: field.height } : {}) });
  }
  return { maps, cover: specs.some(drawsCover) ? await baseOfCover(cover, course, world, evaluation, options) : { weights: new Map() } };
}

async function baseOfCover(cover: Cover, course: Course, world: Ground, evaluation: Evaluation, options: EvaluateOptions): Promise<BaseCover> {
  const far = cover.layers.filter((layer) => !isNear(layer, world));
  const weights = new Map<string, Float32Array<ArrayBuffer>>();
  for (const layer of far) {
    // One layer by itself, at full strength: its part is what its masks say.
    const [, own] = await coverWeights(course, evaluation, { ...cover, layers: [{ ...layer, strength: 1 }] }, options);
    weights.set(layer.id, own);
  }
  return { ramp: await rampValues(evaluation, cover, options), weights };
}
