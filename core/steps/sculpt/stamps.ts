import { STAMPS, type StampForm } from './brush';

/** A form over −1 … 1 across and along (along counts in the direction of the stroke); 0 and more, at most 1. */
export type Form = (across: number, along: number) => number;

const ease = (t: number) => (t <= 0 ? 0 : t >= 1 ? 1 : t * t * (3 - 2 * t));

const FORMS: Record<StampForm, Form> = {
  mound: (x, y) => ease(1 - Math.sqrt(x * x + y * y)),
  cone: (x, y) => Math.max(0, 1 - Math.sqrt(x * x + y * y)),
  /** A rim at 0.7 of the radius around a bowl; it may reach below the ground. */
  crater: (x, y) => {
    const r = Math.sqrt(x * x + y * y);
    return r < 0.7 ? -0.8 + 1.8 * (r / 0.7) * (r / 0.7) : ease((1 - r) / 0.3);
  },
  ridge: (x, y) => Math.max(0, 1 - Math.abs(x) * 2) * ease((1 - Math.abs(y)) * 2),
  /** Gentle on the side that the stroke comes from, steep on the other. */
  dune: (x, y) => {
    const crest = 0.25 - 0.35 * x * x;
    const t = y < crest ? (y + 1) / (crest + 1) : 1 - (y - crest) / 0.35;
    return Math.max(0, Math.min(1, t)) * ease((1 - Math.abs(x)) * 1.6);
  },
  tor: (x, y) => ease((0.55 - Math.max(Math.abs(x), Math.abs(y), 0.72 * (Math.abs(x) + Math.abs(y)))) * 7),
};

/** The form that is named, or one out of a file, stretched over the brush. */
export function formOf(stamp: string, file?: { values: Float32Array; across: number; down: number }): Form {
  if (stamp in STAMPS) return FORMS[stamp as StampForm];
  if (!file) return () => 0;
  const { values, across, down } = file;
  return (x, y) => {
    if (Math.abs(x) > 1 || Math.abs(y) > 1) return 0;
    const px = ((x + 1) / 2) * (across - 1);
    const py = ((1 - y) / 2) * (down - 1);
    const [x0, y0] = [Math.min(across - 1, Math.floor(px)), Math.min(down - 1, Math.floor(py))];
    const [x1, y1] = [Math.min(across - 1, x0 + 1), Math.min(down - 1, y0 + 1)];
    const [u, v] = [px - x0, py - y0];
    const north = values[y0 * across + x0] * (1 - u) + values[y0 * across + x1] * u;
    const south = values[y1 * across + x0] * (1 - u) + values[y1 * across + x1] * u;
    return north * (1 - v) + south * v;
  };
}
