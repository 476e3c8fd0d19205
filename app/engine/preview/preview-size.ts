import { allUses, previewGround, stepById, type Course, type Evaluation } from '@upland-cast/core';

/** Sizes of previews, samples a side, the finest first; and milliseconds that one may take. */
const PREVIEWS = [512, 256, 128] as const;
const PREVIEW_TIME = 350;
/** Milliseconds under which chance has too large a part in what was measured. */
const LEAST_TOLD = 20;
/** What a small ground may take as a multiple of its share of the full one's samples: at the beginning, and at the most. */
const DEARER = 2.5;
const DEAREST = 8;

interface Full {
  course: Course;
  evaluation: Pick<Evaluation, 'stages'>;
}

/** How fine a preview can be so that it is there at once, by what the full ground's steps took, and by what previews took since. */
export class PreviewSizes {
  /** Sizes at which what comes before a change is in the cache already. */
  private readonly shown = new Set<number>();
  /** Weather has its coarse grids at any size: a quarter of the samples takes more than a quarter of the time. As measured last. */
  private dearer = DEARER;
  private chosen: { most: number; expected: number } | undefined;

  /** Samples a side at the most for a preview of `course`; `full`: the ground that was worked out last, with what its steps took. */
  choose(course: Course, full: Full | undefined): number {
    const expected = (most: number) => (full ? costOf(course, full, this.shown.has(most)) * shareOf(course, most) : 0);
    const most = full ? (PREVIEWS.find((size) => this.dearer * expected(size) <= PREVIEW_TIME) ?? PREVIEWS[PREVIEWS.length - 1]) : unknownSize(course);
    this.chosen = { most, expected: expected(most) };
    return most;
  }

  /** The preview that was chosen last is there, and took so many milliseconds. */
  learn(took: number): void {
    if (!this.chosen) return;
    this.shown.add(this.chosen.most);
    if (this.chosen.expected > LEAST_TOLD) this.dearer = Math.min(DEAREST, Math.max(1, took / this.chosen.expected));
  }
}

/** What weather takes is not known yet: the more of it there is, the coarser its first picture. */
function unknownSize(course: Course): number {
  const weather = allUses(course).filter((use) => use.on && stepById(use.step).family === 'weather').length;
  return PREVIEWS[Math.min(weather, PREVIEWS.length - 1)];
}

/** Milliseconds that the full ground's steps took, all of them or from the first that changes on. */
function costOf(course: Course, { course: before, evaluation: { stages } }: Full, fromChange: boolean): number {
  const was = new Map(allUses(before).map((use) => [use.id, JSON.stringify(use)]));
  const now = new Map(allUses(course).map((use) => [use.id, JSON.stringify(use)]));
  const first = fromChange ? stages.findIndex(({ use }) => now.get(use.id) !== was.get(use.id)) : 0;
  return first < 0 ? 0 : stages.slice(first).reduce((sum, stage) => sum + stage.took, 0);
}

function shareOf({ ground }: Course, most: number): number {
  const { across, down } = previewGround(ground, most);
  return (across * down) / (ground.across * ground.down);
}
