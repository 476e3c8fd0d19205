import {
  changedPart,
  defaultCover,
  groundColourAndGrain,
  litWindow,
  pieceOfField,
  renewed,
  skyLight,
  sunShare,
  inputsOfWhere,
  type Course,
  type Cover,
  type Evaluation,
  type Field,
  type Rectangle,
  type SampleWindow,
} from '@upland-cast/core';
import { transfer } from 'comlink';
import type { LightRequest, Outcome } from '../api';
import { GRAIN_CODE } from '../../drawing/grain';
import { coverOptions } from '../export/export-service';
import { jobs, outcome } from '../jobs';
import { knownEnd, state, tools } from '../state';
import { everySecond, keepShares, keptShares, spread } from './kept-light';

/** Directions that the sky is looked for in. */
const SKY_DIRECTIONS = 16;
/** Where more than this share of the ground would be renewed all of it is found anew. */
const MOST_RENEWED = 0.45;

/** The ground that light was asked on last, and the share of the sky that its samples see. */
let lit: { field: Field; sky: { exaggeration: number; shares: Float32Array<ArrayBuffer> } | null } | null = null;
/** What of it was changed since its sky was found. */
let stale: { window: SampleWindow; most: number; before: Field } | null = null;

/** The colours that were found last, and the heights that they belong to. */
let coloured: { rgba: Uint8Array<ArrayBuffer>; field: Field } | null = null;

const sameGround = (a: Field, b: Field) => JSON.stringify(a.ground) === JSON.stringify(b.ground);

async function skyOf({ signal }: { signal: AbortSignal }, exaggeration: number): Promise<Float32Array> {
  const on = lit!;
  const options = { directions: SKY_DIRECTIONS, exaggeration };
  const changed = stale;
  if (on.sky?.exaggeration === exaggeration && changed) {
    const window = litWindow(changed, on.field, exaggeration);
    if (window.across * window.down <= MOST_RENEWED * on.field.height.length) {
      const pieces = [changed.before, on.field].map((field) => pieceOfField(field, window));
      const [before, after] = [await skyLight(tools.kernels, pieces[0], options, { signal }), await skyLight(tools.kernels, pieces[1], options, { signal })];
      renewed(on.sky.shares, on.field.ground.across, window, before, after, 1, 1);
      stale = null;
      return on.sky.shares;
    }
    on.sky = null;
  }
  if (on.sky?.exaggeration !== exaggeration) {
    const kept = await keptShares(on.field, 'sky', exaggeration);
    const shares = kept ?? (await skyLight(tools.kernels, on.field, options, { signal }));
    on.sky = { exaggeration, shares };
    stale = null;
    if (!kept) void keepShares(shares, on.field, 'sky', exaggeration);
  }
  return on.sky.shares;
}

/** The light as bytes, those of sky and sun one after the other for each sample. */
function asBytes(sky: Float32Array, sun: Float32Array): Uint8Array<ArrayBuffer> {
  const out = new Uint8Array(2 * sun.length);
  for (let i = 0; i < sun.length; i++) {
    out[2 * i] = 255 * sky[i] + 0.5;
    out[2 * i + 1] = 255 * sun[i] + 0.5;
  }
  return out;
}

/** Whether a cover needs nothing of a course but the ground it ends with: no layer of a step, no tributary. */
const byEndAlone = ({ layers }: Cover) =>
  layers.every(({ where }) => where.masks.every(({ on, kind }) => !on || kind !== 'layer') && inputsOfWhere(where).tributaries.length === 0);

/** Colours with the grain in the fourth byte. */
async function coloursOf(course: Course, evaluation: Evaluation, job: string): Promise<Uint8Array<ArrayBuffer>> {
  const { rgb, grain } = await groundColourAndGrain(course, evaluation, course.cover ?? defaultCover(), coverOptions(tools, jobs.begin(job)));
  const rgba = new Uint8Array(4 * grain.length);
  for (let i = 0, j = 0; j < grain.length; j++) {
    for (let c = 0; c < 3; c++) rgba[4 * j + c] = rgb[i++];
    rgba[4 * j + 3] = GRAIN_CODE * grain[j];
  }
  return rgba;
}

