/** What the scheduler has done for it; every call is of its own turn. */
export interface Work {
  /** Works the ground out, small or whole; true when it was shown, false when it was stopped or went wrong. */
  pass(kind: 'preview' | 'full', turn: number): Promise<boolean>;
  /** Stops the pass that is under way. */
  stop(): void;
  /** Whether the ground that is seen is the full one. */
  seesFull(): boolean;
  /** Whether nothing is seen yet, and the full ground is seen while it grows: a small one would only be in its way. */
  growsInView(): boolean;
  /** The full ground of the latest turn is seen. */
  settle(): Promise<void>;
}

/** Milliseconds that the hand rests before the full ground is worked out; after a stroke, whose ground is seen already, it waits longer. */
const REST = 220;
const REST_AFTER_STROKE = 500;
/** Milliseconds between two looks at whether something is over. */
const LOOK = 30;

/**
 * When what is worked out: a preview at once, the full ground when the hand rests; the full ground alone where it is seen while it grows. A preview that runs is
 * let finish (it is short), so that a drag always shows something; a full one is stopped.
 */
export class Scheduler {
  private wanted = 0;
  /** Everything asked for up to here has been stopped by hand. */
  private givenUp = 0;
  private busy: 'preview' | 'full' | null = null;
  private rest: ReturnType<typeof setTimeout> | undefined;
  /** A stroke is under way: the ground is worked out again when it is over. */
  private held = false;
  /** What is to be worked out only follows strokes: the ground that is seen is right but for what later steps make of them. */
  private behind = false;

  constructor(private readonly work: Work) {}

  /** Whether what was asked for at this turn is still wanted by anybody. */
  goesOn(turn: number): boolean {
    return turn > this.givenUp;
  }

  /** Whether nothing has been asked for since this turn. */
  isLatest(turn: number): boolean {
    return turn === this.wanted;
  }

  /** Something changed: it is worked out anew. */
  ask(): void {
    this.wanted++;
    this.behind = false;
    this.forgetRest();
    if (this.busy === 'preview') return;
    if (this.busy === 'full') return this.work.stop();
    void this.step();
  }

  /** After a stroke the ground is seen as it is already, but for what steps after it make of it: no preview comes between. */
  askBehind(): void {
    if (this.busy || !this.work.seesFull()) return this.ask();
    this.wanted++;
    this.forgetRest();
    this.behind = true;
    this.wholeLater(this.wanted, REST_AFTER_STROKE);
  }

  /** What is seen is the full ground as it was kept: it is worked out behind that, and seen as settled when it is. */
  askSeen(): void {
    if (this.busy || !this.work.seesFull()) return this.ask();
    this.wanted++;
    this.forgetRest();
    this.wholeLater(this.wanted, 0);
  }

  /** Stops what is being worked out, and what was to be; the ground stays as it was last seen. */
  giveUp(): void {
    this.givenUp = this.wanted;
    this.forgetRest();
    this.work.stop();
  }

  /** While a hand is on the ground nothing else changes it. */
  async hold(on: boolean): Promise<void> {
    this.held = on;
    if (!on || this.busy === null) return;
    clearTimeout(this.rest);
    this.work.stop();
    for (let tries = 0; this.busy !== null && tries < 500; tries++) await new Promise((resolve) => setTimeout(resolve, 10));
  }

  /** The engine is gone, and with it whatever held it. */
  reset(): void {
    this.held = false;
  }

  /** The full ground is seen, and will be until something changes: at once, or when it has been worked out. False after `patience` ms. */
  async settled(patience: number): Promise<boolean> {
    const there = () => this.work.seesFull() && (this.behind || (this.busy === null && this.rest === undefined));
    for (const until = Date.now() + patience; Date.now() < until;) {
      if (there()) return true;
      await new Promise((resolve) => setTimeout(resolve, LOOK));
    }
    return there();
  }

  private forgetRest(): void {
    clearTimeout(this.rest);
    this.rest = undefined;
  }

  private async pass(kind: 'preview' | 'full', turn: number): Promise<boolean> {
    this.busy = kind;
    try {
      return await this.work.pass(kind, turn);
    } finally {
      this.busy = null;
    }
  }

  private async step(): Promise<void> {
    const turn = this.wanted;
    if (this.work.growsInView() && !this.held) {
      await this.whole(turn, 0);
      // Stopped before anything was seen of it: a small one, so that there is something to see.
      if (turn === this.wanted && !this.goesOn(turn) && this.work.growsInView()) await this.pass('preview', turn);
      return;
    }
    const shown = await this.pass('preview', turn);
    if (turn !== this.wanted) return void this.step();
    if (!shown || !this.goesOn(turn)) return;
    if (this.work.seesFull()) return this.work.settle();
    this.wholeLater(turn, REST);
  }

  /** The full ground, when the hand rests. */
  private wholeLater(turn: number, wait: number): void {
    this.rest = setTimeout(() => void this.whole(turn, wait), wait);
  }

  private async whole(turn: number, wait: number): Promise<void> {
    this.rest = undefined;
    if (turn !== this.wanted || this.busy) return;
    if (this.held) return this.wholeLater(turn, wait);
    const shown = await this.pass('full', turn);
    if (turn !== this.wanted) return void this.step();
    if (!shown) return;
    this.behind = false;
    await this.work.settle();
  }
}
