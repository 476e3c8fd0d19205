import { placesBetween, type StrokePlace } from '@upland-cast/core';
import { beginStroke, endStroke, strokeTo } from '../../../store/sculpt';
import { useTerrain } from '../../../store/state';

/** Milliseconds in which a second finger makes a pinch of what would have been a stroke. */
export const SECOND_FINGER = 90;

/** What a pointer does on the ground, as strokes: one at a time, each begun when the one before is over. */
export class StrokeHand {
  private last: StrokePlace | null = null;
  /** Whether the stroke in hand could be begun; strokes follow one another. */
  private ready: Promise<boolean> | null = null;
  private before: Promise<unknown> = Promise.resolve();
  private held: ReturnType<typeof setInterval> | undefined;
  /** Fingers that are down: with two of them the view is meant, and not the brush. */
  private readonly fingers = new Set<number>();
  private waits: ReturnType<typeof setTimeout> | undefined;

  constructor(
    private readonly element: Pick<HTMLElement, 'isConnected' | 'setPointerCapture'>,
    /** Where on the ground a pointer is, with its pressure; null beside it. */
    private readonly place: (event: PointerEvent) => StrokePlace | null,
  ) {}

  down(event: PointerEvent): void {
    if (event.pointerType !== 'touch') return this.begin(event);
    this.fingers.add(event.pointerId);
    clearTimeout(this.waits);
    if (this.fingers.size > 1) return this.end();
    this.waits = setTimeout(() => this.fingers.size === 1 && this.begin(event), SECOND_FINGER);
  }

  move(event: PointerEvent): void {
    if (!this.ready) return;
    const { radius, spacing } = useTerrain.getState().brush;
    const places: StrokePlace[] = [];
    // Where the hand really went between two frames.
    for (const each of event.getCoalescedEvents?.().length ? event.getCoalescedEvents() : [event]) {
      const at = this.place(each);
      if (!at) continue;
      this.last ??= at;
      const more = placesBetween(this.last, at, radius * spacing);
      this.last = more.at(-1) ?? this.last;
      places.push(...more);
    }
    if (places.length) void this.ready.then((ok) => ok && strokeTo(places));
  }

  lift(event: PointerEvent): void {
    // A tap is a dab, if it was shorter than the wait for a second finger.
    if (this.fingers.size === 1 && event.type === 'pointerup' && !this.ready) {
      clearTimeout(this.waits);
      if (this.fingers.has(event.pointerId)) this.begin(event);
    }
    this.fingers.delete(event.pointerId);
    this.end();
  }

  /** The stroke in hand is over. */
  end(): void {
    clearInterval(this.held);
    if (!this.ready) return;
    const over = (this.before = this.ready.then((ok) => (ok ? endStroke() : undefined)));
    const rest = () => this.before === over && !this.ready && useTerrain.setState({ stroking: false });
    void over.then(rest, rest);
    this.ready = null;
    this.last = null;
  }

  /** Nothing more comes of it. */
  leave(): void {
    clearTimeout(this.waits);
    this.end();
  }

  private begin(event: PointerEvent): void {
    if (event.button !== 0 || this.ready) return;
    const at = this.place(event);
    if (!at) return;
    if (event.type === 'pointerdown' && this.element.isConnected) this.element.setPointerCapture(event.pointerId);
    const { brush } = useTerrain.getState();
    const mine = (this.ready = this.before.then(() => beginStroke(brush)));
    useTerrain.setState({ stroking: true });
    this.last = at;
    void mine.then((ok) => ok && strokeTo([at]));
    if (brush.rate > 0)
      this.held = setInterval(() => void mine.then((ok) => ok && this.ready === mine && this.last && strokeTo([this.last])), 1000 / brush.rate);
  }
}
