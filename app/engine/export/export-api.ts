import type { Course, Field, Ground, MapSpec, Order, SamplingReport } from '@upland-cast/core';
import { transfer } from 'comlink';
import { reliefPixels } from '../../drawing/relief';
import type { CameIn, HandedOn, MapDrape, OrderCost, TrialResult, Listener, Outcome } from '../api';
import { pngUrl } from '../images';
import { jobs, outcome } from '../jobs';
import { paced } from '../paced';
import { endOf, tools } from '../state';
import * as handing from './export-service';

export const exportApi = {
  distanceOfOrder(course: Course, order: Order): Promise<Outcome<SamplingReport | null>> {
    return outcome(() => handing.distanceOfOrder(tools, course, order, jobs.begin('sampling')));
  },

  distanceAtSamples(course: Course, ground: Ground): Promise<Outcome<SamplingReport | null>> {
    return outcome(() => handing.distanceAtSamples(tools, course, ground, jobs.begin('sampling')));
  },

  orderCost(course: Course, order: Order): Promise<Outcome<OrderCost>> {
    return outcome(async () => handing.orderCost(tools, course, order, jobs.begin('cost'), await endOf(course)));
  },

  rangesIn(course: Course): Promise<Outcome<CameIn[]>> {
    return outcome(() => handing.rangesIn(course));
  },

  /** A map of the ground as it will be handed on, on fewer samples. */
  async mapDrape(course: Course, source: Order['grounds'][number], spec: MapSpec | { kind: 'ground' }, whole = false): Promise<Outcome<MapDrape>> {
    const result = await outcome(async () => {
      const known = source.kind === 'end' && !whole ? await endOf(course) : null;
      return handing.mapDrape(tools, course, source, spec, jobs.begin(whole ? 'still' : 'map'), { whole, known });
    });
    if (!result.ok) return result;
    const { height, rgb } = result.value;
    return transfer(result, rgb ? [height.buffer, rgb.buffer] : [height.buffer]);
  },

  /** Carries an order out, into memory or into a file on disk. */
  handOn(
    course: Course,
    order: Order,
    given: { handle?: FileSystemFileHandle; onServer: boolean; spotsBefore: Record<string, number> },
    listener: Listener,
  ): Promise<Outcome<HandedOn>> {
    const relief = (field: Field) =>
      pngUrl(
        reliefPixels(field, 480, Math.max(1, Math.round((480 * field.ground.depth) / field.ground.width)), true),
        480,
        Math.max(1, Math.round((480 * field.ground.depth) / field.ground.width)),
      );
    return outcome(() =>
      handing.carryOut(
        tools,
        course,
        order,
        { ...given, relief },
        paced((words, share) => listener.progress(words, share, false)),
        jobs.begin('hand'),
      ),
    );
  },

  stopHanding(): void {
    jobs.stop('hand');
  },

  trial(told: Parameters<typeof handing.trial>[0]): Promise<Outcome<TrialResult>> {
    return outcome(() => handing.trial(told));
  },

  arrivedFile(told: Parameters<typeof handing.arrivedFile>[0]): ReturnType<typeof outcome<{ name: string; bytes: Uint8Array<ArrayBuffer> }>> {
    return outcome(() => handing.arrivedFile(told));
  },
};
