import { joinStage } from '../course/join';
import { settingsOf } from '../course/schema';
import { toDatum } from '../course/settings';
import { weightsOf } from '../course/where';
import { throwIfStopped, UplandError } from '../errors';
import { makeField, type Field } from '../field/field';
import { makeGround, spacingOf, type Ground } from '../field/ground';
import { cropSamples, groundOfWindow, growWindow, type Window } from '../field/window';
import type { Kernels } from '../kernels/pool';
import { stepById } from '../steps';
import type { StepContext } from '../steps/step';
import { COUNTRY, countryGround, countrySteps, MOST_SURVEYED, SURVEY_SPACINGS, type Spacing } from './velmarch';

/** A frame on the survey's map, metres from the country's north-west corner. */
export interface Frame {
  east: number;
  south: number;
  width: number;
  depth: number;
}

const cubed = (v: number) => v * v * v;

/** Where the survey has no heights: holes of a few hundred metres, as steep and wet ground leaves them. */
const HOLES = Array.from({ length: 150 }, (_, k) => {
  // Spread by the golden ratio and its square, sizes by a third irrational: fixed, and even over the country.
  const share = (factor: number) => (k * factor + 0.37) % 1;
  return { east: COUNTRY.width * share(0.6180339887), south: COUNTRY.depth * share(0.7548776662), radius: 90 + 330 * cubed(share(0.569840291)) };
});

/** Two campaigns meet along a line: the eastern one lies this much higher. */
export const SEAM = { east: 45_200, lean: 0.18, lift: 2.6 } as const;

/** The elevations of any window of the country at a spacing that divides it: its steps over that window alone. */
export async function countryWindow(spacing: number, window: Window, kernels: Kernels, signal?: AbortSignal): Promise<Field> {
  const ground = countryGround(spacing);
  const { x } = spacingOf(ground);
  const reach = countrySteps.reduce((sum, use) => sum + Math.min(1e5, stepById(use.step).reach(settingsOf(use) as never, ground)), 0);
  const wide = growWindow(window, Math.ceil(reach / x), Math.ceil(reach / x), ground, 64);
  let height = new Float32Array(wide.across * wide.down);
  for (const use of countrySteps) {
    throwIfStopped(signal);
    const step = stepById(use.step);
    const none = () => Promise.reject(new UplandError('survey', 'The country reads no files.'));
    const context: StepContext = {
      ground,
      window: wide,
      kernels,
      signal,
      progress: () => undefined,
      asset: none,
      heights: none,
      tributary: none,
      tributaryHoles: none,
      rock: none,
      say: () => undefined,
    };
    const input = { ground: groundOfWindow(ground, wide), height, layers: {} };
    const mask = await weightsOf(use.where, input, context);
    const made = await step.run(input, toDatum(step.params, settingsOf(use), ground) as never, context);
    height = joinStage(height, made.height, { mode: use.join, width: 0, zero: 0, one: 1, gives: step.gives, datum: 0 }, use.strength, mask);
  }
  const inner = { ...window, left: window.left - wide.left, top: window.top - wide.top };
  return makeField(placed(ground, window), cropSamples(height, wide.across, inner).slice() as Float32Array<ArrayBuffer>);
}

/** The window's ground, with its own place on the map. */
function placed(ground: Ground, window: Window): Ground {
  const { x, y } = spacingOf(ground);
  const under = groundOfWindow(ground, window);
  return makeGround({ ...under, georeference: { west: COUNTRY.west + window.left * x, north: COUNTRY.north - window.top * y, crs: COUNTRY.crs } });
}

/** The samples that a frame covers at a spacing; refuses frames outside of the country and too large ones. */
export function windowOf(frame: Frame, spacing: number): Window {
  if (!SURVEY_SPACINGS.includes(spacing as Spacing))
    throw new UplandError('spacing', `The survey has extracts at ${SURVEY_SPACINGS.join(', ')} m; there are none at ${spacing} m.`);
  const left = Math.round(frame.east / spacing);
  const top = Math.round(frame.south / spacing);
  const across = Math.round(frame.width / spacing);
  const down = Math.round(frame.depth / spacing);
  const { across: most, down: mostDown } = countryGround(spacing);
  if (left < 0 || top < 0 || left + across > most || top + down > mostDown) {
    throw new UplandError('outside', `The frame reaches beyond ${COUNTRY.name}. Move it inside the map.`);
  }
  if (across < 2 || down < 2)
    throw new UplandError('too-small', `The frame has ${across} × ${down} samples at ${spacing} m. Make it larger, or take a finer spacing.`);
  if (across * down > MOST_SURVEYED) {
    const side = Math.floor((Math.sqrt(MOST_SURVEYED) * spacing) / 100) / 10;
    throw new UplandError(
      'too-many',
      `The frame has ${across} × ${down} samples at ${spacing} m; ${MOST_SURVEYED} are the most in one extract. Make it ${side} km a side or less, or take a coarser spacing.`,
      { across, down },
    );
  }
  return { left, top, across, down };
}

/** What the survey gives out for a frame: its heights, with the holes and the seam that it has. */
export async function extract(frame: Frame, spacing: number, kernels: Kernels, signal?: AbortSignal): Promise<Field> {
  const window = windowOf(frame, spacing);
  const truth = await countryWindow(spacing, window, kernels, signal);
  return asSurveyed(truth, window, spacing);
}

function asSurveyed(truth: Field, window: Window, spacing: number): Field {
  const { across, down } = truth.ground;
  const height = truth.height.slice() as Float32Array<ArrayBuffer>;
  for (let row = 0, i = 0; row < down; row++) {
    const south = (window.top + row + 0.5) * spacing;
    const border = SEAM.east + SEAM.lean * south;
    for (let column = 0; column < across; column++, i++) if ((window.left + column + 0.5) * spacing > border) height[i] += SEAM.lift;
  }
  const valid = new Uint8Array(height.length).fill(1);
  let missing = 0;
  for (const hole of HOLES) {
    const [x, y, r] = [hole.east / spacing - window.left, hole.south / spacing - window.top, hole.radius / spacing];
    for (let row = Math.max(0, Math.floor(y - r)); row < Math.min(down, y + r); row++) {
      for (let column = Math.max(0, Math.floor(x - 1.6 * r)); column < Math.min(across, x + 1.6 * r); column++) {
        const i = row * across + column;
        // Only land has them: the sea floor was sounded on its own.
        if (height[i] < 2 || !valid[i] || beyond((column + 0.5 - x) / 1.6, row + 0.5 - y, r)) continue;
        valid[i] = 0;
        missing++;
      }
    }
  }
  return missing ? makeField(truth.ground, height, valid) : makeField(truth.ground, height);
}

const beyond = (x: number, y: number, r: number) => x * x + y * y > r * r;
