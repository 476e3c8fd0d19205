import {
  mapSchema,
  receivers,
  sentenceOf,
  worldCost,
  worldOrderFor,
  type Course,
  type MapSpec,
  type WorldCost,
  type WorldFormat,
  type WorldOrder,
} from '@upland-cast/core';

/** Maps that are offered of a world's tiles, as they begin. */
export const OFFERED: Record<string, MapSpec> = Object.fromEntries(
  (['slope', 'normal', 'curvature', 'flow', 'ambient', 'water mask', 'colour', 'weights'] as const).map((kind) => [
    kind,
    mapSchema.parse(kind === 'water mask' ? { kind, of: 'all' } : { kind }),
  ]),
);

/** A new world as it is being filled in. */
export interface WorldForm {
  samples: number;
  tile: number;
  base: string;
  weather: 'samples' | 'base';
  receiver: string;
  format: WorldFormat;
  range: { low: number; high: number };
  cloud: boolean;
  names: string;
  maps: string[];
  meshes: 0 | 1 | 2 | 4 | 8;
  byQueue: boolean;
}

/** As it begins. */
export const formFor = ({ ground }: Pick<Course, 'ground'>): WorldForm => ({
  samples: ground.registration === 'point' ? 8193 : 8192,
  tile: 2048,
  base: 'own',
  weather: 'samples',
  receiver: 'none',
  format: 'tiff',
  range: { low: 0, high: 1000 },
  cloud: false,
  names: 'r{y:3}-c{x:3}',
  maps: [],
  meshes: 0,
  byQueue: false,
});

/** The order that a form comes to and what it costs, or why it cannot be. */
export function orderOf(course: Course, form: WorldForm): { order: WorldOrder; cost: WorldCost; fault?: undefined } | { fault: string } {
  const { samples, tile, base, weather, format, range, names, cloud } = form;
  const receiver = receivers.find(({ id }) => id === form.receiver);
  try {
    const order = worldOrderFor(course, {
      samples,
      tile,
      base: base === 'own' ? Math.max(course.ground.across, course.ground.down) : Number(base),
      weather,
      receiver,
      format,
      range: format === 'tiff' ? undefined : range,
      type: format === 'tiff' ? 'f32' : 'u16',
      cloud: cloud && format === 'tiff',
      names,
      maps: form.maps.map((kind) => OFFERED[kind]),
      meshes: form.meshes === 0 ? null : { every: form.meshes, at: null },
    });
    if (format !== 'tiff' && !(range.high > range.low)) return { fault: 'The highest code has to stand for more metres than the lowest.' };
    return { order, cost: worldCost(course, order) };
  } catch (error) {
    return { fault: sentenceOf(error) };
  }
}

/** Samples along the longer side that are one more than a round number, where the receiver has them on the edge. */
export const extraSample = ({ receiver }: WorldForm, { ground }: Pick<Course, 'ground'>): 0 | 1 => {
  const registration = receivers.find(({ id }) => id === receiver)?.registration ?? 'either';
  return (registration === 'either' ? ground.registration : registration) === 'point' ? 1 : 0;
};
