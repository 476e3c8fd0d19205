import type { Place } from '@upland-cast/core';
import type { SectionPoint } from '../../../components/section-chart';
import type { Picture } from '../../../engine/api';
import { depthAt, heightAt } from '../../../view/ground/pick';

/** Places along a section, but for its first. */
const COUNT = 480;
/** Metres by which a ground has to differ to be another one. */
const DIFFERS = 1e-3;

/** The ground along a line, and the level of the water where there is some; both empty while there is no ground. */
export function sectionThrough(
  picture: Picture | null,
  water: Float32Array | null,
  from: Place,
  to: Place,
): { points: SectionPoint[]; levels: SectionPoint[] } {
  const points: SectionPoint[] = [];
  const levels: SectionPoint[] = [];
  if (!picture) return { points, levels };
  const length = Math.hypot(to.east - from.east, to.south - from.south);
  for (let i = 0; i <= COUNT; i++) {
    const t = i / COUNT;
    const [east, south] = [from.east + (to.east - from.east) * t, from.south + (to.south - from.south) * t];
    const y = heightAt(picture, east, south) + picture.ground.datum;
    points.push({ x: t * length, y });
    const depth = water ? depthAt(picture, water, east, south) : 0;
    levels.push({ x: t * length, y: depth > 0 ? y + depth : NaN });
  }
  return { points, levels };
}

/** Keeps the last full ground along a line, and the one before it. */
export class SectionBefore {
  private line = '';
  private now: SectionPoint[] = [];
  private was: SectionPoint[] = [];

  /** Takes the ground along a line as it is seen now, and gives what it was before it changed; previews pass by. */
  take(line: string, points: SectionPoint[], preview: boolean): SectionPoint[] {
    const { now } = this;
    const differs = this.line === line && now.length === points.length && now.some((p, i) => Math.abs(p.y - points[i].y) > DIFFERS);
    if (this.line !== line) Object.assign(this, { line, now: points, was: [] });
    else if (differs && !preview) Object.assign(this, { now: points, was: now });
    return preview && differs ? now : this.was;
  }
}
