import { floats, type Program } from '../program';

export interface BreachArgs {
  across: number;
  down: number;
  spacingX: number;
  spacingY: number;
  /** Nothing is cut by more than this, metres. */
  deepest: number;
  /** What a way costs where nothing has to be cut, as metres of cutting. */
  even: number;
}

export interface BreachInputs {
  height: Float32Array;
  /** 1 where water leaves the ground, 0 elsewhere. */
  leaves: Uint8Array;
  /** What a metre of the way costs, as a factor. */
  weight: Float32Array;
  /** The hollows' lowest samples, in the order of their turns. */
  bottoms: Int32Array;
}

export interface Breached {
  /** The height, and on every outlet its bed. */
  level: Float32Array<ArrayBuffer>;
  /** Hollows that would take a deeper cut. */
  kept: number;
}

/** Samples that are looked at before others are heard. */
const BUDGET = 400_000;

/**
 * Outlets of hollows: the least costly way from each lowest sample to lower ground. One outlet leads to another: the first band does it all.
 * Source: Lindsay & Dhun 2015, "Modelling surface drainage patterns in altered landscapes using LiDAR" (least-cost breaching); Dijkstra 1959.
 */
export const breachProgram: Program<BreachArgs, BreachInputs, Breached> = {
  id: 'breach',
  bytes: (args) => plan(args).bytes,

  load(arena, args, { height, leaves, weight, bottoms }) {
    const at = plan(args);
    const words = (from: number) => new Int32Array(arena.buffer, arena.start + from, height.length);
    floats(arena, arena.start, height.length).set(height);
    floats(arena, arena.start + at.weight, height.length).set(weight);
    new Uint8Array(arena.buffer, arena.start + at.mark, height.length).set(leaves);
    words(at.bottoms).set(bottoms);
    words(at.place).fill(0);
    new Int32Array(arena.buffer, arena.start + at.control, CONTROL / 4).set([0, 0, bottoms.length]);
  },

  *run(kernels, arena, args, band) {
    const { across, down, spacingX, spacingY, deepest, even } = args;
    const at = plan(args);
    const told = new Int32Array(arena.buffer, arena.start + at.control, CONTROL / 4);
    const count = told[2];
    const of = (offset: number) => arena.start + offset;
    const some = () =>
      kernels.breachHollows(
        arena.start,
        of(at.mark),
        of(at.weight),
        of(at.cost),
        of(at.place),
        of(at.way),
        of(at.heap),
        of(at.touched),
        of(at.bottoms),
        of(at.control),
        count,
        across,
        down,
        spacingX,
        spacingY,
        deepest,
        even,
        BUDGET,
      );
    for (let next = 0; next < count;) {
      if (band.index === 0) some();
      // Where the work can be stopped; then all bands have read how far it is before it goes on.
      yield;
      next = told[0];
      band.progress(next / count);
      yield;
    }
  },

  take(arena, args) {
    const at = plan(args);
    return {
      level: floats(arena, arena.start, args.across * args.down).slice() as Float32Array<ArrayBuffer>,
      kept: new Int32Array(arena.buffer, arena.start + at.control, CONTROL / 4)[1],
    };
  },
};

const CONTROL = 64;

function plan({ across, down }: BreachArgs) {
  const words = (across * down * 4 + 63) & ~63;
  const bytes = (across * down + 63) & ~63;
  let end = words;
  const claim = (size: number) => (end += size) - size;
  const at = {
    weight: claim(words),
    cost: claim(words),
    place: claim(words),
    heap: claim(words),
    touched: claim(words),
    bottoms: claim(words),
    mark: claim(bytes),
    way: claim(bytes),
    control: claim(CONTROL),
  };
  return { ...at, bytes: end };
}
