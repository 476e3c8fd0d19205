import type { Course, StrokePlace } from '@upland-cast/core';
import { transfer } from 'comlink';
import type { Listener, Outcome, Patch, SculptParams, PaintedParams, BrushParts } from '../api';
import { jobs, outcome } from '../jobs';
import { paced } from '../paced';
import { kernels, state } from '../state';
import * as hand from './sculpt-service';

export const sculptApi = {
  /** Begins a stroke of the hand step `id`, or of its painted mask, on the full ground as it is seen: at the end of the course, or as after the step itself. */
  beginStroke(course: Course, id: string, standing: boolean, brush: BrushParts, mask: string | null): Promise<Outcome<Uint8Array<ArrayBuffer> | true>> {
    return outcome(() => hand.beginStroke(state.full, kernels, { course, id, standing, mask }, brush));
  },

  async dab(places: StrokePlace[]): Promise<Patch | null> {
    const patch = await hand.dab(places);
    return patch ? transfer(patch, [patch.height.buffer]) : null;
  },

  /** Ends the stroke: its tiles are kept as assets, and the new settings of the step or the mask come back. */
  endStroke(): Promise<Outcome<SculptParams | PaintedParams | null>> {
    return outcome(() => hand.endStroke());
  },

  /** The recorded strokes of a hand step once more, on what lies beneath it now. */
  playStrokes(id: string, listener: Listener): Promise<Outcome<SculptParams>> {
    const tell = paced((words, share) => listener.progress(words, share, false));
    return outcome(() => hand.playAgain(state.full, kernels, id, (share) => tell('Strokes', share), jobs.begin('picture')));
  },
};