export const lightApi = {
  /** The ground whose light is asked for next. Of the same ground only what was changed is found anew. */
  lightOn(field: Field): void {
    if (!lit?.sky || !sameGround(lit.field, field)) {
      lit = { field, sky: null };
      stale = null;
      return;
    }
    const before = stale?.before ?? lit.field;
    const changed = changedPart(before.height, field.height, field.ground.across);
    stale = changed && { ...changed, before };
    lit = { field, sky: lit.sky };
  },

  /** The shares of sky and sun (0 to 255, one after the other for each sample) on the ground that was given last. A newer question ends the one before. */
  async lights({ azimuth, altitude, disc, exaggeration, first = false }: LightRequest): Promise<Outcome<Uint8Array<ArrayBuffer> | null>> {
    const result = await outcome(async () => {
      const on = lit;
      if (!on) return null;
      const signal = jobs.begin('light');
      const shares = await skyOf({ signal }, exaggeration);
      const settings = ['sun', azimuth, altitude, disc, exaggeration];
      const kept = first ? await keptShares(on.field, ...settings) : undefined;
      const sun = kept ?? (await sunShare(tools.kernels, on.field, { azimuth, altitude, disc }, exaggeration, { signal }));
      if (first && !kept) void keepShares(sun, on.field, ...settings);
      return asBytes(shares, sun);
    });
    return result.ok && result.value ? transfer(result, [result.value.buffer]) : result;
  },

  /** The same of every second sample, in a quarter of the time; null where the sky is known and all of it is there as soon. */
  async firstLights({ azimuth, altitude, disc, exaggeration }: LightRequest): Promise<Outcome<Uint8Array<ArrayBuffer> | null>> {
    const result = await outcome(async () => {
      const on = lit;
      if (!on || on.sky || (await keptShares(on.field, 'sky', exaggeration))) return null;
      const signal = jobs.begin('light');
      const { across, down } = on.field.ground;
      const fewer = everySecond(on.field);
      const sky = await skyLight(tools.kernels, fewer, { directions: SKY_DIRECTIONS, exaggeration }, { signal });
      const sun = await sunShare(tools.kernels, fewer, { azimuth, altitude, disc }, exaggeration, { signal });
      return asBytes(spread(sky, across, down), spread(sun, across, down));
    });
    return result.ok && result.value ? transfer(result, [result.value.buffer]) : result;
  },

  /** The colours of what covers the last full ground, or the ground after a step; four bytes a sample. */
  async coverColours(course: Course, standing: string | null): Promise<Outcome<Uint8Array<ArrayBuffer> | null>> {
    const result = await outcome(async () => {
      const end = state.full || byEndAlone(course.cover ?? defaultCover()) ? await knownEnd(course) : null;
      if (!end) return null;
      const stood = standing ? end.stages.find((s) => s.use.id === standing) : undefined;
      const { ground } = end;
      const { height, layers, stages } = { ...end, ...(stood ? { height: stood.height, layers: stood.layers } : {}) };
      const rgba = await coloursOf(course, { ground, height, layers, stages }, 'colours');
      coloured = { rgba: rgba.slice(), field: { ground, height: height.slice() } };
      return rgba;
    });
    return result.ok && result.value ? transfer(result, [result.value.buffer]) : result;
  },

  /**
   * The colours of a part that a brush has just changed, of the heights as they are now over `window`, which is the part with what lies about it.
   * Null: the colours of this ground are not known.
   */
  async touchedColours(
    course: Course,
    part: Rectangle,
    window: SampleWindow,
    height: Float32Array<ArrayBuffer>,
  ): Promise<Outcome<Uint8Array<ArrayBuffer> | null>> {
    const result = await outcome(async () => {
      const known = coloured;
      if (!known || !course) return null;
      const { ground } = known.field;
      const before = pieceOfField(known.field, window);
      const own = await coloursOf(course, { ...before, layers: {}, stages: [] }, 'touched');
      const now = await coloursOf(course, { ground: before.ground, height, layers: {}, stages: [] }, 'touched');
      if (known !== coloured) return null;
      renewed(known.rgba, ground.across, window, own, now, 4, 255);
      for (let row = 0; row < window.down; row++) {
        known.field.height.set(height.subarray(row * window.across, (row + 1) * window.across), (window.top + row) * ground.across + window.left);
      }
      const wide = part.right - part.left;
      const out = new Uint8Array(4 * wide * (part.bottom - part.top));
      for (let row = part.top; row < part.bottom; row++) {
        const from = 4 * (row * ground.across + part.left);
        out.set(known.rgba.subarray(from, from + 4 * wide), 4 * (row - part.top) * wide);
      }
      return out;
    });
    return result.ok && result.value ? transfer(result, [result.value.buffer]) : result;
  },
};
