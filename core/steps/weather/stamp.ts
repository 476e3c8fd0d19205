import { spacingOf, type Ground } from '../../field/ground';

/** A sample of a channel: its bed's level, and how wide it is, as a factor of the floor's half-width. */
export interface Stamped {
  at: number;
  level: number;
  wide: number;
}

/**
 * Cuts channels: around every stamped sample nothing stays higher than its level within the
 * floor's half-width (`floor`, metres), rising beyond it by `bank` (rise over run). Only lowers, by `deepest` at most;
 * the order of the stamps does not matter.
 */
export function stamp(
  height: Float32Array,
  ground: Ground,
  stamps: Stamped[],
  { floor, bank, deepest = Infinity }: { floor: number; bank: number; deepest?: number },
): Float32Array<ArrayBuffer> {
  const { across, down } = ground;
  const { x: dx, y: dy } = spacingOf(ground);
  const out = Float32Array.from(height);
  for (const { at, level, wide } of stamps) {
    const column = at % across;
    const row = (at - column) / across;
    const half = floor * wide;
    // As far as the bank can still lie under the ground: at most to where it has climbed the whole cut, and at least its floor.
    const reach = half + Math.max(0, height[at] - level) / bank + Math.max(dx, dy);
    const rows = Math.ceil(reach / dy);
    const columns = Math.ceil(reach / dx);
    for (let y = Math.max(0, row - rows); y <= Math.min(down - 1, row + rows); y++) {
      for (let x = Math.max(0, column - columns); x <= Math.min(across - 1, column + columns); x++) {
        const far = Math.sqrt((x - column) * (x - column) * dx * dx + (y - row) * (y - row) * dy * dy);
        if (far > reach && x !== column) continue;
        const i = y * across + x;
        const most = Math.max(level + bank * Math.max(0, far - half), height[i] - deepest);
        if (out[i] > most) out[i] = most;
      }
    }
  }
  return out;
}
