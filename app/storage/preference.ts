/** What was chosen last in this browser; the first of the choices until one was. */
export function preference<T extends string>(name: string, choices: readonly [T, ...T[]]): { now(): T; keep(value: T): void } {
  const key = `upland-cast:${name}`;
  return {
    now() {
      try {
        const kept = localStorage.getItem(key);
        return choices.find((choice) => choice === kept) ?? choices[0];
      } catch {
        return choices[0];
      }
    },
    keep(value) {
      try {
        localStorage.setItem(key, value);
      } catch {
        // A browser that keeps nothing has it for as long as the page lives.
      }
    },
  };
}

/** The sheet that the panels are drawn on. */
export const sheet = preference('sheet', ['light', 'dark']);

/** The light on the ground: a day's, or a neutral one for judging form. */
export const light = preference('light', ['day', 'working']);
