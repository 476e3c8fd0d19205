import { eastOf, southOf, spacingOf, type Ground } from './ground';

/** A rectangle of a ground's samples: from (left, top), `across` × `down` of them. */
export interface Window {
  left: number;
  top: number;
  across: number;
  down: number;
}

export const wholeOf = (ground: Ground): Window => ({ left: 0, top: 0, across: ground.across, down: ground.down });

export const isWhole = (window: Window, ground: Ground): boolean => window.across === ground.across && window.down === ground.down;

/**
 * Where a window's samples lie, metres east and south of the ground's north-west corner:
 * firstX + stepX · (left + column). Counted from the whole ground's first sample, so that a
 * place has the same bits in every window.
 */
export interface Grid {
  across: number;
  down: number;
  left: number;
  top: number;
  firstX: number;
  stepX: number;
  firstY: number;
  stepY: number;
}

export function gridOf(ground: Ground, window: Window): Grid {
  const { x, y } = spacingOf(ground);
  return { ...window, firstX: eastOf(ground, 0), stepX: x, firstY: southOf(ground, 0), stepY: y };
}

/** The ground under a window: the same spacing, its own counts. */
export function groundOfWindow(ground: Ground, window: Window): Ground {
  if (isWhole(window, ground)) return ground;
  const { x, y } = spacingOf(ground);
  const extra = ground.registration === 'point' ? 1 : 0;
  return {
    ...ground,
    width: x * Math.max(1, window.across - extra),
    depth: y * Math.max(1, window.down - extra),
    across: window.across,
    down: window.down,
  };
}

/** The samples of `values` (a whole ground, `across` a row) that lie in the window. */
export function cropSamples<T extends Float32Array | Uint8Array>(values: T, across: number, window: Window): T {
  if (window.left === 0 && window.across === across && window.top === 0 && window.across * window.down === values.length) return values;
  const Array = values.constructor as new (length: number) => T;
  const out = new Array(window.across * window.down);
  for (let row = 0; row < window.down; row++) {
    const from = (window.top + row) * across + window.left;
    out.set(values.subarray(from, from + window.across), row * window.across);
  }
  return out;
}

/** `whole` with the samples of `inner` taken from `piece`, which was worked out over `window`. */
export function pasteSamples(whole: Float32Array, across: number, piece: Float32Array, window: Window, inner: Window): Float32Array<ArrayBuffer> {
  const out = Float32Array.from(whole);
  for (let row = 0; row < inner.down; row++) {
    const from = (inner.top - window.top + row) * window.across + inner.left - window.left;
    out.set(piece.subarray(from, from + inner.across), (inner.top + row) * across + inner.left);
  }
  return out;
}

/** The window grown by so many samples, not beyond the ground; its corner stays on a multiple of `align`. */
export function growWindow(window: Window, byX: number, byY: number, ground: Ground, align = 1): Window {
  const down = (n: number) => Math.floor(n / align) * align;
  const left = Math.max(0, down(window.left - byX));
  const top = Math.max(0, down(window.top - byY));
  const right = Math.min(ground.across, window.left + window.across + byX);
  const bottom = Math.min(ground.down, window.top + window.down + byY);
  return { left, top, across: right - left, down: bottom - top };
}

/** The smallest window that holds both. */
export function union(a: Window | null, b: Window | null): Window | null {
  if (!a || !b) return a ?? b;
  const left = Math.min(a.left, b.left);
  const top = Math.min(a.top, b.top);
  const right = Math.max(a.left + a.across, b.left + b.across);
  const bottom = Math.max(a.top + a.down, b.top + b.down);
  return { left, top, across: right - left, down: bottom - top };
}
