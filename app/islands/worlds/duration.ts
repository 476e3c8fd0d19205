const many = (count: number, one: string) => `${count} ${one}${count === 1 ? '' : 's'}`;

/** So many seconds, as somebody waits for them. */
export function duration(seconds: number): string {
  if (seconds < 90) return many(Math.max(1, Math.round(seconds)), 'second');
  if (seconds < 90 * 60) return many(Math.round(seconds / 60), 'minute');
  if (seconds < 36 * 3600) return `${(seconds / 3600).toFixed(1)} hours`;
  return many(Math.round(seconds / 86_400), 'day');
}
