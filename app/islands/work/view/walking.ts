import { shownWater, useTerrain } from '../../../store/state';
import { goOn, type Going } from '../../../view/ground/walk';

const KEYS: Record<string, [keyof Going, number]> = {
  KeyW: ['ahead', 1],
  ArrowUp: ['ahead', 1],
  KeyS: ['ahead', -1],
  ArrowDown: ['ahead', -1],
  KeyD: ['aside', 1],
  ArrowRight: ['aside', 1],
  KeyA: ['aside', -1],
  ArrowLeft: ['aside', -1],
  KeyE: ['up', 1],
  PageUp: ['up', 1],
  KeyQ: ['up', -1],
  PageDown: ['up', -1],
};

/** Seconds that one frame may stand for: after a pause, or a slow frame, nobody leaps. */
const LONGEST = 0.25;

/** Keys that are held take the walker over the ground, a frame at a time; frames come only while something moves. */
export class Legs {
  private readonly held = new Set<string>();
  private frame = 0;
  private last = 0;

  press(event: KeyboardEvent): void {
    if (event.target instanceof HTMLInputElement || event.target instanceof HTMLSelectElement) return;
    if (event.key === 'Escape') return useTerrain.setState({ walker: null });
    if (!(event.code in KEYS) || event.ctrlKey || event.metaKey) return;
    event.preventDefault();
    event.stopPropagation();
    this.held.add(event.code);
    if (this.frame) return;
    this.last = performance.now();
    this.frame = requestAnimationFrame(this.tick);
  }

  release(code: string): void {
    this.held.delete(code);
  }

  rest(): void {
    this.held.clear();
  }

  stop(): void {
    this.rest();
    cancelAnimationFrame(this.frame);
    this.frame = 0;
  }

  private readonly tick = (now: number): void => {
    const { walker, picture } = useTerrain.getState();
    if (!walker || !picture) return;
    const going: Going = { ahead: 0, aside: 0, up: 0 };
    for (const code of this.held) going[KEYS[code][0]] += KEYS[code][1];
    const next = goOn(walker, picture, shownWater(), Math.min(LONGEST, (now - this.last) / 1000), going);
    this.last = now;
    useTerrain.setState({ walker: next });
    this.frame = this.held.size || next.falling > 0 ? requestAnimationFrame(this.tick) : 0;
  };
}

/** Degrees that a pixel of a drag turns the head by. */
const TURN = 0.2;
const STEEPEST = 85;

/** A drag looks around. */
export class Eyes {
  private from: [number, number] | null = null;

  hold(x: number, y: number): void {
    this.from = [x, y];
  }

  turn(x: number, y: number): void {
    const { walker } = useTerrain.getState();
    if (!this.from || !walker) return;
    const heading = walker.heading + (x - this.from[0]) * TURN;
    const pitch = Math.min(STEEPEST, Math.max(-STEEPEST, walker.pitch - (y - this.from[1]) * TURN));
    this.from = [x, y];
    useTerrain.setState({ walker: { ...walker, heading: ((heading % 360) + 360) % 360, pitch } });
  }

  let(): void {
    this.from = null;
  }
}
