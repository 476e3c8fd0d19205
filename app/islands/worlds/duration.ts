/** So many seconds, as somebody waits for them. */
export function duration(seconds: number): string {
  if (seconds < 90) return `${Math.max(1, Math.round(seconds))} seconds`;
  if (seconds < 90 * 60) return `${Math.round(seconds / 60)} minutes`;
  if (seconds < 36 * 3600) return `${(seconds / 3600).toFixed(1)} hours`;
  return `${Math.round(seconds / 86_400)} days`;
}
