import { spacingOf, type Ground } from '@upland-cast/core';

/** What stays as it is while another of the three is changed. */
export type Held = 'spacing' | 'samples' | 'size';

const extraOf = ({ registration }: Pick<Ground, 'registration'>) => (registration === 'point' ? 1 : 0);
const count = (cells: number, extra: number) => Math.max(2, Math.round(cells) + extra);

/** Another size in metres: with the spacing held its nearest whole number of cells, else the samples stay and lie further apart or closer. */
export function sized(ground: Ground, side: 'width' | 'depth', metres: number, held: Held): Ground {
  if (held !== 'spacing') return { ...ground, [side]: metres };
  const extra = extraOf(ground);
  const spacing = side === 'width' ? spacingOf(ground).x : spacingOf(ground).y;
  const samples = count(metres / spacing, extra);
  return { ...ground, [side]: spacing * (samples - extra), [side === 'width' ? 'across' : 'down']: samples };
}

/** Another count of samples: with the spacing held the ground becomes larger or smaller, else they lie closer or further apart. */
export function sampled(ground: Ground, across: number, down: number, held: Held): Ground {
  if (held !== 'spacing') return { ...ground, across, down };
  const extra = extraOf(ground);
  const { x, y } = spacingOf(ground);
  return { ...ground, across, down, width: x * Math.max(1, across - extra), depth: y * Math.max(1, down - extra) };
}

/** Another distance from sample to sample, the same both ways: with the samples held the ground becomes larger or smaller, else there are more or fewer of them. */
export function spaced(ground: Ground, spacing: number, held: Held): Ground {
  const extra = extraOf(ground);
  if (held === 'samples') return { ...ground, width: spacing * Math.max(1, ground.across - extra), depth: spacing * Math.max(1, ground.down - extra) };
  const [across, down] = [count(ground.width / spacing, extra), count(ground.depth / spacing, extra)];
  // A whole number of cells: the size goes to the nearest that has one.
  return { ...ground, across, down, width: spacing * (across - extra), depth: spacing * (down - extra) };
}
