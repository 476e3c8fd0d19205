import { create } from 'zustand';

const STORED = 'upland-cast:hints';
const VISITED = 'upland-cast:visited';

const read = (key: string): string | null => {
  try {
    return localStorage.getItem(key);
  } catch {
    return null;
  }
};
const write = (key: string, value: string): void => {
  try {
    localStorage.setItem(key, value);
  } catch {
    // A browser that keeps nothing is always on its first visit; it is left alone.
  }
};

/** Which of the hints is next; those that were seen or put away do not come again. */
export const useHints = create<{ at: number }>(() => ({ at: Number(read(STORED) ?? 0) }));

export function goToHint(at: number): void {
  useHints.setState({ at });
  write(STORED, String(at));
}

/** True the first time that it is asked in this browser, where the browser can remember the answer. */
export function isFirstVisit(): boolean {
  if (read(VISITED) !== null) return false;
  write(VISITED, '1');
  return read(VISITED) !== null;
}
