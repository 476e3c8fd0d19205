import { figure } from './format';

/** The colour of a token as it is now. */
export const tokenColour = (name: string): string => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

/** An axis of a chart as all of ours have it: a title, and figures in the numbers' own type. */
export const linearAxis = (text: string, maxTicksLimit?: number) => ({
  type: 'linear' as const,
  title: { display: true, text, color: tokenColour('--soft-ink'), font: { family: 'Overpass Variable', size: 11 } },
  ticks: {
    color: tokenColour('--soft-ink'),
    font: { family: 'Overpass Mono Variable', size: 11 },
    maxTicksLimit,
    callback: (v: number | string) => figure(Number(v), 0),
  },
  grid: { color: tokenColour('--rule') },
  border: { color: tokenColour('--soft-ink') },
});
