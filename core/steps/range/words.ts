/** A range of elevations, metres. */
export interface Ends {
  low: number;
  high: number;
}

const metres = (value: number) => `${value < 0 ? '−' : ''}${Math.abs(value).toFixed(1)} m`;
const signed = (value: number) => `${value < 0 ? '−' : '+'}${Math.abs(value).toFixed(1)} m`;

/**
 * What a change of range does to the form, in words and numbers, before it is done: from these
 * ends to those. Both ends moved by the same distance is a shift, whoever calls it a stretch.
 */
export function rangeWords(from: Ends, to: Ends): string {
  const [low, high] = [to.low - from.low, to.high - from.high];
  const span = from.high - from.low;
  if (Math.abs(low - high) < 0.05) return Math.abs(low) < 0.05 ? 'Nothing changes.' : `Everything moves by ${signed(low)}; the form stays.`;
  if (!(span > 0)) return 'The ground is level: there is nothing to stretch.';
  const factor = (to.high - to.low) / span;
  if (factor < 0) return 'The ends change places: hills become hollows.';
  if (factor === 0) return 'Everything becomes level.';
  const stays = Math.abs(low) < 0.05 ? ` ${metres(from.low)} stays.` : Math.abs(high) < 0.05 ? ` ${metres(from.high)} stays.` : '';
  const steeper = factor >= 1 ? `Slopes become ${factor.toFixed(2)} times as steep.` : `Slopes become gentler: ${factor.toFixed(2)} times what they were.`;
  return `${steeper}${stays} The form changes.`;
}

/** What cutting off at two heights does, with the share of the ground that lies beyond them. */
export function clipWords(to: Ends, shoulder: number, beyond: number): string {
  const share = `${(beyond * 100).toFixed(1)} % of the ground lies beyond`;
  const bend = shoulder > 0 ? `, and bends over ${shoulder.toFixed(1)} m before it` : '';
  return `${share} ${metres(to.low)} and ${metres(to.high)}${bend}; the rest stays as it is.`;
}
