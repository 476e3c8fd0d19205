/** Milliseconds between two tellings of the same work. */
const PACE = 60;

/**
 * Passes on at most so many tellings as a person can follow. Each costs the page a drawing, and all of them wait there in line
 * before the answer: a thousand of one step kept a ground that was done from being seen for a second.
 */
export function paced<Told extends [words: string, share: number, ...rest: unknown[]]>(tell: (...told: Told) => void): (...told: Told) => void {
  let last = -Infinity;
  let words: string | undefined;
  return (...told) => {
    const now = performance.now();
    if (told[0] === words && now - last < PACE) return;
    last = now;
    words = told[0];
    tell(...told);
  };
}
