import { spacingOf, type Place } from '@upland-cast/core';
import { heightAt, type HeightSource } from './pick';

/** Looks along a bank at the most. */
const LOOKS = 160;

/**
 * What a path looks like from above, read off the ground that it was worked into: its two edges,
 * and the two lines where its banks meet the ground. A bank goes on for as long as the ground
 * climbs or falls at the bank's angle.
 *
 * `width` in metres, `bank` in degrees. Returns left edge, right edge, left foot, right foot.
 */
export function banksOf(source: HeightSource, line: readonly Place[], width: number, bank: number): Place[][] {
  const out: Place[][] = [[], [], [], []];
  const { x, y } = spacingOf(source.ground);
  const step = Math.max(x, y);
  const rise = Math.tan((bank * Math.PI) / 180);
  const half = width / 2;
  for (const [i, at] of line.entries()) {
    const [a, b] = [line[Math.max(0, i - 1)], line[Math.min(line.length - 1, i + 1)]];
    const [dx, dy] = [b.east - a.east, b.south - a.south];
    const length = Math.hypot(dx, dy);
    if (length === 0) continue;
    for (const side of [0, 1]) {
      const [nx, ny] = side ? [-dy / length, dx / length] : [dy / length, -dx / length];
      const place = (away: number): Place => ({ east: at.east + nx * away, south: at.south + ny * away });
      const height = (away: number) => heightAt(source, place(away).east, place(away).south);
      out[side].push(place(half));
      const begin = height(half);
      let foot = half;
      for (const way of [1, -1]) {
        // Half of the rise of one look is what the grid blurs.
        for (let k = 1; k < LOOKS; k++) {
          const away = half + k * step;
          if (Math.abs(height(away) - (begin + way * k * step * rise)) > step * rise * 0.6) break;
          foot = Math.max(foot, away);
        }
      }
      out[2 + side].push(place(foot));
    }
  }
  return out;
}
