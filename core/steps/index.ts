import { z } from 'zod';
import { quoted, UplandError } from '../errors';
import { path } from './sculpt/along';
import { sculpt } from './sculpt/sculpt';
import { deblock } from './mend/deblock';
import { despike } from './mend/despike';
import { domeOver } from './mend/dome-over';
import { fillVoidsStep } from './mend/fill-voids';
import { linearise } from './mend/linearise';
import { trimEdge } from './mend/trim-edge';
import { unstepStep } from './mend/unstep';
import { shift } from './range/shift';
import { fit } from './range/fit';
import { stretch } from './range/stretch';
import { bands } from './shape/bands';
import { blur } from './shape/blur';
import { canyon } from './shape/canyon';
import { channel } from './shape/channel';
import { clamp } from './shape/clamp';
import { curve } from './shape/curve';
import { edgeSmooth } from './shape/edge-smooth';
import { equalise } from './shape/equalise';
import { exposure } from './shape/exposure';
import { falloff } from './shape/falloff';
import { invert } from './shape/invert';
import { levelArea } from './shape/level-area';
import { levels } from './shape/levels';
import { median } from './shape/median';
import { place } from './shape/place';
import { roughen } from './shape/roughen';
import { terrace } from './shape/terrace';
import { warp } from './shape/warp';
import { craters } from './source/craters';
import { dunes } from './source/dunes';
import { fan } from './source/fan';
import { fault } from './source/fault';
import { flat } from './source/flat';
import { join } from './source/join';
import { landform } from './source/landform';
import { mosaic } from './source/mosaic';
import { noise } from './source/noise';
import { raster } from './source/raster';
import { volcano } from './source/volcano';
import { SOURCE_JOINS, type Step } from './step';
import { drain } from './weather/drain';
import { fluvial } from './weather/fluvial';
import { glacier } from './weather/glacier';
import { river } from './weather/river';
import { runoff } from './weather/runoff';
import { settle } from './weather/settle';
import { shore } from './weather/shore';
import { talus } from './weather/talus';
import { wind } from './weather/wind';

/** Every step there is, in the order they are offered. */
export const steps: readonly Step[] = [
  noise,
  landform,
  dunes,
  volcano,
  craters,
  fan,
  fault,
  raster,
  mosaic,
  flat,
  join,
  trimEdge,
  despike,
  fillVoidsStep,
  deblock,
  unstepStep,
  linearise,
  domeOver,
  warp,
  place,
  terrace,
  curve,
  levels,
  exposure,
  clamp,
  equalise,
  invert,
  blur,
  median,
  edgeSmooth,
  bands,
  roughen,
  falloff,
  channel,
  canyon,
  levelArea,
  fluvial,
  runoff,
  talus,
  glacier,
  wind,
  shore,
  settle,
  drain,
  river,
  sculpt,
  path,
  shift,
  stretch,
  fit,
] as unknown as readonly Step[];

const byId = new Map(steps.map((step) => [step.id, step]));

/** The step with this id; says which there are when there is none. */
export function knownStep(id: string): Step {
  const step = byId.get(id);
  if (!step) {
    throw new UplandError('unknown-step', `There is no step ${quoted(id)}. There are: ${steps.map((s) => s.id).join(', ')}.`, { id });
  }
  return step;
}

/** The step with this id; for one that is not known here, of a later version or a slip of the hand, one that says so when it is to be done. */
export const stepById = (id: string): Step => byId.get(id) ?? unknownStep(id);

function unknownStep(id: string): Step {
  return {
    id,
    title: `Unknown step ${quoted(id, 30)}`,
    family: 'shape',
    summary: 'This step is not known here: it may come from a later version. It is kept as it is, and the ground goes on without it.',
    finds: [],
    params: z.looseObject({}),
    joins: [...SOURCE_JOINS],
    gives: 'elevation',
    takesMask: false,
    refines: 'no',
    movesLayers: false,
    presets: [],
    inputs: () => ({}),
    reach: () => Infinity,
    caption: () => '',
    run: () => {
      throw new UplandError(
        'unknown-step',
        `There is no step ${quoted(id)} here; it may come from a later version. It is kept as it is, and the ground goes on without it.`,
        { id },
      );
    },
  };
}
