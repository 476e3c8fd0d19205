/** Words at the start of the arena that the coordinator and the bands share. */
export const CONTROL_BYTES = 64;
export const ABORT = 0;
const ARRIVED = 1;
const GENERATION = 2;
export const PROGRESS = 3;
/** Set when the work is to end early and be kept. */
export const HALT = 4;
export const PROGRESS_FULL = 1_000_000;

/** Waits until all `bands` are here. False when the work was told to stop. */
export function barrier(control: Int32Array, bands: number): boolean {
  const generation = Atomics.load(control, GENERATION);
  if (Atomics.add(control, ARRIVED, 1) === bands - 1) {
    Atomics.store(control, ARRIVED, 0);
    Atomics.add(control, GENERATION, 1);
    Atomics.notify(control, GENERATION);
  } else {
    while (Atomics.load(control, GENERATION) === generation) {
      if (Atomics.load(control, ABORT)) return false;
      // Woken now and then, so that a band that died does not hold the others for ever.
      Atomics.wait(control, GENERATION, generation, 100);
    }
  }
  return Atomics.load(control, ABORT) === 0;
}

/** Tells every band to stop, and wakes those that wait. */
export function abort(control: Int32Array): void {
  Atomics.store(control, ABORT, 1);
  Atomics.notify(control, GENERATION);
}

export function resetControl(control: Int32Array): void {
  for (const word of [ABORT, ARRIVED, PROGRESS, HALT]) Atomics.store(control, word, 0);
}
