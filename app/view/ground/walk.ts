import { surfaceAt, type HeightSource, type ShownWater } from './pick';

/** Metres a second. */
export const PACES = { walk: 1.4, run: 4, ride: 12 } as const;
export type Pace = keyof typeof PACES;

/** Metres from the feet to the eyes. */
export const EYES = 1.7;
const GRAVITY = 9.81;
/** A step up that a foot takes without thinking, metres. */
const KERB = 0.25;

/** What is held down: −1, 0 or 1 along each way. */
export interface Going {
  ahead: number;
  aside: number;
  up: number;
}

/** Somebody on the ground, or flying over it; metres, degrees, the height of the feet above the datum. */
export interface Walker {
  how: 'walk' | 'fly';
  east: number;
  south: number;
  feet: number;
  /** Metres a second downwards, while falling. */
  falling: number;
  /** Clockwise from north. */
  heading: number;
  /** Upwards from level. */
  pitch: number;
  pace: Pace;
  /** No way up that is steeper than this. */
  steepest: number;
  /** Whether the last step was stopped by the slope. */
  stopped: boolean;
}

/** Somebody is put down at a place; water that is shown carries, so that nobody looks out from under it. */
export function putDown(source: HeightSource, water: ShownWater | null, how: Walker['how'], east: number, south: number, heading = 0): Walker {
  const feet = surfaceAt(source, water, east, south) + (how === 'fly' ? Math.max(source.ground.width, source.ground.depth) / 40 : 0);
  return { how, east, south, feet, falling: 0, heading, pitch: how === 'fly' ? -15 : -4, pace: 'walk', steepest: 40, stopped: false };
}

/**
 * Goes on for so many seconds, in strides short enough that no wall is stepped through. On foot
 * the ground and the water that is shown carry: up to the steepest slope, and down a drop by falling.
 */
export function goOn(walker: Walker, source: HeightSource, water: ShownWater | null, seconds: number, { ahead, aside, up }: Going): Walker {
  const { width, depth, across } = source.ground;
  const next = { ...walker, stopped: false };
  const turn = (walker.heading * Math.PI) / 180;
  const length = Math.hypot(ahead, aside) || 1;
  const [x, y] = [(ahead * Math.sin(turn) + aside * Math.cos(turn)) / length, (-ahead * Math.cos(turn) + aside * Math.sin(turn)) / length];
  const moving = ahead !== 0 || aside !== 0;
  const reach = Math.max(width, depth);
  const speed = walker.how === 'fly' ? (reach / 25) * (PACES[walker.pace] / PACES.run) : PACES[walker.pace];
  const stride = Math.min(0.5, width / across / 2);
  const parts = Math.max(1, Math.min(2_000, Math.ceil((speed * seconds) / stride)));
  const dt = seconds / parts;
  const most = Math.tan((walker.steepest * Math.PI) / 180);
  for (let n = 0; n < parts; n++) {
    const way = speed * dt;
    const east = Math.min(width, Math.max(0, next.east + (moving ? x * way : 0)));
    const south = Math.min(depth, Math.max(0, next.south + (moving ? y * way : 0)));
    const ground = surfaceAt(source, water, east, south);
    if (walker.how === 'fly') {
      const lift = up + ahead * Math.sin((walker.pitch * Math.PI) / 180);
      [next.east, next.south] = [east, south];
      next.feet = Math.max(ground, next.feet + lift * way);
      continue;
    }
    const rise = ground - next.feet;
    if (moving && rise > most * way + (next.falling > 0 ? KERB : 0)) {
      next.stopped = true;
      break;
    }
    [next.east, next.south] = [east, south];
    if (rise >= 0 || (next.falling === 0 && -rise <= Math.max(most, 1) * way + 0.02)) [next.feet, next.falling] = [ground, 0];
    else {
      next.falling += GRAVITY * dt;
      next.feet = Math.max(ground, next.feet - next.falling * dt);
      if (next.feet === ground) next.falling = 0;
    }
  }
  return next;
}
