import type { Field } from '../field/field';
import { spacingOf } from '../field/ground';
import { cropSamples, groundOfWindow, type Window } from '../field/window';

/** What of a ground was changed, and by how much at the most, metres; null: nothing. Both have the same samples. */
export function changedPart(before: Float32Array, after: Float32Array, across: number): { window: Window; most: number } | null {
  let [left, right, top, bottom, most] = [across, -1, -1, -1, 0];
  for (let i = 0; i < after.length; i++) {
    const by = Math.abs(after[i] - before[i]);
    if (by === 0) continue;
    const column = i % across;
    if (column < left) left = column;
    if (column > right) right = column;
    if (top < 0) top = Math.floor(i / across);
    bottom = Math.floor(i / across);
    if (by > most) most = by;
  }
  return right < 0 ? null : { window: { left, top, across: right - left + 1, down: bottom - top + 1 }, most };
}

/** A change of a horizon's height that is not seen any more, as a slope. */
const UNSEEN = 0.04;

/** The window beyond which a change is not seen in the light of the sky: one is by its height over how far off it is. */
export function litWindow({ window, most }: { window: Window; most: number }, field: Field, exaggeration: number): Window {
  const { x, y } = spacingOf(field.ground);
  const reach = (spacing: number) => Math.max(8, Math.ceil((most * exaggeration) / UNSEEN / spacing));
  return grown(window, reach(x), reach(y), field);
}

/** A window with so many samples more around it, as far as there are. */
export function grown({ left, top, across, down }: Window, byX: number, byY: number, { ground }: Pick<Field, 'ground'>): Window {
  const [west, north] = [Math.max(0, left - byX), Math.max(0, top - byY)];
  return {
    left: west,
    top: north,
    across: Math.min(ground.across, left + across + byX) - west,
    down: Math.min(ground.down, top + down + byY) - north,
  };
}

/** The samples of a field in a window, as a ground of their own with the same spacing. */
export const pieceOfField = ({ ground, height }: Field, window: Window): Field => ({
  ground: groundOfWindow(ground, window),
  height: cropSamples(height, ground.across, window) as Float32Array<ArrayBuffer>,
});

/**
 * Brings what was found on a whole ground up to date in a window: by as much as it differs there when it is found on the piece alone, before
 * and after. What lies outside of the piece is missing from both, and so from neither's difference; there is no seam.
 */
export function renewed<T extends Float32Array | Uint8Array>(
  whole: T,
  across: number,
  window: Window,
  before: T,
  after: T,
  channels = 1,
  most = Infinity,
): void {
  for (let row = 0; row < window.down; row++) {
    let to = ((window.top + row) * across + window.left) * channels;
    let i = row * window.across * channels;
    for (let k = 0; k < window.across * channels; k++, i++, to++) {
      if (after[i] === before[i]) continue;
      whole[to] = Math.min(most, Math.max(0, whole[to] + after[i] - before[i]));
    }
  }
}
